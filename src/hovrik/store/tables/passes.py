"""Passes: spans of recordings with what they were made at."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from ...core.errors import StoreError
from ...core.facts import condition
from ...core.facts.setup import Setup
from ...core.passes.record import End, Origin, PassRecord
from ...core.passes.recording import Recording
from ...core.passes.trace import Trace
from ..opened import dump
from ..packing import MOST_NS
from ..sealed import insert as insert_sealed
from ..sealed import sound
from ..sound import WRONG, check_text, conditions_of, setup_of, summary_of
from .notes import Notes
from .series import Series, insert, pack
from .versions import CONTEXT, freeze

LOG_PART = "log_part"
_COLUMNS = (
    "id, plan_id, plan_index, step_id, recording_id, from_ns, to_ns, start_ns, end_ns, rig, slot, title, scene, "
    "origin, purpose, outcome, reason, asked, read, conditions, summary, started_ns"
)


@dataclass(frozen=True)
class PassQuery:
    """What passes to read: keys of the rig, slot, title and scene and the source, None any; `after` : only those
    stored after this sequence number."""

    rig: str | None = None
    slot: str | None = None
    title: str | None = None
    scene: str | None = None
    source: str | None = None
    purpose: str | None = None
    after: int = 0

    def since(self, after: int) -> PassQuery:
        """The same, of those stored after this sequence number."""
        return replace(self, after=after)

    def query(self) -> tuple[str, list[Any]]:
        """The condition and its values; passes whose source is not noted belong to any."""
        parts, values = ["seq > ?"], [self.after]
        for name in (*CONTEXT, "source", "purpose"):
            wanted = getattr(self, name)
            if wanted is not None:
                column = f"{name}_key" if name in CONTEXT else name
                parts.append(f"({column} = ? OR {column} IS NULL)" if name == "source" else f"{column} = ?")
                values.append(wanted)
        return " AND ".join(parts), values


class Passes(Series, Notes):
    """What was measured; never changed."""

    def keep(self, record: PassRecord) -> None:
        """Store a pass with its recording in one transaction. Raises StoreError; then nothing of it is there."""
        recording, packed = record.recording, None
        if recording is None and record.trace is not None:
            recording = Recording(record.id, record.trace)
        if recording is not None and not self.has_recording(recording.id):
            packed = pack(recording)
        conditions, trace = condition.to_plain(record.conditions), record.trace
        ids = [record.context[kind] for kind in CONTEXT]
        values = (
            record.id, record.plan_id, record.plan_index, record.step_id,
            recording.id if recording is not None else None, *record.within,
            trace.start_ns if trace else 0, trace.end_ns if trace else 0, *ids, record.origin.value,
            record.purpose, record.outcome.value, record.reason, dump(record.asked.as_dict()),
            dump(record.read.as_dict()), dump(conditions), dump(record.summary), record.started_ns,
        )  # fmt: skip
        row = dict(zip(_COLUMNS.split(", "), values, strict=True))
        row |= {"source": _value(conditions, "source"), "log_part": _value(conditions, LOG_PART)}
        with self.writing() as connection:
            if packed is not None:
                insert(connection, packed)
            freeze(connection, ids)
            for kind, own in zip(CONTEXT, ids):  # a version that is not there fails the foreign key
                found = connection.execute("SELECT key FROM entity WHERE id = ?", (own,)).fetchone()
                row[f"{kind}_key"] = found[0] if found else ""
            insert_sealed(connection, "pass", {**row, "noted_at": time.time_ns()})

    def passes(self, where: PassQuery = PassQuery()) -> list[PassRecord]:
        """Passes without their series (trace None even where there is one), oldest first."""
        condition_, values = where.query()
        rows = self.read_rows(f"SELECT {_COLUMNS}, {sound('pass')} FROM pass WHERE {condition_} ORDER BY seq", *values)
        return self.each_sealed("pass", rows, _record)

    def passes_after(self, after: int) -> int:
        """How many passes were stored after a sequence number."""
        return int(self.read_rows("SELECT count(*) FROM pass WHERE seq > ?", after)[0][0])

    def newest_pass(self) -> int:
        """Sequence number of the newest pass, 0 for none."""
        return int(self.read_rows("SELECT coalesce(max(seq), 0) FROM pass")[0][0])

    def places(self) -> list[tuple[str, str, str, str, str | None]]:
        """(rig, slot, title, scene, source), each once, at which there are passes."""
        return [
            tuple(row)
            for row in self.read_rows("SELECT DISTINCT rig_key, slot_key, title_key, scene_key, source FROM pass")
        ]

    def noted_at(self, rig: str) -> dict[str, int]:
        """When each pass of a rig was noted, UTC ns."""
        rows = self.read_rows("SELECT id, noted_at FROM pass WHERE rig_key = ?", rig)
        return {str(name): int(at) for name, at in rows}

    def pass_groups(self) -> list[tuple[Any, ...]]:
        """What was measured together or came in on one day: (number of passes, when the first was noted in UTC ns, its
        id, origin, rig, slot, title, scene, source), oldest first."""
        place = "rig_key, slot_key, title_key, scene_key, source"
        day = 86_400 * 10**9
        rows = self.read_rows(
            f"SELECT count(*), noted_at, id, origin, {place}, min(seq) FROM pass "
            f"GROUP BY coalesce(plan_id, noted_at / {day}), origin, {place} ORDER BY min(seq)"
        )
        return [row[:-1] for row in rows]

    def pass_places(self) -> dict[str, tuple[str, str, str, str, str | None]]:
        """Keys of rig, slot, title and scene, and the source, of every pass by id."""
        rows = self.read_rows("SELECT id, rig_key, slot_key, title_key, scene_key, source FROM pass")
        return {str(name): (str(rig), str(slot), str(title), str(scene), source)
                for name, rig, slot, title, scene, source in rows}  # fmt: skip

    def log_parts(self) -> set[str]:
        """What names the parts of logs that were imported, but for passes that were taken out."""
        gone = self.taken_out()
        rows = self.read_rows("SELECT id, log_part FROM pass WHERE log_part IS NOT NULL")
        return {str(part) for owner, part in rows if owner not in gone}

    def done_steps(self, plan_id: str) -> frozenset[str]:
        """Steps whose pass is kept, was not cut short and is not deleted."""
        rows = self.read_rows("SELECT id, step_id FROM pass WHERE plan_id = ? AND outcome <> 'aborted'", plan_id)
        gone = self.taken_out()
        return frozenset(step for i, step in rows if i not in gone and step is not None)

    def has_passes(self) -> bool:
        """Whether there is any pass."""
        return bool(self.read_rows("SELECT 1 FROM pass LIMIT 1"))

    def setups(self) -> dict[str, Setup]:
        """The setup asked for of every pass by id."""
        rows = self.read_rows(f"SELECT id, asked, {sound('pass')} FROM pass")
        return dict(self.each_sealed("pass", rows, lambda name, asked: (name, setup_of(asked))))

    def without_series(self, pass_id: str) -> PassRecord:
        """One pass without what was recorded of it. Raises StoreError where there is none."""
        return self._row(pass_id)[0]

    def load(self, pass_id: str) -> PassRecord:
        """One pass in full, its marks as annotated; without its trace where that is damaged. Raises StoreError where
        there is none."""
        record, row = self._row(pass_id)
        owner, start, end = row[4], row[7], row[8]
        if owner is None:
            return record
        try:
            recording = self.recording(owner)
        except (StoreError, *WRONG) as fault:
            return replace(record, damage=str(fault) or type(fault).__name__)
        for mark in self.annotations(pass_id).get(pass_id, []):
            if mark.kind == "mark":
                start, end = mark.body["start_ns"], mark.body["end_ns"]
        return replace(record, trace=recording.cut(start, end, record.within), recording=recording)

    def _row(self, pass_id: str) -> tuple[PassRecord, tuple[Any, ...]]:
        rows = self.read_rows(f"SELECT {_COLUMNS}, {sound('pass')} FROM pass WHERE id = ?", pass_id)
        if not rows:
            raise StoreError(f"Pass {pass_id} is not in {self.path.name}.")
        made = self.each_sealed("pass", rows, _record)
        if not made:
            raise StoreError(
                f"Pass {pass_id} in {self.path.name} cannot be read: {self.spoiled['pass', pass_id].fault}."
            )
        return made[0], rows[0]

    def trace(self, pass_id: str) -> Trace | None:
        """The series of a pass, None where it has none."""
        return self.load(pass_id).trace


def _value(conditions: Mapping[str, Any], name: str) -> str | None:
    value = (conditions.get(name) or {}).get("value")
    return None if value is None else str(value)


def _record(*row: Any) -> PassRecord:
    (
        pass_id, plan_id, plan_index, step_id, _, low, high, start, end, rig, slot, title, scene, origin, purpose,
        outcome, reason, asked, read, conditions, summary, started,
    ) = row  # fmt: skip
    for name, value in (("plan_index", plan_index), ("from_ns", low), ("to_ns", high), ("started_ns", started)):
        if value is None and name == "plan_index":
            continue
        if isinstance(value, bool) or not isinstance(value, int):
            raise ValueError(f"{name} must be a whole number, got {value!r}")
    for one in (pass_id, plan_id, step_id, purpose, reason):
        if one is not None:
            if not isinstance(one, str):
                raise ValueError(f"{one!r} must be text")
            check_text(one)
    if not all(isinstance(one, int) and abs(one) < MOST_NS for one in (start, end)) or end < start:
        raise ValueError("its end mark lies before its start mark, or neither is a time")
    return PassRecord(
        pass_id, {"rig": rig, "slot": slot, "title": title, "scene": scene}, setup_of(asked),
        setup_of(read), conditions_of(conditions), None, Origin(origin), End(outcome),
        reason, purpose, plan_id, plan_index, started, summary_of(summary), step_id, None, (low, high),
    )  # fmt: skip
