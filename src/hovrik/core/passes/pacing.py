"""How intervals look on a panel: snapped to refresh ticks, clamped to a variable range, or torn."""

from __future__ import annotations

import math
from enum import StrEnum

import numpy as np

from ..errors import InputError
from .frames import Intervals


class Sync(StrEnum):
    """How frames meet the panel."""

    OFF = "off"
    ON = "on"
    VARIABLE = "variable"


def shown_ms(interval_ms: Intervals, sync: Sync, refresh_hz: float, lowest_hz: float | None = None) -> Intervals:
    """(m,) how long each new frame stays on the panel, ms, m <= n. Their sum is the time that passed, to a tick.

    OFF: as rendered (a frame tears in at once). ON: each frame waits for the next tick of `refresh_hz`, so that
    40 fps on 60 Hz alternates 16.7 and 33.3 ms. VARIABLE: a frame is shown as soon as it is ready, not sooner than a
    tick after the panel's last scan; with nothing new for 1 / `lowest_hz` the panel scans the old frame again, so that
    a frame ready just then waits a tick. Of several frames ready at once only the newest is ever seen.
    """
    if refresh_hz <= 0:
        raise InputError(f"Refresh {refresh_hz:g} Hz is not possible. Give the panel's refresh, for example 60.")
    if sync is Sync.OFF:
        return interval_ms.copy()
    tick_ms, ready = 1000.0 / refresh_hz, np.cumsum(interval_ms)
    if sync is Sync.ON:
        return np.diff(np.unique(np.ceil(ready / tick_ms - 1e-6)), prepend=0.0) * tick_ms
    longest_ms = max(1000.0 / lowest_hz, tick_ms) if lowest_hz else float(ready[-1]) + tick_ms
    seen, waiting = [], -1.0  # when new frames come up; when one that is ready is to come up
    scan = 0.0
    for at in ready.tolist():
        if 0.0 <= waiting < at:
            seen.append(waiting)
            scan, waiting = waiting, -1.0
        again = scan + math.floor((at - scan) / longest_ms + 1e-9) * longest_ms if at > scan else scan
        waiting = max(at, again + tick_ms) if waiting < 0.0 else waiting
    seen.append(waiting)
    return np.diff(np.array(seen), prepend=0.0)


def judder_ms(shown: Intervals) -> float:
    """Standard deviation of shown intervals, ms: 0 for a perfect cadence."""
    return float(np.std(shown))
