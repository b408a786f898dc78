"""How intervals look on a panel: snapped to refresh ticks, clamped to a variable range, or torn."""

from __future__ import annotations

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
    """(n,) intervals as shown on the panel, ms.

    OFF: as rendered (a frame tears in at once). ON: each frame waits for the next tick of `refresh_hz`, so that
    40 fps on 60 Hz alternates 16.7 and 33.3 ms. VARIABLE: not faster than `refresh_hz`; slower than `lowest_hz`
    the panel repeats a frame, which leaves the interval as rendered.
    """
    if refresh_hz <= 0:
        raise InputError(f"Refresh {refresh_hz:g} Hz is not possible. Give the panel's refresh, for example 60.")
    if sync is Sync.OFF:
        return interval_ms.copy()
    tick_ms = 1000.0 / refresh_hz
    if sync is Sync.VARIABLE:
        return np.maximum(interval_ms, tick_ms)
    ready = np.cumsum(interval_ms)
    ticks = np.ceil(ready / tick_ms - 1e-6)
    ticks = np.maximum.accumulate(ticks - np.arange(ticks.size)) + np.arange(ticks.size)  # one frame a tick at most
    return np.diff(ticks, prepend=0.0) * tick_ms


def judder_ms(shown: Intervals) -> float:
    """Standard deviation of shown intervals, ms: 0 for a perfect cadence."""
    return float(np.std(shown))


def is_even(cap_fps: float, refresh_hz: float) -> bool:
    """Whether a fixed panel can show a cap evenly: refresh / cap is whole."""
    ratio = refresh_hz / cap_fps
    return ratio >= 1 - 1e-9 and abs(ratio - round(ratio)) < 1e-6
