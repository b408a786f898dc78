"""What a cap would do to passes that were made without one: predicted at the frame, before any capped pass.

A frame under a cap takes as long as it would without, or the cap's interval where that is longer, and a limiter adds
jitter of its own: as many ms at every cap, on one machine a tenth of a millisecond and on another one, so that it alone
can break a cap of 60. Without a pass at a cap it is not known, and is drawn; with one it is read. What quick frames
leave of the power budget is saved on some machines (watts fall by a power of the load) and given to the slow frames on
others (watts stay, fewer frames are slow); which it is cannot be seen without the cap, so that both are summed over.
Figures as measured on machines of other physics, and on the stand-in.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..passes.tail import GRID_MS, Tail
from ..stats.estimate import Estimate, Mean
from . import held
from .ladder import Ladder

Array = NDArray[np.float64]

JITTER_MS, JITTER_SD = 0.41, 0.7  # by which a limiter alone lets 1 % of frames be late; log sd; where no pass tells
READ_SD, LEAST_MS = 0.15, 0.02  # the same as it is read of a pass at a cap
NEARLY, SELDOM = 1.1, 0.004  # of a cap's interval; share of frames over that up to which lateness is the limiter's own
DEVIATE_MORE, DEVIATE_SD = 0.05, 0.15  # of the share of slow frames, likewise
UNDER = 0.98  # of a level's own cap: what is asked of it must lie under that
RATE_SD = 0.006
MOVES = 0.4  # probability that the budget moves to the slow frames
DEVIATE_MOVED, LOW_MOVED = 6.0, 0.6  # then fewer are slow, and lows rise (log), by this times what the cap leaves idle
POWER, POWER_MOST, POWER_LEAST = 0.9, 1.5, 0.1  # package power goes with the load to this power, from to
PER_PACKAGE_W, PER_PACKAGE_SD = 1.12, 0.1  # of the draw, a watt of package power


@dataclass(frozen=True)
class Limiter:
    """What paces frames. late_ms : by which 1 % of the frames that it paces are late, with its log sd."""

    late_ms: float = JITTER_MS
    sd: float = JITTER_SD

    @property
    def is_known(self) -> bool:
        """Whether a pass at a cap told it."""
        return self.sd < JITTER_SD

    def keeps(self, cap_fps: float, tolerance: float) -> float:
        """Chance that its own lateness stays within the tolerance of a cap."""
        from scipy.special import ndtr

        bound = 1000.0 / cap_fps * (1.0 / max(1.0 - tolerance, 1e-6) - 1.0)
        return float(ndtr(math.log(max(bound, 1e-9) / self.late_ms) / self.sd))

    def end_ms(self, deviates: float) -> float:
        """Its lateness so many deviates from the middle, ms."""
        return self.late_ms * math.exp(deviates * self.sd)


UNKNOWN = Limiter()


def limiter_of(ladders: Iterable[Ladder | None]) -> Limiter:
    """The limiter of passes at a cap of which nearly every frame was paced; `UNKNOWN` where there are none."""
    found = []
    for ladder in filter(None, ladders):
        for cap, tails in zip(ladder.caps, ladder.tails):
            found += [_late_ms(tail, 1000.0 / cap) for tail in tails
                      if cap is not None and tail.slower_than(NEARLY * 1000.0 / cap) <= SELDOM]  # fmt: skip
    if not found:
        return UNKNOWN
    return Limiter(max(float(np.quantile(found, 0.25)), LEAST_MS), READ_SD)


def _late_ms(tail: Tail, cap_ms: float) -> float:
    """By how much the slowest 1 % of a pass are later than its cap, ms."""
    late = np.linspace(0.0, (NEARLY - 1.0) * cap_ms, 81)
    shares = np.array([tail.slower_than(cap_ms + one) for one in late])
    over = np.flatnonzero(shares > 0.01)
    return float(late[over[-1]]) if over.size else 0.0


@dataclass(frozen=True)
class Capped:
    """A level under a cap, predicted. holds : probability that its low is at most `tolerance` under the cap; renders :
    that its frames are ready in time for it, whatever the limiter does; low, rate, package, draw : with 95 % intervals,
    None where the passes do not carry them."""

    level: float
    cap_fps: float
    holds: float | None
    renders: float | None
    low: Estimate | None
    rate: Estimate
    package: Estimate | None
    draw: Estimate | None


@lru_cache(64)
def capped(
    ladder: Ladder, cap_fps: float, tolerance: float, low: str, limiter: Limiter = UNKNOWN
) -> list[Capped | None]:
    """Each level of a ladder under a cap; None where its own is no higher, or no pass of it carries frames. low :
    id of a low by percentile; limiter : what paces it."""
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
        renders = None
        if chance is not None:
            sd, delta = math.hypot(chance.margin.sd, DEVIATE_SD), chance.margin.delta + DEVIATE_MORE
            kept, moved = ndtr(-delta / sd), ndtr(-(delta - DEVIATE_MOVED * (1 - load)) / sd)
            renders = float((1 - MOVES) * kept + MOVES * moved)
        package, draw = _watts(ladder, at, load)
        low_ = _low(lows[at], cap_fps, load, limiter)
        holds = renders * limiter.keeps(cap_fps, tolerance) if renders is not None else None
        found.append(Capped(float(ladder.levels[at]), cap_fps, holds, renders, low_, shown, package, draw))
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


def _low(free: Mean | None, cap_fps: float, load: float, limiter: Limiter) -> Estimate | None:
    if free is None:
        return None
    estimate = free.estimate("fps")
    low, high = estimate.low or estimate.value, estimate.high or estimate.value
    moved = LOW_MOVED * (1 - load)
    late = [limiter.end_ms(deviates) for deviates in (0.0, 1.96, -1.96)]
    return Estimate(
        _later(min(estimate.value * math.exp(MOVES * moved), cap_fps), late[0]), _later(min(low, cap_fps), late[1]),
        _later(min(high * math.exp(moved), cap_fps), late[2]), "fps", free.n,
    )  # fmt: skip


def _later(fps: float, late_ms: float) -> float:
    return 1000.0 / (1000.0 / fps + late_ms)


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
