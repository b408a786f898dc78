"""Passes that the others did not let expect: outside the prediction interval of those at their level and beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .estimate import t_quantile
from .spread import pooled

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
    for at, group in enumerate(logs):
        for number, own in enumerate(group.tolist()):
            others = np.delete(group, number)
            known = [float(others.mean())] if others.size else []
            if rising and others.size < 2 and 0 < at < len(logs) - 1:
                below, above = float(logs[at - 1].mean()), float(logs[at + 1].mean())
                part = (limits[at] - limits[at - 1]) / (limits[at + 1] - limits[at - 1])
                known += [below + part * (above - below), max(below, above)]
            if not known:
                continue
            off = own - float(np.clip(own, min(known), max(known)))
            if abs(off) <= LEAST:
                continue
            rest = [others if k == at else other for k, other in enumerate(logs)]
            if not others.size:  # the level has only this pass: a place for it in the order, with nothing to add
                rest[at] = np.array([known[0]])
            mean = pooled(rest, prior_sd, regimes)[at]
            spread = mean.se * math.sqrt(mean.n * (1.0 + 1.0 / (others.size or 2)))
            wide = t_quantile(SHARE, max(mean.dof, 1.0)) * math.hypot(spread, float(reading_sd[at][number]))
            if abs(off) > wide:
                found.append((at, number, off))
    return found
