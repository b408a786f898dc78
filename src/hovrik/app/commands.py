"""Undo: every edit of the document as a command of one of three shapes. Measurements and hardware are never undone.

A value that is replaced, a row that is added and taken back by a further row, a thing that is taken off a list and put
back. Each is guarded: where the disk refuses, or what it was about was changed since by something else, the command
drops out and says so.
"""

from __future__ import annotations

import operator
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, Generic, TypeVar

from PyQt6.QtGui import QUndoCommand

from ..core.choose.journey import Journey
from ..core.errors import HovrikError, PlanError
from ..core.facts.condition import Condition, Provenance, to_plain
from ..core.facts.incident import Incident, IncidentKind
from ..core.facts.knob import Level
from ..core.facts.rig import DoesNotRun, Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Title
from ..core.finding import Finding
from ..core.keep.profile import Profile
from ..core.passes.checks import Thresholds
from ..core.passes.guards import GuardThresholds
from ..core.passes.remedy import SOAK, above, charge_of, is_remedy
from ..core.plan.campaign import Campaign
from ..core.plan.edited import Order
from ..core.plan.grid import LadderDesign
from ..core.questions.question import Question
from ..core.read.rules.recurring import NOTE
from ..service import incidents, library, profiles, thresholds
from ..service import run as sweep
from ..service.notes import Note
from ..store import stills
from .session import Session

T = TypeVar("T")


class Guarded(QUndoCommand):
    """A command whose acts may be refused. act : raises HovrikError where it is."""

    def __init__(self, session: Session, words: str) -> None:
        super().__init__(words)
        self._session = session
        self.is_done = False  # whether its last act went through

    def _do(self, act: Callable[[], Any]) -> bool:
        self.is_done = False
        try:
            act()
        except HovrikError as fault:
            self.setObsolete(True)
            self._session.failed.emit(str(fault))
            if isinstance(fault, PlanError):  # what cannot be is taken out of its field; what may be later stays there
                self._session.library_changed.emit()
            return False
        self.is_done = True
        return True


class SetValue(Guarded, Generic[T]):
    """Replace a value; edits of the same thing in a row are one step where it has a name.

    read : the value as it is; write : the session's setter; same : whether two are one to a person.
    """

    def __init__(
        self, session: Session, words: str, read: Callable[[], T], write: Callable[[T], None], after: T, name: str = "",
        same: Callable[[T, T], bool] = operator.eq,
    ) -> None:  # fmt: skip
        super().__init__(session, words)
        self._read, self._write, self._before, self._after, self._name = read, write, read(), after, name
        self._same = same

    def id(self) -> int:
        return 1 if self._name else -1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, SetValue) or other._name != self._name:
            return False
        self._after = other._after
        return True

    def redo(self) -> None:
        self._replace(self._before, self._after)

    def undo(self) -> None:
        self._replace(self._after, self._before)

    def _replace(self, expected: T, wanted: T) -> None:
        if not self._same(self._read(), expected):
            self.setObsolete(True)
            self._session.failed.emit(f"“{self.text()}” is left out: it was changed since by something else.")
            return
        self._do(lambda: self._write(wanted))


class AddRow(Guarded, Generic[T]):
    """Add a row; undoing adds one that takes it back, redoing one that takes that back.

    add : its name; take_back : from a name to what takes that back; again : the same once more; told : signals.
    """

    def __init__(
        self, session: Session, words: str, add: Callable[[], T], take_back: Callable[[T], T],
        again: Callable[[T], T] | None = None, told: Sequence[Any] = (),
    ) -> None:  # fmt: skip
        super().__init__(session, words)
        self._add, self._take_back, self._again, self._told = add, take_back, again, told
        self._name: T | None = None

    def redo(self) -> None:
        again, name = self._again, self._name
        self._act(self._add if name is None or again is None else lambda: again(name))

    def undo(self) -> None:
        name = self._name
        if name is not None:
            self._act(lambda: self._take_back(name))

    def _act(self, act: Callable[[], T]) -> None:
        def keep() -> None:
            self._name = act()

        if self._do(keep):
            for signal in self._told:
                signal.emit()


class TakeOff(Guarded):
    """Take a thing off a list; undoing puts it back. set_off : does either."""

    def __init__(self, session: Session, words: str, set_off: Callable[[bool], None], told: Sequence[Any]) -> None:
        super().__init__(session, words)
        self._set_off, self._told = set_off, told

    def redo(self) -> None:
        self._act(True)

    def undo(self) -> None:
        self._act(False)

    def _act(self, off: bool) -> None:
        if self._do(lambda: self._set_off(off)):
            for signal in self._told:
                signal.emit()


# -- edits, each pushed


def put_aside(session: Session, finding: Finding, reason: str) -> None:
    """Put a finding aside with a reason; "" brings it back."""
    before = session.aside
    after = {**before, finding.key: reason} if reason else {k: v for k, v in before.items() if k != finding.key}
    words = f"{'put aside' if reason else 'bring back'}: {finding.check}"
    session.undo_stack.push(SetValue(session, words, lambda: session.aside, session.set_aside, after))


