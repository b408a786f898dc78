"""Versions of rigs, slots, titles and scenes."""

from __future__ import annotations

import json
import sqlite3
import time
import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ...core.errors import HovrikError
from ...core.facts.rig import OsSlot, Rig
from ...core.facts.sheet import Sheet, problems
from ...core.facts.sheets import RIG, SCENE, SLOT, TITLE
from ...core.facts.title import Scene, Title
from ..opened import OpenedFile, dump
from ..sealed import insert as insert_sealed
from ..sealed import next_seq, sound, update
from ..sound import WRONG, table_of

CONTEXT = ("rig", "slot", "title", "scene")
_ENTITY = f"SELECT id, kind, key, parent, body, noted_at, {sound('entity')} FROM entity"


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
                changes = {"body": text, "parent": parent, "noted_at": now, "seq": next_seq(connection, "entity")}
                changed = update(connection, "entity", changes, "id = ? AND frozen_at IS NULL", newest[0][0])
            if changed:
                return str(newest[0][0])
        with self.writing() as connection:
            return insert(connection, kind, key, parent, text, now)

    def newest_version(self) -> int:
        """Sequence number of the newest version of anything, which changes whenever one is noted or edited."""
        return int(self.read_rows("SELECT coalesce(max(seq), 0) FROM entity")[0][0])

    def entities(self, kind: str | None = None) -> list[Entity]:
        """Every version, oldest first."""
        where, values = (" WHERE kind = ?", [kind]) if kind else ("", [])
        return self.each_sealed("entity", self.read_rows(f"{_ENTITY}{where} ORDER BY seq", *values), _entity)

    def history(self, kind: str, key: str) -> list[Entity]:
        """Every version of one thing, oldest first; key may end in * for all that begin so."""
        rows = self.read_rows(f"{_ENTITY} WHERE kind = ? AND key GLOB ? ORDER BY seq", kind, _literal(key))
        return self.each_sealed("entity", rows, _entity)

    def entity(self, entity_id: str) -> Entity | None:
        """One version."""
        return next(
            iter(self.each_sealed("entity", self.read_rows(f"{_ENTITY} WHERE id = ?", entity_id), _entity)), None
        )

    def newest(self, kind: str) -> dict[str, Entity]:
        """Newest version by key, the last noted last."""
        rows = self.read_rows(
            f"{_ENTITY} WHERE seq IN (SELECT max(seq) FROM entity WHERE kind = ? GROUP BY key) ORDER BY seq", kind
        )
        return {entity.key: entity for entity in self.each_sealed("entity", rows, _entity)}

    def newest_of(self, kind: str, key: str) -> Entity | None:
        """Newest version of one thing."""
        rows = self.read_rows(f"{_ENTITY} WHERE kind = ? AND key = ? ORDER BY seq DESC LIMIT 1", kind, key)
        return next(iter(self.each_sealed("entity", rows, _entity)), None)


def _literal(key: str) -> str:
    """A GLOB pattern that finds a key, or all that begin as it does where it ends in *."""
    stem, star = (key[:-1], "*") if key.endswith("*") else (key, "")
    return "".join(f"[{letter}]" if letter in "*?[" else letter for letter in stem) + star


def _entity(made: str, kind: str, key: str, parent: str | None, body: str, at: int) -> Entity:
    fault = _fault(kind, body)
    if fault:
        raise ValueError(fault)
    return Entity(made, kind, key, parent, json.loads(body), at)


_SHEETS: dict[str, tuple[Sheet, Any]] = {
    "rig": (RIG, Rig),
    "slot": (SLOT, OsSlot),
    "title": (TITLE, Title),
    "scene": (SCENE, Scene),
}


@lru_cache(maxsize=512)
def _fault(kind: str, text: str) -> str:
    """What is wrong with the body of a version; "" nothing. Each text is looked at once."""
    try:
        body = table_of(text)
        if kind in _SHEETS:
            sheet, made = _SHEETS[kind]
            found = problems(sheet, body)
            if found:
                return "; ".join(found[:3])
            made.from_dict(body)
    except (*WRONG, HovrikError) as fault:
        return str(fault) or type(fault).__name__
    return ""


def insert(connection: sqlite3.Connection, kind: str, key: str, parent: str | None, text: str, now: int) -> str:
    """A new version of a thing; its id. text : its body; now : UTC, ns."""
    made = str(uuid.uuid4())
    row = {"id": made, "kind": kind, "key": key, "parent": parent, "body": text, "noted_at": now}
    insert_sealed(connection, "entity", row)
    return made


def freeze(connection: sqlite3.Connection, ids: Iterable[str]) -> None:
    """From here on something was made under these versions."""
    for one in ids:
        update(connection, "entity", {"frozen_at": time.time_ns()}, "id = ? AND frozen_at IS NULL", one)
