"""Another notebook's rows taken into this one: each once, by its id, in the order it was made; what this one decided
stays as it is, and what both say of a thing is kept twice.

Rigs and titles are joined where both notebooks hold the same version of them, or where a person says so; else they
come in as things of their own, under a key of their own. Runs, caches and what is remembered of a window stay.
"""

from __future__ import annotations

import json
import sqlite3
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..core.errors import StoreError
from .database import UNREADABLE
from .notebook import Notebook
from .opened import dump
from .packing import seal
from .tables.versions import insert

JOINED_KINDS = ("rig", "title")
_PARTS = {"slot": "rig", "scene": "title"}
Row = dict[str, Any]
# tables whose rows are told by these columns, in an order in which none points at one that is not there yet
_TABLES: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("entity", ("id",)), ("plan", ("id",)), ("batch", ("plan_id", "number")), ("step", ("id",)), ("recording", ("id",)),
    ("span", ("id",)), ("pass", ("id",)), ("annotation", ("uid",)), ("dismissal", ("id",)), ("incident", ("id",)),
    ("still", ("id",)), ("profile", ("id",)),
)  # fmt: skip
_SHOWN = {
    "entity": "versions", "plan": "plans", "recording": "recordings", "pass": "passes",
    "annotation": "marks and overrules", "dismissal": "findings put aside", "incident": "incidents",
    "still": "stills", "profile": "profiles",
}  # fmt: skip


@dataclass(frozen=True)
class Met:
    """A rig or title of another notebook. kind, key, name : there; same : the key of what is the same here by a
    shared version, "" none; others : (key, name) of those here that it could be joined with."""

    kind: str
    key: str
    name: str
    same: str
    others: tuple[tuple[str, str], ...]


@dataclass
class Merged:
    """What came in. came, there : by table, rows that came and rows that were here already; left_out : rows that belong
    to nothing, with why; renamed : key there to key here."""

    came: dict[str, int] = field(default_factory=dict)
    there: dict[str, int] = field(default_factory=dict)
    left_out: list[str] = field(default_factory=list)
    renamed: dict[str, str] = field(default_factory=dict)

    @property
    def words(self) -> str:
        """In a sentence or two."""
        came = [f"{count:,} {_SHOWN[name]}" for name, count in self.came.items() if count and name in _SHOWN]
        there = sum(count for name, count in self.there.items() if name in _SHOWN)
        said = f"Came in: {', '.join(came)}." if came else "Nothing new came in."
        said += f" {there:,} rows were here already." if there else ""
        if self.renamed:
            said += f" Under a key of its own: {', '.join(f'{a} as {b}' for a, b in self.renamed.items())}."
        if self.left_out:
            said += f" Left out: {len(self.left_out)} rows, the first because {self.left_out[0]}."
        return said


