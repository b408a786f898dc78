"""From a table to a pass: which column is the frame time, which are telemetry, in which units.

The first guess comes from the values and from generic words only. Everything left out is reported by line.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from ....core.errors import ImportRefused, Problem, Problems
from ....core.passes.cut import LogMark
from ....core.passes.trace import Trace
from . import clocks
from .columns import (
    channels_of,
    check_channels,
    check_columns,
    guess_channel,
    guess_channels,
    is_other_quantity,
    leave_out_absurd,
    leave_out_late,
    report,
    report_missing,
)
from .table import Table, is_missing_word

GAP_MS = 1000.0
GAP_MEDIAN = 20.0
_NOT_POSITIVE = "interval {:g} is not positive: row left out"


class FrameUnit(StrEnum):
    """What a frame column holds: intervals, or present time stamps to be differenced."""

    MS = "ms"
    S = "s"
    US = "us"
    NS = "ns"
    STAMPS_S = "timestamps-s"
    STAMPS_MS = "timestamps-ms"

    @property
    def is_stamps(self) -> bool:
        """Whether values are points in time."""
        return self.value.startswith("timestamps")

    @property
    def to_ms(self) -> float:
        """Factor to ms."""
        return {"ms": 1.0, "s": 1e3, "us": 1e-3, "ns": 1e-6, "timestamps-s": 1e3, "timestamps-ms": 1.0}[self.value]


# median interval that makes a unit likely
_USUAL = (
    (FrameUnit.S, 5e-4, 0.45),
    (FrameUnit.MS, 0.5, 450.0),
    (FrameUnit.US, 500.0, 4.5e5),
    (FrameUnit.NS, 5e5, 4.5e8),
)

_RATE_WORDS = re.compile(r"\bfps\b|frames? ?(per|/|a) ?s|frame ?rate|\bhz\b", re.IGNORECASE)
MOST_UNNAMED_MS = 28.0  # over it a number without a heading is as likely a rate
PLAUSIBLE_MS = (0.5, 2000.0)  # of the middle interval
_MARK_WORDS = re.compile(r"\b(marks?|markers?|scenes?|sections?|segments?|events?)\b", re.IGNORECASE)


@dataclass(frozen=True)
class ColumnMap:
    """Which column is what. frames : column index and unit; channels : channel name to (column index, unit);
    mark_column : of marks set while recording, None for none."""

    frame_column: int
    frame_unit: FrameUnit
    channels: Mapping[str, tuple[int, str]] = field(default_factory=dict)
    mark_column: int | None = None


@dataclass(frozen=True)
class Imported:
    """What would be kept. kept_lines (n,) : file lines of the kept rows; problems : of table and of values, by line;
    origin_s : the log's own clock at the first frame, None where it wrote none; is_dated : it is a date or a time of
    day, not a time since some start; marks : set while recording."""

    trace: Trace
    kept_lines: NDArray[np.int32]
    problems: tuple[Problem, ...]
    origin_s: float | None = None
    is_dated: bool = False
    marks: tuple[LogMark, ...] = ()


def guess(table: Table) -> ColumnMap:
    """A first mapping from values and generic words. Raises ImportRefused where no column can be frame times."""
    scored, rates, unnamed = [], [], []
    for column, name in enumerate(table.layout.columns):
        found = guess_unit(table, column)
        if _RATE_WORDS.search(name.replace("_", " ")) and "time" not in name.lower():
            rates += [name] if found is not None else []
            continue  # 60 of it are no 60 ms
        is_telemetry = (guess_channel(name) is not None and "frame" not in name.lower()) or is_other_quantity(name)
        if found is not None and not is_telemetry:
            unit, score = found
            words = _frame_word_score(name)
            if words < 0:
                continue  # times of something else
            if unit is FrameUnit.MS and not words and _middle(table, column) > MOST_UNNAMED_MS:
                unnamed.append(name)  # 60 of what, ms or frames a second?
                continue
            scored.append((score + words, -column, column, unit))
    scored = _without_constants(table, scored)
    if not scored and unnamed:
        raise ImportRefused(
            f"The column {unnamed[0]!r} may hold frame times in ms or frames a second; its heading does not say. Name "
            f"the column and its unit if they are times; a mean rate goes under Summary figures, or --summary.",
            table.problems[:5],
        )
    if not scored and rates:
        raise ImportRefused(
            f"The column {rates[0]!r} holds rates, not frame times: a mean rate goes under Summary figures, or "
            f"--summary. If it does hold times, name it and its unit.",
            table.problems[:5],
        )
    if not scored:
        raise ImportRefused(
            "No column looks like frame times (intervals of 0.5 to 500 ms, or advancing time stamps). "
            "Name the column and its unit.",
            table.problems[:5],
        )
    _refuse_unnamed(table, scored)
    _, _, column, unit = max(scored)
    return ColumnMap(column, unit, guess_channels(table, column), guess_mark_column(table, column))


_Scored = tuple[float, int, int, FrameUnit]


def _is_unnamed(table: Table) -> bool:
    return table.layout.header_line is None


def _without_constants(table: Table, scored: list[_Scored]) -> list[_Scored]:
    """Without headings a column that never changes is no frame time where another one may be."""
    if not _is_unnamed(table) or len(scored) < 2:
        return scored
    moving = [one for one in scored if float(np.nanmax(table.values[:, one[2]]) - np.nanmin(table.values[:, one[2]]))]
    return moving or scored


def _refuse_unnamed(table: Table, scored: list[_Scored]) -> None:
    """Raises ImportRefused where nothing tells which of several columns without headings the frame times are."""
    if _is_unnamed(table) and len(scored) > 1:
        columns = " or ".join(str(column + 1) for _, _, column, _ in sorted(scored, key=lambda one: one[2]))
        raise ImportRefused(
            f"Without headings column {columns} may hold the frame times. Name the column and its unit.",
            table.problems[:5],
        )


_CLOCK_WORDS = re.compile(r"time|clock|stamp|elapsed|since", re.IGNORECASE)
MOST_OFF = 0.05  # of an interval, by which the stamps beside it may step otherwise


def _refuse_other_stamps(
    table: Table, mapping: ColumnMap, kept: NDArray[np.bool_], unit_ms: NDArray[np.float64]
) -> None:
    """Raises ImportRefused where intervals and the stamps beside them are not of the same frames: one of the two, or
    its unit, is not what it is taken for."""
    if mapping.frame_unit.is_stamps or unit_ms.size < 20:
        return
    for column, name in enumerate(table.layout.columns):
        if column == mapping.frame_column or not _CLOCK_WORDS.search(name) or _frame_word_score(name) >= 2.0:
            continue
        steps = np.diff(table.values[kept, column])
        if not np.isfinite(steps).all() or not steps.size or float((steps > 0).mean()) < 0.9:
            continue  # no clock that goes on from frame to frame
        middle = float(np.median(steps)) / float(np.median(unit_ms[1:]))
        if not any(abs(middle * to_ms - 1.0) < MOST_OFF for to_ms in _CLOCK_UNITS):
            raise ImportRefused(
                f"The intervals of {table.layout.columns[mapping.frame_column]!r} and the times of {name!r} are not "
                "of the same frames. Name the column that holds the frame times, and its unit.",
                table.problems[:5],
            )


_CLOCK_UNITS = (1e3, 1.0, 1e-3, 1e-6, 86_400e3)  # s, ms, us, ns, days, to ms


def guess_mark_column(table: Table, without: int) -> int | None:
    """A column whose heading speaks of marks and which holds some, or None."""
    for index, name in enumerate(table.layout.columns):
        if index != without and _MARK_WORDS.search(name.replace("_", " ")) and marks_in(table, index):
            return index
    return None


def marks_in(table: Table, column: int) -> list[tuple[int, str]]:
    """(row, words) wherever a mark column begins to say something else; words "" where it falls silent.

    A number other than 0, or any text, is a mark; an empty field or 0 is silence.
    """
    numbers = table.values[:, column]
    found: list[tuple[int, str]] = []
    silent = ~(np.isfinite(numbers) & (numbers != 0))
    odd = {row: text for (row, at), text in table.text.items() if at == column and not is_missing_word(text)}
    changes = np.flatnonzero(np.diff(np.where(silent, 0.0, numbers)) != 0) + 1
    before = ""
    for row in sorted({0, *changes.tolist(), *odd, *(row + 1 for row in odd if row + 1 < numbers.size)}):
        words = odd.get(row) or ("" if silent[row] else f"{numbers[row]:g}")
        if words != before:
            found.append((row, words))
        before = words
    return found


def _frame_word_score(name: str) -> float:
    words = name.lower()
    score = 0.0
    if re.search(r"frame", words):
        score += 2.0
    if re.search(r"frame.?time|interval|delta|between", words):
        score += 1.5
    if re.search(r"present|\bms\b|time", words):
        score += 0.5
    if re.search(
        r"latency|\blag|gpu|cpu|wait|busy|display|temp|power|clock|fps|rate|number|index|count|load|util|charge", words
    ):
        score -= 2.0
    return score


def _middle(table: Table, column: int) -> float:
    return float(np.nanmedian(table.values[:, column]))


def guess_unit(table: Table, column: int) -> tuple[FrameUnit, float] | None:
    """Likeliest unit of a column as frame times with a score for its values, or None where it cannot be any."""
    values = table.values[:, column]
    values = values[np.isfinite(values)]
    if values.size == 0:
        return None
    steps = np.diff(values)
    advancing = values.size > 2 and float((steps > 0).mean()) > 0.9 and values[-1] > values[0] + 20 * np.median(steps)
    name = table.layout.columns[column].lower()
    if advancing:
        step = float(np.median(steps[steps > 0]))
        if step == 1.0 and np.all(values == np.round(values)):
            return None  # a running number
        if step >= 0.45 and re.search(r"[\[(_ ]s(ec|econds)?[\])]?$", name):
            return None  # a sample a second or so: no frames
        unit = FrameUnit.STAMPS_S if step < 0.45 else FrameUnit.STAMPS_MS
        return (unit, 0.6) if 0.0005 <= step <= 500 else None
    if values.size > 20 and float((steps > 0).mean()) > 0.9:
        return None  # a clock that starts anew now and then: no intervals
    middle = float(np.median(values))
    word = re.search(r"[\[(_ ](ms|us|µs|ns|s)[\])]?$", name)
    if word:
        unit = FrameUnit(word.group(1).replace("µ", "u"))
        return (unit, 1.5) if PLAUSIBLE_MS[0] <= middle * unit.to_ms <= PLAUSIBLE_MS[1] else None
    for unit, low, high in _USUAL:
        if low <= middle < high:
            return unit, 1.0
    return None


def convert(table: Table, mapping: ColumnMap) -> Imported:
    """Apply a mapping: the trace that would be kept and every row left out or odd, by line.

    A row is left out where its frame value is missing, no number, not positive (intervals) or does not advance
    (time stamps). A gap is kept and named; the checks of the pass judge it. Raises ImportRefused where fewer than
    two frames remain.
    """
    marked = [mapping.mark_column] if mapping.mark_column is not None else []
    check_columns(table, [mapping.frame_column, *marked, *(column for column, _ in mapping.channels.values())])
    check_channels(mapping.channels)
    values = table.values[:, mapping.frame_column]
    problems = Problems(table.problems)
    _refuse_second_table(table, mapping.frame_column)
    kept = np.isfinite(values)
    report_missing(table, mapping.frame_column, ~kept, problems)
    leave_out_absurd(table, values * (mapping.frame_unit.to_ms / 1e3), kept, problems)
    if mapping.frame_unit.is_stamps:
        leave_out_late(table, values, kept, problems)
    else:
        positive = kept & (values > 0)
        report(table, kept & ~positive, values, "not positive", _NOT_POSITIVE, problems)
        kept &= positive
    unit_ms = values[kept] * mapping.frame_unit.to_ms
    if unit_ms.size < 2:
        raise ImportRefused("Fewer than two frames remain; nothing was imported.", problems.told())
    _refuse_other_stamps(table, mapping, kept, unit_ms)
    frames_ns = _to_stamps(unit_ms, mapping.frame_unit.is_stamps)
    lines = table.lines[kept]
    _report_gaps(frames_ns, lines, mapping.frame_unit.is_stamps, problems)
    row_ns = frames_ns if mapping.frame_unit.is_stamps else frames_ns[1:]
    channels = channels_of(table, mapping.channels, kept, row_ns)
    told = sorted(problems.told(), key=lambda p: (p.line or 0, p.kind))
    trace = Trace(frames_ns, channels, int(frames_ns[0]), int(frames_ns[-1]))
    origin_s = _origin_s(table, mapping, kept, unit_ms)
    dated = origin_s is not None and (not mapping.frame_unit.is_stamps or clocks.is_date(origin_s))
    return Imported(trace, lines, tuple(told), origin_s, dated, _marks(table, mapping, kept, row_ns))


def _refuse_second_table(table: Table, column: int) -> None:
    """Raises ImportRefused where another heading stands among the values and more values below it."""
    for (row, at), text in table.text.items():
        below = table.values[row + 1 :, column]
        is_heading = _RATE_WORDS.search(text) or guess_channel(text) is not None or is_other_quantity(text)
        if at == column and is_heading and np.isfinite(below).any():
            raise ImportRefused(
                f"Line {table.lines[row]} begins another table ({text[:40]!r}); nothing was imported. Save each table "
                "as a file of its own."
            )


def _origin_s(table: Table, mapping: ColumnMap, kept: NDArray[np.bool_], unit_ms: NDArray[np.float64]) -> float | None:
    """The log's own clock at its first frame: the stamps themselves, or a date beside the first interval."""
    if mapping.frame_unit.is_stamps:
        return float(unit_ms[0]) / 1e3
    beside = clocks.origin_of(table.layout.columns, table.values, table.text, int(np.flatnonzero(kept)[0]))
    return beside - float(unit_ms[0]) / 1e3 if beside is not None else None


