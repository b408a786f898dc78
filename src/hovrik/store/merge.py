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
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..core.errors import StoreError
from ..disk.reading import name_of
from .database import UNREADABLE, connect
from .notebook import Notebook
from .opened import dump
from .sealed import COLUMNS, sound, why_not
from .sealed import insert as insert_sealed
from .sound import WRONG
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
# what hangs on what: columns of a table that name a row of another
_HANGS: Mapping[str, tuple[tuple[str, str], ...]] = {
    "entity": (("parent", "entity"),), "batch": (("plan_id", "plan"),), "step": (("plan_id", "plan"),),
    "span": (("recording_id", "recording"),), "annotation": (("pass_id", "pass"),), "still": (("pass_id", "pass"),),
    "pass": (("plan_id", "plan"), ("recording_id", "recording"), ("rig", "entity"), ("slot", "entity"),
             ("title", "entity"), ("scene", "entity")),
    "incident": (("rig", "entity"), ("slot", "entity"), ("title", "entity"), ("scene", "entity")),
}  # fmt: skip
MOST_ROWS = 2_000_000
AT_ONCE = 200  # rows that are read before whoever waits is asked whether to go on
PAGES = 2000  # of a file that are copied before the same
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
    """Another notebook, looked at in a copy: it is never written. wanted() : asked while it is copied, False ends it.
    Raises StoreError."""

    def __init__(self, path: Path, wanted: Callable[[], bool] = lambda: True) -> None:
        self.path = path
        self._folder = tempfile.TemporaryDirectory(prefix="hovrik-merge-")
        copy = Path(self._folder.name) / "other.hovrik"
        try:
            if not path.is_file():
                raise StoreError(f"{name_of(path)} does not exist, or is no file. Check the path.")
            self._copied(copy, wanted)
            try:
                self.notebook = Notebook(copy, keep_former=False)
            except StoreError as fault:  # the copy has a name that nobody gave it
                raise type(fault)(str(fault).replace(copy.name, name_of(path))) from fault
        except BaseException:
            self._folder.cleanup()
            raise

    def _copied(self, copy: Path, wanted: Callable[[], bool]) -> None:
        """The file with what its log holds, whatever its format."""
        source = connect(self.path, read_only=True)
        target = sqlite3.connect(copy)

        def going(_status: int, _left: int, _total: int) -> None:
            if not wanted():
                raise StoreError("It was stopped. Nothing was taken in.")

        try:
            source.backup(target, pages=PAGES, progress=going)
        except UNREADABLE as fault:
            raise StoreError(f"{name_of(self.path)} is not a notebook that can be read ({fault}).") from fault
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
        for key, newest in {entity.key: entity for entity in other.entities(kind)}.items():
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
    not in it comes in as a thing of its own; wanted(done, total) : asked after each table and all along its rows, False
    ends it with nothing changed. A row that is not as it was sealed there is left out and told, and so is what
    hangs on it. Raises StoreError, as where there are too many rows."""
    found = Merged()
    taking = _Taking(own, other, found, wanted)
    taking.count()
    shared = {(one.kind, one.key): one.same for one in met(own, other) if one.same}
    keys = _keys(own, other, {**joined, **shared}, found)
    before = {kind: own.newest(kind) for kind in ("rig", "slot", "title", "scene")}
    with own.writing() as connection:
        for number, (table, names) in enumerate(_TABLES):
            taking.at = number
            taking.take(connection, table, names, keys)
            if table == "recording":
                taking.take_series(connection)
            taking.go_on(number + 1)
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
        theirs = dict.fromkeys(entity.key for entity in other.entities(kind))  # one that is spoiled lends no name
        taken = set(own.newest(kind)) | set(theirs)
        for key in theirs:
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


@dataclass
class _Taking:
    """A merge under way. at : number of the table; left_out : by table, names of rows that did not come; damaged :
    recordings there whose series are not as they were stored."""

    own: Notebook
    other: Notebook
    found: Merged
    wanted: Callable[[int, int], bool]
    at: int = 0
    left_out: dict[str, set[str]] = field(default_factory=dict)
    damaged: dict[str, str] = field(default_factory=dict)

    def go_on(self, done: int) -> None:
        """Raises StoreError where nobody wants it any more."""
        if not self.wanted(done, len(_TABLES)):
            raise StoreError("It was stopped. Nothing was taken in.")

    def count(self) -> None:
        """Raises StoreError where there are more rows than a notebook that anybody made holds."""
        tables = [*(name for name, _ in _TABLES), "clock", "series"]
        rows = sum(int(self.other.read_rows(f"SELECT count(*) FROM {name}")[0][0]) for name in tables)
        if rows > MOST_ROWS:
            raise StoreError(
                f"{self.other.path.name} holds {rows:,} rows; up to {MOST_ROWS:,} are taken in. Nothing was taken in."
            )
        self.damaged = self.other.damaged_recordings(lambda: self.wanted(0, len(_TABLES)))

    def rows(self, table: str) -> Iterator[Row]:
        """Rows there, some at a time, each with whether it is as it was sealed (column "fine")."""
        columns = [row[1] for row in self.other.read_rows(f"PRAGMA table_info({table})")]
        fine = sound(table) if table in COLUMNS else "1"
        order = "seq" if "seq" in columns else "rowid"
        after = -(2**62)
        while True:
            some = self.other.read_rows(
                f"SELECT {order}, *, {fine} FROM {table} WHERE {order} > ? ORDER BY {order} LIMIT {AT_ONCE}", after
            )
            if not some:
                return
            for number, *values in some:
                yield dict(zip([*columns, "fine"], values))
                after = number
            self.go_on(self.at)

    def why_not(self, table: str, row: Row) -> str:
        """Why a row does not come in, "" where it does."""
        if row["fine"] != 1:
            return why_not(row["fine"])
        if table == "recording" and row["id"] in self.damaged:
            return self.damaged[row["id"]]
        for column, other in _HANGS.get(table, ()):
            if row[column] is not None and str(row[column]) in self.left_out.get(other, ()):
                return f"the {other} that it hangs on was left out"
        return ""

    def leave_out(self, table: str, name: Any, why: str) -> None:
        """Name a row that does not come."""
        self.left_out.setdefault(table, set()).add(str(name))
        self.found.left_out.append(f"{table} {str(name)[:8]}: {why}")

    def take(
        self, connection: sqlite3.Connection, table: str, names: Sequence[str], keys: Mapping[tuple[str, str], str]
    ) -> None:
        """The rows of a table that are not here yet."""
        here = {tuple(row) for row in connection.execute(f"SELECT {', '.join(names)} FROM {table}")}
        columns = {row[1] for row in connection.execute(f"PRAGMA table_info({table})")} - {"seq", "checksum"}
        came = 0
        for row in self.rows(table):
            if tuple(row[name] for name in names) in here:
                self.found.there[table] = self.found.there.get(table, 0) + 1
                continue
            why = self.why_not(table, row)
            if why:
                self.leave_out(table, row[names[0]], why)
                continue
            made = {name: value for name, value in row.items() if name in columns}
            try:
                _re_keyed(table, made, keys)
                insert_sealed(connection, table, made)
            except (*WRONG, sqlite3.IntegrityError) as fault:
                self.leave_out(table, row[names[0]], str(fault))
                continue
            came += 1
        self.found.came[table] = came

    def take_series(self, connection: sqlite3.Connection) -> None:
        """The series of recordings that came in, with their clocks under new numbers."""
        have = {row[0] for row in connection.execute("SELECT DISTINCT recording_id FROM clock")}
        missing = {str(one) for one in self.left_out.get("recording", ())}
        numbers: dict[int, int] = {}
        for row in self.rows("clock"):
            if row["recording_id"] in have or row["recording_id"] in missing:
                continue
            cursor = connection.execute(
                "INSERT INTO clock (recording_id, count, data, checksum) VALUES (?, ?, ?, ?)",
                (row["recording_id"], row["count"], row["data"], row["checksum"]),
            )
            numbers[row["seq"]] = int(cursor.lastrowid or 0)
        for row in self.rows("series"):
            if row["clock"] in numbers:
                connection.execute(
                    "INSERT INTO series (recording_id, channel, clock, data, checksum) VALUES (?, ?, ?, ?, ?)",
                    (row["recording_id"], row["channel"], numbers[row["clock"]], row["data"], row["checksum"]),
                )


def _re_keyed(table: str, row: Row, keys: Mapping[tuple[str, str], str]) -> None:
    """A row with the keys that its things have here; its checksum is that of what it says then."""
    if not keys:
        return
    if table == "entity":
        kind, key = row["kind"], row["key"]
        row["key"] = _moved(keys, kind, key)
        if row["key"] != key and kind in JOINED_KINDS:
            row["body"] = dump({**json.loads(row["body"]), "key": row["key"]})
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


def _plan_body(body: Any, keys: Mapping[tuple[str, str], str]) -> Any:
    question = body.get("question") or {}
    place = question.get("place")
    if isinstance(place, dict):
        for kind in JOINED_KINDS:
            place[f"{kind}s"] = [_moved(keys, kind, str(one)) for one in place.get(f"{kind}s") or []]
    return body
