"""Does a knob that is switched back and forth change anything: pairs of equal blocks in random order, and a bound that
holds at every look.

Within a pair the order is a fair coin. If the knob does nothing the difference of a pair does not depend on the coin,
whatever the load does: so the product of bets on its sign is an e-value, and 1 / E bounds the chance of ever being
wrong (Ville's inequality; Ramdas and others, 2023, from memory). Bets are of a clipped, scaled difference, so that one
odd pair decides nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

BETS: Array = np.geomspace(0.04, 1.6, 12)
CLIP, PRIOR, PRIOR_PAIRS = 1.5, 0.67, 3
DECIDED, SAME = 20.0, 10.0  # E from which a difference, or its absence beyond a margin, is said
MOST_WIDE, STEPS = 8.0, 161  # of the interval, in scales; places on it


@dataclass(frozen=True)
class Flip:
    """What pairs say. difference : of the first state to the second, with its 95 % interval (infinite while nothing is
    excluded); evidence : the e-value against no difference; decided, same : what can be said; pairs."""

    difference: float
    low: float
    high: float
    evidence: float
    decided: bool
    same: bool
    pairs: int

    @property
    def is_over(self) -> bool:
        """Whether enough was seen."""
        return self.decided or self.same


def evidence(signed: Array, scale: float) -> Array:
    """(n,) e-value after each pair: signed (n,) differences of the first state to the second, in any unit; scale : what
    they are usually, from before. The scale of each bet comes from earlier pairs only."""
    seen = [PRIOR * scale] * PRIOR_PAIRS
    up, down = np.zeros(BETS.size), np.zeros(BETS.size)
    found = np.empty(signed.size)
    for at, value in enumerate(signed.tolist()):
        usual = max(float(np.median(seen)) / 0.6745, 1e-12)
        z = min(max(value / usual, -CLIP), CLIP)
        cost = np.log(np.cosh(BETS * z))
        up += BETS * z - cost
        down += -BETS * z - cost
        found[at] = 0.5 * float(np.mean(np.exp(up)) + np.mean(np.exp(down)))
        seen.append(abs(value))
    return found


def judged(signed: Array, scale: float, margin: float) -> Flip:
    """What pairs come to, looked at after every one. margin : that is no practical difference."""
    n = int(signed.size)
    if not n:
        return Flip(0.0, -math.inf, math.inf, 1.0, False, False, 0)
    found = evidence(signed, scale)
    middle = float(np.median(signed))
    usual = max(float(np.median([*np.abs(signed - middle), PRIOR * scale])) / 0.6745, 1e-12)
    grid = middle + np.linspace(-MOST_WIDE, MOST_WIDE, STEPS) * usual
    kept = [delta for delta in grid.tolist() if evidence(signed - delta, scale).max() < DECIDED]
    low, high = (min(kept), max(kept)) if kept else (middle, middle)
    low = -math.inf if low <= grid[0] else low
    high = math.inf if high >= grid[-1] else high
    inside = all(
        evidence(signed - side * margin, scale)[-1] >= SAME and (middle < margin if side > 0 else middle > -margin)
        for side in (1.0, -1.0)
    )
    decided = float(found.max()) >= DECIDED and not inside
    return Flip(middle, low, high, float(found[-1]), decided, inside, n)


def pairs_needed(effect: float, scale: float) -> int:
    """About how many pairs decide an effect in four of five plays: 20 / (effect / scale)^2, as measured."""
    return math.ceil(20.0 / max(abs(effect) / scale, 1e-3) ** 2)
