"""Passes that the others did not let expect: outside the prediction interval of those at their level and beside it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .estimate import t_quantile
from .spread import squares, variances_at

SHARE = 0.9995  # two-sided 99.9 %: 36 clean passes propose a needless repeat once in 28 sweeps, a figure
LEAST = 0.02  # log units: less is not worth a repeat

Values = NDArray[np.float64]


def outliers(
    limits: Sequence[float], logs: Sequence[Values], reading_sd: Sequence[Values], prior_sd: float,
    regimes: Sequence[int] | None = None, *, rising: bool = True,
) -> list[tuple[int, int, float]]:  # fmt: skip
    """(level, pass, deviation in log units) of each pass that surprises.

    limits : (n,) ascending, W; logs : a (k_i,) array a level, k_i >= 1, of a figure that rises with the limit and
    flattens; reading_sd : as logs, what is known of each pass's own reading error; prior_sd, regimes : as in
    spread.pooled; rising : False where the levels say nothing of one another. Expected is the mean of two or more
    others at the level. One other may be the wrong one: then, and where there is none, whatever lies between it, the
    straight line between the levels beside and the higher of those is no surprise. The spread comes from all passes but
    the one in question, so that it cannot hide itself.
    """
    found = []
    every = squares(logs)
    for at, group in enumerate(logs):
        n = group.size
        low = high = (group.sum() - group) / (n - 1) if n > 1 else np.full(1, np.nan)
        if rising and n < 3 and 0 < at < len(logs) - 1:
            below, above = float(logs[at - 1].mean()), float(logs[at + 1].mean())
            part = (limits[at] - limits[at - 1]) / (limits[at + 1] - limits[at - 1])
            more = below + part * (above - below), max(below, above)
            low, high = np.fmin(low, min(more)), np.fmax(high, max(more))
        if np.isnan(low).all():
            continue
        off = group - np.clip(group, low, high)
        variance, dof = variances_at(at, every, *every.without(at, group), prior_sd, regimes)
        spread = np.sqrt(variance * (1.0 + 1.0 / ((n - 1) or 2)))
        wide = t_quantile(SHARE, max(dof, 1.0)) * np.hypot(spread, reading_sd[at])
        odd = np.flatnonzero((np.abs(off) > LEAST) & (np.abs(off) > wide))
        found += [(at, int(number), float(off[number])) for number in odd]
    return found
