"""The one layer through which plain values from outside become ours: rows of a notebook, documents in a file. What is
not sound is a ValueError in words, whatever is wrong with it."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from ..core.facts.condition import Condition, from_plain
from ..core.facts.knob import CAP, LIMITS
from ..core.facts.left import Left
from ..core.facts.setup import Setup, Snapshot

MOST_LETTERS = 4_000_000  # of one JSON text
MOST_TEXT = 4_000  # of one text in it
MOST_DEPTH = 40
MOST_LEVEL = 1e6  # of a limit or a cap
_OVER_NOTHING = frozenset((*LIMITS, CAP))
# what spoiled values raise
WRONG = (ValueError, TypeError, KeyError, AttributeError, OverflowError, IndexError)


def json_of(text: Any) -> Any:
    """Plain values of a JSON text. Raises ValueError where it is none, too long, too deep, or holds numbers that are
    not finite or text that cannot be written."""
    if not isinstance(text, str):
        raise ValueError(f"JSON text is needed, got {type(text).__name__}")
    if len(text) > MOST_LETTERS:
        raise ValueError(f"{len(text):,} letters are more than {MOST_LETTERS:,}")
    try:
        found = _DECODER.decode(text)
    except RecursionError:
        raise ValueError("it is nested too deep") from None
    except json.JSONDecodeError as fault:
        raise ValueError(f"it breaks off or is mistyped at line {fault.lineno}, letter {fault.colno}") from None
    check(found)
    return found


def _refuse(word: str) -> float:
    raise ValueError(f"{word} is not a finite number")


_DECODER = json.JSONDecoder(parse_constant=_refuse)  # made once: there are many rows


def check(value: Any, depth: int = 0) -> None:
    """Raises ValueError for plain values that are not finite, cannot be written, are too long or too deep."""
    if depth > MOST_DEPTH:
        raise ValueError("it is nested too deep")
    if isinstance(value, Mapping):
        for key, own in value.items():
            check(key, depth + 1)
            check(own, depth + 1)
    elif isinstance(value, list | tuple):
        for own in value:
            check(own, depth + 1)
    elif isinstance(value, str):
        check_text(value)
    elif isinstance(value, float) and not math.isfinite(value):
        raise ValueError(f"{value} is not a finite number")
    elif isinstance(value, int) and not isinstance(value, bool) and abs(value) >= 2**63:
        raise ValueError("a whole number is too large")


def check_text(text: str) -> None:
    """Raises ValueError for text that is too long or cannot be written."""
    if len(text) > MOST_TEXT:
        raise ValueError(f"a text of {len(text):,} letters is longer than {MOST_TEXT:,}")
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        raise ValueError("a text holds half a letter and cannot be written") from None


def table_of(text: Any) -> dict[str, Any]:
    """A JSON table. Raises ValueError."""
    found = json_of(text)
    if not isinstance(found, dict):
        raise ValueError(f"a table is needed, got {type(found).__name__}")
    return found


@lru_cache(maxsize=4096)
def setup_of(text: Any) -> Setup:
    """A setup of words and numbers, from a JSON text. Raises ValueError."""
    return setup_from(table_of(text))


def setup_from(values: Any) -> Setup:
    """The same from plain values that are checked already."""
    if not isinstance(values, dict):
        raise ValueError(f"a setup must be a table, got {type(values).__name__}")
    return Setup({key: _level(key, value) for key, value in values.items()})


def conditions_of(text: Any) -> dict[str, Condition]:
    """Conditions, each with its provenance. Raises ValueError, KeyError, TypeError."""
    found = from_plain(table_of(text))
    for key, one in found.items():
        if one.value is not None:
            _level(key, one.value)
        if one.at_ns is not None and not isinstance(one.at_ns, int):
            raise ValueError(f"the time of {key} is no whole number")
    return found


def snapshot_of(text: Any) -> Snapshot:
    """A snapshot. Raises ValueError, KeyError, TypeError."""
    found = Snapshot.from_dict(table_of(text))
    for key, reading in found.readings.items():
        _level(key, reading.value)
    return found


def left_of(text: Any) -> Left:
    """How a machine was found, and what was touched since. Raises ValueError, KeyError, TypeError."""
    body = table_of(text)
    found = Left.from_dict(body)
    for snapshot in found.snapshots.values():
        for key, reading in snapshot.readings.items():
            _level(key, reading.value)
    return found


def summary_of(text: Any) -> dict[str, float | str]:
    """Figures that were given, each a number or text. Raises ValueError."""
    return {key: _level(key, value) for key, value in table_of(text).items()}


def _level(key: str, value: Any) -> Any:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise ValueError(f"{key} must be a number or a word, got {type(value).__name__}")
    if key in _OVER_NOTHING and not isinstance(value, str) and not 0 < value < MOST_LEVEL:
        raise ValueError(f"{key} must be over 0, got {value:g}")
    return value