def set_question(session: Session, question: Question) -> None:
    """Change parts of the question."""
    if session.question is None:
        session.set_question(question)
        return

    def write(value: Question | None) -> None:
        if value is not None:
            session.set_question(value)

    def same(one: Question | None, other: Question | None) -> bool:
        """Whether two are one but for what a plan noted."""
        return one == other or (one is not None and other is not None and one.noted_as(other) == other)

    change = SetValue(session, "change the question", lambda: session.question, write, question, same=same)
    session.undo_stack.push(change)


def set_design(session: Session, design: LadderDesign, field: str) -> None:
    """Change the plan being edited; edits of the same field in a row are one step."""
    read = lambda: session.design  # noqa: E731
    session.undo_stack.push(SetValue(session, f"change {field}", read, session.set_design, design, f"design {field}"))


def set_order(session: Session, order: Order, what: str) -> None:
    """Change the order of the plan's passes."""
    read = lambda: session.order  # noqa: E731
    session.undo_stack.push(SetValue(session, what, read, session.set_order, order))


def set_room(session: Session, room_c: float | None) -> None:
    """Change the room temperature noted with passes."""
    read = lambda: session.room_c  # noqa: E731
    session.undo_stack.push(SetValue(session, "change the room", read, session.set_room, room_c))


def set_evening(session: Session, evening: Journey, what: str = "") -> None:
    """Change the evening ahead; edits of the same field in a row are one step. what : the field, "" for none."""
    name = f"evening {what}" if what else ""
    session.undo_stack.push(
        SetValue(session, "change the evening", lambda: session.evening, session.set_evening, evening, name)
    )


def set_notes(session: Session, notes: tuple[Note, ...], words: str) -> None:
    """Note something in the logbook, or take a note out. words : what it is called where it can be undone."""
    session.undo_stack.push(SetValue(session, words, lambda: session.notes, session.set_notes, notes))


def set_campaign(session: Session, campaign: Campaign) -> None:
    """Make another campaign, or open its failed cells again."""
    session.undo_stack.push(
        SetValue(session, "make a campaign", lambda: session.campaign, session.set_campaign, campaign)
    )


def save_rig(session: Session, rig: Rig, what: str) -> None:
    """Save a changed rig; undoing saves the one before as a newer one."""
    read = lambda: sweep.rig_of(session.notebook, rig.key)  # noqa: E731
    session.undo_stack.push(SetValue(session, f"change {what}", read, session.set_rig, rig))


def take_remedy(session: Session, action: str) -> None:
    """Plan what is asked with what makes its passes count: a longer soak, a higher charge."""
    if action == SOAK:
        set_design(session, replace(session.design, until_settled=True), "until_settled")
    elif charge_of(action) is not None and session.rig is not None:
        save_rig(session, above(session.rig, action), "the charge in which passes count")


def note_never_runs(session: Session, slot_key: str) -> None:
    """Note of an OS slot that the question's title does not run in it, as its passes said."""
    rig, question, found = session.rig, session.question, session.evaluation
    if rig is None or question is None or found is None or slot_key not in {one.key for one in rig.slots}:
        return
    said = next((one for one in found.findings if one.action == f"{NOTE}{slot_key}"), None)
    why = str(said.message.values["why"]) if said is not None else "did not start"
    noted = DoesNotRun(question.title, why)
    slots = tuple(replace(one, does_not_run=(*one.does_not_run, noted)) if one.key == slot_key else one
                  for one in rig.slots)  # fmt: skip
    save_rig(session, replace(rig, slots=slots), "what does not run in the slot")


def act(session: Session, action: str) -> bool:
    """Do what the button beside a finding or an answer does, where that is no question; whether it was that."""
    if action.startswith(NOTE):
        note_never_runs(session, action.removeprefix(NOTE))
    elif is_remedy(action):
        take_remedy(session, action)
    else:
        return False
    return True


def save_title(session: Session, title: Title, what: str) -> None:
    """Save a changed title; undoing saves the one before as a newer one."""

    def write(value: Title | None) -> None:
        if value is not None:
            session.set_title(value)

    read = lambda: sweep.title_of(session.notebook, title.key)  # noqa: E731
    session.undo_stack.push(SetValue(session, f"change {what}", read, write, title))


def archive(session: Session, what: str, on: bool = True) -> None:
    """Offer a rig or title ("rig/key") no longer, or again."""
    before = session.archived
    words = f"{'archive' if on else 'bring back'} a {what.partition('/')[0]}"
    after = before | {what} if on else before - {what}
    session.undo_stack.push(SetValue(session, words, lambda: session.archived, session.set_archived, after))


