"""Figures of a frame-time series. Takes intervals, gives numbers; knows nothing of watts or setups.

Conventions: `interval_ms` is (n,) float64, every value finite and > 0, in the order shown.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..facts.terms import School

Intervals = NDArray[np.float64]

ALGORITHM = "frames"
VERSION = 1

STUTTER_RATIO = 2.5
STUTTER_OVER_MS = 8.0
STUTTER_WINDOW_MS = 500.0
STEADY_SHARE = 0.10
STEADY_LEAST_MS = 1.0
MISSED_RATIO = 1.5
_CHUNK = 16  # frames a chunk of the stutter search; its lower quartile bounds the median of windows over 2 chunks


@dataclass(frozen=True)
class Lows:
    """One low by three schools, fps. All None where there are too few frames for the share."""

    percentile: float | None
    slowest_mean: float | None
    time_weighted: float | None

    def by(self, school: School) -> float | None:
        """The low of one school."""
        value: float | None = getattr(self, school.value)
        return value

    def as_dict(self) -> dict[str, float | None]:
        """Plain values for JSON."""
        return {
            "percentile": self.percentile,
            "slowest_mean": self.slowest_mean,
            "time_weighted": self.time_weighted,
        }


@dataclass(frozen=True)
class Stutters:
    """Runs of intervals far over the median around them. count; seconds : their excess over that median."""

    count: int
    seconds: float


@dataclass(frozen=True)
class Stutter:
    """One run of long intervals. at_s : its start from the first frame; longest_ms : its longest interval; frames : in
    it; around_ms : the median around its first."""

    at_s: float
    longest_ms: float
    frames: int
    around_ms: float


@dataclass(frozen=True)
class FrameFigures:
    """Every figure of one series. Rates in fps, intervals in ms; None: not carried by the data or no target."""

    frames: int
    seconds: float
    mean_fps: float
    min_fps: float
    low_1pct: Lows
    low_0_1pct: Lows
    median_ms: float
    p95_ms: float
    p99_ms: float
    stutters: int
    stutter_seconds: float
    stutters_per_min: float
    stutter_seconds_per_min: float
    steady_share: float | None
    missed_share: float | None
    effective_frames: float

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        body = {k: getattr(self, k) for k in self.__dataclass_fields__}
        return {**body, "low_1pct": self.low_1pct.as_dict(), "low_0_1pct": self.low_0_1pct.as_dict()}

    @classmethod
    def from_dict(cls, body: dict[str, Any]) -> FrameFigures:
        """The inverse of `as_dict`."""
        return cls(**{**body, "low_1pct": Lows(**body["low_1pct"]), "low_0_1pct": Lows(**body["low_0_1pct"])})


def checked(interval_ms: Intervals) -> Intervals:
    """`interval_ms` as contiguous float64. InputError where it is empty or a value is not finite and positive."""
    series = np.ascontiguousarray(interval_ms, dtype=np.float64)
    if series.ndim != 1 or series.size == 0:
        raise InputError("No frame intervals were given. At least one interval is needed; check the marks.")
    bad = int(np.count_nonzero(~(np.isfinite(series) & (series > 0))))
    if bad:
        raise InputError(
            f"{bad} of {series.size} frame intervals are not positive numbers. "
            "Intervals must be over 0 ms; import the file so that they are listed by line."
        )
    return series


def mean_fps(interval_ms: Intervals) -> float:
    """1000 n / sum(t): frames over time. Not the mean of 1000 / t, which reads high (Jensen)."""
    return float(1000.0 * interval_ms.size / interval_ms.sum())


def _quantile(ascending: Intervals, share: float) -> float:
    """Linear interpolation between order statistics at (n - 1) share: the default rule of numpy.quantile."""
    at = (ascending.size - 1) * share
    below = int(at)
    above = min(below + 1, ascending.size - 1)
    return float(ascending[below] + (at - below) * (ascending[above] - ascending[below]))


def lows(ascending_ms: Intervals, share: float) -> Lows:
    """The low at `share` (0.01 or 0.001) of an ascending series, three schools.

    percentile 1000 / quantile(t, 1 - share); slowest_mean 1000 / mean of the slowest ceil(share n);
    time_weighted: longest first, the first t at which the cumulated time reaches `share` of the total.
    Fewer than 1 / share frames: all None.
    """
    n = ascending_ms.size
    if n < round(1.0 / share):
        return Lows(None, None, None)
    slowest = math.ceil(share * n - 1e-9)
    tail = ascending_ms[::-1]
    wanted = share * float(ascending_ms.sum())
    cumulated = np.cumsum(tail[:slowest])
    reached = int(np.searchsorted(cumulated, wanted * (1 - 1e-12)))
    # the longest ceil(share n) intervals hold at least that share of the time, so the search never runs out
    return Lows(
        1000.0 / _quantile(ascending_ms, 1.0 - share),
        1000.0 / float(tail[:slowest].mean()),
        1000.0 / float(tail[min(reached, slowest - 1)]),
    )


def steady_share(interval_ms: Intervals, target_fps: float) -> float:
    """Share of intervals within 10 % (at least 1 ms) of the target interval."""
    target_ms = 1000.0 / target_fps
    near = np.abs(interval_ms - target_ms) <= max(STEADY_SHARE * target_ms, STEADY_LEAST_MS) + 1e-9
    return float(np.count_nonzero(near) / interval_ms.size)


def missed_share(interval_ms: Intervals, target_fps: float) -> float:
    """Share of intervals over 1.5 x the target interval."""
    return float(np.count_nonzero(interval_ms > MISSED_RATIO * 1000.0 / target_fps) / interval_ms.size)


def stutters(interval_ms: Intervals) -> Stutters:
    """Runs of intervals over 2.5 x the median of the 0.5 s on either side and 8 ms over it.

    Exact: a cheap lower bound of that median only decides which intervals are looked at one by one.
    """
    rows = _stuttering(interval_ms)
    count = sum(index != before + 1 for (index, *_), (before, *_) in zip(rows, [(-2,), *rows]))
    return Stutters(count, sum(value - median for _, _, value, median in rows) / 1000.0)


def stutter_list(interval_ms: Intervals) -> list[Stutter]:
    """The same runs one by one, in the order in which they came."""
    found: list[Stutter] = []
    before = -2
    for index, start_ms, value, median in _stuttering(interval_ms):
        if index == before + 1 and found:
            last = found[-1]
            found[-1] = Stutter(last.at_s, max(last.longest_ms, value), last.frames + 1, last.around_ms)
        else:
            found.append(Stutter(start_ms / 1000.0, value, 1, median))
        before = index
    return found


def _stuttering(interval_ms: Intervals) -> list[tuple[int, float, float, float]]:
    """(index, start ms, interval ms, median ms around) of every interval that is part of a stutter."""
    ends_ms = np.cumsum(interval_ms)
    candidates = _stutter_candidates(interval_ms, ends_ms)
    if candidates.size == 0:
        return []
    starts = ends_ms[candidates] - interval_ms[candidates]
    first = np.searchsorted(ends_ms, starts - STUTTER_WINDOW_MS, side="left")
    last = np.searchsorted(ends_ms, ends_ms[candidates] + STUTTER_WINDOW_MS, side="right")
    found = []
    for index, start, low, high in zip(candidates.tolist(), starts.tolist(), first.tolist(), last.tolist()):
        median = _median(interval_ms[low:high])
        value = float(interval_ms[index])
        if value > STUTTER_RATIO * median and value > median + STUTTER_OVER_MS:
            found.append((index, start, value, median))
    return found


def _median(window: Intervals) -> float:
    middle = window.size // 2
    if window.size % 2:
        return float(np.partition(window, middle)[middle])
    part = np.partition(window, (middle - 1, middle))
    return float(0.5 * (part[middle - 1] + part[middle]))


def _stutter_candidates(interval_ms: Intervals, ends_ms: Intervals) -> NDArray[np.intp]:
    """Indices that could be stutters.

    At most a quarter of each chunk lies under its lower quartile. A window of N frames touches at most
    N / chunk + 2 chunks, so under half of it lies under the least of their quartiles once N > 2 chunk, and that
    least value bounds the window's median from below. Elsewhere the least interval serves.
    """
    n = interval_ms.size
    whole = n // _CHUNK
    if whole < 4:
        return np.flatnonzero(interval_ms > STUTTER_OVER_MS)
    rows = interval_ms[: whole * _CHUNK].reshape(whole, _CHUNK)
    parted = np.partition(rows, _CHUNK // 4, axis=1)
    quartile, least = parted[:, _CHUNK // 4], rows.min(axis=1)
    chunk_end = ends_ms[_CHUNK - 1 : whole * _CHUNK : _CHUNK]
    chunk_start = np.concatenate(([0.0], chunk_end[:-1]))
    low = np.searchsorted(chunk_end, chunk_start - STUTTER_WINDOW_MS, side="left")
    high = np.minimum(np.searchsorted(chunk_start, chunk_end + STUTTER_WINDOW_MS, side="right"), whole)
    # frames surely inside the window of every frame of the chunk: chunks wholly within 0.5 s of its far side
    sure_low = np.searchsorted(chunk_start, chunk_end - STUTTER_WINDOW_MS, side="left")
    sure_high = np.searchsorted(chunk_end, chunk_start + STUTTER_WINDOW_MS, side="right")
    enough = (sure_high - sure_low) > 2
    bound = np.where(enough, _range_min(quartile, low, high), _range_min(least, low, high))
    if whole * _CHUNK < n:  # the last window reaches into the frames after the last whole chunk
        tail_min = float(interval_ms[whole * _CHUNK :].min())
        near_end = high >= whole
        bound[near_end] = np.minimum(bound[near_end], tail_min)
    threshold = np.maximum(STUTTER_RATIO * bound, bound + STUTTER_OVER_MS)
    found = np.flatnonzero(rows.max(axis=1) > threshold)
    inside = found[:, None] * _CHUNK + np.arange(_CHUNK)
    hits = inside[rows[found] > threshold[found, None]]
    rest = np.arange(whole * _CHUNK, n)
    return np.concatenate((hits, rest)).astype(np.intp)


def _range_min(values: Intervals, low: NDArray[np.intp], high: NDArray[np.intp]) -> Intervals:
    """min(values[low:high]) for every pair; high > low."""
    pairs = np.empty(2 * low.size, np.intp)
    pairs[0::2], pairs[1::2] = low, high
    return np.minimum.reduceat(np.append(values, np.inf), pairs)[0::2]


def effective_frames(interval_ms: Intervals, p99_ms: float) -> float:
    """Frames of an independent series that would carry the 1 % low as well: n x runs of slow frames / slow frames.

    Slow: over the 99th percentile; slow frames fewer than 5 apart count as one run (the runs estimator of the
    extremal index). n where there is no slow frame.
    """
    slow = np.flatnonzero(interval_ms > p99_ms)
    if slow.size == 0:
        return float(interval_ms.size)
    runs = 1 + int(np.count_nonzero(np.diff(slow) >= 5))
    return float(interval_ms.size * runs / slow.size)


def figures(interval_ms: Intervals, target_fps: float | None = None) -> FrameFigures:
    """Every figure of a series; shares against a target are None without `target_fps` (fps).

    Raises InputError for an empty series or one with values that are not finite and positive.
    """
    series = checked(interval_ms)
    ascending = np.sort(series)
    total_s = float(series.sum()) / 1000.0
    found = stutters(series)
    p99 = _quantile(ascending, 0.99)
    return FrameFigures(
        frames=series.size,
        seconds=total_s,
        mean_fps=series.size / total_s,
        min_fps=1000.0 / float(ascending[-1]),
        low_1pct=lows(ascending, 0.01),
        low_0_1pct=lows(ascending, 0.001),
        median_ms=_quantile(ascending, 0.5),
        p95_ms=_quantile(ascending, 0.95),
        p99_ms=p99,
        stutters=found.count,
        stutter_seconds=found.seconds,
        stutters_per_min=60.0 * found.count / total_s,
        stutter_seconds_per_min=60.0 * found.seconds / total_s,
        steady_share=None if target_fps is None else steady_share(series, target_fps),
        missed_share=None if target_fps is None else missed_share(series, target_fps),
        effective_frames=effective_frames(series, p99),
    )
