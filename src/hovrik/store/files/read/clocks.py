"""Dates and times of day as logs write them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

TIME_WORDS = re.compile(r"time|date|clock|stamp|second|\bt\b", re.IGNORECASE)
_CLOCK = re.compile(
    r"(?:(?P<y>\d{4})-(?P<mo>\d\d)-(?P<d>\d\d)[T ]|(?P<d2>\d\d)\.(?P<mo2>\d\d)\.(?P<y2>\d{4}) |[\d/]{6,10} )?"
    r"(?P<h>\d{1,2}):(?P<m>\d\d):(?P<s>\d\d(?:[.,]\d+)?)(?:Z|[+-]\d\d:?\d\d)?"
)
_EPOCH_S = 1e8  # a number of seconds over this is a date, not a time since the start


def clock_seconds(text: str) -> float | None:
    """Seconds of a date with time of day (since 1970, no time zone) or of a time of day alone; None for other text.

    Dates are read as year-month-day or day.month.year; others, as with slashes, are left aside: their order is
    anybody's guess.
    """
    found = _CLOCK.fullmatch(text.strip())
    if found is None:
        return None
    seconds = 3600.0 * int(found["h"]) + 60.0 * int(found["m"]) + float(found["s"].replace(",", "."))
    year, month, day = (found[a] or found[b] for a, b in (("y", "y2"), ("mo", "mo2"), ("d", "d2")))
    if year is None:
        return seconds if int(found["h"]) < 24 else None
    try:
        date = datetime(int(year), int(month), int(day))
    except ValueError:
        return None
    return (date - datetime(1970, 1, 1)).total_seconds() + seconds


def is_date(seconds: float) -> bool:
    """Whether a number of seconds counts from 1970 rather than from some start."""
    return _EPOCH_S < seconds < 40 * _EPOCH_S


def origin_of(
    names: Sequence[str], values: NDArray[np.float64], text: Mapping[tuple[int, int], str], row: int
) -> float | None:
    """A date or time of day that a row holds beside its other columns, s; None where it has none.

    names, values (rows, columns), text : of a table.
    """
    for column, name in enumerate(names):
        if not TIME_WORDS.search(name):
            continue
        seconds = clock_seconds(text.get((row, column), ""))
        if seconds is not None:
            return seconds
        value = float(values[row, column])
        for unit in (1.0, 1e-3, 1e-6, 1e-9):
            if is_date(value * unit):
                return value * unit
    return None
