"""What a search is for: the aim, what has to be met, and how sure."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ...facts.terms import Aim

_BOUNDS = ("die_limit_c", "draw_limit_w", "noise_limit_db")


@dataclass(frozen=True)
class Goal:
    """What is sought. aim; edge_fps : what the judged figure must reach, 0 nothing; figure : its id; die_limit_c : of
    the settled die, inf none; room_c : it is reckoned over; sure : chance from which a setup is stated; draw_limit_w :
    at which the battery lasts as long as is asked, inf any; noise_limit_db : inf any; front : the trade-off between
    draw and the judged figure is sought, not one setup; picture : knobs whose levels stand from the poorest picture to
    the best; weights : of figures, in place of the aim."""

    aim: Aim = Aim.HOURS
    edge_fps: float = 0.0
    target_fps: float = 60.0
    figure: str = "low_1pct_fps_percentile"
    die_limit_c: float = math.inf
    room_c: float = 23.0
    sure: float = 0.9
    draw_limit_w: float = math.inf
    noise_limit_db: float = math.inf
    front: bool = False
    picture: tuple[str, ...] = ()
    weights: tuple[tuple[str, float], ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        bounds = {name: v if math.isfinite(v := getattr(self, name)) else None for name in _BOUNDS}
        return {
            "aim": self.aim.value, "edge_fps": self.edge_fps, "target_fps": self.target_fps, "figure": self.figure,
            "room_c": self.room_c, "sure": self.sure, "front": self.front, "picture": list(self.picture),
            "weights": dict(self.weights), **bounds,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Goal:
        """The inverse of `as_dict`."""
        bounds = {name: math.inf if (v := body.get(name)) is None else float(v) for name in _BOUNDS}
        return cls(
            Aim(body["aim"]), float(body["edge_fps"]), float(body["target_fps"]), str(body["figure"]),
            room_c=float(body["room_c"]), sure=float(body["sure"]), front=bool(body.get("front")),
            picture=tuple(body.get("picture") or ()),
            weights=tuple((str(key), float(v)) for key, v in dict(body.get("weights") or {}).items()), **bounds,
        )  # fmt: skip
