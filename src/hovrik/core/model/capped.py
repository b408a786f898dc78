"""What a cap would do to passes that were made without one: predicted at the frame, before any capped pass.

A frame under a cap takes as long as it would without, or the cap's interval where that is longer, and a limiter adds
jitter of its own. What quick frames leave of the power budget is saved on some machines (watts fall by a power of the
load) and given to the slow frames on others (watts stay, fewer frames are slow); which it is cannot be seen without the
cap, so that both are summed over. Figures as measured on machines of other physics, and on the stand-in.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..passes.tail import GRID_MS, Tail
from ..stats.estimate import Estimate, Mean
from . import held
from .ladder import Ladder

Array = NDArray[np.float64]

LOW_LOST, LOW_LOST_SD = 0.012, 0.011  # of a low, to the limiter's jitter (log)
DEVIATE_MORE, DEVIATE_SD = 0.05, 0.15  # of the share of slow frames, likewise
UNDER = 0.98  # of a level's own cap: what is asked of it must lie under that
RATE_SD = 0.006
MOVES = 0.4  # probability that the budget moves to the slow frames
DEVIATE_MOVED, LOW_MOVED = 6.0, 0.6  # then fewer are slow, and lows rise (log), by this times what the cap leaves idle
POWER, POWER_MOST, POWER_LEAST = 0.65, 1.1, 0.1  # package power goes with the load to this power, from to
PER_PACKAGE_W, PER_PACKAGE_SD = 1.12, 0.08  # of the draw, a watt of package power


@dataclass(frozen=True)
class Capped:
    """A level under a cap, predicted. holds : probability that its low is at most `tolerance` under the cap; low, rate,
    package, draw : with 95 % intervals, None where the passes do not carry them."""

    level: float
    cap_fps: float
    holds: float | None
    low: Estimate | None
    rate: Estimate
    package: Estimate | None
    draw: Estimate | None


@lru_cache(64)
def capped(ladder: Ladder, cap_fps: float, tolerance: float, low: str) -> list[Capped | None]:
    """Each level of a ladder under a cap; None where its own is no higher, or no pass of it carries frames. low :
    id of a low by percentile."""
    from scipy.special import ndtr

    chances = held.shares_held(ladder, low, 1000.0 / ((1 - tolerance) * cap_fps), 0.01)
    lows, rates = held.lows(ladder, low, 0.01), held.rates(ladder)
    found: list[Capped | None] = []
    for at, (row, cap) in enumerate(zip(ladder.figures, ladder.caps)):
        tails = [one.tail for one in row if one.tail is not None]
        rate, chance = rates[at], chances[at]
        if (cap is not None and cap_fps > UNDER * cap) or not tails or rate is None:
            found.append(None)
            continue
        shown = _rate(tails, cap_fps, rate)
        load = min(shown.value / rate.value, 1.0)
        holds = None
        if chance is not None:
            sd, delta = math.hypot(chance.margin.sd, DEVIATE_SD), chance.margin.delta + DEVIATE_MORE
            kept, moved = ndtr(-delta / sd), ndtr(-(delta - DEVIATE_MOVED * (1 - load)) / sd)
            holds = float((1 - MOVES) * kept + MOVES * moved)
        package, draw = _watts(ladder, at, load)
        low_ = _low(lows[at], cap_fps, load)
        found.append(Capped(float(ladder.levels[at]), cap_fps, holds, low_, shown, package, draw))
    return found


def mean_rate(tail: Tail, cap_fps: float) -> float:
    """Mean rate of a pass under a cap, fps: the mean of frames that take the cap's interval at least."""
    least = 1000.0 / cap_fps
    beyond = least <= GRID_MS
    places = np.concatenate(([least], GRID_MS[beyond]))
    shares = np.concatenate(([tail.slower_than(least)], tail.slower[beyond]))
    return 1000.0 / (least + float(np.trapezoid(shares, places)))


def _rate(tails: list[Tail], cap_fps: float, free: Mean) -> Estimate:
    """free : without the cap; what is not paced keeps its error."""
    value = math.exp(float(np.mean([math.log(mean_rate(tail, cap_fps)) for tail in tails])))
    unpaced = float(np.mean([tail.slower_than(1000.0 / cap_fps) for tail in tails]))
    half = 1.96 * math.hypot(RATE_SD, unpaced * free.se)
    return Estimate(value, value * math.exp(-half), min(value * math.exp(half), cap_fps), "fps", free.n)


def _low(free: Mean | None, cap_fps: float, load: float) -> Estimate | None:
    if free is None:
        return None
    estimate = free.estimate("fps")
    low, high = estimate.low or estimate.value, estimate.high or estimate.value
    lost, half = math.exp(-LOW_LOST), math.exp(-1.96 * LOW_LOST_SD)
    moved = LOW_MOVED * (1 - load)
    return Estimate(
        min(estimate.value * math.exp(MOVES * moved), cap_fps) * lost, min(low, cap_fps) * lost * half,
        min(high * math.exp(moved), cap_fps), "fps", free.n,
    )  # fmt: skip


def _watts(ladder: Ladder, at: int, load: float) -> tuple[Estimate | None, Estimate | None]:
    """Package power and draw at a share of the uncapped rate."""
    row = ladder.figures[at]
    packages = [watts for one in row if (watts := one.value("package_w"))]
    draws = [watts for one in row if (watts := one.value("draw_w"))]
    if not packages:
        return None, None
    free = float(np.mean(packages))
    ends = [free * load**power for power in (POWER, POWER_MOST, POWER_LEAST)]
    own = 0.02 * free  # of a mean of few passes
    package = Estimate(ends[0], ends[1] - own, ends[2] + own, "W", len(packages))
    if not draws:
        return package, None
    drawn = float(np.mean(draws))
    saved = PER_PACKAGE_W * (free - ends[0])
    half = math.hypot(
        PER_PACKAGE_W * (ends[2] - ends[1]) / 2, math.hypot(1.96 * PER_PACKAGE_SD * (free - ends[0]), 0.02 * drawn)
    )
    return package, Estimate(drawn - saved, drawn - saved - half, drawn - saved + half, "W", len(draws))
