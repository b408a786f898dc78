"""What a person said of passes and findings: marks, overrules, deletions, dismissals, incidents. Undone by rows."""

from __future__ import annotations

import time
import uuid
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ...core.facts.incident import Incident, IncidentKind
from ...core.facts.setup import Setup
from ...core.finding import State
from ..opened import OpenedFile, dump
from ..sealed import insert, sound
from ..sound import setup_of, table_of
from .versions import CONTEXT, freeze

TAKEN_BACK = "taken back"


@dataclass(frozen=True)
class Annotation:
    """A mark, overrule or deletion of a pass that has not been undone."""

    uid: str
    kind: str
    body: dict[str, Any]
    noted_at: int


@dataclass(frozen=True)
class Dismissal:
    """A finding that was put aside. finding : its key."""

    id: str
    finding: str
    reason: str


class Notes(OpenedFile):
    """Annotations of passes, dismissals of findings, incidents of setups."""

    def annotate(self, pass_id: str, kind: str, body: Mapping[str, Any]) -> str:
        """Add a mark, overrule or deletion; its uid."""
        made = str(uuid.uuid4())
        row = {"uid": made, "pass_id": pass_id, "kind": kind, "body": dump(body), "noted_at": time.time_ns()}
        with self.writing() as connection:
            insert(connection, "annotation", row)
        return made

    def undo_annotation(self, pass_id: str, uid: str) -> str:
        """Undo an annotation by a further row; undoing that row's uid brings it back."""
        return self.annotate(pass_id, "undo", {"uid": uid})

    def annotations(self, pass_id: str | None = None) -> dict[str, list[Annotation]]:
        """Annotations in force by pass, oldest first; verdicts, which format 3 and before kept, are none."""
        rows = self.read_rows(
            f"SELECT uid, pass_id, kind, body, noted_at, {sound('annotation')} FROM annotation WHERE kind <> 'verdict'"
            + (" AND pass_id = ?" if pass_id else "")
            + " ORDER BY seq",
            *([pass_id] if pass_id else []),
        )
        notes = self.each_sealed("annotation", rows, _annotation)
        undone: set[str] = set()
        for _, note in reversed(notes):  # a later undo may undo an undo
            if note.kind == "undo" and note.uid not in undone:
                undone.add(note.body["uid"])
        found: dict[str, list[Annotation]] = defaultdict(list)
        for owner, note in notes:
            if note.kind != "undo" and note.uid not in undone:
                found[owner].append(note)
        return dict(found)

    def annotation_counts(self) -> dict[str, int]:
        """Rows by pass: the revision that cached figures belong to."""
        rows = self.read_rows("SELECT pass_id, count(*) FROM annotation WHERE kind <> 'verdict' GROUP BY pass_id")
        return {str(owner): int(count) for owner, count in rows}

    def taken_out(self) -> set[str]:
        """Ids of passes that the user took out."""
        return {i for i, notes in self.annotations().items() if any(n.kind == "deletion" for n in notes)}

    # -- dismissals

    def aside(self) -> dict[str, str]:
        """Findings that were put aside: their key to the reason."""
        return {one.finding: one.reason for one in self.dismissals()}

    def put_aside(self, wanted: Mapping[str, str]) -> None:
        """Replace the findings that are put aside by others, row by row."""
        now = {one.finding: one for one in self.dismissals()}
        for key in dict.fromkeys((*now, *wanted)):
            own, reason = now.get(key), wanted.get(key)
            if own is not None and own.reason != reason:
                self._dismissal("", "", own.id)
            if reason is not None and (own is None or own.reason != reason):
                self._dismissal(key, reason, None)

    def _dismissal(self, finding: str, reason: str, undoes: str | None) -> None:
        row = {"id": str(uuid.uuid4()), "finding": finding, "about": "", "reason": reason, "undoes": undoes}
        with self.writing() as connection:
            insert(connection, "dismissal", {**row, "noted_at": time.time_ns()})

    def dismissals(self) -> list[Dismissal]:
        """Dismissals in force, oldest first."""
        query = f"SELECT id, finding, reason, undoes, {sound('dismissal')} FROM dismissal ORDER BY seq"
        rows = self.each_sealed("dismissal", self.read_rows(query), lambda *row: row)
        undone: set[str] = set()
        for made, *_, undoes in reversed(rows):
            if undoes is not None and made not in undone:
                undone.add(undoes)
        return [
            Dismissal(made, finding, reason)
            for made, finding, reason, undoes in rows
            if undoes is None and made not in undone
        ]

    # -- incidents

    def note_incident(self, incident: Incident) -> str:
        """Store an incident; its id."""
        made = incident.id or str(uuid.uuid4())
        body = {"phase": incident.phase, "note": incident.note}
        self._insert_incident(made, incident.kind.value, incident.context, incident.setup.as_dict(), body)
        return made

    def take_back_incident(self, incident: Incident) -> None:
        """Take an incident back by a further row."""
        self._insert_incident(str(uuid.uuid4()), TAKEN_BACK, incident.context, {}, {"id": incident.id})

    def _insert_incident(
        self, made: str, kind: str, context: Mapping[str, str], setup: Mapping[str, Any], body: Mapping[str, Any]
    ) -> None:
        ids = [context[k] for k in CONTEXT]
        with self.writing() as connection:
            freeze(connection, ids)
            row = {"id": made, "kind": kind, **dict(zip(CONTEXT, ids)), "setup": dump(setup), "body": dump(body)}
            insert(connection, "incident", {**row, "noted_at": time.time_ns()})

    def incidents(self) -> list[Incident]:
        """Incidents in force, oldest first; a kind of a newer version is an incident of another kind."""
        rows = self.read_rows(
            f"SELECT id, kind, rig, slot, title, scene, setup, body, noted_at, {sound('incident')} FROM incident "
            "ORDER BY seq"
        )
        found = self.each_sealed("incident", rows, _incident)
        gone = {one.note for one, is_back in found if is_back}
        return [one for one, is_back in found if not is_back and one.id not in gone]


def _annotation(uid: str, owner: str, kind: str, text: str, at: int) -> tuple[str, Annotation]:
    body = table_of(text)
    for name, made in _NEEDED.get(kind, {}).items():
        if not isinstance(body[name], made) or isinstance(body[name], bool):
            raise ValueError(f"{name} of a {kind} must be {made.__name__}")
    if kind == "overrule":
        State(body["state"])
    return owner, Annotation(uid, kind, body, at)


_NEEDED: dict[str, dict[str, type]] = {
    "mark": {"start_ns": int, "end_ns": int}, "overrule": {"state": str, "reason": str}, "undo": {"uid": str},
}  # fmt: skip


def _incident(*row: Any) -> tuple[Incident, bool]:
    """An incident, or a row that takes one back, whose note is then that one's id."""
    made, kind, *context, setup, text, at = row
    body = table_of(text)
    if kind == TAKEN_BACK:
        return Incident(made, IncidentKind.OTHER, {}, Setup(), note=str(body["id"])), True
    phase, note = body.get("phase", ""), body.get("note", "")
    if not (isinstance(phase, str) and isinstance(note, str) and isinstance(at, int)):
        raise ValueError("phase and note of an incident must be text, its time a whole number")
    own = dict(zip(CONTEXT, context, strict=True))
    return Incident(made, IncidentKind(kind), own, setup_of(setup), phase, note, at), False
