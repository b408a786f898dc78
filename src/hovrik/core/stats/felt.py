"""From when on something feels bad to a person: yes or no at levels they do not see, a logistic curve with errors.

The curve is the psychometric function with a guess and a lapse rate (F. A. Wichmann and N. J. Hill, The psychometric
function I, 2001, from memory): who feels nothing may press by mistake, who feels it may forget to. All four numbers are
summed over a grid, so that few answers leave a wide interval, and a person who presses at random a hopeless one. What
is tried next is what is expected to tell most of the place of the curve (L. L. Kontsevich and C. W. Tyler, Bayesian
adaptive estimation of psychometric slope and threshold, 1999, from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

PLACES, BEYOND = 81, 0.5  # places of the curve; how far beyond the levels they go (share of their span)
WIDTHS: Array = np.geomspace(0.03, 0.6, 8)  # of the curve, shares of the scale
MISTAKEN: Array = np.array([0.01, 0.03, 0.07, 0.13, 0.22])  # share of good looks at which a key is pressed
FORGOTTEN: Array = np.array([0.02, 0.06, 0.12, 0.22])  # share of bad looks at which none is
SURE = 0.95
AT_EDGE = 0.2  # of the belief, beyond the levels, from which that end is open


@dataclass(frozen=True)
class Felt:
    """Where it begins to feel bad: the place at which every second look does, with its 95 % interval; an end is None
    where the levels do not reach it. looks, bad : how many there were, and at how many a key was pressed."""

    at: float
    low: float | None
    high: float | None
    looks: int
    bad: int

    @property
    def width(self) -> float:
        """Of the interval; inf while an end is open."""
        return self.high - self.low if self.high is not None and self.low is not None else float("inf")


class Belief:
    """What answers say of the curve. It feels worse the lower x is.

    levels : (m,) x of what can be tried; scale : in which widths are counted, in the unit of x.
    """

    def __init__(self, levels: Array, scale: float) -> None:
        self.levels = np.asarray(levels, dtype=np.float64)
        span = max(float(np.ptp(self.levels)), scale)
        low, high = float(self.levels.min()), float(self.levels.max())
        self.places = np.linspace(low - BEYOND * span, high + BEYOND * span, PLACES)
        self._log = np.zeros((PLACES, WIDTHS.size, MISTAKEN.size, FORGOTTEN.size))
        self._log += np.log(np.array([0.4, 0.3, 0.17, 0.09, 0.04]))[:, None]
        self._log += np.log(np.array([0.4, 0.3, 0.2, 0.1]))
        self._widths = (scale * WIDTHS)[:, None, None]
        self.looks = self.bad = 0

    def chance(self, x: float) -> Array:
        """Chance that a key is pressed at x, for every curve of the grid."""
        z = (self.places[:, None, None, None] - x) / self._widths
        feels = 1.0 / (1.0 + np.exp(-np.clip(z, -40.0, 40.0)))
        pressed: Array = MISTAKEN[:, None] + (1.0 - MISTAKEN[:, None] - FORGOTTEN) * feels
        return pressed

    def tell(self, x: float, is_bad: bool) -> None:
        """One look at x, and whether a key was pressed."""
        chance = self.chance(x)
        self._log += np.log(chance if is_bad else 1.0 - chance)
        self.looks += 1
        self.bad += is_bad

    @property
    def weights(self) -> Array:
        """Of every curve, summing to one."""
        made: Array = np.exp(self._log - self._log.max())
        return made / made.sum()

    def felt(self) -> Felt:
        """Where the curve lies."""
        by_place = self.weights.sum(axis=(1, 2, 3))
        ends = np.cumsum(by_place)
        low, middle, high = (float(np.interp(q, ends, self.places)) for q in ((1 - SURE) / 2, 0.5, (1 + SURE) / 2))
        below = float(by_place[self.places < self.levels.min()].sum())
        above = float(by_place[self.places > self.levels.max()].sum())
        return Felt(
            middle, low if below < AT_EDGE else None, high if above < AT_EDGE else None, self.looks, self.bad
        )  # fmt: skip

    def next_best(self, xs: Array) -> list[int]:
        """Numbers of (m,) xs, what tells most of the place first."""
        weights = self.weights
        return sorted(range(xs.size), key=lambda at: self._unsure_after(float(xs[at]), weights))

    def _unsure_after(self, x: float, weights: Array) -> float:
        """Entropy of the place that is expected after a look at x."""
        chance, total = self.chance(x), 0.0
        for one in (chance, 1.0 - chance):
            joint = (weights * one).sum(axis=(1, 2, 3))
            share = float(joint.sum())
            if share > 0:
                own = joint[joint > 0] / share
                total -= share * float((own * np.log(own)).sum())
        return total
