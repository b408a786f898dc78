"""The interval of a ratio of two differences that share a term."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def fieller(over: float, under: float, cov: Array, t: float) -> tuple[float, float] | None:
    """Ends of the interval of over / under. cov : (2, 2) of both; t : quantile. None where the denominator is not
    surely other than nought: no ratio is told then.

    E. C. Fieller, Some problems in interval estimation, J. R. Stat. Soc. B 16 (1954).
    """
    a = under * under - t * t * float(cov[1, 1])
    if a <= 0:
        return None
    b = over * under - t * t * float(cov[0, 1])
    c = over * over - t * t * float(cov[0, 0])
    root = math.sqrt(max(b * b - a * c, 0.0))
    return (b - root) / a, (b + root) / a
