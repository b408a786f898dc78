"""What a response leaves over: each pass less what its level is expected to give; and what is expected between levels.

Nothing is said of a level outside those that were measured.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..facts.knob import Level
from ..passes.figure import BY_ID
from ..passes.figures import PassFigures
from ..stats.estimate import Estimate
from .response import RATE, Response

BENT_SD = 0.004  # log error of a draw between levels, as it bends there (36 plants; benchmarks/between.py)
NEAR = 0.13  # of a step: what is so near a level is that level


@dataclass(frozen=True)
class Residual:
    """One pass against its level. id : of the pass; level, at : its level, and where that stands on the axis; value :
    what it gave; off : by how much that lies over what was expected, in percent of it or, for figures that have no
    share, in their unit; apart : half the width of the 95 % interval of one pass about its level, in the same, nan
    unknown."""

    id: str
    level: Level
    at: float
    value: float
    off: float
    apart: float


def residuals(response: Response, figures: Mapping[str, PassFigures], figure: str = RATE) -> list[Residual]:
    """Every pass of a response that carries a figure, in the order of its levels. figures : of passes, by id.

    What is expected is the mean of the level, which neighbours had a say in; the spread that one pass may have about it
    is that of all passes together (levels apart).
    """
    row = BY_ID[figure]
    rows: list[tuple[str, Level, float, float, float]] = []
    squares, free = 0.0, 0
    for at, group in zip(response.places.tolist(), response.groups):
        mean = group.mean(figure)
        values = [
            (one, value) for one in group.passes
            if one in figures and (value := figures[one].value(figure)) is not None and (not row.log or value > 0)
        ]  # fmt: skip
        if mean is None or not values:
            continue
        offs = [math.log(value) - mean.mean if row.log else value - mean.value for _, value in values]
        rows += [(one, group.level, at, value, off) for (one, value), off in zip(values, offs)]
        squares += float(np.square(np.array(offs) - np.mean(offs)).sum())
        free += len(offs) - 1
    sd = math.sqrt((4.0 * row.prior_sd**2 + squares) / (4.0 + free))
    half = 100.0 * math.expm1(2.0 * sd) if row.log else 2.0 * sd
    return [
        Residual(one, level, at, value, 100.0 * math.expm1(off) if row.log else off, half)
        for one, level, at, value, off in rows
    ]


def expected_at(response: Response, limit: float) -> tuple[Estimate, Estimate] | None:
    """(rate in fps, draw or package power in W) expected at a limit between levels, with 95 % intervals of what is
    truly so there; None outside of what was measured, where the response has no draws, and at a level itself."""
    drawn = response.drawn
    if drawn is None or not is_inside(response, limit):
        return None
    levels = response.levels
    if np.min(np.abs(levels - limit)) <= NEAR * drawn.step:
        return None

    def of(draws: np.ndarray, unit: str, bent: float = 0.0) -> Estimate:
        right = int(np.clip(np.searchsorted(drawn.limits, limit), 1, drawn.limits.size - 1))
        left = drawn.limits[right - 1]
        share = (limit - left) / (drawn.limits[right] - left)
        own = (1.0 - share) * draws[:, right - 1] + share * draws[:, right]
        low, middle, high = np.quantile(own, (0.025, 0.5, 0.975))
        low, high = (middle * math.exp(way * math.hypot(math.log(end / middle), 1.96 * bent))
                     for way, end in ((-1, low), (1, high)))  # fmt: skip
        return Estimate(float(middle), float(low), float(high), unit, len(own))

    return of(drawn.rate, "fps"), of(drawn.watts, "W", BENT_SD if drawn.power else 0.0)


def is_inside(response: Response, limit: float) -> bool:
    """Whether a place on the axis lies among the levels that were measured."""
    places = response.places
    return bool(places.size) and float(places.min()) <= limit <= float(places.max())


def measured_span(response: Response) -> str:
    """From which level to which there are passes, in words."""
    first, last = (response.factor.words(response.groups[at].level) for at in (0, -1))
    return first if first == last else f"{first} to {last}"
