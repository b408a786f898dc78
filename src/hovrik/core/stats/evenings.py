"""Evening by evening: whether a figure moved since something changed, at whatever evening one looks.

The Bayes factor of a moved against an unmoved mean, with the location and scale that both share under the right Haar
prior and a normal prior on the effect, is a martingale under no change however often it is looked at: it reaches
1 / error in an `error` share of all series at most (Ville; for normal scatter: Perez-Ortiz et al. 2022). Evenings that
scatter otherwise: benchmarks/evenings.py.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .estimate import Estimate, t_quantile

ERROR = 0.05
EFFECT = 1.5  # sd of the effect, in spreads between evenings
LEAST_BEFORE, LEAST_ALL = 3, 5


@dataclass(frozen=True)
class Shift:
    """after less before, with its 95 % interval; evenings : after the change; evidence : the Bayes factor."""

    by: Estimate
    evenings: int
    evidence: float


def evidence(before: Sequence[float], after: Sequence[float]) -> float:
    """The Bayes factor of a moved mean; 1 where there are too few evenings for it."""
    n, m = len(before), len(after)
    if n < LEAST_BEFORE or not m or n + m < LEAST_ALL:
        return 1.0
    t, dof, _ = _student(before, after)
    gain = 1.0 + EFFECT**2 * n * m / (n + m)
    log = -0.5 * math.log(gain) + 0.5 * (dof + 1) * (math.log1p(t * t / dof) - math.log1p(t * t / (gain * dof)))
    return math.exp(min(log, 600.0))


def shift_since(before: Sequence[float], after: Sequence[float]) -> Shift | None:
    """The shift, once it was proven at any look so far; None before."""
    best = max((evidence(before, after[:at]) for at in range(1, len(after) + 1)), default=1.0)
    if best < 1.0 / ERROR:
        return None
    _, dof, se = _student(before, after)
    middle, half = float(np.mean(after) - np.mean(before)), t_quantile(0.975, dof) * se
    return Shift(Estimate(middle, middle - half, middle + half, n=len(after)), len(after), best)


def _student(before: Sequence[float], after: Sequence[float]) -> tuple[float, float, float]:
    """(t, degrees of freedom, standard error) of after less before."""
    a, b = np.asarray(after, float), np.asarray(before, float)
    dof = a.size + b.size - 2
    spread = math.sqrt((float(((a - a.mean()) ** 2).sum()) + float(((b - b.mean()) ** 2).sum())) / dof)
    se = max(spread, 1e-12) * math.sqrt(1 / a.size + 1 / b.size)
    return float(a.mean() - b.mean()) / se, float(dof), se
