"""What every table of measurements shares: telemetry columns by generic words, their units, rows that are left out."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ....core.errors import ImportRefused, Problem
from ....core.passes.trace import CHANNELS, Channel
from .table import Table

MOST_S = 30 * 86_400.0

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

_UNIT = re.compile(r"[\[(]\s*([A-Za-z%/°]+)\s*[\])]\s*$")  # at the end of a heading
_OTHER_UNITS = {unit.lower() for units in UNITS.values() for unit in units} | {"fps", "hz", "a", "ma", "wh", "mah"}
_BARE_UNIT = re.compile(r"(?:^|[\s_])(?:m?W|Wh|°?C|%|[kMG]?Hz|[kMG]B|rpm|m?V|fps)\s*$")
_JOINED = re.compile(r"([a-z])([A-Z](?=[a-z])|m?W$)")  # words run together; an abbreviation stays one
_TEMPERATURE = r"temp|degree|°|celsius|[\[(][cf][\])]"
_NOT_DIE = "shell|skin|case|room|ambient|battery"

# channel -> (words of which each group must have a hit, words that rule it out)
_WORDS: dict[str, tuple[tuple[str, ...], str]] = {
    "package_w": ((r"package|pkg|chip|soc|apu", r"power|watt|\bm?w\b"), r"temp|battery|wall|\bgpu\b|graphics"),
    "battery_w": ((r"batter|discharge|draw", r"power|watt|draw|rate|\bm?w\b"), "charge level|volt|temp|%"),
    "wall_w": ((r"wall|plug|adapter|mains", r"power|watt|\bm?w\b"), ""),
    "input_w": ((r"dc.?in|input|usb", r"power|watt|\bm?w\b"), ""),
    "cpu_share": ((r"cpu|processor", r"util|load|usage|busy|%|share"), r"temp|clock|freq|gpu|fan|mem|\bms\b"),
    "gpu_share": ((r"gpu|graphics", r"util|load|usage|busy|%|share"), r"temp|clock|freq|fan|mem|\bms\b"),
    "cpu_mhz": ((r"cpu|processor", r"clock|freq|hz"), "gpu|mem"),
    "gpu_mhz": ((r"gpu|graphics", r"clock|freq|hz"), "mem"),
    "memory_mhz": ((r"mem|ram", r"clock|freq|hz"), ""),
    "memory_mb": ((r"mem|ram", r"used|usage|\bm?g?b\b|size"), "clock|freq|hz|temp|%"),
    "die_c": ((_TEMPERATURE, r"cpu|die|core|chip|package|soc|apu|gpu|temp"), _NOT_DIE),
    "shell_c": ((_TEMPERATURE, r"shell|skin|case|surface"), ""),
    "room_c": ((_TEMPERATURE, r"room|ambient"), ""),
    "fan_rpm": ((r"fan", r"rpm|speed|fan"), "%"),
    "charge_share": ((r"charge|batter|soc", r"charge|level|%|percent"), "power|watt|volt|temp|rate|limit"),
    "voltage_v": ((r"volt|\bm?v\b",), "offset"),
}  # fmt: skip


def guess_channels(table: Table, without: int | None) -> dict[str, tuple[int, str]]:
    """Channels by their headings' generic words, each with (column, unit); `without` : a column that is taken."""
    channels: dict[str, tuple[int, str]] = {}
    for index, name in enumerate(table.layout.columns):
        channel = None if index == without else guess_channel(name)
        if channel is not None and channel not in channels and np.isfinite(table.values[:, index]).any():
            channels[channel] = (index, _guess_channel_unit(channel, name, table.values[:, index]))
    return channels


def guess_channel(name: str) -> str | None:
    """The channel that a heading's generic words speak of, or None."""
    words = _JOINED.sub(r"\1 \2", name).replace("_", " ").lower()
    for channel, (groups, without) in _WORDS.items():
        if without and re.search(without, words):
            continue
        if all(re.search(group, words) for group in groups):
            return channel
    return None


def is_other_quantity(name: str) -> bool:
    """Whether a heading ends in a unit that is none of time, in brackets or as a word of its own."""
    found = _UNIT.search(name)
    if found is not None:
        return found.group(1).lower().removeprefix("°") in _OTHER_UNITS
    return _BARE_UNIT.search(name) is not None


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


