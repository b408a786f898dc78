"""The four marks on a scale of watts, defined on curves, not on the number of passes; each with an interval."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .. import words
from ..message import Message, Value, say
from ..model.drawn import QUARTERS, Drawn
from ..questions.question import Question
from .response import Response

Array = NDArray[np.float64]

CEILING_SHARE = 0.02
LEAST_SPENT = 0.25  # of a step of the limit, in draw: where a limit does not bind
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


def of_response(response: Response, price: float) -> tuple[Mark, ...]:
    """Best frames per watt, last watt that pays, ceiling; none where fewer than four levels carry a rate."""
    drawn = response.drawn
    if drawn is None or sum(group.rate is not None for group in response.groups) < 4:
        return ()
    return _best_per_watt(response, drawn), _last_paying(drawn, price), _ceiling(drawn)


def find(response: Response, question: Question) -> tuple[Mark, ...]:
    """First playable, best frames per watt, last watt that pays, ceiling: those that the passes carry. They are marks
    on a scale of watts along which the rate rises; there are none on other factors."""
    drawn = response.drawn
    if drawn is None:
        return ()
    found = []
    if drawn.over is not None and question.terms.floor is not None:
        found.append(_first_playable(drawn, drawn.over, question.terms.floor.value))
    return (*found, *of_response(response, question.terms.price))


def _first_playable(drawn: Drawn, over: Array, target: float) -> Mark:
    """The lowest watts from which slow frames are few enough, in each draw."""
    limits, name = drawn.limits, say("mark.first_playable", target=target)
    crossings = np.array([crossing_w(limits, -row, 0.0) for row in over])
    low, value, high = _ends(drawn, crossings)
    if value <= limits[0]:
        return Mark("first_playable", name, None, None, max(high, float(limits[0])), say("mark.lowest-holds"))
    if value > limits[-1]:
        return Mark("first_playable", name, None, min(low, float(limits[-1])), None, say("mark.none-holds"))
    return Mark("first_playable", name, value, max(low, float(limits[0])), min(high, float(limits[-1])))


def _ends(drawn: Drawn, values: Array) -> tuple[float, float, float]:
    """Low end, middle and high end of drawn watts, which may be infinite; no finer than half of what is drawn at."""
    ordered, size = np.sort(values), values.size
    low, value, high = (float(ordered[min(int(share * size), size - 1)]) for share in (0.025, 0.5, 0.975))
    half = drawn.step / (2 * QUARTERS)
    first, last = float(drawn.limits[0]), float(drawn.limits[-1])
    return (low - half if low > first else low), value, (high + half if high < last else high)


def crossing_w(x: Array, y: Array, floor: float) -> float:
    """First x at which y (k,) reaches `floor` by straight lines; -inf where it does at x[0], inf where nowhere."""
    reached = np.flatnonzero(y >= floor)
    if not reached.size:
        return math.inf
    at = int(reached[0])
    if at == 0:
        return -math.inf
    if not math.isfinite(y[at - 1]):
        return float(x[at])
    share = (floor - y[at - 1]) / (y[at] - y[at - 1])
    return float(x[at - 1] + share * (x[at] - x[at - 1]))


def _best_per_watt(response: Response, drawn: Drawn) -> Mark:
    name = say("mark.best_per_watt", power=POWER_WORDS[response.watts])
    ratio = drawn.rate / drawn.watts
    peaks = drawn.limits[ratio.argmax(axis=1)]
    low, _, high = _ends(drawn, peaks)
    value = float(drawn.limits[int(np.median(ratio, axis=0).argmax())])
    note = None
    if value == drawn.limits[0]:
        note = say("mark.at-lowest")
    elif value == drawn.limits[-1]:
        note = say("mark.at-highest")
    return Mark("best_per_watt", name, value, min(low, value), max(high, value), note)


def last_paying_w(grid: Array, slope: Array, price: float, spent: Array | None = None) -> float:
    """The largest x up to which all watts together pay: where the gain over the price, summed, is highest. On a curve
    whose gains fall that is their last crossing with the price; a late one that does not make up for a dent before it,
    or for a stretch that pays less, is none.

    grid, slope (m,); spent (m,) : watts about each place, alike where not given; nan where no watt on the grid pays.
    """
    net = np.cumsum((slope - price) * (1.0 if spent is None else spent))
    at = int(net.argmax())
    if net[at] <= 0:
        return math.nan
    if at == grid.size - 1:
        return float(grid[-1])
    share = (slope[at] - price) / (slope[at] - slope[at + 1])
    return float(grid[at] + share * (grid[at + 1] - grid[at]))


def gains(drawn: Drawn) -> tuple[Array, Array, Array]:
    """Gain a watt over one step about each limit that has half a step to either side: (m,) W, (draws, m) fps a W, and
    (draws, m) the watts of that step.

    Watts are those of the draw where it is known, else of the limit; a step that draws hardly more is held against a
    quarter of itself.
    """
    limits, half = drawn.limits, drawn.step / 2
    inner = limits[(limits >= limits[0] + half - 1e-9) & (limits <= limits[-1] - half + 1e-9)]
    up, down = (_between(limits, drawn.rate, inner + side) for side in (half, -half))
    if drawn.power != "draw_w":
        return inner, (up - down) / drawn.step, np.full(up.shape, drawn.step)
    more, less = (_between(limits, drawn.watts, inner + side) for side in (half, -half))
    spent = np.maximum(more - less, LEAST_SPENT * drawn.step)
    return inner, (up - down) / spent, spent


def _between(x: Array, rows: Array, at: Array) -> Array:
    """Rows (d, k) over x (k,) at (m,) places by straight lines."""
    right = np.clip(np.searchsorted(x, at), 1, x.size - 1)
    share = (at - x[right - 1]) / (x[right] - x[right - 1])
    return np.asarray(rows[:, right - 1] + share * (rows[:, right] - rows[:, right - 1]))


def _last_paying(drawn: Drawn, price: float) -> Mark:
    power = drawn.power if drawn.power == "draw_w" else ""
    name = say("mark.last_paying", price=price, power=POWER_WORDS[power])
    grid, slopes, spent = gains(drawn)
    each = np.array([last_paying_w(grid, row, price, own) for row, own in zip(slopes, spent)])
    none = float(np.isnan(each).mean())
    low, value, high = _ends(drawn, np.where(np.isnan(each), grid[0], each))
    if none > 0.5:
        return Mark("last_paying", name, None, None, max(high, float(grid[0])), say("mark.none-pays"))
    if value >= grid[-1] - 1e-9:
        return Mark("last_paying", name, None, low, None, say("mark.all-pay"))
    middle = last_paying_w(grid, np.median(slopes, axis=0), price, np.median(spent, axis=0))
    value = min(max(middle, low), high) if math.isfinite(middle) else value
    along = high - low > 0.25 * float(np.ptp(drawn.limits))
    return Mark("last_paying", name, value, low, high, say("mark.along") if along else None, along)


def _ceiling(drawn: Drawn) -> Mark:
    name, limits = say("mark.ceiling"), drawn.limits
    each = np.array([crossing_w(limits, row, (1 - CEILING_SHARE) * row.max()) for row in drawn.rate])
    low, _, high = _ends(drawn, np.maximum(each, limits[0]))
    centre = np.median(drawn.rate, axis=0)
    value = min(max(crossing_w(limits, centre, (1 - CEILING_SHARE) * centre.max()), low), high)
    part = max(int(0.1 * centre.size), 1)
    rising = centre[-1] - centre[-1 - part] > CEILING_SHARE / 2 * centre[-1]
    return Mark("ceiling", name, value, low, high, say("mark.rising") if rising else None)


def over_library(ceilings: Mapping[str, Sequence[Mark]]) -> list[Message]:
    """From which watts on nothing gains any more, over titles: the highest end of their ceilings, and which of them
    still rise at the highest limit that was tried. Nothing without a ladder."""
    rising = [name for name, marks in ceilings.items() if any(one.high is None or one.note for one in marks)]
    ends = [one.high for name, marks in ceilings.items() if name not in rising for one in marks if one.high is not None]
    said = (
        [say("library.ceiling", watts=Value(max(ends), "W", digits=1), titles=len(ceilings) - len(rising))]
        if ends
        else []
    )
    return [*said, *([say("library.rising", names=tuple(rising))] if rising else [])]
