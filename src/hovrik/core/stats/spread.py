"""How sure a mean is between passes where there are several: pooled over groups near it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .estimate import Mean

PRIOR_DOF = 4.0


def pooled(
    groups: Sequence[NDArray[np.float64]], prior_sd: float, regimes: Sequence[int] | None = None, *,
    fading: float = 0.5, log: bool = True,
) -> list[Mean]:  # fmt: skip
    """Mean of each group with a standard error pooled over groups near it.

    groups : one (n_i,) array of logs a level, in the factor's order, n_i >= 1; fading : weight of a level beside, 1
    where levels stand in no order; log : whether the values are logs; regimes : levels of different regimes do not
    pool (a title at its cap varies by its pacing only, one short of watts by its load). Within a regime the
    variance at a level pools every level's own with weights that fade by the step; its degrees of freedom are
    Satterthwaite's. A regime without repeats borrows from all levels; where fewer than 4 degrees of freedom stand
    behind the whole, `prior_sd` (spread seen in other scenes) joins with 4.
    """
    own = squares(groups)
    results = []
    for index, group in enumerate(groups):
        kept = own.total[index : index + 1], int(own.dof[index])
        (variance,), dof = variances_at(index, own, *kept, prior_sd, regimes, fading=fading)
        results.append(Mean(float(group.mean()), math.sqrt(variance / group.size), dof, group.size, log))
    return results


@dataclass(frozen=True)
class Squares:
    """What groups say of spread. total : (k,) sums of squares about their means; dof : (k,) degrees of freedom."""

    total: NDArray[np.float64]
    dof: NDArray[np.float64]

    def without(self, index: int, group: NDArray[np.float64]) -> tuple[NDArray[np.float64], int]:
        """(n,) sums of squares of the group at an index, (n,) values, without each of them in turn, and the degrees
        of freedom."""
        n = group.size
        off = group - group.mean()
        left = self.total[index] - off**2 * n / (n - 1) if n > 2 else np.zeros(n)
        return np.maximum(left, 0.0), max(n - 2, 0)


def squares(groups: Sequence[NDArray[np.float64]]) -> Squares:
    """Of each group on its own."""
    return Squares(np.array([_square(g) for g in groups]), np.array([max(g.size - 1, 0) for g in groups], float))


def _square(group: NDArray[np.float64]) -> float:
    return float(((group - group.mean()) ** 2).sum()) if group.size > 1 else 0.0


def variances_at(
    index: int, own: Squares, total: NDArray[np.float64], dof: int, prior_sd: float,
    regimes: Sequence[int] | None = None, *, fading: float = 0.5,
) -> tuple[NDArray[np.float64], float]:  # fmt: skip
    """Variance between passes at one group, as `pooled` has it, for several in its place: (m,) sums of squares with
    the same degrees of freedom give (m,) variances and the degrees of freedom behind each."""
    degrees = own.dof.copy()
    degrees[index] = dof
    of = np.zeros(degrees.size, int) if regimes is None else np.asarray(regimes)
    weight = fading ** np.abs(np.arange(degrees.size) - index)
    same = of == of[index]
    if degrees[same].sum() >= 2:
        weight, extra = weight * same, 0.0
    else:
        extra = PRIOR_DOF if degrees.sum() < 4 else 0.0
    whole = float(weight @ degrees) + extra
    others = float(weight @ own.total) - float(weight[index] * own.total[index])
    variance = (others + weight[index] * total + extra * prior_sd**2) / whole
    return variance, whole**2 / (float(weight**2 @ degrees) + extra)