class Other:
    """Another notebook, looked at in a copy: it is never written. Raises StoreError."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._folder = tempfile.TemporaryDirectory(prefix="hovrik-merge-")
        copy = Path(self._folder.name) / "other.hovrik"
        try:
            if not path.is_file():
                raise StoreError(f"{path} does not exist. Check the path.")
            self._copied(copy)
            self.notebook = Notebook(copy)
        except BaseException:
            self._folder.cleanup()
            raise

    def _copied(self, copy: Path) -> None:
        """The file with what its log holds, whatever its format."""
        source = sqlite3.connect(f"{self.path.resolve().as_uri()}?mode=ro", uri=True)
        target = sqlite3.connect(copy)
        try:
            source.backup(target)
        except UNREADABLE as fault:
            raise StoreError(f"{self.path.name} is not a notebook that can be read ({fault}).") from fault
        finally:
            target.close()
            source.close()

    def close(self) -> None:
        """Let go of the copy."""
        self.notebook.close()
        self._folder.cleanup()

    def __enter__(self) -> Other:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def met(own: Notebook, other: Notebook) -> list[Met]:
    """The rigs and titles of another notebook, each with what it is the same as, or could be joined with."""
    found = []
    for kind in JOINED_KINDS:
        here, keys = own.newest(kind), {entity.id: entity.key for entity in own.entities(kind)}
        for key, newest in other.newest(kind).items():
            shared = {entity.id for entity in other.history(kind, key)}
            same = next((own_key for id_, own_key in keys.items() if id_ in shared), "")
            others = tuple((k, str(e.body.get("name") or k)) for k, e in here.items())
            found.append(Met(kind, key, str(newest.body.get("name") or key), same, others))
    return found


def merge(
    own: Notebook, other: Notebook, joined: Mapping[tuple[str, str], str],
    wanted: Callable[[int, int], bool] = lambda done, total: True,
) -> Merged:  # fmt: skip
    """Take another notebook's rows in, all or nothing. joined : (kind, key there) to the key here that it is; what is
    not in it comes in as a thing of its own; wanted(done, total) : asked after each table, False ends it with nothing
    changed. Raises StoreError."""
    found = Merged()
    shared = {(one.kind, one.key): one.same for one in met(own, other) if one.same}
    keys = _keys(own, other, {**joined, **shared}, found)
    before = {kind: own.newest(kind) for kind in ("rig", "slot", "title", "scene")}
    with own.writing() as connection:
        for number, (table, names) in enumerate(_TABLES):
            _take(connection, other, table, names, keys, found)
            if table == "recording":
                _take_series(connection, other)
            if not wanted(number + 1, len(_TABLES)):
                raise StoreError("It was stopped. Nothing was taken in.")
        for kind, newest in before.items():  # what was newest here stays it
            for key, entity in newest.items():
                now = connection.execute(
                    "SELECT id FROM entity WHERE kind = ? AND key = ? ORDER BY seq DESC LIMIT 1", (kind, key)
                ).fetchone()
                if now is not None and now[0] != entity.id:
                    insert(connection, kind, key, entity.parent, dump(entity.body), time.time_ns())
        if connection.execute("PRAGMA foreign_key_check").fetchone() is not None:
            raise StoreError(f"{other.path.name} has rows that belong to nothing. Nothing was taken in.")
    return found


def _keys(
    own: Notebook, other: Notebook, joined: Mapping[tuple[str, str], str], found: Merged
) -> dict[tuple[str, str], str]:
    """Key here of every rig and title there that has another one."""
    keys = {}
    for kind in JOINED_KINDS:
        taken = set(own.newest(kind)) | set(other.newest(kind))
        for key in other.newest(kind):
            here = joined.get((kind, key))
            if here is None and key in own.newest(kind):
                here = next(made for n in range(2, 10_000) if (made := f"{key}-{n}") not in taken)
                taken.add(here)
                found.renamed[key] = here
            if here is not None and here != key:
                keys[kind, key] = here
    return keys


def _moved(keys: Mapping[tuple[str, str], str], kind: str, key: str) -> str:
    """The key here of a rig, slot, title or scene there."""
    whole = _PARTS.get(kind, kind)
    head, slash, rest = key.partition("/") if kind in _PARTS else (key, "", "")
    return f"{keys.get((whole, head), head)}{slash}{rest}"


def _rows(other: Notebook, table: str) -> list[Row]:
    columns = [row[1] for row in other.read_rows(f"PRAGMA table_info({table})")]
    order = "ORDER BY seq" if "seq" in columns else ""
    return [dict(zip(columns, row)) for row in other.read_rows(f"SELECT * FROM {table} {order}")]


def _take(
    connection: sqlite3.Connection, other: Notebook, table: str, names: Sequence[str],
    keys: Mapping[tuple[str, str], str], found: Merged,
) -> None:  # fmt: skip
    columns = ", ".join(names)
    here = {tuple(row) for row in connection.execute(f"SELECT {columns} FROM {table}")}
    known = {row[1] for row in connection.execute(f"PRAGMA table_info({table})")} - {"seq"}
    came = 0
    for row in _rows(other, table):
        if tuple(row[name] for name in names) in here:
            found.there[table] = found.there.get(table, 0) + 1
            continue
        row = {name: value for name, value in row.items() if name in known}
        try:
            _re_keyed(table, row, keys)
            marks = ", ".join("?" * len(row))
            connection.execute(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({marks})", tuple(row.values()))
        except (ValueError, TypeError, AttributeError, sqlite3.IntegrityError) as fault:
            found.left_out.append(f"{table} {row[names[0]]}: {fault}")
            continue
        came += 1
    found.came[table] = came


def _re_keyed(table: str, row: Row, keys: Mapping[tuple[str, str], str]) -> None:
    """A row with the keys that its things have here; its checksum is that of what it says then."""
    if not keys:
        return
    if table == "entity":
        kind, key = row["kind"], row["key"]
        row["key"] = _moved(keys, kind, key)
        if row["key"] != key and kind in JOINED_KINDS:
            row["body"] = dump({**json.loads(row["body"]), "key": row["key"]})
        if row["checksum"] is not None:
            row["checksum"] = seal(row["id"], kind, row["key"], row["parent"], row["body"], row["noted_at"])
    elif table == "pass":
        for kind in ("rig", "slot", "title", "scene"):
            row[f"{kind}_key"] = _moved(keys, kind, row[f"{kind}_key"])
    elif table == "plan":
        row["body"] = dump(_plan_body(json.loads(row["body"]), keys))
    elif table == "profile":
        body = json.loads(row["body"])
        for kind in ("rig", "title"):
            row[f"{kind}_key"] = _moved(keys, kind, row[f"{kind}_key"])
            if isinstance(body.get(kind), str):
                body[kind] = _moved(keys, kind, body[kind])
        row["body"] = dump(body)
        if row["checksum"] is not None:
            row["checksum"] = seal(row["id"], row["body"])


def _plan_body(body: Any, keys: Mapping[tuple[str, str], str]) -> Any:
    question = body.get("question") or {}
    place = question.get("place")
    if isinstance(place, dict):
        for kind in JOINED_KINDS:
            place[f"{kind}s"] = [_moved(keys, kind, str(one)) for one in place.get(f"{kind}s") or []]
    return body


def _take_series(connection: sqlite3.Connection, other: Notebook) -> None:
    """The series of recordings that came in, with their clocks under new numbers."""
    have = {row[0] for row in connection.execute("SELECT DISTINCT recording_id FROM clock")}
    numbers: dict[int, int] = {}
    for row in _rows(other, "clock"):
        if row["recording_id"] in have:
            continue
        cursor = connection.execute(
            "INSERT INTO clock (recording_id, count, data, checksum) VALUES (?, ?, ?, ?)",
            (row["recording_id"], row["count"], row["data"], row["checksum"]),
        )
        numbers[row["seq"]] = int(cursor.lastrowid or 0)
    for row in _rows(other, "series"):
        if row["clock"] in numbers:
            connection.execute(
                "INSERT INTO series (recording_id, channel, clock, data, checksum) VALUES (?, ?, ?, ?, ?)",
                (row["recording_id"], row["channel"], numbers[row["clock"]], row["data"], row["checksum"]),
            )
