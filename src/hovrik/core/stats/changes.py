"""Change points of a series of means, one or several at once. Numbers only."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

MOST_BEHIND = 4000  # starts of a segment that are kept: older ones end up pruned


def largest_change(values: Array, first: int, last: int) -> tuple[int, float, float]:
    """Where the mean of a series changes most, by least squares, with the means before and after. first, last : of the
    starts of the second part, last not among them."""
    n = values.size
    sums, k = np.cumsum(values), np.arange(first, last)
    before, after = sums[k - 1] / k, (sums[-1] - sums[k - 1]) / (n - k)
    best = int((k * (n - k) / n * (before - after) ** 2).argmax())
    return int(k[best]), float(before[best]), float(after[best])


def change_points(series: Array, penalty: float, least: int = 5) -> list[int]:
    """Starts of all segments but the first, by least squares with a penalty a change (PELT; Killick et al. 2012).

    series : (n, d), each column in units of its own noise; penalty : in squared standard deviations; least : samples of
    a segment. The result is the optimum: a start is dropped only where it can never be best again.
    """
    n = series.shape[0]
    if n < 2 * least:
        return []
    sums = np.vstack((np.zeros(series.shape[1]), np.cumsum(series, axis=0)))
    squares = np.concatenate(([0.0], np.cumsum(np.einsum("ij,ij->i", series, series))))
    best = np.full(n + 1, np.inf)
    best[0] = -penalty
    before = np.zeros(n + 1, np.int64)
    starts: NDArray[np.int64] = np.zeros(1, np.int64)
    for end in range(least, n + 1):
        lengths = (end - starts).astype(float)
        off = sums[end] - sums[starts]
        cost = squares[end] - squares[starts] - np.einsum("ij,ij->i", off, off) / lengths
        total = best[starts] + cost + penalty
        at = int(np.argmin(total))
        best[end], before[end] = total[at], starts[at]
        starts = starts[total - penalty <= best[end]][-MOST_BEHIND:]
        if (candidate := end + 1 - least) >= least:
            starts = np.append(starts, candidate)
    found, end = [], n
    while end > 0:
        end = int(before[end])
        if end > 0:
            found.append(end)
    return found[::-1]


def noise_of(values: Array, lag: int = 1) -> float:
    """Standard deviation of a series about means that change now and then: from differences `lag` apart, robustly."""
    off = np.abs(values[lag:] - values[:-lag])
    return float(np.median(off)) / (0.6745 * np.sqrt(2.0)) if off.size else 0.0
