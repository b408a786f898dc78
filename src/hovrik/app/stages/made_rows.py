"""From the rows of a table on screen to the values that they stand for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import MISSING, fields
from typing import Any, TypeVar

from ...core.facts.rig import OwnKnob, many
from ...core.facts.title import SetUp

T = TypeVar("T")
FIRST_KNOB = {"id": "my_option", "label": "My option", "order": "words", "levels": ("off", "on")}


def made(kind: type[T], rows: Sequence[dict[str, Any]]) -> tuple[T, ...]:
    """A value a row; what a row leaves empty is as usual, and told where it is needed."""
    needed = {f.name for f in fields(kind) if f.default is MISSING and f.default_factory is MISSING}
    return many(kind, [{k: v for k, v in row.items() if v is not None or k in needed} for row in rows])


def own_knobs_of(rows: Sequence[dict[str, Any]]) -> tuple[OwnKnob, ...]:
    """An owner's knobs; a further one with an id that is taken is numbered."""
    return made(OwnKnob, _numbered(rows, "id", "_"))


def set_ups_of(rows: Sequence[dict[str, Any]]) -> tuple[SetUp, ...]:
    """A title's set-ups; a further one with a name that is taken is numbered."""
    return made(SetUp, _numbered(rows, "name", " "))


def _numbered(rows: Sequence[dict[str, Any]], field: str, mark: str) -> list[dict[str, Any]]:
    taken: set[str] = set()
    found = []
    for row in rows:
        name, number = str(row[field]), 2
        while name in taken:
            name, number = f"{row[field]}{mark}{number}", number + 1
        taken.add(name)
        found.append({**row, field: name})
    return found
