"""Where a scene begins to repeat: long frames that are frequent at first (shaders, caches) and rare later."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .frames import Intervals

LEAST_BLOCKS = 6
FEWEST, MANY = 3, 7.0  # windows with an event; likelihood ratio from which every event counts
LONG_LOG = 0.3  # a frame 35 % longer than those around it
_LIKELIHOOD = 4.2  # log likelihood ratio of two rates against one; chance clusters stay under it


def settled_after(interval_ms: Intervals, window: int = 30, long_log: float | None = None) -> int:
    """Frames until long frames have become rare: one change point of their rate.

    A long frame is 35 % over the median of its window, more where frames scatter more (`long_log` : another limit);
    consecutive ones count once, and a window in which many are long has changed its level rather than stuttered.
    Counts before and after every window are compared by their likelihood; 0 where one rate explains them, or the first
    is not three times the second. (Shader compilation and warm-up make long frames frequent at first and
    rare later.)
    """
    n = interval_ms.size // window
    if n < 12:
        return 0
    logs = np.log(interval_ms[: n * window]).reshape(n, window)
    off = logs - np.median(logs, axis=1, keepdims=True)
    if long_log is None:
        long_log = max(LONG_LOG, 4.0 * 1.4826 * float(np.median(np.abs(off))))
    long = off > long_log
    long[long.mean(axis=1) > 0.25] = False
    flat = long.ravel()
    starts = flat & ~np.concatenate(([False], flat[:-1]))
    each = starts.reshape(n, window).sum(axis=1)
    ends = [_change(each.clip(max=1), FEWEST, _LIKELIHOOD), _change(each, FEWEST, MANY)]
    return max(ends) * window


def _change(counts: NDArray[np.int64], fewest: int, least: float) -> int:
    """Windows until events become rare, 0 where they do not: at least so many come first, by a likelihood ratio of at
    least so much. Once a window is counted, so that a cluster is one event; where very many come first, each is."""
    n, total = counts.size, int(counts.sum())
    if total < fewest:
        return 0
    k = np.arange(1, n - 3)
    first = np.cumsum(counts)[k - 1]
    later = total - first
    with np.errstate(divide="ignore", invalid="ignore"):
        gain = np.where(first > 0, first * np.log(first * n / (total * k)), 0.0)
        gain += np.where(later > 0, later * np.log(later * n / (total * (n - k))), 0.0)
    gain[(first < fewest) | (first / k < 3.0 * later / (n - k))] = 0.0
    best = int(gain.argmax())
    return int(k[best]) if gain[best] > least * _clustering(counts[k[best] :]) else 0


def _clustering(counts: NDArray[np.int64]) -> float:
    """How much more counts scatter than chance would have them, at least 1: long frames that come in clusters all
    through a pass make one at its start by chance (quasi-likelihood: McCullagh and Nelder 1989, 9.2)."""
    found = 1.0
    for size in (1, 2, 4, 8):
        blocks = counts[: counts.size // size * size].reshape(-1, size).sum(axis=1)
        if blocks.size >= LEAST_BLOCKS and blocks.mean() > 0:
            found = max(found, float(blocks.var(ddof=1) / blocks.mean()))
    return found
