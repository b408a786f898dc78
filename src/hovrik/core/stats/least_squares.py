"""Least squares over few passes, with a spread drawn towards that measured before."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

LAUNCH_SHARE = 0.3  # of the variance of a pass, common to those of one launch, as measured on other machines
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


class Joint(NamedTuple):
    """Coefficients (k,), their covariance (k, k), degrees of freedom of the spread, the spread itself (unit of y)."""

    coefficients: NDArray[np.float64]
    covariance: NDArray[np.float64]
    dof: float
    spread: float


def generalised(
    design: NDArray[np.float64], y: NDArray[np.float64], prior_sd: float, blocks: Sequence[Hashable],
    prior_dof: float = 1.0,
) -> Joint:  # fmt: skip
    """Generalised least squares where passes of one block (a launch) err together. prior_sd : spread of passes as it is
    thought before, which counts as so many degrees of freedom: 1 where nothing is known of the machine."""
    names = {block: at for at, block in enumerate(dict.fromkeys(blocks))}
    own = np.array([names[block] for block in blocks])
    common = LAUNCH_SHARE * (own[:, None] == own[None, :])
    lower = np.linalg.cholesky(common + (1.0 - LAUNCH_SHARE) * np.eye(y.size))
    x, z = np.linalg.solve(lower, design), np.linalg.solve(lower, y)
    solution = np.asarray(np.linalg.lstsq(x, z, rcond=None)[0], np.float64)
    rest = z - x @ solution
    dof = prior_dof + max(y.size - int(np.linalg.matrix_rank(design)), 0)
    variance = (prior_dof * prior_sd**2 + float(rest @ rest)) / dof
    covariance = np.asarray(variance * np.linalg.pinv(x.T @ x), np.float64)
    return Joint(solution, covariance, dof, float(np.sqrt(variance)))
