"""Series as they were recorded: present time stamps and telemetry, each channel with its own stamps.

Nothing here is resampled; every statistic is derived from these and can be computed again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Stamps = NDArray[np.int64]
Values = NDArray[np.float64]

FRAMES = "frames"

# channel name -> (words, unit). The unit is part of the name so that it cannot be mistaken.
CHANNELS: dict[str, tuple[str, str]] = {
    "package_w": ("Package power", "W"),
    "battery_w": ("Battery draw", "W"),
    "wall_w": ("Wall power", "W"),
    "input_w": ("DC input power", "W"),
    "cpu_share": ("CPU utilisation", "%"),
    "gpu_share": ("GPU utilisation", "%"),
    "cpu_mhz": ("CPU clock", "MHz"),
    "gpu_mhz": ("GPU clock", "MHz"),
    "memory_mhz": ("Memory clock", "MHz"),
    "memory_mb": ("Memory used", "MB"),
    "die_c": ("Die temperature", "C"),
    "shell_c": ("Shell temperature", "C"),
    "room_c": ("Room temperature", "C"),
    "fan_rpm": ("Fan", "rpm"),
    "charge_share": ("Charge", "%"),
    "voltage_v": ("Battery voltage", "V"),
    "cpu_w": ("CPU power", "W"),
    "gpu_w": ("GPU power", "W"),
    "current_a": ("Battery current", "A"),
    "other_share": ("CPU taken by others", "%"),
}


def channel_words(name: str) -> str:
    """A channel within a sentence; the name itself where it is none."""
    return CHANNELS[name][0].lower() if name in CHANNELS else name


@dataclass(frozen=True)
class Channel:
    """Telemetry of one quantity. stamps_ns : (n,) int64, not decreasing; values : (n,) float64, may hold NaN."""

    stamps_ns: Stamps
    values: Values

    def between(self, start_ns: int, end_ns: int) -> Channel:
        """The part from start to end, both included."""
        low, high = np.searchsorted(self.stamps_ns, (start_ns, end_ns + 1))
        return Channel(self.stamps_ns[low:high], self.values[low:high])

    def mean(self) -> float | None:
        """Time-weighted mean by trapezoid; plain mean for one sample; None for none."""
        known = np.isfinite(self.values)
        stamps, values = self.stamps_ns[known], self.values[known]
        if len(values) == 0:
            return None
        span = float(stamps[-1] - stamps[0])
        if span <= 0:
            return float(values.mean())
        return float(np.trapezoid(values, stamps.astype(np.float64)) / span)


@dataclass(frozen=True)
class Trace:
    """Everything recorded in one pass.

    frames_ns : (n,) int64 present time stamps; channels : name to Channel;
    start_ns, end_ns : the marks between which figures are taken (telemetry before the start mark is the soak).
    """

    frames_ns: Stamps
    channels: Mapping[str, Channel] = field(default_factory=dict)
    start_ns: int = 0
    end_ns: int = 0

    @property
    def seconds(self) -> float:
        """Length between the marks, s."""
        return (self.end_ns - self.start_ns) / 1e9

    def interval_ms(self) -> Values:
        """(n - 1,) intervals between the marks, ms."""
        low, high = np.searchsorted(self.frames_ns, (self.start_ns, self.end_ns + 1))
        return np.diff(self.frames_ns[low:high]) / 1e6

    def measured(self, name: str) -> Channel | None:
        """A channel between the marks, or None where it was not recorded there."""
        channel = self.channels.get(name)
        if channel is None:
            return None
        part = channel.between(self.start_ns, self.end_ns)
        return part if len(part.values) else None
