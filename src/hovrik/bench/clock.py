"""Clocks: what a machine's time is. Each machine has one, and it can be exchanged."""

from __future__ import annotations

import threading
import time
from typing import Protocol

_NS = 1_000_000_000


class Clock(Protocol):
    """Time and waiting."""

    def now_ns(self) -> int:
        """Time, ns; never goes back."""

    def wait(self, seconds: float) -> None:
        """Let `seconds` pass, less if `stop` is called."""

    def stop(self) -> None:
        """End the wait under way, or the next one where none is. From any thread, at any time, more than once."""


class RealClock:
    """The clock on the wall. speed : its seconds a real second, 1 but in tests; ended : once set no wait lasts."""

    def __init__(self, speed: float = 1.0, ended: threading.Event | None = None) -> None:
        self.speed = speed
        self._origin_ns = time.monotonic_ns()
        self._cut = threading.Event()
        self._ended = ended or threading.Event()

    def now_ns(self) -> int:
        """Time, ns."""
        return self._origin_ns + round((time.monotonic_ns() - self._origin_ns) * self.speed)

    def wait(self, seconds: float) -> None:
        """Let `seconds` pass, less if `stop` is called."""
        if not self._ended.is_set():
            self._cut.wait(max(seconds, 0.0) / self.speed)
        self._cut.clear()

    def stop(self) -> None:
        """End the wait under way, or the next one where none is."""
        self._cut.set()

    def forget_stop(self) -> None:
        """What was to end the next wait does not: something else has ended meanwhile."""
        self._cut.clear()


class SteppedClock:
    """A clock on which waiting takes no time, for machines that are computed and for tests."""

    def __init__(self, now_ns: int = 1_000 * _NS) -> None:
        self._now_ns = now_ns
        self._stopped = False

    def now_ns(self) -> int:
        """Time, ns."""
        return self._now_ns

    def wait(self, seconds: float) -> None:
        """Step on by `seconds`; by nothing where it was stopped before."""
        if not self._stopped:
            self._now_ns += round(seconds * _NS)
        self._stopped = False

    def stop(self) -> None:
        """End the next wait."""
        self._stopped = True
