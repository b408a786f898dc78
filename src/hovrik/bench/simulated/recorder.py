"""Telemetry and frame log of the stand-in on their way to the reader; the logger's own faults act here."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from ...core.passes.trace import Channel
from ..protocol import Sample

Stamps = NDArray[np.int64]
Values = NDArray[np.float64]


class Recorder:
    """Holds what was recorded until machine time has reached it. Each stamp is handed out once, in order."""

    def __init__(self) -> None:
        self._frames: list[Stamps] = []
        self._telemetry: dict[str, list[tuple[Stamps, Values]]] = defaultdict(list)

    def frames(self, stamps_ns: Stamps) -> None:
        """Add present time stamps."""
        self._frames.append(stamps_ns)

    def put(self, name: str, stamps_ns: Stamps, values: Values) -> None:
        """Add samples of a channel."""
        self._telemetry[name].append((stamps_ns, values))

    def forget_after(self, now_ns: int) -> None:
        """Drop what a scene that has just ended would have recorded later."""
        self._frames = [part[part <= now_ns] for part in self._frames]
        for name, parts in self._telemetry.items():
            self._telemetry[name] = [(at[at <= now_ns], values[at <= now_ns]) for at, values in parts]

    def take(self, now_ns: int) -> Sample:
        """Everything up to `now_ns` that was not handed out yet."""
        stamps = np.concatenate(self._frames) if self._frames else np.empty(0, np.int64)
        ready = int(np.searchsorted(stamps, now_ns, side="right"))
        self._frames = [stamps[ready:]] if ready < stamps.size else []
        channels = {}
        for name, parts in self._telemetry.items():
            if not parts:
                continue
            at = np.concatenate([p[0] for p in parts])
            values = np.concatenate([p[1] for p in parts])
            upto = int(np.searchsorted(at, now_ns, side="right"))
            if upto:
                channels[name] = Channel(at[:upto], values[:upto])
            self._telemetry[name] = [(at[upto:], values[upto:])] if upto < at.size else []
        return Sample(stamps[:ready], channels)


def without_dropout(stamps_ns: Stamps, from_ns: int, to_ns: int) -> Stamps:
    """Stamps without those that a logger lost in a span."""
    return stamps_ns[(stamps_ns < from_ns) | (stamps_ns >= to_ns)]
