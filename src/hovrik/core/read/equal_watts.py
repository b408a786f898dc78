"""Two ladders at equal measured package power: one rate over the other, and the watts that the same rate takes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..passes.figure import BY_ID
from ..stats.estimate import Estimate, t_quantile
from ..stats.least_squares import fitted
from .group import RATE, Counted, cap_of, paced_share

PACED = 0.05  # share of paced frames from which a rate says nothing about watts
LEAST = 3  # passes a side
STEEP = 0.05  # a rate that follows watts by less than this tells no watts at equal rate


@dataclass(frozen=True)
class EqualWatts:
    """rate : of a over b at equal watts, in percent of b; watts : of a over b at equal rate, in percent, None where the
    rate hardly follows watts; at_w : lowest and highest watts that both were measured at."""

    rate: Estimate
    watts: Estimate | None
    at_w: tuple[float, float]


def equal_watts(a: Sequence[Counted], b: Sequence[Counted]) -> EqualWatts | None:
    """Least squares of log rate on side and a quadratic of log watts, over the watts that both sides reach; None where
    they do not meet or passes are paced by their cap."""
    sides = [[one for one in own if _says(one)] for own in (a, b)]
    if min(map(len, sides)) < LEAST:
        return None
    watts = [np.array([one.figures.values["package_w"] for one in own]) for own in sides]
    low, high = max(w.min() for w in watts) * 0.97, min(w.max() for w in watts) * 1.03
    kept = [[one for one, w in zip(own, at) if low <= w <= high] for own, at in zip(sides, watts)]
    if low >= high or min(map(len, kept)) < LEAST:
        return None
    every = [*kept[0], *kept[1]]
    x = np.log([one.figures.values["package_w"] for one in every])
    if float(np.ptp(x)) < 0.05:
        return None
    x = x - x.mean()
    side = np.array([1.0] * len(kept[0]) + [0.0] * len(kept[1]))
    design = np.column_stack((side, np.ones_like(x), x, *([x**2] if np.unique(np.round(x, 2)).size > 3 else [])))
    y = np.log([one.figures.values[RATE] for one in every])
    found = fitted(design, y, BY_ID[RATE].prior_sd)
    effect, se = float(found.coefficients[0]), float(found.errors[0])
    half = t_quantile(0.975, found.dof) * se
    slope, slope_se = float(found.coefficients[2]), float(found.errors[2])
    n = len(every)
    rate = _percent(effect, half, n)
    watts_ = None
    if slope - 2.0 * slope_se > STEEP:
        middle = -effect / slope
        spread = t_quantile(0.975, found.dof) * math.hypot(se, middle * slope_se) / slope
        watts_ = _percent(middle, spread, n)
    return EqualWatts(rate, watts_, (low, high))


def _says(one: Counted) -> bool:
    known = (one.figures.value(RATE) or 0.0) > 0 and (one.figures.value("package_w") or 0.0) > 0
    return known and (cap_of([one]) is None or paced_share([one]) < PACED)


def _percent(log: float, half: float, n: int) -> Estimate:
    ends = [100.0 * math.expm1(log + sign * half) for sign in (-1.0, 1.0)]
    return Estimate(100.0 * math.expm1(log), ends[0], ends[1], "%", n)
