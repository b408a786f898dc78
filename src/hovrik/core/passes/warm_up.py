"""Where a scene begins to repeat: long frames that are frequent at first (shaders, caches) and rare later."""

from __future__ import annotations

import numpy as np

from .frames import Intervals

LONG_LOG = 0.3  # a frame 35 % longer than those around it
_LIKELIHOOD = 4.2  # log likelihood ratio of two rates against one; chance clusters stay under it


def settled_after(interval_ms: Intervals, window: int = 30, long_log: float | None = None) -> int:
    """Frames until long frames have become rare: one change point of their rate.

    A long frame is 35 % over the median of its window, more where frames scatter more (`long_log` : another limit);
    consecutive ones count once, and a window in which many are long has changed its level rather than stuttered.
    Poisson counts before and after every window are compared by their likelihood; 0 where one rate explains them, or
    the first is not three times the second. (Shader compilation and warm-up make long frames frequent at first and
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
    counts = starts.reshape(n, window).sum(axis=1)
    total = int(counts.sum())
    if total < 3:
        return 0
    k = np.arange(1, n - 3)
    first = np.cumsum(counts)[k - 1]
    later = total - first
    with np.errstate(divide="ignore", invalid="ignore"):
        gain = np.where(first > 0, first * np.log(first * n / (total * k)), 0.0)
        gain += np.where(later > 0, later * np.log(later * n / (total * (n - k))), 0.0)
    gain[(first < 3) | (first / k < 3.0 * later / (n - k))] = 0.0
    best = int(gain.argmax())
    return int(k[best]) * window if gain[best] > _LIKELIHOOD else 0
