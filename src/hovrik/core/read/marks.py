"""The four marks on a ladder, defined on curves, not on the number of passes; each with an interval."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..questions.question import Question
from ..stats.curve import Redrawn, redraw
from .ladder import Ladder

Array = NDArray[np.float64]

DRAWS = 400
CEILING_SHARE = 0.02


@dataclass(frozen=True)
class Mark:
    """One mark. value, low, high : watts of limit; None value: it lies outside what was tried, and `note` says so.

    span : True where no single point can be told and low to high is the answer.
    """

    id: str
    label: str
    value: float | None
    low: float | None
    high: float | None
    note: str = ""
    span: bool = False

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "value": self.value, "low": self.low, "high": self.high, "unit": "W", "label": self.label,
            "note": self.note, "span": self.span,
        }  # fmt: skip


def find(ladder: Ladder, question: Question) -> tuple[Mark, ...]:
    """First playable, best frames per watt, last watt that pays, ceiling: those that the passes carry."""
    found = []
    playable = _first_playable(ladder, question)
    if playable is not None:
        found.append(playable)
    known = [level for level in ladder.levels if level.rate is not None]
    fitted = ladder.rate_curve.curve
    if fitted is None or len(known) < 4:
        return tuple(found)
    x = np.array([level.limit_w for level in known])
    y = np.array([math.exp(level.rate.mean) for level in known if level.rate])
    se = np.array([level.rate.se for level in known if level.rate]) * y
    dof = np.array([level.rate.dof for level in known if level.rate])
    drawn = redraw(fitted, x, y, se, dof, draws=DRAWS, seed=7)
    centre_value, centre_slope = fitted.at(drawn.grid), fitted.slope(drawn.grid)
    found.append(_best_per_watt(ladder, drawn, centre_value))
    found.append(_last_paying(drawn, centre_slope, question.price_fps_per_w))
    found.append(_ceiling(drawn, centre_value))
    return tuple(found)


def _first_playable(ladder: Ladder, question: Question) -> Mark | None:
    """Watts at which the low crosses the floor, by straight lines between the levels of each draw."""
    if ladder.low_draws is None:
        return None
    known = [level for level in ladder.levels if level.low is not None]
    x = np.array([level.limit_w for level in known])
    floor = math.log(question.floor_fps)
    crossings = np.array([crossing_w(x, row, floor) for row in ladder.low_draws[:DRAWS]])
    means = np.array([level.low.mean for level in known if level.low])
    value = crossing_w(x, np.maximum.accumulate(means), floor)
    low, high = (float(v) for v in np.quantile(np.clip(crossings, x[0], x[-1]), (0.025, 0.975)))
    label = f"first playable ({question.target_fps:g} held)"
    if value <= x[0]:
        return Mark("first_playable", label, None, None, float(x[0]), "the lowest limit tried already holds")
    if not math.isfinite(value):
        return Mark("first_playable", label, None, float(x[-1]), None, "nothing tried holds")
    return Mark("first_playable", label, float(value), low, high)


def crossing_w(x: Array, y: Array, floor: float) -> float:
    """First x at which y (non-decreasing, (k,)) reaches `floor` by straight lines; -inf below x[0], inf past x[-1]."""
    at = int(np.searchsorted(y, floor))
    if at == 0:
        return -math.inf
    if at == y.size:
        return math.inf
    share = (floor - y[at - 1]) / (y[at] - y[at - 1])
    return float(x[at - 1] + share * (x[at] - x[at - 1]))


def _best_per_watt(ladder: Ladder, drawn: Redrawn, centre: Array) -> Mark:
    use_draw = all(level.draw is not None for level in ladder.levels if level.rate is not None)
    kind = "draw" if use_draw else "package" if _has_package(ladder) else "limit"
    label = f"best frames per watt of {kind}"
    watts = power_at(ladder, drawn.grid, kind)
    ratio = centre / watts
    at = int(ratio.argmax())
    peaks = drawn.grid[(drawn.values / watts).argmax(axis=1)]
    low, high = (float(v) for v in np.quantile(peaks, (0.025, 0.975)))
    note = ""
    if at == 0:
        note = "at the lowest limit tried: it may lie below"
    elif at == drawn.grid.size - 1:
        note = "at the highest limit tried: it may lie above"
    value = float(drawn.grid[at])
    return Mark("best_per_watt", label, value, min(low, value), max(high, value), note)


def _has_package(ladder: Ladder) -> bool:
    return all(level.package is not None for level in ladder.levels if level.rate is not None)


def power_at(ladder: Ladder, limits_w: Array, kind: str) -> Array:
    """Draw, package power or the limit itself at limits (n,), W, by straight lines between levels."""
    if kind == "limit":
        return limits_w
    pairs = [(level.limit_w, getattr(level, kind)) for level in ladder.levels if getattr(level, kind) is not None]
    return np.interp(limits_w, [w for w, _ in pairs], [math.exp(mean.mean) for _, mean in pairs])


def last_paying_w(grid: Array, slope: Array, price: float) -> float:
    """Last crossing of the marginal gain with the price: the largest x up to which a watt still pays.

    nan where no watt on the grid pays.
    """
    pays = np.flatnonzero(slope >= price)
    return float(grid[pays[-1]]) if pays.size else math.nan


def _last_paying(drawn: Redrawn, centre: Array, price: float) -> Mark:
    label = f"last watt that pays ({price:g} fps)"
    grid = drawn.grid
    value = last_paying_w(grid, centre, price)
    each = np.array([last_paying_w(grid, row, price) for row in drawn.slopes])
    each = np.where(np.isnan(each), grid[0], each)
    low, high = (float(v) for v in np.quantile(each, (0.025, 0.975)))
    if math.isnan(value):
        return Mark("last_paying", label, None, None, float(grid[0]), "no watt tried buys that much")
    if value >= grid[-1] - 1e-9:
        return Mark("last_paying", label, None, float(grid[-1]), None, "every watt tried still pays")
    bounds = np.quantile(drawn.slopes, (0.025, 0.975), axis=0)
    undecided = grid[(bounds[0] <= price) & (bounds[1] >= price)]
    along = undecided.size > 0 and float(np.ptp(undecided)) > 0.25 * float(np.ptp(grid))
    note = "the curve lies along the price: a range, not a point" if along else ""
    return Mark("last_paying", label, value, min(low, value), max(high, value), note, along)


def _ceiling(drawn: Redrawn, centre: Array) -> Mark:
    label = "ceiling (within 2 % of the top)"

    def lowest(row: Array) -> float:
        return float(drawn.grid[np.flatnonzero(row >= (1 - CEILING_SHARE) * row.max())[0]])

    value = lowest(centre)
    low, high = (float(v) for v in np.quantile([lowest(row) for row in drawn.values], (0.025, 0.975)))
    slope = (centre[-1] - centre[-2]) / (drawn.grid[-1] - drawn.grid[-2])
    rising = slope * 0.1 * float(np.ptp(drawn.grid)) > CEILING_SHARE / 2 * centre[-1]
    note = "still rising at the highest limit tried: the ceiling may lie above" if rising else ""
    return Mark("ceiling", label, value, min(low, value), max(high, value), note)
