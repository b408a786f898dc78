"""How many passes find a difference: power of a two-sided t test between two setups."""

from __future__ import annotations

import math

POWER = 0.8
SIGNIFICANCE = 0.05
MOST_REPEATS = 60


def power_of(difference: float, sd: float, repeats: int) -> float:
    """Power of a two-sided t test between two setups with `repeats` passes each at 5 % (noncentral t)."""
    from scipy.special import nctdtr, stdtrit

    dof = 2 * repeats - 2
    if dof < 1:
        return 0.0
    shift = difference / sd * math.sqrt(repeats / 2.0)
    critical = float(stdtrit(dof, 1.0 - SIGNIFICANCE / 2.0))
    above = 1.0 - float(nctdtr(dof, shift, critical)) if shift < 37 else 1.0
    below = float(nctdtr(dof, shift, -critical)) if shift < 37 else 0.0
    return above + (0.0 if math.isnan(below) else below)


def repeats_needed(difference: float, sd: float) -> int | None:
    """Passes a setup so that a true difference (log or share, in the unit of sd) is found with 80 % power; None: over
    60."""
    return next((n for n in range(2, MOST_REPEATS + 1) if power_of(difference, sd, n) >= POWER), None)


def detectable(sd: float, repeats: int) -> float:
    """Smallest difference, in the unit of sd, that `repeats` passes a setup find with 80 % power."""
    low, high = 0.0, 200.0
    for _ in range(50):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if power_of(middle, 1.0, repeats) >= POWER else (middle, high)
    return high * sd


def repeats_for_same(difference: float, margin: float, sd: float) -> int | None:
    """Passes a setup so that a true difference under a margin is shown to be so with 80 % power, by two one-sided
    tests at 5 %; None: over 60, or the difference is not under it. By normal quantiles and one pass more."""
    from scipy.special import ndtri

    room = margin - abs(difference)
    if room <= 0:
        return None
    needed = max(math.ceil(2 * ((float(ndtri(0.95)) + float(ndtri(POWER))) * sd / room) ** 2) + 1, 2)
    return needed if needed <= MOST_REPEATS else None
