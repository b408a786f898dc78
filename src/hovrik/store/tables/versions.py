"""Versions of rigs, slots, titles and scenes."""

from __future__ import annotations

import json
import sqlite3
import time
import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from ..opened import OpenedFile, dump

CONTEXT = ("rig", "slot", "title", "scene")
_ENTITY = "SELECT id, kind, key, parent, body, noted_at FROM entity"


@dataclass(frozen=True)
class Entity:
    """A version of a rig, slot, title or scene, immutable once anything was made under it. key : stable over
    versions."""

    id: str
    kind: str
    key: str
    parent: str | None
    body: dict[str, Any]
    noted_at: int


class Versions(OpenedFile):
    """What things were, and are. The newest version is the last one noted, whatever the clock says."""

    def note(self, kind: str, key: str, body: Mapping[str, Any], parent: str | None = None) -> str:
        """The id of the version with this body: the newest one where it is unchanged; that one, edited, where nothing
        was made under it yet; else a new row."""
        text = dump(body)
        newest = self.read_rows(
            "SELECT id, body, parent, frozen_at, seq FROM entity WHERE kind = ? AND key = ? ORDER BY seq DESC LIMIT 1",
            kind, key,
        )  # fmt: skip
        if newest and newest[0][1:3] == (text, parent):
            return str(newest[0][0])
        now = time.time_ns()
        if newest and newest[0][3] is None:
            with self.writing() as connection:
                changed = connection.execute(
                    "UPDATE entity SET body = ?, parent = ?, noted_at = ?, seq = (SELECT max(seq) + 1 FROM entity) "
                    "WHERE id = ? AND frozen_at IS NULL",
                    (text, parent, now, newest[0][0]),
                ).rowcount
            if changed:
                return str(newest[0][0])
        made = str(uuid.uuid4())
        with self.writing() as connection:
            connection.execute(
                "INSERT INTO entity (id, kind, key, parent, body, noted_at) VALUES (?, ?, ?, ?, ?, ?)",
                (made, kind, key, parent, text, now),
            )
        return made

    def entities(self, kind: str | None = None) -> list[Entity]:
        """Every version, oldest first."""
        where, values = (" WHERE kind = ?", [kind]) if kind else ("", [])
        return [_entity(row) for row in self.read_rows(f"{_ENTITY}{where} ORDER BY seq", *values)]

    def history(self, kind: str, key: str) -> list[Entity]:
        """Every version of one thing, oldest first; key may end in * for all that begin so."""
        return [
            _entity(row)
            for row in self.read_rows(f"{_ENTITY} WHERE kind = ? AND key GLOB ? ORDER BY seq", kind, _literal(key))
        ]

    def entity(self, entity_id: str) -> Entity | None:
        """One version."""
        rows = self.read_rows(f"{_ENTITY} WHERE id = ?", entity_id)
        return _entity(rows[0]) if rows else None

    def newest(self, kind: str) -> dict[str, Entity]:
        """Newest version by key, the last noted last."""
        rows = self.read_rows(
            f"{_ENTITY} WHERE seq IN (SELECT max(seq) FROM entity WHERE kind = ? GROUP BY key) ORDER BY seq", kind
        )
        return {row[2]: _entity(row) for row in rows}

    def newest_of(self, kind: str, key: str) -> Entity | None:
        """Newest version of one thing."""
        rows = self.read_rows(f"{_ENTITY} WHERE kind = ? AND key = ? ORDER BY seq DESC LIMIT 1", kind, key)
        return _entity(rows[0]) if rows else None


def _literal(key: str) -> str:
    """A GLOB pattern that finds a key, or all that begin as it does where it ends in *."""
    stem, star = (key[:-1], "*") if key.endswith("*") else (key, "")
    return "".join(f"[{letter}]" if letter in "*?[" else letter for letter in stem) + star


def _entity(row: tuple[Any, ...]) -> Entity:
    made, kind, key, parent, body, at = row
    return Entity(made, kind, key, parent, json.loads(body), at)


def freeze(connection: sqlite3.Connection, ids: Iterable[str]) -> None:
    """From here on something was made under these versions."""
    connection.executemany(
        "UPDATE entity SET frozen_at = ? WHERE id = ? AND frozen_at IS NULL", [(time.time_ns(), one) for one in ids]
    )
