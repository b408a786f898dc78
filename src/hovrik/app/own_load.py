"""What this program itself takes from the machine it measures."""

from __future__ import annotations

import time
from collections.abc import Callable

SPAN_S = 2.0


class OwnLoad:
    """Share of one core that this process uses, over spans of at least 2 s. cpu_s, clock_s : process and real time."""

    def __init__(
        self, cpu_s: Callable[[], float] = time.process_time, clock_s: Callable[[], float] = time.monotonic
    ) -> None:
        self._cpu_s, self._clock_s = cpu_s, clock_s
        self._from = (cpu_s(), clock_s())

    def look(self) -> float | None:
        """Share of a core since the last value given (1.0: one core); None while the span is too short."""
        cpu, now = self._cpu_s(), self._clock_s()
        took = now - self._from[1]
        if took < SPAN_S:
            return None
        share = (cpu - self._from[0]) / took
        self._from = (cpu, now)
        return share