def answer(session: Session, name: str, text: str) -> None:
    """Answer an item of the list before measuring by what was typed; "" takes an answer back."""
    rig = session.rig
    if rig is None:
        return
    key = rig.key
    before = library.answers_of(session.notebook, key)
    after = {k: v for k, v in before.items() if k != name}
    if text:
        try:
            value: Level = float(text.replace(",", "."))
        except ValueError:
            value = text
        after |= to_plain({name: Condition(value, Provenance.ASKED, time.time_ns())})
    if {k: v["value"] for k, v in before.items()} != {k: v["value"] for k, v in after.items()}:
        read = lambda: library.answers_of(session.notebook, key)  # noqa: E731
        write = lambda answers: session.set_answers(key, answers)  # noqa: E731
        session.undo_stack.push(SetValue(session, "answer a question", read, write, after))


def set_thresholds(session: Session, after: Thresholds | GuardThresholds) -> None:
    """Change the thresholds of the checks or of the guards."""
    read = lambda: thresholds.thresholds_of(session.notebook, type(after))  # noqa: E731
    session.undo_stack.push(SetValue(session, "change a threshold", read, session.set_thresholds, after))


def annotate(session: Session, pass_id: str, kind: str, body: dict[str, Any]) -> None:
    """Add an overrule, a deletion or moved marks to a pass."""
    words = {"overrule": "overrule a verdict", "deletion": "take out a pass", "mark": "move the marks"}[kind]
    notebook = session.notebook
    undo = lambda uid: notebook.undo_annotation(pass_id, uid)  # noqa: E731
    add = lambda: notebook.annotate(pass_id, kind, body)  # noqa: E731
    session.undo_stack.push(AddRow(session, words, add, undo, undo, [session.passes_changed]))


def take_out(session: Session, ids: Sequence[str]) -> None:
    """Take passes out of every figure, as one edit."""
    _row_of_each(session, ids, "take out", lambda one: session.notebook.annotate(one, "deletion", {}))


def bring_back(session: Session, ids: Sequence[str]) -> None:
    """Have passes that were taken out count again, as one edit."""
    notes = session.notebook.annotations()
    uid = {one: next(n.uid for n in reversed(notes[one]) if n.kind == "deletion") for one in ids}
    _row_of_each(session, ids, "bring back", lambda one: session.notebook.undo_annotation(one, uid[one]))


def _row_of_each(session: Session, ids: Sequence[str], what: str, add: Callable[[str], str]) -> None:
    notebook = session.notebook

    def back(uids: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(notebook.undo_annotation(one, uid) for one, uid in zip(ids, uids, strict=True))

    words = f"{what} a pass" if len(ids) == 1 else f"{what} {len(ids)} passes"
    first = lambda: tuple(add(one) for one in ids)  # noqa: E731
    session.undo_stack.push(AddRow(session, words, first, back, back, [session.passes_changed]))


def imported(session: Session, ids: Sequence[str]) -> None:
    """Passes were imported; undoing takes all of them out."""
    notebook = session.notebook

    def take_out(_: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(notebook.annotate(one, "deletion", {}) for one in ids)

    def bring_back(uids: tuple[str, ...]) -> tuple[str, ...]:
        for one, uid in zip(ids, uids, strict=True):
            notebook.undo_annotation(one, uid)
        return ()

    words = "import a pass" if len(ids) == 1 else f"import {len(ids)} passes"
    session.undo_stack.push(AddRow(session, words, tuple, take_out, bring_back, [session.passes_changed]))


def note_incident(session: Session, kind: IncidentKind, setup: Setup, phase: str, words: str) -> None:
    """Note an incident."""
    question, notebook = session.question, session.notebook
    if question is None:
        return

    def take_back(made: Incident) -> Incident:
        notebook.take_back_incident(made)
        return made

    add = lambda: incidents.note(notebook, question, kind, setup, phase=phase, words=words)  # noqa: E731
    told = [session.incidents_changed, session.passes_changed]
    session.undo_stack.push(AddRow(session, "note an incident", add, take_back, lambda _: add(), told))


def keep_profile(session: Session, profile: Profile) -> bool:
    """Put a profile on the shelf in place of the one that is there; whether it is stored."""
    notebook = session.notebook

    def add() -> tuple[str, list[str]]:
        before = {i for i, _ in notebook.profiles()}
        made = profiles.keep(notebook, profile)
        return made, sorted(before - {i for i, _ in notebook.profiles()})

    def take_back(made: tuple[str, list[str]]) -> tuple[str, list[str]]:
        notebook.remove_profile(made[0])
        for profile in made[1]:
            notebook.remove_profile(profile, removed=False)
        return made

    told = [session.profiles_changed]
    command = AddRow(session, "keep a profile", add, take_back, lambda _: add(), told)
    session.undo_stack.push(command)
    return command.is_done


def remove_profile(session: Session, profile_id: str) -> None:
    """Take a profile off the shelf."""
    act = lambda off: session.notebook.remove_profile(profile_id, removed=off)  # noqa: E731
    session.undo_stack.push(TakeOff(session, "remove a profile", act, [session.profiles_changed]))


def remove_still(session: Session, still_id: str) -> None:
    """Take a still off the list."""
    act = lambda off: stills.remove_still(session.notebook, still_id, removed=off)  # noqa: E731
    session.undo_stack.push(TakeOff(session, "remove a still", act, [session.stills_changed]))
