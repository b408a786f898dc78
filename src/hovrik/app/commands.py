"""Undo: every edit of the document as a command. Measurements and hardware are never undone."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QUndoCommand

from ..core.errors import HovrikError, StoreError
from ..core.facts.condition import Condition, Provenance, to_plain
from ..core.facts.incident import Incident, IncidentKind
from ..core.facts.knob import Level
from ..core.facts.setup import Setup
from ..core.plan.grid import LadderDesign
from ..core.questions.question import Question
from ..service import incidents, library, profiles
from ..service.thresholds import AnyThresholds
from ..store import stills
from .session import Session


class SetQuestion(QUndoCommand):
    """Change parts of the question."""

    def __init__(self, session: Session, question: Question) -> None:
        super().__init__("change the question")
        self._session, self._before, self._after = session, session.question, question

    def redo(self) -> None:
        self._session.set_question(self._after)

    def undo(self) -> None:
        if self._before is not None:
            self._session.set_question(self._before)


class SetDesign(QUndoCommand):
    """Change the plan being edited; edits of the same field in a row are one step."""

    def __init__(self, session: Session, design: LadderDesign, field: str) -> None:
        super().__init__(f"change {field}")
        self._session, self._before, self._after, self._field = session, session.design, design, field

    def id(self) -> int:
        return 1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, SetDesign) or other._field != self._field:
            return False
        self._after = other._after
        return True

    def redo(self) -> None:
        self._session.set_design(self._after)

    def undo(self) -> None:
        self._session.set_design(self._before)


class SetRoom(QUndoCommand):
    """Change the room temperature noted with passes."""

    def __init__(self, session: Session, room_c: float | None) -> None:
        super().__init__("change the room")
        self._session, self._before, self._after = session, session.room_c, room_c

    def redo(self) -> None:
        self._session.set_room(self._after)

    def undo(self) -> None:
        self._session.set_room(self._before)


class SaveVersion(QUndoCommand):
    """Save a changed rig or title as a new version; undoing saves the one before as a newer one.

    save : the session's setter for it, which may refuse.
    """

    def __init__(self, session: Session, save: Callable[[Any], None], before: Any, after: Any, what: str) -> None:
        super().__init__(f"change {what}")
        self._session, self._save, self._before, self._after = session, save, before, after

    def redo(self) -> None:
        self._try(self._after)

    def undo(self) -> None:
        self._try(self._before)

    def _try(self, body: Any) -> None:
        try:
            self._save(body)
        except HovrikError as fault:
            self.setObsolete(True)
            self._session.failed.emit(str(fault))
            self._session.library_changed.emit()


class SetAnswers(QUndoCommand):
    """Answer an item of the list before measuring."""

    def __init__(self, session: Session, rig_key: str, before: dict[str, Any], after: dict[str, Any]) -> None:
        super().__init__("answer a question")
        self._session, self._rig_key, self._before, self._after = session, rig_key, before, after

    def redo(self) -> None:
        self._session.set_answers(self._rig_key, self._after)

    def undo(self) -> None:
        self._session.set_answers(self._rig_key, self._before)


class RemoveStill(QUndoCommand):
    """Take a still off the list."""

    def __init__(self, session: Session, still_id: str) -> None:
        super().__init__("remove a still")
        self._session, self._still_id = session, still_id

    def redo(self) -> None:
        self._set(removed=True)

    def undo(self) -> None:
        self._set(removed=False)

    def _set(self, *, removed: bool) -> None:
        try:
            stills.remove_still(self._session.notebook, self._still_id, removed=removed)
        except HovrikError as fault:
            self.setObsolete(True)
            self._session.failed.emit(str(fault))
        self._session.stills_changed.emit()


def answer(session: Session, name: str, text: str) -> None:
    """Answer an item of the list before measuring by what was typed; "" takes an answer back."""
    rig = session.rig
    if rig is None:
        return
    before = library.answers_of(session.notebook, rig.key)
    after = {k: v for k, v in before.items() if k != name}
    if text:
        try:
            value: Level = float(text.replace(",", "."))
        except ValueError:
            value = text
        after |= to_plain({name: Condition(value, Provenance.ASKED, time.time_ns())})
    if {k: v["value"] for k, v in before.items()} != {k: v["value"] for k, v in after.items()}:
        session.undo_stack.push(SetAnswers(session, rig.key, before, after))


class SetThresholds(QUndoCommand):
    """Change the thresholds of the checks or of the guards."""

    def __init__(self, session: Session, before: AnyThresholds, after: AnyThresholds) -> None:
        super().__init__("change a threshold")
        self._session, self._before, self._after = session, before, after

    def redo(self) -> None:
        self._session.set_thresholds(self._after)

    def undo(self) -> None:
        self._session.set_thresholds(self._before)


class NoteIncident(QUndoCommand):
    """Note an incident; undoing adds a row that takes it back."""

    def __init__(self, session: Session, kind: IncidentKind, setup: Setup, phase: str, words: str) -> None:
        super().__init__("note an incident")
        self._session, self._what = session, (kind, setup, phase, words)
        self._made: Incident | None = None

    def redo(self) -> None:
        kind, setup, phase, words = self._what
        question = self._session.question
        if question is None:
            return
        try:
            self._made = incidents.note(self._session.notebook, question, kind, setup, phase=phase, words=words)
        except HovrikError as fault:
            self.setObsolete(True)
            self._session.failed.emit(str(fault))
            return
        self._tell()

    def undo(self) -> None:
        if self._made is not None:
            self._session.notebook.take_back_incident(self._made)
            self._tell()

    def _tell(self) -> None:
        self._session.incidents_changed.emit()
        self._session.passes_changed.emit()


class Annotate(QUndoCommand):
    """Add an overrule, a deletion or moved marks to a pass; undoing adds a row that takes it back."""

    def __init__(self, session: Session, pass_id: str, kind: str, body: dict[str, Any]) -> None:
        super().__init__(
            {"overrule": "overrule a verdict", "deletion": "take out a pass", "mark": "move the marks"}[kind]
        )
        self._session, self._pass_id, self._kind, self._body = session, pass_id, kind, body
        self._uid = ""
        self._undo_uid = ""

    def redo(self) -> None:
        notebook = self._session.notebook
        try:
            if self._undo_uid:
                notebook.undo_annotation(self._pass_id, self._undo_uid)
            else:
                self._uid = notebook.annotate(self._pass_id, self._kind, self._body)
        except StoreError as fault:
            self._session.failed.emit(str(fault))
            self.setObsolete(True)
            return
        self._session.passes_changed.emit()

    def undo(self) -> None:
        try:
            self._undo_uid = self._session.notebook.undo_annotation(self._pass_id, self._uid)
        except StoreError as fault:
            self._session.failed.emit(str(fault))
            return
        self._session.passes_changed.emit()


class KeepProfile(QUndoCommand):
    """Put a profile on the shelf."""

    def __init__(self, session: Session, body: dict[str, Any]) -> None:
        super().__init__("keep a profile")
        self._session, self._body = session, body
        self._id = ""
        self._replaced: list[str] = []

    def redo(self) -> None:
        notebook = self._session.notebook
        before = {i for i, _ in notebook.profiles()}
        try:
            self._id = profiles.keep(notebook, self._body)
        except StoreError as fault:
            self._session.failed.emit(str(fault))
            self.setObsolete(True)
            return
        self._replaced = sorted(before - {i for i, _ in notebook.profiles()})
        self._session.profiles_changed.emit()

    def undo(self) -> None:
        notebook = self._session.notebook
        notebook.remove_profile(self._id)
        for profile in self._replaced:
            notebook.remove_profile(profile, removed=False)
        self._session.profiles_changed.emit()


class RemoveProfile(QUndoCommand):
    """Take a profile off the shelf."""

    def __init__(self, session: Session, profile_id: str) -> None:
        super().__init__("remove a profile")
        self._session, self._id = session, profile_id

    def redo(self) -> None:
        self._session.notebook.remove_profile(self._id)
        self._session.profiles_changed.emit()

    def undo(self) -> None:
        self._session.notebook.remove_profile(self._id, removed=False)
        self._session.profiles_changed.emit()
