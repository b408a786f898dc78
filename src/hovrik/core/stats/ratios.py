"""Ratios of several titles pooled: titles are a sample, so that their own spread is part of the interval."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .estimate import Estimate, t_quantile


@dataclass(frozen=True)
class PooledRatio:
    """log : mean of the logs; se : its standard error; between : spread between titles (log); estimate : in percent,
    with its 95 % interval; next_one : percent interval for one further title."""

    log: float
    se: float
    between: float
    estimate: Estimate
    next_one: tuple[float, float]


def pooled_ratio(logs: Sequence[float], ses: Sequence[float]) -> PooledRatio | None:
    """Random effects by DerSimonian and Laird (1986), the error by Hartung and Knapp (2001) and never under the plain
    one. None for fewer than two."""
    y, v = np.asarray(logs, float), np.square(np.asarray(ses, float)) + 1e-12
    k = y.size
    if k < 2:
        return None
    w = 1.0 / v
    fixed = float((w * y).sum() / w.sum())
    q = float((w * (y - fixed) ** 2).sum())
    between = max(0.0, (q - (k - 1)) / float(w.sum() - (w**2).sum() / w.sum()))
    w = 1.0 / (v + between)
    mean = float((w * y).sum() / w.sum())
    plain = 1.0 / float(w.sum())
    spread = float((w * (y - mean) ** 2).sum()) / (k - 1) / float(w.sum())
    se = math.sqrt(max(plain, spread))
    t = t_quantile(0.975, k - 1)
    further = t * math.sqrt(between + se**2)
    ends = [100.0 * math.expm1(mean + off) for off in (0.0, -t * se, t * se, -further, further)]
    estimate = Estimate(ends[0], ends[1], ends[2], "%", k)
    return PooledRatio(mean, se, math.sqrt(between), estimate, (ends[3], ends[4]))