def check_columns(table: Table, columns: Sequence[int]) -> None:
    """Raises ImportRefused where a column does not exist."""
    width = len(table.layout.columns)
    for column in columns:
        if not 0 <= column < width:
            raise ImportRefused(f"Column {column + 1} does not exist; the file has {width}.")


def check_channels(channels: Mapping[str, tuple[int, str]]) -> None:
    """Raises ImportRefused where a channel or its unit is not known."""
    for channel, (_, unit) in channels.items():
        if channel not in IMPORTABLE:
            raise ImportRefused(f"{channel} is no known channel. Choose one of: {', '.join(IMPORTABLE)}.")
        allowed = UNITS[CHANNELS[channel][1]]
        if unit not in allowed:
            raise ImportRefused(f"{channel} in {unit} cannot be read. Choose one of: {', '.join(allowed)}.")


def leave_out_absurd(
    table: Table, seconds: NDArray[np.float64], kept: NDArray[np.bool_], problems: list[Problem]
) -> None:
    """Take rows off `kept` whose time (s) lies MOST_S or more from the first kept one's, and name them."""
    if kept.any():
        first = float(seconds[int(np.argmax(kept))])
        if np.fmax.reduce(seconds) - first < MOST_S and first - np.fmin.reduce(seconds) < MOST_S:
            return  # quickly said of a large file
        absurd = kept & (np.abs(seconds - first) >= MOST_S)
        report(table, absurd, seconds, "absurd", "{:g} s is over 30 days from the first: row left out", problems)
        kept &= ~absurd


def leave_out_late(
    table: Table, values: NDArray[np.float64], kept: NDArray[np.bool_], problems: list[Problem], unit: str = ""
) -> None:
    """Take rows off `kept` whose time does not advance, and name them. unit : of values, for the words."""
    onward = advancing(values, kept)
    words = f"time {{:g}}{unit and ' ' + unit} does not advance: row left out"
    report(table, kept & ~onward, values, "time not advancing", words, problems)
    kept &= onward


def advancing(values: NDArray[np.float64], kept: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """True where a stamp is later than every kept one before it."""
    filled = np.where(kept, values, -np.inf)
    before = np.concatenate(([-np.inf], np.maximum.accumulate(filled)[:-1]))
    return np.asarray(filled > before)


def report_missing(
    table: Table, column: int, missing: NDArray[np.bool_], problems: list[Problem], *, clock: bool = False
) -> None:
    """Name rows whose time is missing. clock : it should have been a time of day."""
    for row in np.flatnonzero(missing).tolist():
        stood = table.text.get((row, column), "")
        kind = "not a number" if stood else "empty"
        words = f"{stood[:40]!r} is not a {'time' if clock else 'number'}" if stood else "no time"
        problems.append(Problem(int(table.lines[row]), kind, f"{words}: row left out"))


def report(
    table: Table, rows: NDArray[np.bool_], values: NDArray[np.float64], kind: str, words: str,
    problems: list[Problem],
) -> None:  # fmt: skip
    """Name rows by their value. words : with a place for it."""
    for row in np.flatnonzero(rows).tolist():
        problems.append(Problem(int(table.lines[row]), kind, words.format(values[row])))


def channels_of(
    table: Table, channels: Mapping[str, tuple[int, str]], kept: NDArray[np.bool_], row_ns: NDArray[np.int64]
) -> dict[str, Channel]:
    """The channels of a mapping. row_ns : (kept rows,) time of each kept row; fields that hold no number are holes."""
    found = {}
    whole = bool(kept.all())
    for name, (column, unit) in channels.items():
        factor, offset = UNITS[CHANNELS[name][1]][unit]
        values = table.values[:, column] if whole else table.values[kept, column]
        if (factor, offset) != (1.0, 0.0):
            values = values * factor + offset
        known = np.isfinite(values)
        if known.all():
            found[name] = Channel(row_ns, values)
        elif known.any():
            found[name] = Channel(row_ns[known], values[known])
    return found
