"""What a machine or a log gave from one start to one end. A pass is a marked span of it; so is a state of a flip, a
scene of an evening. Spans are views: no series is copied."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..facts.setup import Setup
from .trace import Trace

EVERYTHING = (-(2**63) + 1, 2**63 - 2)  # a pass that is all of its recording


@dataclass(frozen=True)
class Span:
    """A named stretch. kind : state, scene, section or another word; name : of the state, scene or section."""

    kind: str
    name: str
    start_ns: int
    end_ns: int


@dataclass(frozen=True)
class Recording:
    """One recording. series : all of it, its marks being start and end; readback : what the machine read, and when;
    launch, boot : ids of the launch and the boot it belongs to, "" unknown."""

    id: str
    series: Trace
    readback: tuple[tuple[int, Setup], ...] = ()
    launch: str = ""
    boot: str = ""

    def cut(self, start_ns: int, end_ns: int, within: tuple[int, int] | None = None) -> Trace:
        """The part with these marks as a view. within : first and last ns of what belongs to it, the marks where None;
        telemetry before the start mark is the soak."""
        if within == EVERYTHING:
            return Trace(self.series.frames_ns, self.series.channels, start_ns, end_ns)
        low, high = within or (start_ns, end_ns)
        first, last = np.searchsorted(self.series.frames_ns, (low, high + 1))
        parts = {name: channel.between(low, high) for name, channel in self.series.channels.items()}
        found = {name: channel for name, channel in parts.items() if channel.values.size}
        return Trace(self.series.frames_ns[first:last], found, start_ns, end_ns)
