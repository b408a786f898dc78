"""Ordinary least squares over few passes, with a spread drawn towards that measured before."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

PRIOR_DOF = 4.0  # that the spread measured before counts for


class Fitted(NamedTuple):
    """Coefficients and their standard errors, one per column of the design; degrees of freedom of the spread."""

    coefficients: NDArray[np.float64]
    errors: NDArray[np.float64]
    dof: float


def fitted(design: NDArray[np.float64], y: NDArray[np.float64], prior_sd: float) -> Fitted:
    """design : (passes, columns), may lack full rank; y : (passes,); prior_sd : spread of passes measured before, in
    the unit of y, which counts as 4 degrees of freedom."""
    solution = np.asarray(np.linalg.lstsq(design, y, rcond=None)[0], np.float64)
    rest = y - design @ solution
    dof = PRIOR_DOF + max(y.size - int(np.linalg.matrix_rank(design)), 0)
    variance = (PRIOR_DOF * prior_sd**2 + float(rest @ rest)) / dof
    return Fitted(solution, np.sqrt(variance * np.diag(np.linalg.pinv(design.T @ design))).astype(np.float64), dof)
