"""Sheets: what can be entered about a thing, declared once. From a sheet come the checks of a file, the form on
screen and the documented schema, so that the three never disagree. An empty entry is unknown."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from .. import degrees
from ..errors import InputError


class FieldKind(StrEnum):
    """What an entry holds."""

    TEXT = "text"
    NUMBER = "number"
    WHOLE = "whole number"
    SHARE = "share"
    FLAG = "yes or no"
    NUMBERS = "numbers"
    WORDS = "words"
    PAIR = "two numbers"
    SHARES = "two shares"


@dataclass(frozen=True)
class Field:
    """One entry. low, high : bounds of a number (shares: 0 to 1, shown in %); choices : words that are allowed (empty:
    any); required : may not be unknown; section : heading it stands under; hint : what to enter."""

    name: str
    label: str
    unit: str = ""
    kind: FieldKind = FieldKind.TEXT
    low: float = -1e9
    high: float = 1e9
    choices: tuple[str, ...] = ()
    required: bool = False
    section: str = ""
    hint: str = ""


@dataclass(frozen=True)
class Sheet:
    """All entries of a thing. tables : attribute to the sheet of its rows; what : the thing in words."""

    what: str
    fields: tuple[Field, ...]
    tables: Mapping[str, Sheet] = field(default_factory=dict)

    def field(self, name: str) -> Field:
        """The entry with this name."""
        return next(f for f in self.fields if f.name == name)

    @property
    def sections(self) -> tuple[str, ...]:
        """Headings in order."""
        return tuple(dict.fromkeys(f.section for f in self.fields))


# unit of a temperature or of a difference of two -> how it is shown, how it is taken back
DEGREES: dict[str, tuple[Callable[[float], float], Callable[[float], float]]] = {
    "C": (degrees.shown, degrees.celsius),
    "degrees": (degrees.shown_rise, lambda shown_: shown_ / degrees.shown_rise(1.0)),
}
_LISTS = (FieldKind.NUMBERS, FieldKind.WORDS, FieldKind.PAIR, FieldKind.SHARES)


def problems(sheet: Sheet, body: Any, where: str = "") -> list[str]:
    """Everything wrong with a plain body (as read from JSON or TOML), each with its place. Unknown keys are no fault:
    a later version may have added them."""
    if not isinstance(body, Mapping):
        return [f"{where or sheet.what} must be a table of entries"]
    found = []
    for entry in sheet.fields:
        value = body.get(entry.name)
        place = f"{where}{entry.name}"
        nothing: Any = "" if entry.kind is FieldKind.TEXT else [] if entry.kind in _LISTS else None
        if value is None or value == nothing:
            if entry.required:
                found.append(f"{place} is missing")
            continue
        fault = fault_of(entry, value)
        if fault:
            found.append(f"{place} {fault}")
    for name, rows_sheet in sheet.tables.items():
        rows = body.get(name) or []
        if not isinstance(rows, list | tuple):
            found.append(f"{where}{name} must be a list")
            continue
        for number, row in enumerate(rows, 1):
            found += problems(rows_sheet, row, f"{where}{name}[{number}].")
        found += _twice(rows_sheet, rows, f"{where}{name}")
    return found


def _twice(sheet: Sheet, rows: Any, where: str) -> list[str]:
    if not any(f.name == "key" for f in sheet.fields):
        return []
    keys = [key for row in rows if isinstance(row, Mapping) and isinstance(key := row.get("key"), str)]
    return [f"{where} has the key {key!r} twice" for key in dict.fromkeys(keys) if keys.count(key) > 1]


def fault_of(entry: Field, value: Any) -> str | None:
    """What is wrong with one plain value, None where nothing is."""
    match entry.kind:
        case FieldKind.TEXT:
            if not isinstance(value, str) or len(value) > 400:
                return "must be text of up to 400 letters"
            if entry.choices and value not in entry.choices:
                return f"is {value!r}; choose one of: {', '.join(entry.choices)}"
            return None
        case FieldKind.FLAG:
            return None if isinstance(value, bool) else "must be true or false"
        case FieldKind.WORDS:
            fine = isinstance(value, list | tuple) and all(isinstance(v, str) and 0 < len(v) <= 100 for v in value)
            return None if fine else "must be a list of words"
        case FieldKind.NUMBERS:
            if not isinstance(value, list | tuple) or len(value) > 100:
                return "must be a list of numbers"
            return next((f for v in value if (f := _number_fault(entry, v))), None)
        case FieldKind.PAIR | FieldKind.SHARES:
            if not isinstance(value, list | tuple) or len(value) != 2:
                return "must be two numbers"
            fault = next((f for v in value if (f := _number_fault(entry, v))), None)
            if fault is None and entry.kind is FieldKind.SHARES and not value[0] < value[1]:
                return "must run from the lower to the higher"
            return fault
    return _number_fault(entry, value)


def _bounds(entry: Field) -> tuple[float, float]:
    return (0.0, 1.0) if entry.kind in (FieldKind.SHARE, FieldKind.SHARES) else (entry.low, entry.high)


def _number_fault(entry: Field, value: Any) -> str | None:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        return "must be a number"
    if entry.kind is FieldKind.WHOLE and value != int(value):
        return "must be a whole number"
    low, high = _bounds(entry)
    if not low <= value <= high:
        return f"is {value:g}; choose {low:g} to {high:g}" + (f" {entry.unit}" if entry.unit else "")
    return None


_SPLIT = re.compile(r"\s*[,;]\s*|\s+to\s+|\s*[x×]\s*(?=\d)")


def in_shown_unit(entry: Field) -> Field:
    """The same entry as the user sees it: a temperature's unit and bounds are those that the user chose."""
    if entry.unit not in DEGREES or degrees.unit() == "C":
        return entry
    show, _ = DEGREES[entry.unit]
    unit = degrees.unit() if entry.unit == "C" else entry.unit
    return replace(entry, unit=unit, low=round(show(entry.low), 9), high=round(show(entry.high), 9))