def _marks(table: Table, mapping: ColumnMap, kept: NDArray[np.bool_], row_ns: NDArray[np.int64]) -> tuple[LogMark, ...]:
    """Marks at the end of the frame in whose row they stand; in a row that was left out, at the next kept one."""
    if mapping.mark_column is None:
        return ()
    rows = np.flatnonzero(kept)
    found = []
    for row, words in marks_in(table, mapping.mark_column):
        at = int(np.searchsorted(rows, row))
        if at < rows.size:
            found.append(LogMark(int(row_ns[at]), words))
    return tuple(found)


def _to_stamps(unit_ms: NDArray[np.float64], is_stamps: bool) -> NDArray[np.int64]:
    if is_stamps:
        return np.round((unit_ms - unit_ms[0]) * 1e6).astype(np.int64)
    ends = np.cumsum(np.round(unit_ms * 1e6).astype(np.int64))
    return np.concatenate(([0], ends)).astype(np.int64)


def _report_gaps(
    frames_ns: NDArray[np.int64], lines: NDArray[np.int32], is_stamps: bool, problems: list[Problem]
) -> None:
    interval_ms = np.diff(frames_ns) / 1e6
    threshold = max(GAP_MS, GAP_MEDIAN * float(np.median(interval_ms)))
    for index in np.flatnonzero(interval_ms > threshold).tolist():
        line = int(lines[index + 1] if is_stamps else lines[index])
        problems.append(Problem(line, "gap", f"gap of {interval_ms[index] / 1000:.2f} s before this line: kept"))
