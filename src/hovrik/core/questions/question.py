"""What is asked. It is the context of every stage and the goal that planning, reading and choosing use."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any


class School(StrEnum):
    """How a low is computed; printed beside every low."""

    PERCENTILE = "percentile"
    SLOWEST_MEAN = "slowest_mean"
    TIME_WEIGHTED = "time_weighted"

    @property
    def words(self) -> str:
        """The school as it is written on screen."""
        return {"percentile": "percentile", "slowest_mean": "slowest-share mean", "time_weighted": "time-weighted"}[
            self.value
        ]


class Source(StrEnum):
    """Where the watts come from."""

    BATTERY = "battery"
    ADAPTER = "adapter"


@dataclass(frozen=True)
class Question:
    """The lowest watts that hold a floor.

    target_fps : the player's floor; tolerance : how far under it a low may lie and still hold (share);
    missed_share : share of intervals over 1.5 x the target interval that is still held;
    sure : probability from which an answer is stated; price_fps_per_w : what one watt must buy to pay.
    """

    rig: str
    slot: str
    title: str
    scene: str
    source: Source = Source.BATTERY
    target_fps: float = 40.0
    school: School = School.PERCENTILE
    tolerance: float = 0.03
    missed_share: float = 0.01
    sure: float = 0.95
    price_fps_per_w: float = 1.0

    @property
    def floor_fps(self) -> float:
        """The low that still counts as held."""
        return (1.0 - self.tolerance) * self.target_fps

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Question:
        """The inverse of `as_dict`; unknown keys are ignored."""
        known = {k: v for k, v in body.items() if k in cls.__dataclass_fields__}
        known["source"], known["school"] = Source(known["source"]), School(known["school"])
        return cls(**known)
