"""From a table to a pass: which column is the frame time, which are telemetry, in which units.

The first guess comes from the values and from generic words only. Everything left out is reported by line.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from ...core.errors import ImportRefused, Problem
from ...core.trace import CHANNELS, Channel, Trace
from .table import Table

GAP_MS = 1000.0
GAP_MEDIAN = 20.0
_LATE = "time {:g} does not advance: row left out"
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

# unit of a quantity -> units a file may use: (factor, offset after the factor)
UNITS: dict[str, dict[str, tuple[float, float]]] = {
    "W": {"W": (1.0, 0.0), "mW": (1e-3, 0.0)},
    "C": {"C": (1.0, 0.0), "K": (1.0, -273.15), "F": (5.0 / 9.0, -160.0 / 9.0)},
    "%": {"%": (1.0, 0.0), "share": (100.0, 0.0)},
    "MHz": {"MHz": (1.0, 0.0), "GHz": (1e3, 0.0), "kHz": (1e-3, 0.0)},
    "MB": {"MB": (1.0, 0.0), "GB": (1e3, 0.0), "kB": (1e-3, 0.0)},
    "rpm": {"rpm": (1.0, 0.0)},
    "V": {"V": (1.0, 0.0), "mV": (1e-3, 0.0)},
}

IMPORTABLE = tuple(name for name in CHANNELS if name not in ("cpu_w", "gpu_w", "current_a", "other_share"))

_NOT_DIE = "shell|skin|case|room|ambient|battery"

# channel -> (words of which each group must have a hit, words that rule it out)
_WORDS: dict[str, tuple[tuple[str, ...], str]] = {
    "package_w": ((r"package|pkg|chip|soc|apu", r"power|watt|\bm?w\b"), "temp|battery|wall"),
    "battery_w": ((r"batter|discharge|draw", r"power|watt|draw|rate|\bm?w\b"), "charge level|volt|temp|%"),
    "wall_w": ((r"wall|plug|adapter|mains", r"power|watt|\bm?w\b"), ""),
    "cpu_share": ((r"cpu|processor", r"util|load|usage|busy|%|share"), r"temp|clock|freq|gpu|fan|mem|\bms\b"),
    "gpu_share": ((r"gpu|graphics", r"util|load|usage|busy|%|share"), r"temp|clock|freq|fan|mem|\bms\b"),
    "cpu_mhz": ((r"cpu|processor", r"clock|freq|hz"), "gpu|mem"),
    "gpu_mhz": ((r"gpu|graphics", r"clock|freq|hz"), "mem"),
    "memory_mhz": ((r"mem|ram", r"clock|freq|hz"), ""),
    "memory_mb": ((r"mem|ram", r"used|usage|\bm?g?b\b|size"), "clock|freq|hz|temp|%"),
    "die_c": ((r"temp|degree|°|celsius", r"cpu|die|core|chip|package|soc|apu|gpu|temp"), _NOT_DIE),
    "shell_c": ((r"temp|degree|°|celsius", r"shell|skin|case|surface"), ""),
    "fan_rpm": ((r"fan", r"rpm|speed|fan"), "%"),
    "charge_share": ((r"charge|batter|soc", r"charge|level|%|percent"), "power|watt|volt|temp|rate|limit"),
    "voltage_v": ((r"volt|\bm?v\b",), "offset"),
}  # fmt: skip


@dataclass(frozen=True)
class ColumnMap:
    """Which column is what. frames : column index and unit; channels : channel name to (column index, unit)."""

    frame_column: int
    frame_unit: FrameUnit
    channels: Mapping[str, tuple[int, str]] = field(default_factory=dict)


@dataclass(frozen=True)
class Imported:
    """What would be kept. kept_lines (n,) : file lines of the kept rows; problems : of table and of values, by line."""

    trace: Trace
    kept_lines: NDArray[np.int64]
    problems: tuple[Problem, ...]


def guess(table: Table) -> ColumnMap:
    """A first mapping from values and generic words. Raises ImportRefused where no column can be frame times."""
    scored = []
    for column, name in enumerate(table.layout.columns):
        found = guess_unit(table, column)
        if found is not None:
            unit, score = found
            scored.append((score + _frame_word_score(name), -column, column, unit))
    if not scored:
        raise ImportRefused(
            "No column looks like frame times (intervals of 0.5 to 500 ms, or advancing time stamps). "
            "Name the column and its unit.",
            table.problems[:5],
        )
    _, _, column, unit = max(scored)
    channels: dict[str, tuple[int, str]] = {}
    for index, name in enumerate(table.layout.columns):
        channel = None if index == column else guess_channel(name)
        if channel is not None and channel not in channels and np.isfinite(table.values[:, index]).any():
            channels[channel] = (index, _guess_channel_unit(channel, name, table.values[:, index]))
    return ColumnMap(column, unit, channels)


def _frame_word_score(name: str) -> float:
    words = name.lower()
    score = 0.0
    if re.search(r"frame", words):
        score += 2.0
    if re.search(r"frame.?time|interval|delta|between", words):
        score += 1.5
    if re.search(r"present|\bms\b|time", words):
        score += 0.5
    if re.search(r"latency|gpu|cpu|wait|busy|display|temp|power|clock|fps|rate|number|index|count", words):
        score -= 2.0
    return score


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
        unit = FrameUnit.STAMPS_S if step < 0.45 else FrameUnit.STAMPS_MS
        return (unit, 0.6) if 0.0005 <= step <= 500 else None
    middle = float(np.median(values))
    word = re.search(r"[\[(_ ](ms|us|µs|ns|s)[\])]?$", name)
    if word:
        return FrameUnit(word.group(1).replace("µ", "u")), 1.5
    for unit, low, high in _USUAL:
        if low <= middle < high:
            return unit, 1.0
    return None


def guess_channel(name: str) -> str | None:
    """The channel that a heading's generic words speak of, or None."""
    words = re.sub(r"([a-z])([A-Z])", r"\1 \2", name).replace("_", " ").lower()
    for channel, (groups, without) in _WORDS.items():
        if without and re.search(without, words):
            continue
        if all(re.search(group, words) for group in groups):
            return channel
    return None


