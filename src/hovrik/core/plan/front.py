"""The trade-off of two aims: what no measured setup beats in both, how much of the plane it covers, what a further
setup would add to that. Two quantities, more of each is better."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def unbeaten(points: Array) -> NDArray[np.intp]:
    """Indices of the points (n, 2) that no other beats in both, the most of the first quantity first; of equal ones the
    first."""
    order = np.lexsort((-points[:, 1], -points[:, 0]))
    found, best = [], -np.inf
    for at in order.tolist():
        if points[at, 1] > best:
            found.append(at)
            best = points[at, 1]
    return np.array(found, np.intp)


def hypervolume(points: Array, reference: Array) -> float:
    """Area between the unbeaten of points (n, 2) and a reference point (2,)."""
    inside = points[(points > reference).all(axis=1)]
    if not inside.size:
        return 0.0
    front = inside[unbeaten(inside)]
    widths = front[:, 0] - np.append(front[1:, 0], reference[0])
    return float(widths @ (front[:, 1] - reference[1]))


def improvements(
    first: Array, second: Array, seen: NDArray[np.intp], counts: NDArray[np.bool_], reference: Array
) -> Array:
    """(draws, c) of area that each candidate would add to what those seen cover, a draw.

    first, second : (draws, c) of both quantities; seen : candidates that were measured; counts : (draws, c) which meet
    the limits: others neither cover nor add.
    """
    a = np.maximum(first, reference[0])
    b = np.maximum(second, reference[1])
    own_a = np.where(counts[:, seen], a[:, seen], reference[0])
    own_b = np.where(counts[:, seen], b[:, seen], reference[1])
    order = np.argsort(-own_a, axis=1)
    own_a, own_b = np.take_along_axis(own_a, order, 1), np.take_along_axis(own_b, order, 1)
    height = np.maximum.accumulate(own_b, axis=1)  # what is covered left of each of them
    found = np.zeros_like(a)
    right = np.full((a.shape[0], 1), np.inf)
    under = np.full((a.shape[0], 1), reference[1])
    for at in range(seen.size + 1):
        left = own_a[:, at : at + 1] if at < seen.size else np.full_like(right, reference[0])
        found += np.clip(np.minimum(a, right) - left, 0.0, None) * np.clip(b - under, 0.0, None)
        if at < seen.size:
            right, under = left, height[:, at : at + 1]
    return np.where(counts, found, 0.0)
