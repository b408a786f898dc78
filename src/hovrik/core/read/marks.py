"""The four marks on a scale of watts, defined on curves, not on the number of passes; each with an interval."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import words
from ..message import Message, say
from ..questions.question import Question
from ..stats.curve import Redrawn, redraw
from .response import RATE, Response

Array = NDArray[np.float64]

DRAWS = 400
CEILING_SHARE = 0.02
POWER_WORDS = {"draw_w": "draw", "package_w": "package", "": "limit"}


@dataclass(frozen=True)
class Mark:
    """One mark. name : what it is; value, low, high : levels; None value: it lies outside what was tried, and `note`
    says so.

    span : True where no single point can be told and low to high is the answer.
    """

    id: str
    name: Message
    value: float | None
    low: float | None
    high: float | None
    note: Message | None = None
    span: bool = False
    unit: str = "W"

    @property
    def label(self) -> str:
        """What it is, in English."""
        return words.render(self.name)

    @property
    def words(self) -> str:
        """The note in English, empty without one."""
        return words.render(self.note) if self.note else ""

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "value": self.value, "low": self.low, "high": self.high, "unit": self.unit, "label": self.label,
            "note": self.words, "span": self.span,
        }  # fmt: skip


def find(response: Response, question: Question) -> tuple[Mark, ...]:
    """First playable, best frames per watt, last watt that pays, ceiling: those that the passes carry. They are marks
    on a scale of watts along which the rate rises; there are none on other factors."""
    factor = response.factor
    if factor.unit != "W" or RATE not in factor.rising:
        return ()
    found = []
    playable = _first_playable(response, question)
    if playable is not None:
        found.append(playable)
    known = [(group.at, group.rate) for group in response.groups if group.rate is not None]
    fitted = response.curve.curve if response.curve is not None else None
    if fitted is None or len(known) < 4:
        return tuple(found)
    x = np.array([at for at, _ in known])
    y = np.array([rate.value for _, rate in known])
    se = np.array([rate.value_se for _, rate in known])
    dof = np.array([rate.dof for _, rate in known])
    drawn = redraw(fitted, x, y, se, dof, draws=DRAWS, seed=7)
    centre_value, centre_slope = fitted.at(drawn.grid), fitted.slope(drawn.grid)
    found.append(_best_per_watt(response, drawn, centre_value))
    found.append(_last_paying(drawn, centre_slope, question.terms.price))
    found.append(_ceiling(drawn, centre_value))
    return tuple(found)


def _first_playable(response: Response, question: Question) -> Mark | None:
    """Watts at which the judged figure crosses the floor, by straight lines between the levels of each draw."""
    floor, figure = question.terms.floor, response.figure
    if response.judged_draws is None or floor is None or figure is None or figure.id not in response.factor.rising:
        return None
    known = [(group.at, group.judged) for group in response.groups if group.judged is not None]
    x = np.array([at for at, _ in known])
    edge = known[0][1].on_scale(floor.edge)
    crossings = np.array([crossing_w(x, row, edge) for row in response.judged_draws[:DRAWS]])
    means = np.array([judged.mean for _, judged in known])
    value = crossing_w(x, np.maximum.accumulate(means), edge)
    low, high = (float(v) for v in np.quantile(np.clip(crossings, x[0], x[-1]), (0.025, 0.975)))
    name = say("mark.first_playable", target=floor.value)
    if value <= x[0]:
        return Mark("first_playable", name, None, None, float(x[0]), say("mark.lowest-holds"))
    if not math.isfinite(value):
        return Mark("first_playable", name, None, float(x[-1]), None, say("mark.none-holds"))
    return Mark("first_playable", name, float(value), low, high)


def crossing_w(x: Array, y: Array, floor: float) -> float:
    """First x at which y (non-decreasing, (k,)) reaches `floor` by straight lines; -inf below x[0], inf past x[-1]."""
    at = int(np.searchsorted(y, floor))
    if at == 0:
        return -math.inf
    if at == y.size:
        return math.inf
    share = (floor - y[at - 1]) / (y[at] - y[at - 1])
    return float(x[at - 1] + share * (x[at] - x[at - 1]))


def _best_per_watt(response: Response, drawn: Redrawn, centre: Array) -> Mark:
    name = say("mark.best_per_watt", power=POWER_WORDS[response.watts])
    watts = power_at(response, drawn.grid)
    ratio = centre / watts
    at = int(ratio.argmax())
    peaks = drawn.grid[(drawn.values / watts).argmax(axis=1)]
    low, high = (float(v) for v in np.quantile(peaks, (0.025, 0.975)))
    note = None
    if at == 0:
        note = say("mark.at-lowest")
    elif at == drawn.grid.size - 1:
        note = say("mark.at-highest")
    value = float(drawn.grid[at])
    return Mark("best_per_watt", name, value, min(low, value), max(high, value), note)


def power_at(response: Response, levels: Array) -> Array:
    """Draw, package power or the limit itself (`Response.watts`) at levels (n,), W, by straight lines between them."""
    if not response.watts:
        return levels
    pairs = [(group.at, mean.value) for group in response.groups if (mean := group.mean(response.watts)) is not None]
    return np.interp(levels, [w for w, _ in pairs], [value for _, value in pairs])


def last_paying_w(grid: Array, slope: Array, price: float) -> float:
    """Last crossing of the marginal gain with the price: the largest x up to which a watt still pays.

    nan where no watt on the grid pays.
    """
    pays = np.flatnonzero(slope >= price)
    return float(grid[pays[-1]]) if pays.size else math.nan


def _last_paying(drawn: Redrawn, centre: Array, price: float) -> Mark:
    name = say("mark.last_paying", price=price)
    grid = drawn.grid
    value = last_paying_w(grid, centre, price)
    each = np.array([last_paying_w(grid, row, price) for row in drawn.slopes])
    each = np.where(np.isnan(each), grid[0], each)
    low, high = (float(v) for v in np.quantile(each, (0.025, 0.975)))
    if math.isnan(value):
        return Mark("last_paying", name, None, None, float(grid[0]), say("mark.none-pays"))
    if value >= grid[-1] - 1e-9:
        return Mark("last_paying", name, None, float(grid[-1]), None, say("mark.all-pay"))
    bounds = np.quantile(drawn.slopes, (0.025, 0.975), axis=0)
    undecided = grid[(bounds[0] <= price) & (bounds[1] >= price)]
    along = undecided.size > 0 and float(np.ptp(undecided)) > 0.25 * float(np.ptp(grid))
    note = say("mark.along") if along else None
    return Mark("last_paying", name, value, min(low, value), max(high, value), note, along)


def _ceiling(drawn: Redrawn, centre: Array) -> Mark:
    name = say("mark.ceiling")

    def lowest(row: Array) -> float:
        return float(drawn.grid[np.flatnonzero(row >= (1 - CEILING_SHARE) * row.max())[0]])

    value = lowest(centre)
    low, high = (float(v) for v in np.quantile([lowest(row) for row in drawn.values], (0.025, 0.975)))
    slope = (centre[-1] - centre[-2]) / (drawn.grid[-1] - drawn.grid[-2])
    rising = slope * 0.1 * float(np.ptp(drawn.grid)) > CEILING_SHARE / 2 * centre[-1]
    note = say("mark.rising") if rising else None
    return Mark("ceiling", name, value, min(low, value), max(high, value), note)