def _guess_channel_unit(channel: str, name: str, values: NDArray[np.float64]) -> str:
    unit = CHANNELS[channel][1]
    for other in UNITS[unit]:
        if other != unit and re.search(rf"(?<![A-Za-z]){re.escape(other)}(?![A-Za-z])", name):
            return other
    middle = float(np.nanmedian(values))
    top = float(np.nanmax(values))
    by_value = {
        "W": "mW" if middle > 1000 else "W",
        "C": "K" if middle > 250 else "C",
        "%": "share" if top <= 1.0 else "%",
        "V": "mV" if middle > 1000 else "V",
        "MHz": "GHz" if top < 20 else "kHz" if middle > 50_000 else "MHz",
    }
    return by_value.get(unit, unit)


def convert(table: Table, mapping: ColumnMap) -> Imported:
    """Apply a mapping: the trace that would be kept and every row left out or odd, by line.

    A row is left out where its frame value is missing, no number, not positive (intervals) or does not advance
    (time stamps). A gap is kept and named; the checks of the pass judge it. Raises ImportRefused where fewer than
    two frames remain.
    """
    _check_mapping(table, mapping)
    values = table.values[:, mapping.frame_column]
    problems = list(table.problems)
    kept = np.isfinite(values)
    _report_missing(table, mapping, ~kept, problems)
    if mapping.frame_unit.is_stamps:
        advances = _advancing(values, kept)
        _report(table, kept & ~advances, values, "time not advancing", _LATE, problems)
        kept &= advances
    else:
        positive = kept & (values > 0)
        _report(table, kept & ~positive, values, "not positive", _NOT_POSITIVE, problems)
        kept &= positive
    unit_ms = values[kept] * mapping.frame_unit.to_ms
    if unit_ms.size < 2:
        raise ImportRefused("Fewer than two frames remain; nothing was imported.", tuple(problems))
    frames_ns = _to_stamps(unit_ms, mapping.frame_unit.is_stamps)
    lines = table.lines[kept]
    _report_gaps(frames_ns, lines, mapping.frame_unit.is_stamps, problems)
    row_ns = frames_ns if mapping.frame_unit.is_stamps else frames_ns[1:]
    channels = _channels(table, mapping, kept, row_ns)
    problems.sort(key=lambda p: (p.line or 0, p.kind))
    trace = Trace(frames_ns, channels, int(frames_ns[0]), int(frames_ns[-1]))
    return Imported(trace, lines, tuple(problems))


