"""Steps and dents in a smooth rise: what a curve cannot do. Numbers only."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

LEAST = 6  # points under which a step is not told from a bend
WIDEST = 3  # points of a dent
BEND, LENGTH, OWN = 0.012, 0.8, 0.002  # sd and length (of x) of how a smooth rise departs from a cubic, and of a point


@dataclass(frozen=True)
class Abrupt:
    """From point `first` to `last` (indices, inclusive) values lie `size` off what the others let expect; last is the
    end of them all where it is a step (is_step). se : of the size."""

    first: int
    last: int
    is_step: bool
    size: float
    se: float

    @property
    def errors(self) -> float:
        """Its size in standard errors, without a sign."""
        return abs(self.size) / self.se


def abrupt(x: Array, y: Array, se: Array) -> Abrupt | None:
    """The step, or dent of one to three points, that lies most standard errors off a smooth curve.

    x : (n,) ascending; y : (n,); se : (n,) standard errors of y. None under 6 points. The curve is a quadratic in x
    with a Matern 3/2 departure; each shape joins it as one more regressor, by generalised least squares.
    """
    n = x.size
    if n < LEAST:
        return None
    at = (x - x.mean()) / max(float(np.ptp(x)), 1e-9)
    base = np.column_stack((np.ones(n), at, at**2))
    apart = np.sqrt(3.0) * np.abs(x[:, None] - x[None, :]) / LENGTH
    covariance = BEND**2 * (1.0 + apart) * np.exp(-apart) + np.diag(se**2 + OWN**2)
    root = np.linalg.cholesky(covariance)
    whitened = np.linalg.solve(root, np.column_stack((y, base)))
    own, rest = whitened[:, 0], np.linalg.qr(whitened[:, 1:])[0]
    own = own - rest @ (rest.T @ own)
    shapes = [(first, n - 1, True) for first in range(2, n - 1)]
    shapes += [
        (first, first + wide - 1, False)
        for wide in range(1, WIDEST + 1) for first in range(1, n - wide) if wide <= (n - 3) // 2
    ]  # fmt: skip
    columns: Array = np.zeros((n, len(shapes)))
    for number, (first, last, _) in enumerate(shapes):
        columns[first : last + 1, number] = 1.0
    columns = np.asarray(np.linalg.solve(root, columns), np.float64)
    columns -= rest @ (rest.T @ columns)
    weight = np.einsum("ij,ij->j", columns, columns)
    size = columns.T @ own / np.maximum(weight, 1e-12)
    best = int(np.argmax(np.abs(size) * np.sqrt(weight)))
    return Abrupt(*shapes[best], float(size[best]), float(1.0 / np.sqrt(max(weight[best], 1e-12))))
