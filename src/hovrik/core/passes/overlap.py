"""Whether a log of frames is a part of another one: cut short, with rows missing, or with a hole in it.

What two logs share are stretches of intervals that are the same to the microsecond. Each stretch becomes a number (a
polynomial of its intervals, modulo 2 to the 64th), and a share of the numbers, chosen by themselves, stands for the
log: so the same stretches are chosen wherever a log begins. A log whose stretches repeat, as one paced to whole
milliseconds may, is told by longer ones, and where these repeat too, by nothing.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LENGTHS = (32, 256)  # intervals of a stretch
EACH = 8  # one stretch of so many stands for the log
UNLIKE = 0.9  # share of stretches that must differ from each other for a log to be told by them
SHARED = 0.5  # share of a log's stretches in another from which it is a part of that
_BASE, _MIX = 6364136223846793005, 0xFF51AFD7ED558CCD  # odd, of many bits
LEAST = 4  # stretches that it is told by
Prints = NDArray[np.int64]


def prints_of(frames_ns: NDArray[np.int64]) -> Prints:
    """What tells a log, sorted; empty where nothing does. frames_ns : (n,) present stamps."""
    interval_us = np.round(np.diff(frames_ns) / 1e3).astype(np.uint64)
    for length in LENGTHS:
        if interval_us.size < length + LEAST * EACH:
            return np.empty(0, np.int64)
        found = np.unique(_stretches(interval_us, length))
        if found.size >= UNLIKE * (interval_us.size - length + 1):
            chosen = found[found % np.uint64(EACH) == 0]
            return np.sort(chosen.view(np.int64))
    return np.empty(0, np.int64)


def _stretches(interval_us: NDArray[np.uint64], length: int) -> NDArray[np.uint64]:
    """A number for every stretch of so many intervals, well mixed."""
    count = interval_us.size - length + 1
    found, power = np.zeros(count, np.uint64), 1
    for at in range(length):
        found += (interval_us[at : at + count] + np.uint64(1)) * np.uint64(power)
        power = power * _BASE % 2**64
    found ^= found >> np.uint64(33)
    found *= np.uint64(_MIX)
    return found ^ (found >> np.uint64(33))


def shared(one: Prints, other: Prints) -> float:
    """Share of what tells one log that tells the other too; 0 where either is told by too little."""
    if one.size < LEAST or other.size < LEAST:
        return 0.0
    return float(np.isin(one, other, assume_unique=True).mean())