def _check_mapping(table: Table, mapping: ColumnMap) -> None:
    width = len(table.layout.columns)
    for column in (mapping.frame_column, *(column for column, _ in mapping.channels.values())):
        if not 0 <= column < width:
            raise ImportRefused(f"Column {column + 1} does not exist; the file has {width}.")
    for channel, (_, unit) in mapping.channels.items():
        if channel not in IMPORTABLE:
            raise ImportRefused(f"{channel} is no known channel. Choose one of: {', '.join(IMPORTABLE)}.")
        allowed = UNITS[CHANNELS[channel][1]]
        if unit not in allowed:
            raise ImportRefused(f"{channel} in {unit} cannot be read. Choose one of: {', '.join(allowed)}.")


def _advancing(values: NDArray[np.float64], kept: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """True where a stamp is later than every kept one before it."""
    filled = np.where(kept, values, -np.inf)
    before = np.concatenate(([-np.inf], np.maximum.accumulate(filled)[:-1]))
    return np.asarray(filled > before)


def _report_missing(table: Table, mapping: ColumnMap, missing: NDArray[np.bool_], problems: list[Problem]) -> None:
    for row in np.flatnonzero(missing).tolist():
        stood = table.text.get((row, mapping.frame_column), "")
        kind = "not a number" if stood else "empty"
        words = f"{stood[:40]!r} is not a number" if stood else "no frame time"
        problems.append(Problem(int(table.lines[row]), kind, f"{words}: row left out"))


def _report(
    table: Table, rows: NDArray[np.bool_], values: NDArray[np.float64], kind: str, words: str,
    problems: list[Problem],
) -> None:  # fmt: skip
    for row in np.flatnonzero(rows).tolist():
        problems.append(Problem(int(table.lines[row]), kind, words.format(values[row])))


def _to_stamps(unit_ms: NDArray[np.float64], is_stamps: bool) -> NDArray[np.int64]:
    if is_stamps:
        return np.round((unit_ms - unit_ms[0]) * 1e6).astype(np.int64)
    ends = np.cumsum(np.round(unit_ms * 1e6).astype(np.int64))
    return np.concatenate(([0], ends)).astype(np.int64)


def _report_gaps(
    frames_ns: NDArray[np.int64], lines: NDArray[np.int64], is_stamps: bool, problems: list[Problem]
) -> None:
    interval_ms = np.diff(frames_ns) / 1e6
    threshold = max(GAP_MS, GAP_MEDIAN * float(np.median(interval_ms)))
    for index in np.flatnonzero(interval_ms > threshold).tolist():
        line = int(lines[index + 1] if is_stamps else lines[index])
        problems.append(Problem(line, "gap", f"gap of {interval_ms[index] / 1000:.2f} s before this line: kept"))


def _channels(
    table: Table, mapping: ColumnMap, kept: NDArray[np.bool_], row_ns: NDArray[np.int64]
) -> dict[str, Channel]:
    found = {}
    for name, (column, unit) in mapping.channels.items():
        factor, offset = UNITS[CHANNELS[name][1]][unit]
        values = table.values[kept, column] * factor + offset
        known = np.isfinite(values)
        if known.any():
            found[name] = Channel(row_ns[known], values[known])
    return found


def preview(table: Table, columns: Sequence[int], rows: int = 12) -> list[list[str]]:
    """The first rows of some columns as text, for showing."""
    shown = table.values[:rows]
    return [[f"{value:g}" if np.isfinite(value) else "–" for value in row[list(columns)]] for row in shown]
