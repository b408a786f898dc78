"""How sure a mean is between passes where there are several: pooled over groups near it."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .estimate import Mean

PRIOR_DOF = 2.0


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
    behind the whole, `prior_sd` (spread seen in other scenes) joins with 2.
    """
    own_dof = np.array([max(g.size - 1, 0) for g in groups], float)
    own_ss = np.array([float(((g - g.mean()) ** 2).sum()) if g.size > 1 else 0.0 for g in groups])
    of = np.zeros(len(groups), int) if regimes is None else np.asarray(regimes)
    results = []
    for index, group in enumerate(groups):
        weight = fading ** np.abs(np.arange(len(groups)) - index)
        same = of == of[index]
        if own_dof[same].sum() >= 2:
            weight, extra = weight * same, 0.0
        else:
            extra = PRIOR_DOF if own_dof.sum() < 4 else 0.0
        total = float(weight @ own_dof) + extra
        variance = (float(weight @ own_ss) + extra * prior_sd**2) / total
        dof = total**2 / (float(weight**2 @ own_dof) + extra)
        results.append(Mean(float(group.mean()), math.sqrt(variance / group.size), dof, group.size, log))
    return results
