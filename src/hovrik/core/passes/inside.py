"""How sure a figure is from inside one pass, where it is the only one.

The load wanders over seconds, so that frames are not independent and even blocks of them cover too little. Several
passes say what one cannot.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..stats.estimate import t_quantile
from .frames import Intervals

_RESAMPLES = 400


def load_time_constant_s(interval_ms: Intervals) -> float:
    """How long the load wanders in one direction: lag at which the autocorrelation of 0.25 s means has fallen to
    1 / e of its value at the first lag (which takes out frame-to-frame noise).

    Taking out the series' own mean lowers every autocovariance by the variance of that mean, 2 tau / T of the
    whole for a time constant tau; each lag is tested with that put back. Bins hold two frames where frames last
    longer. At least 0.25 s, at most an eighth of the series.
    """
    means, width = _binned(interval_ms, max(0.25, 2e-3 * float(interval_ms.mean())))
    n = means.size
    if n < 12:
        return 0.25
    x = np.log(means) - np.log(means).mean()
    power = float(x @ x)
    if power <= 1e-18:
        return width
    first = float(x[:-1] @ x[1:]) / power
    for lag in range(2, n // 8):
        lost = min(2.0 * lag / n, 0.5)
        r = float(x[:-lag] @ x[lag:]) / power * n / (n - lag)
        if r * (1 - lost) + lost < (first * (1 - lost) + lost) / math.e:
            return lag * width
    return max(0.25, n // 8 * width)


def _binned(interval_ms: Intervals, seconds: float) -> tuple[Intervals, float]:
    """Mean interval of the frames that end in each bin, and the width of a bin in s; empty bins repeat the last one
    before them, those at the start the first one after them."""
    ends = np.cumsum(interval_ms) / 1000.0
    index = np.minimum((ends / seconds).astype(np.intp), int(ends[-1] / seconds))
    total = np.bincount(index, weights=interval_ms)
    count = np.bincount(index)
    filled = np.maximum.accumulate(np.where(count > 0, np.arange(count.size), int(np.argmax(count > 0))))
    return (total / np.maximum(count, 1))[filled], seconds


@dataclass(frozen=True)
class Inside:
    """Spread of the log mean rate and of the log 1 % low from inside one pass, with its degrees of freedom."""

    rate_se: float
    low_se: float
    dof: float
    block_frames: int

    @property
    def low_dof(self) -> float:
        """Degrees of freedom of the low."""
        return max(self.dof - 1.0, 1.5)

    def rate_interval(self, fps: float) -> tuple[float, float]:
        """95 % interval of the mean rate."""
        half = t_quantile(0.975, self.dof) * self.rate_se
        return fps * math.exp(-half), fps * math.exp(half)

    def low_interval(self, fps: float | None) -> tuple[float, float] | None:
        """95 % interval of the 1 % low, None where there is no low."""
        if fps is None:
            return None
        half = t_quantile(0.975, self.low_dof) * self.low_se
        return fps * math.exp(-half), fps * math.exp(half)


def within_pass(
    interval_ms: Intervals, *, load_s: float | None = None, seed: int = 0, resamples: int = _RESAMPLES
) -> Inside | None:
    """Circular block bootstrap with blocks of three load time constants; None under 100 frames or 2 s.

    Blocks of b carry only 1 - (1 - exp(-k)) / k of the long-run variance of a load with time constant tau
    (k = b / tau; integral of exp(-t / tau) over a triangle), and centring on the pass's own mean loses 2 tau / T
    more: both are put back. The t of T / 2 tau - 1 degrees of freedom pays for estimating it from one pass, with
    one less for the low, which leans on the largest excursions only. A time constant found in the pass itself
    (`load_s` None) is taken half as long again, since a short series sees few of its swings.
    """
    n = interval_ms.size
    seconds = float(interval_ms.sum()) / 1000.0
    if n < 100 or seconds < 2.0:
        return None
    tau = min(load_s or 1.5 * load_time_constant_s(interval_ms), seconds / 8.0)
    block_s = min(max(3.0 * tau, 1.0), seconds / 4.0)
    block = int(min(max(block_s * n / seconds, 2), n // 2))
    rng = np.random.default_rng(seed)
    blocks = math.ceil(n / block)
    offsets = np.arange(block)
    wrapped = np.concatenate((interval_ms, interval_ms[:block]))
    at = 0.99 * (n - 1)
    below = int(at)
    rates, slow = np.empty(resamples), np.empty(resamples)
    for draw in range(resamples):
        index = (rng.integers(0, n, blocks)[:, None] + offsets).ravel()[:n]
        sample = wrapped[index]
        rates[draw] = sample.sum()
        part = np.partition(sample, (below, min(below + 1, n - 1)))
        slow[draw] = part[below] + (at - below) * (part[min(below + 1, n - 1)] - part[below])
    k = block_s / tau
    kept = (1.0 - (1.0 - math.exp(-k)) / k) * max(1.0 - 2.0 * tau / seconds, 0.25)
    inflate = 1.0 / math.sqrt(kept)
    dof = max(seconds / (2.0 * tau) - 1.0, 2.0)
    return Inside(float(np.log(rates).std()) * inflate, float(np.log(slow).std()) * inflate, dof, block)
