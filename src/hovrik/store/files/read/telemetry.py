"""From a table without frames to telemetry on its recorder's own clock: which column is time, which are channels.

Times may be numbers, dates with a time of day, or missing: then rows are taken to be evenly spaced.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from ....core.errors import ImportRefused, Problem
from ....core.passes.trace import Channel
from .clocks import TIME_WORDS, clock_seconds, is_date
from .columns import (
    channels_of,
    check_channels,
    check_columns,
    guess_channels,
    leave_out_absurd,
    leave_out_late,
    report_missing,
)
from .table import Table

_DAY_S = 86_400.0


class TimeUnit(StrEnum):
    """What a time column holds. CLOCK : dates or times of day in words; ROWS : no column, rows evenly spaced."""

    S = "s"
    MS = "ms"
    US = "us"
    NS = "ns"
    CLOCK = "clock"
    ROWS = "rows"

    @property
    def to_s(self) -> float:
        """Factor to s, for numbers."""
        return {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}.get(self.value, 1.0)


@dataclass(frozen=True)
class TelemetryMap:
    """Which column is what. time_column : None for TimeUnit.ROWS; step_s : between rows then, s; channels : channel
    name to (column index, unit)."""

    time_column: int | None
    time_unit: TimeUnit
    step_s: float = 1.0
    channels: Mapping[str, tuple[int, str]] = field(default_factory=dict)


@dataclass(frozen=True)
class Telemetry:
    """What would be kept.

    channels : on the recorder's own clock, from its first row; origin_s : that clock at the first row, None where it
    wrote none; is_dated : it is a date or a time of day, not a time since some start; length_s; kept_lines (n,) : file
    lines of the rows; problems : by line; name : of the file.
    """

    channels: Mapping[str, Channel]
    origin_s: float | None
    is_dated: bool
    length_s: float
    kept_lines: NDArray[np.int32]
    problems: tuple[Problem, ...]
    name: str = ""

    @property
    def has_clock(self) -> bool:
        """Whether its times were written by a clock rather than counted by rows."""
        return self.origin_s is not None


def _times(table: Table, mapping: TelemetryMap) -> NDArray[np.float64]:
    """(rows,) seconds, NaN where a row has none."""
    if mapping.time_column is None:
        return np.arange(table.lines.size, dtype=np.float64) * mapping.step_s
    column = mapping.time_column
    if mapping.time_unit is not TimeUnit.CLOCK:
        return table.values[:, column] * mapping.time_unit.to_s
    found = np.full(table.lines.size, np.nan)
    for row in range(table.lines.size):
        seconds = clock_seconds(table.text.get((row, column), ""))
        if seconds is not None:
            found[row] = seconds
    late = np.flatnonzero(np.diff(found) < -0.5 * _DAY_S)  # a time of day passes midnight
    for row in late.tolist():
        found[row + 1 :] += _DAY_S
    return found


def guess(table: Table) -> TelemetryMap:
    """A first mapping from values and generic words. Raises ImportRefused where no column looks like telemetry."""
    time_column, unit = _guess_time(table)
    channels = guess_channels(table, time_column)
    if not channels:
        raise ImportRefused(
            "No column looks like telemetry (power, temperature, clocks, utilisation). Name the columns.",
            table.problems[:5],
        )
    return TelemetryMap(time_column, unit, 1.0, channels)


def _guess_time(table: Table) -> tuple[int | None, TimeUnit]:
    best: tuple[float, int, TimeUnit] | None = None
    for column, name in enumerate(table.layout.columns):
        words = 1.0 if TIME_WORDS.search(name) else 0.0
        if clock_seconds(table.text.get((0, column), "")) is not None:
            found: tuple[float, int, TimeUnit] | None = (2.0 + words, -column, TimeUnit.CLOCK)
        else:
            unit = _number_unit(table.values[:, column], name)
            found = (words, -column, unit) if unit is not None and words else None
        if found is not None and (best is None or found[:2] > best[:2]):
            best = found
    return (-best[1], best[2]) if best is not None else (None, TimeUnit.ROWS)


def _number_unit(values: NDArray[np.float64], name: str) -> TimeUnit | None:
    values = values[np.isfinite(values)]
    if values.size < 3 or float((np.diff(values) > 0).mean()) < 0.9:
        return None
    word = re.search(r"(?<![a-zµ])(ms|us|µs|ns|s|sec)(?![a-z])", name.lower())
    if word:
        return TimeUnit({"µs": "us", "sec": "s"}.get(word.group(1), word.group(1)))
    step = float(np.median(np.diff(values)))
    return TimeUnit.S if step < 50 else TimeUnit.MS if step < 5e4 else TimeUnit.US if step < 5e7 else TimeUnit.NS


def convert(table: Table, mapping: TelemetryMap, name: str = "") -> Telemetry:
    """Apply a mapping. A row without a time, or whose time does not advance, is left out and named.

    name : of the file, for messages. Raises ImportRefused where fewer than two rows or no channel remain.
    """
    check_columns(table, [*([mapping.time_column] if mapping.time_column is not None else []),
                          *(column for column, _ in mapping.channels.values())])  # fmt: skip
    check_channels(mapping.channels)
    if not 0.001 <= mapping.step_s <= 3600:
        raise ImportRefused(f"One row each {mapping.step_s:g} s cannot be. Give 0.001 to 3600 s.")
    problems = list(table.problems)
    seconds = _times(table, mapping)
    kept = np.isfinite(seconds)
    if mapping.time_column is not None:
        report_missing(table, mapping.time_column, ~kept, problems, clock=mapping.time_unit is TimeUnit.CLOCK)
    leave_out_absurd(table, seconds, kept, problems)
    leave_out_late(table, seconds, kept, problems, "s")
    if int(kept.sum()) < 2:
        raise ImportRefused("Fewer than two rows of telemetry remain; nothing was read.", tuple(problems))
    origin = float(seconds[kept][0])
    row_ns = np.round((seconds[kept] - origin) * 1e9).astype(np.int64)
    channels = channels_of(table, mapping.channels, kept, row_ns)
    if not channels:
        raise ImportRefused("No telemetry channel holds a number; nothing was read.", tuple(problems))
    problems.sort(key=lambda p: (p.line or 0, p.kind))
    return Telemetry(
        channels, origin if mapping.time_column is not None else None,
        mapping.time_unit is TimeUnit.CLOCK or is_date(origin), float(row_ns[-1]) / 1e9, table.lines[kept],
        tuple(problems), name,
    )  # fmt: skip
