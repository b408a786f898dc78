"""What an answer is held against, shared by every kind of question: floor, limits, aim, how sure, in which room."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum


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


class Aim(StrEnum):
    """What is wanted most among what meets floor and limits."""

    HOURS = "hours"
    FRAMES = "frames"
    PICTURE = "picture"
    QUIET = "quiet"


LOW, MEAN, LOW_TENTH, SLOW_SHARE, SCORE, TIME = "low_1pct", "mean", "low_0_1pct", "slow_share", "score", "time"
HOURS = "hours"  # a limit's figure that is reckoned from the draw
MOST_WEIGHT = 10.0
NOTHING = "none"  # no floor at all
FLOOR_FIGURES = (LOW, LOW_TENTH, MEAN, SLOW_SHARE, SCORE, TIME)


@dataclass(frozen=True)
class Floor:
    """What must be held.

    figure : "low_1pct", "low_0_1pct", "mean", "slow_share", "score" or "time"; value : in its unit (fps, points, s; of
    slow frames the rate that they fall short of); tolerance : how far off it still holds (share of it); missed_share :
    share of intervals over 1.5 x the target interval (of frames that fall short, for slow frames) that is still held.
    """

    figure: str = LOW
    value: float = 40.0
    tolerance: float = 0.03
    missed_share: float = 0.01

    @property
    def less_is_better(self) -> bool:
        """Whether the figure must stay under the value."""
        return self.figure == TIME

    @property
    def is_slow_share(self) -> bool:
        """Whether the share of frames that fall short is what is judged."""
        return self.figure == SLOW_SHARE

    @property
    def looks_at_shares(self) -> bool:
        """Whether a share of frames counts: for slow frames alone, for a low beside it."""
        return self.figure in (SLOW_SHARE, LOW, LOW_TENTH)

    @property
    def is_of_frames(self) -> bool:
        """Whether the value is a rate."""
        return self.figure not in (SCORE, TIME)

    @property
    def interval_ms(self) -> float | None:
        """The interval of a frame at the value; None where it is no rate, or none is asked for."""
        return 1000.0 / self.value if self.is_of_frames and self.value > 0 else None

    @property
    def edge(self) -> float:
        """The value that still counts as held."""
        return self.value * (1.0 + self.tolerance if self.less_is_better else 1.0 - self.tolerance)


@dataclass(frozen=True)
class Limit:
    """A bound of a figure: at_most or at_least, in its unit; the other is None."""

    figure: str
    at_most: float | None = None
    at_least: float | None = None


@dataclass(frozen=True)
class Terms:
    """floor : None where nothing has to be held; limits; aim or weights (figure to weight); margins : what is no
    practical difference, by figure; sure : probability from which an answer is stated; room_c : the player's room;
    price : what one more step must buy to pay, fps a W."""

    floor: Floor | None = field(default_factory=Floor)
    school: School = School.PERCENTILE
    limits: tuple[Limit, ...] = ()
    aim: Aim = Aim.HOURS
    weights: Mapping[str, float] | None = None
    margins: Mapping[str, float] = field(default_factory=dict)
    sure: float = 0.95
    room_c: float | None = None
    price: float = 1.0

    @property
    def tolerance(self) -> float:
        """By how much a floor may be missed and still count as held, as a share of it."""
        return self.floor.tolerance if self.floor is not None else Floor().tolerance
