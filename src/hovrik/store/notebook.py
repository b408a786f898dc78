"""The notebook: one file that holds everything a user measured, decided and asked.

Passes, their series and the versions they ran under are append-only; what is thought of them is annotation rows
that can be undone; what is computed from them is a cache.
"""

from __future__ import annotations

import json
import os
import sqlite3
import time
import uuid
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.errors import Locked, StoreError
from ..core.facts import condition
from ..core.facts.incident import Incident, IncidentKind
from ..core.facts.setup import Setup, Snapshot
from ..core.passes.record import Origin, Outcome, PassRecord
from ..core.passes.trace import FRAMES, Channel, Trace
from .database import WriterLock, connect, prepare

CHUNK = 65_536
CONTEXT = ("rig", "slot", "title", "scene")


def default_path() -> Path:
    """The user's notebook by the XDG base directories; the folder is made on first write."""
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "hovrik" / "notebook.hovrik"


@dataclass(frozen=True)
class Entity:
    """An immutable version of a rig, slot, title or scene. key : stable over versions."""

    id: str
    kind: str
    key: str
    parent: str | None
    body: dict[str, Any]
    noted_at: int


@dataclass(frozen=True)
class JournalEntry:
    """A run whose snapshot is not confirmed back on the machine."""

    id: str
    plan_id: str
    machine: dict[str, Any]
    snapshot: Snapshot
    position: int


@dataclass(frozen=True)
class Annotation:
    """A verdict, mark, overrule or deletion of a pass that has not been undone."""

    uid: str
    kind: str
    body: dict[str, Any]
    noted_at: int


