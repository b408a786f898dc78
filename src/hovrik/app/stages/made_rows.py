"""From the rows of a table on screen to the values that they stand for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import MISSING, fields
from typing import Any

from ...core.facts.rig import OwnKnob
from ...core.facts.title import SetUp

FIRST_KNOB = {"id": "my_option", "label": "My option", "order": "words", "levels": ("off", "on")}


def made(kind: type, rows: Sequence[dict[str, Any]]) -> tuple[Any, ...]:
    """A value a row; what a row leaves empty is as usual."""
    usual = {
        field.name: field.default_factory() if field.default_factory is not MISSING else field.default
        for field in fields(kind)
    }
    return tuple(
        kind(**{
            name: tuple(value) if isinstance(value := row.get(name), list) else value
            for name in usual if row.get(name) is not None or usual[name] is MISSING
        })
        for row in rows
    )  # fmt: skip


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
