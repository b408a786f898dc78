"""A series of any length drawn by its extremes: no spike is ever lost, at any zoom. NumPy only."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

FACTOR = 8


class Pyramid:
    """Minima and maxima of a series in levels of 8, 64, 512 ... points.

    x (n,) not decreasing; y (n,). `between` gives at most about `most` points that cover every extreme of the
    part asked for.
    """

    def __init__(self, x: Array, y: Array) -> None:
        self.x, self.y = np.ascontiguousarray(x, np.float64), np.ascontiguousarray(y, np.float64)
        self._levels: list[tuple[Array, Array]] = []
        low = high = self.y
        while low.size > 4 * FACTOR:
            whole = low.size // FACTOR * FACTOR
            lows, highs = low[:whole].reshape(-1, FACTOR).min(axis=1), high[:whole].reshape(-1, FACTOR).max(axis=1)
            if whole < low.size:
                lows = np.append(lows, low[whole:].min())
                highs = np.append(highs, high[whole:].max())
            low, high = lows, highs
            self._levels.append((low, high))

    def between(self, start: float, end: float, most: int = 2000) -> tuple[Array, Array]:
        """Points to draw from x = start to end: raw where few, else a minimum and a maximum a group."""
        first = max(int(np.searchsorted(self.x, start)) - 1, 0)
        last = min(int(np.searchsorted(self.x, end, side="right")) + 1, self.x.size)
        level, group = -1, 1
        while (last - first) / group * (1 if level < 0 else 2) > most and level + 1 < len(self._levels):
            level, group = level + 1, group * FACTOR
        if level < 0:
            return self.x[first:last], self.y[first:last]
        lows, highs = self._levels[level]
        low_group, high_group = first // group, min(-(-last // group), lows.size)
        groups = np.arange(low_group, high_group)
        at = self.x[np.minimum(groups * group, self.x.size - 1)]
        x = np.repeat(at, 2)
        y = np.empty(x.size)
        y[0::2], y[1::2] = lows[groups], highs[groups]
        return x, y