class Notebook:
    """An open notebook.

    read_only : another instance writes it, or its folder cannot be written; why_read_only says which.
    Connections belong to the thread that made the notebook; `sibling` gives a worker one of its own.
    """

    def __init__(self, path: Path, *, read_only: bool = False, lock: WriterLock | None = None) -> None:
        self.path = path
        self.why_read_only = "asked for" if read_only else ""
        self._lock = lock
        self._owns_lock = False
        if not read_only and lock is None:
            read_only = not self._take_lock()
        elif read_only and not path.exists():
            raise StoreError(f"{path} does not exist. Check the path.")
        self.read_only = read_only
        try:
            self._connection = connect(path, read_only=read_only)
            prepare(self._connection, path, read_only=read_only)
        except BaseException:
            self._release()
            raise

    def _take_lock(self) -> bool:
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            lock = WriterLock(self.path)
            lock.take()
            if self.path.exists() and not os.access(self.path, os.W_OK):
                lock.release()
                raise StoreError(f"{self.path.name} cannot be written.")
            self._lock, self._owns_lock = lock, True
            return True
        except (Locked, StoreError, OSError) as fault:
            if not self.path.exists():
                raise StoreError(f"{self.path} cannot be made: {fault}") from fault
            self.why_read_only = str(fault)
            return False

    def sibling(self) -> Notebook:
        """Another connection to the same notebook under the same lock, for a worker thread."""
        return Notebook(self.path, read_only=self.read_only, lock=self._lock or WriterLock(self.path))

    def close(self) -> None:
        """Close the connection; the first notebook also lets go of the lock."""
        self._connection.close()
        self._release()

    def _release(self) -> None:
        if self._owns_lock and self._lock is not None:
            self._lock.release()
            self._owns_lock = False

    def __enter__(self) -> Notebook:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction: all or nothing. Raises StoreError where the disk refuses; nothing is half written."""
        if self.read_only:
            raise StoreError(f"{self.path.name} is open for reading only: {self.why_read_only}")
        try:
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield self._connection
                self._connection.execute("COMMIT")
            except BaseException:
                if self._connection.in_transaction:
                    self._connection.execute("ROLLBACK")
                raise
        except sqlite3.DatabaseError as fault:
            raise StoreError(
                f"{self.path.name} cannot be written: {fault}. Everything stored before is safe; "
                "free some disk space or check the folder."
            ) from fault

    def read_rows(self, query: str, *values: Any) -> list[tuple[Any, ...]]:
        """Rows of a query. Raises StoreError where the file cannot be read."""
        try:
            return self._connection.execute(query, values).fetchall()
        except sqlite3.DatabaseError as fault:
            raise StoreError(f"{self.path.name} cannot be read: {fault}.") from fault

    def revision(self) -> int:
        """A number that changes whenever any connection changes the file's contents that this one can see."""
        return int(self.read_rows("PRAGMA data_version")[0][0])

    # -- versions of rigs, slots, titles, scenes

    def note(self, kind: str, key: str, body: Mapping[str, Any], parent: str | None = None) -> str:
        """The id of the version with this body: the newest one where it is unchanged, else a new row."""
        text = _dump(body)
        newest = self.read_rows(
            "SELECT id, body, parent FROM entity WHERE kind = ? AND key = ? ORDER BY noted_at DESC, rowid DESC LIMIT 1",
            kind, key,
        )  # fmt: skip
        if newest and newest[0][1] == text and newest[0][2] == parent:
            return str(newest[0][0])
        made = str(uuid.uuid4())
        with self.writing() as connection:
            connection.execute(
                "INSERT INTO entity VALUES (?, ?, ?, ?, ?, ?)", (made, kind, key, parent, text, time.time_ns())
            )
        return made

    def entities(self, kind: str | None = None) -> list[Entity]:
        """Every version, oldest first."""
        rows = self.read_rows(
            "SELECT id, kind, key, parent, body, noted_at FROM entity"
            + (" WHERE kind = ?" if kind else "")
            + " ORDER BY noted_at, rowid",
            *([kind] if kind else []),
        )
        return [Entity(i, k, key, parent, json.loads(body), at) for i, k, key, parent, body, at in rows]

    def newest(self, kind: str) -> dict[str, Entity]:
        """Newest version by key."""
        return {entity.key: entity for entity in self.entities(kind)}

    # -- plans and journal

    def keep_plan(self, body: Mapping[str, Any]) -> str:
        """Store a plan; its id."""
        made = str(uuid.uuid4())
        with self.writing() as connection:
            connection.execute("INSERT INTO plan VALUES (?, ?, ?)", (made, _dump(body), time.time_ns()))
        return made

    def plan(self, plan_id: str) -> dict[str, Any]:
        """A stored plan. Raises StoreError where there is none."""
        rows = self.read_rows("SELECT body FROM plan WHERE id = ?", plan_id)
        if not rows:
            raise StoreError(f"Plan {plan_id} is not in {self.path.name}.")
        found: dict[str, Any] = json.loads(rows[0][0])
        return found

    def plans(self) -> list[tuple[str, dict[str, Any], int]]:
        """(id, body, UTC ns) of every plan, newest first."""
        rows = self.read_rows("SELECT id, body, noted_at FROM plan ORDER BY noted_at DESC, rowid DESC")
        return [(i, json.loads(body), at) for i, body, at in rows]

    def begin_run(self, plan_id: str, machine: Mapping[str, Any], snapshot: Snapshot) -> str:
        """Store the snapshot before the first Apply; the journal entry's id. An open entry of the same machine is
        taken over: its snapshot, older and so the true one, stays."""
        open_entry = next((e for e in self.open_runs() if e.machine == dict(machine)), None)
        if open_entry is not None and open_entry.plan_id == plan_id:
            return open_entry.id
        kept = open_entry.snapshot if open_entry is not None else snapshot
        made = str(uuid.uuid4())
        with self.writing() as connection:
            if open_entry is not None:
                connection.execute("UPDATE journal SET restored_at = ? WHERE id = ?", (time.time_ns(), open_entry.id))
            connection.execute(
                "INSERT INTO journal (id, plan_id, machine, snapshot, began_at) VALUES (?, ?, ?, ?, ?)",
                (made, plan_id, _dump(machine), _dump(kept.as_dict()), time.time_ns()),
            )
        return made

    def run_at(self, run_id: str, position: int) -> None:
        """Store which planned pass is about to be made."""
        with self.writing() as connection:
            connection.execute("UPDATE journal SET position = ? WHERE id = ?", (position, run_id))

    def end_run(self, run_id: str) -> None:
        """The snapshot is back, or the user chose to leave the machine as it is."""
        with self.writing() as connection:
            connection.execute("UPDATE journal SET restored_at = ? WHERE id = ?", (time.time_ns(), run_id))

    def open_runs(self) -> list[JournalEntry]:
        """Runs whose machine was not confirmed to be put back."""
        rows = self.read_rows(
            "SELECT id, plan_id, machine, snapshot, position FROM journal WHERE restored_at IS NULL ORDER BY began_at"
        )
        return [
            JournalEntry(i, plan, json.loads(machine), Snapshot.from_dict(json.loads(snap)), position)
            for i, plan, machine, snap, position in rows
        ]

    def done_indices(self, plan_id: str) -> frozenset[int]:
        """Planned passes that are kept, were not cut short and are not deleted."""
        rows = self.read_rows("SELECT id, plan_index FROM pass WHERE plan_id = ? AND outcome <> 'aborted'", plan_id)
        gone = self.taken_out()
        return frozenset(index for i, index in rows if i not in gone and index is not None)

    # -- passes

    def keep(self, record: PassRecord) -> None:
        """Store a pass with its series in one transaction. Raises StoreError; then nothing of it is there."""
        trace = record.trace
        with self.writing() as connection:
            connection.execute(
                "INSERT INTO pass VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    record.id, record.plan_id, record.plan_index, *(record.context[k] for k in CONTEXT),
                    record.origin.value, record.purpose, record.outcome.value, record.reason,
                    _dump(record.asked.as_dict()), _dump(record.read.as_dict()),
                    _dump(condition.to_plain(record.conditions)), _dump(record.summary), record.started_ns,
                    trace.start_ns if trace else 0, trace.end_ns if trace else 0, time.time_ns(),
                ),
            )  # fmt: skip
            if trace is not None:
                for name, stamps, values in _series(trace):
                    for number, low in enumerate(range(0, stamps.size, CHUNK)):
                        part = slice(low, low + CHUNK)
                        connection.execute(
                            "INSERT INTO chunk VALUES (?, ?, ?, ?, ?, ?)",
                            (
                                record.id, name, number, stamps[part].size, stamps[part].astype("<i8").tobytes(),
                                None if values is None else values[part].astype("<f8").tobytes(),
                            ),
                        )  # fmt: skip

    def passes(self) -> list[PassRecord]:
        """Every pass without its series (trace None even where there is one), oldest first."""
        return [self._record(row, with_trace=False) for row in self.read_rows(f"{_PASS} ORDER BY noted_at, rowid")]

    def taken_out(self) -> set[str]:
        """Ids of passes that the user took out."""
        return {i for i, notes in self.annotations().items() if any(n.kind == "deletion" for n in notes)}

    def has_passes(self) -> bool:
        """Whether there is any pass."""
        return bool(self.read_rows("SELECT 1 FROM pass LIMIT 1"))

    def load(self, pass_id: str) -> PassRecord:
        """One pass in full, its marks as annotated. Raises StoreError where there is none."""
        rows = self.read_rows(f"{_PASS} WHERE id = ?", pass_id)
        if not rows:
            raise StoreError(f"Pass {pass_id} is not in {self.path.name}.")
        return self._record(rows[0], with_trace=True)

    def _record(self, row: tuple[Any, ...], *, with_trace: bool) -> PassRecord:
        (
            pass_id, plan_id, plan_index, rig, slot, title, scene, origin, purpose, outcome, reason, asked, read,
            conditions, summary, started, start, end,
        ) = row  # fmt: skip
        trace = self._trace(pass_id, start, end) if with_trace else None
        return PassRecord(
            pass_id, {"rig": rig, "slot": slot, "title": title, "scene": scene}, Setup(json.loads(asked)),
            Setup(json.loads(read)), condition.from_plain(json.loads(conditions)), trace, Origin(origin),
            Outcome(outcome), reason, purpose, plan_id, plan_index, started, json.loads(summary),
        )  # fmt: skip

    def _trace(self, pass_id: str, start_ns: int, end_ns: int) -> Trace | None:
        rows = self.read_rows(
            "SELECT channel, stamps, samples FROM chunk WHERE pass_id = ? ORDER BY channel, number", pass_id
        )
        if not rows:
            return None
        stamps: dict[str, list[bytes]] = defaultdict(list)
        values: dict[str, list[bytes]] = defaultdict(list)
        for name, one, two in rows:
            stamps[name].append(one)
            values[name].append(two or b"")
        channels = {
            name: Channel(_from_bytes(stamps[name], "<i8", np.int64), _from_bytes(values[name], "<f8", np.float64))
            for name in stamps
            if name != FRAMES
        }
        for mark in self.annotations(pass_id).get(pass_id, []):
            if mark.kind == "mark":
                start_ns, end_ns = mark.body["start_ns"], mark.body["end_ns"]
        frames = _from_bytes(stamps.get(FRAMES, []), "<i8", np.int64)
        return Trace(frames, channels, start_ns, end_ns)

    # -- annotations

    def annotate(self, pass_id: str, kind: str, body: Mapping[str, Any]) -> str:
        """Add a verdict, mark, overrule or deletion; its uid."""
        made = str(uuid.uuid4())
        with self.writing() as connection:
            connection.execute(
                "INSERT INTO annotation (uid, pass_id, kind, body, noted_at) VALUES (?, ?, ?, ?, ?)",
                (made, pass_id, kind, _dump(body), time.time_ns()),
            )
        return made

    def undo_annotation(self, pass_id: str, uid: str) -> str:
        """Undo an annotation by a further row; undoing that row's uid brings it back."""
        return self.annotate(pass_id, "undo", {"uid": uid})

    def annotations(self, pass_id: str | None = None) -> dict[str, list[Annotation]]:
        """Annotations in force by pass, oldest first."""
        rows = self.read_rows(
            "SELECT pass_id, uid, kind, body, noted_at FROM annotation"
            + (" WHERE pass_id = ?" if pass_id else "")
            + " ORDER BY id",
            *([pass_id] if pass_id else []),
        )
        undone: set[str] = set()
        for _, uid, kind, body, _ in reversed(rows):  # a later undo may undo an undo
            if kind == "undo" and uid not in undone:
                undone.add(json.loads(body)["uid"])
        found: dict[str, list[Annotation]] = defaultdict(list)
        for owner, uid, kind, body, at in rows:
            if kind != "undo" and uid not in undone:
                found[owner].append(Annotation(uid, kind, json.loads(body), at))
        return dict(found)

    def annotation_counts(self) -> dict[str, int]:
        """Rows by pass, verdicts left out: the revision that cached figures belong to."""
        rows = self.read_rows("SELECT pass_id, count(*) FROM annotation WHERE kind <> 'verdict' GROUP BY pass_id")
        return {str(owner): int(count) for owner, count in rows}

    # -- incidents

    def note_incident(self, incident: Incident) -> str:
        """Store an incident; its id."""
        made = incident.id or str(uuid.uuid4())
        body = {"phase": incident.phase, "note": incident.note}
        self._insert_incident(made, incident.kind.value, incident.context, incident.setup.as_dict(), body)
        return made

    def take_back_incident(self, incident: Incident) -> None:
        """Take an incident back by a further row."""
        self._insert_incident(str(uuid.uuid4()), "taken back", incident.context, {}, {"id": incident.id})

    def _insert_incident(
        self, made: str, kind: str, context: Mapping[str, str], setup: Mapping[str, Any], body: Mapping[str, Any]
    ) -> None:
        with self.writing() as connection:
            connection.execute(
                "INSERT INTO incident VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (made, kind, *(context[k] for k in CONTEXT), _dump(setup), _dump(body), time.time_ns()),
            )

    def incidents(self) -> list[Incident]:
        """Incidents in force, oldest first."""
        rows = self.read_rows(
            "SELECT id, kind, rig, slot, title, scene, setup, body, noted_at FROM incident ORDER BY noted_at, rowid"
        )
        gone = {json.loads(row[7])["id"] for row in rows if row[1] == "taken back"}
        return [
            Incident(
                i,
                IncidentKind(kind),
                dict(zip(CONTEXT, context)),
                Setup(json.loads(setup)),
                at_ns=at,
                **json.loads(body),
            )
            for i, kind, *context, setup, body, at in rows
            if kind != "taken back" and i not in gone
        ]

    # -- cache

    def cached(self, algorithm: str, version: int) -> dict[str, dict[str, Any]]:
        """Cached bodies by pass that are of this version and of the pass's present revision."""
        counts = self.annotation_counts()
        rows = self.read_rows(
            "SELECT pass_id, revision, body FROM derived WHERE algorithm = ? AND version = ?", algorithm, version
        )
        return {i: json.loads(body) for i, revision, body in rows if revision == counts.get(i, 0)}

    def cache(self, algorithm: str, version: int, bodies: Mapping[str, Mapping[str, Any]]) -> None:
        """Store derived bodies by pass; a read-only notebook keeps none."""
        if self.read_only or not bodies:
            return
        counts = self.annotation_counts()
        with self.writing() as connection:
            connection.executemany(
                "INSERT OR REPLACE INTO derived VALUES (?, ?, ?, ?, ?)",
                [(i, algorithm, version, counts.get(i, 0), _dump(body)) for i, body in bodies.items()],
            )

    # -- profiles and state

    def keep_profile(self, keys: Sequence[str], body: Mapping[str, Any]) -> str:
        """Store a profile for (rig, slot, title, source); its id. The former one is marked as replaced."""
        made, now = str(uuid.uuid4()), time.time_ns()
        with self.writing() as connection:
            connection.execute(
                "UPDATE profile SET removed_at = ? WHERE rig_key = ? AND slot_key = ? AND title_key = ? "
                "AND source = ? AND removed_at IS NULL",
                (now, *keys),
            )
            connection.execute(
                "INSERT INTO profile VALUES (?, ?, ?, ?, ?, ?, ?, NULL)", (made, *keys, _dump(body), now)
            )
        return made

    def remove_profile(self, profile_id: str, *, removed: bool = True) -> None:
        """Take a profile off the shelf, or put it back."""
        with self.writing() as connection:
            connection.execute(
                "UPDATE profile SET removed_at = ? WHERE id = ?", (time.time_ns() if removed else None, profile_id)
            )

    def profiles(self) -> list[tuple[str, dict[str, Any]]]:
        """(id, body) of the profiles in force, newest first."""
        rows = self.read_rows("SELECT id, body FROM profile WHERE removed_at IS NULL ORDER BY noted_at DESC")
        return [(i, json.loads(body)) for i, body in rows]

    def get_state(self, key: str) -> Any:
        """A remembered value, or None."""
        rows = self.read_rows("SELECT body FROM state WHERE key = ?", key)
        return json.loads(rows[0][0]) if rows else None

    def set_state(self, key: str, body: Any) -> None:
        """Remember a value; silently not on a read-only notebook, where nothing is lost by it."""
        if self.read_only:
            return
        with self.writing() as connection:
            connection.execute("INSERT OR REPLACE INTO state VALUES (?, ?)", (key, _dump(body)))


_PASS = (
    "SELECT id, plan_id, plan_index, rig, slot, title, scene, origin, purpose, outcome, reason, asked, read, "
    "conditions, summary, started_ns, start_ns, end_ns FROM pass"
)


def _dump(body: Any) -> str:
    return json.dumps(body, ensure_ascii=False, sort_keys=True, allow_nan=False)


def _series(trace: Trace) -> Iterator[tuple[str, NDArray[np.int64], NDArray[np.float64] | None]]:
    yield FRAMES, trace.frames_ns, None
    for name, channel in trace.channels.items():
        yield name, channel.stamps_ns, channel.values


def _from_bytes(parts: list[bytes], layout: str, kind: Any) -> NDArray[Any]:
    return np.frombuffer(b"".join(parts), layout).astype(kind)
