"""What makes any floor arithmetic: the shares of frames slower than a fixed grid of intervals, and the slowest of them.

Kept with a pass, so that a floor that moves asks no series again.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .frames import MISSED_RATIO, STEADY_LEAST_MS, STEADY_SHARE, Intervals

FIRST_MS, LAST_MS, RATIO = 2.0, 500.0, 1.01
POINTS = math.ceil(math.log(LAST_MS / FIRST_MS) / math.log(RATIO)) + 1
GRID_MS: Intervals = FIRST_MS * np.power(RATIO, np.arange(POINTS, dtype=np.float64))
KEPT_SHARE = 0.05
_STEP = math.log(RATIO)


@dataclass(frozen=True)
class Tail:
    """frames : how many; slower : (POINTS,) share of frames slower than each interval of the grid; slowest_ms : (m,)
    the slowest 5 %, ascending."""

    frames: int
    slower: NDArray[np.float32] = field(compare=False)
    slowest_ms: NDArray[np.float32] = field(compare=False)

    @classmethod
    def of(cls, ascending_ms: Intervals) -> Tail:
        """From sorted intervals, (n,) ms, n >= 1."""
        n = ascending_ms.size
        slower = 1.0 - np.searchsorted(ascending_ms, GRID_MS, side="right") / n
        kept = ascending_ms[n - max(math.ceil(KEPT_SHARE * n), 1) :]
        return cls(n, slower.astype(np.float32), kept.astype(np.float32))

    def slower_than(self, interval_ms: float) -> float:
        """Share of frames that took longer: exact among the slowest 5 %, else by straight lines on the grid."""
        if interval_ms >= self.slowest_ms[0]:
            at = int(np.searchsorted(self.slowest_ms, interval_ms * (1 + 1e-7)))
            return (len(self.slowest_ms) - at) / self.frames
        place = math.log(max(interval_ms, FIRST_MS) / FIRST_MS) / _STEP
        at = min(int(place), POINTS - 2)
        low, high = float(self.slower[at]), float(self.slower[at + 1])
        return low + (place - at) * (high - low)

    def slower_at(self, interval_ms: Intervals) -> Intervals:
        """(m,) shares of frames slower than each of (m,) intervals, as `slower_than` has them."""
        among = interval_ms >= self.slowest_ms[0]
        kept = self.slowest_ms.size - np.searchsorted(self.slowest_ms, interval_ms * (1 + 1e-7))
        place = np.log(np.maximum(interval_ms, FIRST_MS) / FIRST_MS) / _STEP
        return np.where(among, kept / self.frames, np.interp(place, np.arange(POINTS), self.slower))

    def missed(self, target_fps: float) -> float:
        """Share of intervals over 1.5 x the target interval."""
        return self.slower_than(MISSED_RATIO * 1000.0 / target_fps)

    def steady(self, target_fps: float) -> float:
        """Share of intervals within 10 % (at least 1 ms) of the target interval."""
        target = 1000.0 / target_fps
        near = max(STEADY_SHARE * target, STEADY_LEAST_MS)
        return max(self.slower_than(target - near - 1e-6) - self.slower_than(target + near), 0.0)

    def slow(self, floor_fps: float) -> float:
        """Share of frames slower than a floor's interval."""
        return self.slower_than(1000.0 / floor_fps)

    def as_dict(self) -> dict[str, object]:
        """Plain values, arrays as they are."""
        return {"frames": self.frames, "slower": self.slower, "slowest_ms": self.slowest_ms}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Tail:
        """The inverse of `as_dict`."""
        return cls(body["frames"], body["slower"], body["slowest_ms"])