def parse(entry: Field, text: str) -> Any:
    """A value from what a person typed; None for nothing. Raises InputError saying what is allowed."""
    if entry.unit in DEGREES and degrees.unit() != "C":
        value = _parsed(in_shown_unit(entry), text)
        return value if value is None else round(DEGREES[entry.unit][1](value), 9)
    return _parsed(entry, text)


def _parsed(entry: Field, text: str) -> Any:
    text = text.strip()
    if not text or text.lower() == "unknown":
        if entry.required:
            raise InputError(f"{entry.label} is needed.")
        return None
    value: Any = text
    try:
        match entry.kind:
            case FieldKind.FLAG:
                value = {"yes": True, "no": False, "true": True, "false": False}[text.lower()]
            case FieldKind.WORDS:
                value = tuple(part.strip() for part in re.split(r"[,;]", text) if part.strip())
            case FieldKind.NUMBERS | FieldKind.PAIR | FieldKind.SHARES:
                value = tuple(_typed(entry, part) for part in _SPLIT.split(text) if part)
            case FieldKind.NUMBER | FieldKind.WHOLE | FieldKind.SHARE:
                value = _typed(entry, text)
    except (ValueError, KeyError):
        raise InputError(f"{entry.label} {text!r} is not {_article(entry)}. {_allowed(entry)}") from None
    fault = fault_of(entry, value)
    if fault:
        raise InputError(f"{entry.label} {text} cannot be used. {_allowed(entry)}")
    return value


def _typed(entry: Field, text: str) -> float | int:
    number = float(text.rstrip("%").strip())
    if entry.kind in (FieldKind.SHARE, FieldKind.SHARES):
        return number / 100.0
    return int(number) if entry.kind is FieldKind.WHOLE and number == int(number) else number


def _article(entry: Field) -> str:
    return {FieldKind.FLAG: "yes or no", FieldKind.NUMBERS: "numbers", FieldKind.PAIR: "two numbers"}.get(
        entry.kind, "a number"
    )


def _allowed(entry: Field) -> str:
    if entry.choices:
        return f"Choose one of: {', '.join(entry.choices)}."
    if entry.kind is FieldKind.FLAG:
        return "Enter yes, no, or nothing for unknown."
    if entry.kind is FieldKind.TEXT or entry.kind is FieldKind.WORDS:
        return "Enter words, or nothing for unknown."
    low, high = _bounds(entry)
    if entry.kind in (FieldKind.SHARE, FieldKind.SHARES):
        low, high = 0.0, 100.0
    span = f"{low:g} to {high:g} {entry.unit}".strip() if high < 1e9 else f"numbers from {low:g} {entry.unit}".strip()
    several = {
        FieldKind.NUMBERS: ", several with commas",
        FieldKind.PAIR: ", two of them",
        FieldKind.SHARES: ", two of them",
    }
    return f"Choose {span}{several.get(entry.kind, '')}, or nothing for unknown."


def shown(entry: Field, value: Any) -> str:
    """A value as it is typed and shown; "" for unknown. A temperature is in the unit that the user chose."""
    if value is None or value == ():
        return ""
    if entry.unit in DEGREES and entry.kind is FieldKind.NUMBER:
        return f"{DEGREES[entry.unit][0](value):.6g}"
    match entry.kind:
        case FieldKind.FLAG:
            return "yes" if value else "no"
        case FieldKind.SHARE:
            return f"{100 * value:g}"
        case FieldKind.SHARES:
            return " to ".join(f"{100 * v:g}" for v in value)
        case FieldKind.PAIR:
            return " to ".join(f"{v:g}" for v in value)
        case FieldKind.NUMBERS:
            return ", ".join(f"{v:g}" for v in value)
        case FieldKind.WORDS:
            return ", ".join(value)
        case FieldKind.TEXT:
            return str(value)
    return f"{value:g}"
