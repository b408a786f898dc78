"""The one document: notebook, question, plan, selection. Core values are frozen; a change replaces one and tells.

Signals: question_changed, over_changed, design_changed, room_changed, evaluation_changed (new figures), passes_changed
(rows were added or annotated), selection_changed (pass id), profiles_changed, library_changed (rigs or titles),
answers_changed (preflight), machine_looked (machine_seen is new).
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoStack

from ..core.choose.journey import Journey
from ..core.errors import Damaged, HovrikError, PlanError, StoreError
from ..core.facts.condition import Condition
from ..core.facts.knob import Knob
from ..core.facts.knobs import knobs_of, narrowed
from ..core.facts.rig import OsSlot, Rig
from ..core.facts.setup import Setup
from ..core.facts.terms import School
from ..core.facts.title import Scene, Title
from ..core.passes.checks import Thresholds
from ..core.passes.energy import Overhead
from ..core.passes.guards import GuardThresholds
from ..core.plan.ahead import Warming, warming_of
from ..core.plan.campaign import Campaign
from ..core.plan.design import Design
from ..core.plan.edited import EditedDesign, Order
from ..core.plan.grid import LadderDesign, first_design
from ..core.plan.referenced import ReferencedDesign, references_of
from ..core.plan.schedule import line_to_plan_with
from ..core.plan.steps import PlannedPass
from ..core.questions.preflight import Item, Seen, conditions
from ..core.questions.question import Question
from ..service import campaigns, library, planning, tonight
from ..service import run as sweep
from ..service.gather import Evaluation, own_factor
from ..service.notes import Note
from ..service.notes import keep as keep_notes
from ..service.notes import kept as kept_notes
from ..service.remembered import remembered
from ..service.spoiled import words_of
from ..service.thresholds import keep_thresholds
from ..store.notebook import Entity, Notebook
from .settings import SCHOOL, TARGET
from .settings import remembered as remembered_choice
from .worker import Wanted, Worker

T = TypeVar("T")
_ARCHIVED = "archived"
MOST_EDITS = 200  # that can be undone
EDIT_WAITS_S = 0.15  # for a write of the run's before an edit is refused with a word
LOOK_EACH_S = 0.02  # a question to the file costs a turn of every thread that computes: not one a look at the rig


_ASIDE = "findings put aside"


class Session(QObject):
    """What the window shows and edits.

    notebook : open notebook of the interface thread; question : None until a rig and a title are known;
    evaluation : newest figures, None until the first are there; address : the machine, None where there is none.
    """

    question_changed = pyqtSignal()
    over_changed = pyqtSignal()
    design_changed = pyqtSignal()
    room_changed = pyqtSignal()
    evaluation_changed = pyqtSignal()
    passes_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    profiles_changed = pyqtSignal()
    library_changed = pyqtSignal()
    answers_changed = pyqtSignal()
    machine_looked = pyqtSignal()
    thresholds_changed = pyqtSignal()
    stills_changed = pyqtSignal()
    incidents_changed = pyqtSignal()
    aside_changed = pyqtSignal()
    evening_changed = pyqtSignal()
    notes_changed = pyqtSignal()
    campaign_changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, path: Path) -> None:
        super().__init__()
        self.notebook = Notebook(path, busy_s=EDIT_WAITS_S, check=False)
        self.undo_stack = QUndoStack(self)
        self.undo_stack.setUndoLimit(MOST_EDITS)
        self._known: dict[str, Any] = {}
        self._known_at = (-1, -1)  # changes made through this connection, newest version of anything
        self._look_next = 0.0
        self._planned: tuple[tuple[Any, ...], Design, Question] | None = None  # what it was made of, design, question
        for signal in (self.library_changed, self.passes_changed, self.question_changed):
            signal.connect(self._look_anew)  # before anybody else is told
        self._checker = Worker("check", self)
        self._checker.failed.connect(self._on_damaged)
        self.evaluation: Evaluation | None = None
        self.selected_pass: str | None = None
        self.machine_seen = Seen()
        self._looked_at: Mapping[str, Any] | None = {}
        self._seen_of: Mapping[str, Any] | None = {}  # whose machine_seen is
        self._looker = Worker("look", self)
        self._looker.finished.connect(self._on_looked)
        self.over = ""  # id of the factor that passes are read along, "" the static limit
        self.within = ""  # name of the section that figures are of, "" all of the scene
        found = remembered(self.notebook)
        self.faults = found.faults
        self.question = found.question or self.first_question()
        self._is_design_own = found.design is not None
        self.design = found.design or first_design(self.rig, self.scene)
        self.room_c = found.room_c
        self.order = Order()  # of the plan's passes, as a person put them

    def tell_faults(self) -> None:
        """Say what of the notebook could not be read so far; it is left out and kept."""
        spoiled = words_of(self.notebook.spoiled.values())
        said = [*self.faults, *([spoiled] if spoiled else [])]
        if self.notebook.former is not None:
            said.append(f"the former version is kept as {self.notebook.former.name}; it was brought up to date")
        if said:
            text = ". ".join(said)
            self.failed.emit(f"Of this notebook {text}.")

    def look_through(self) -> None:
        """Look at every page of the file off the interface thread; what is damaged is told, and nothing is written
        into it any more."""

        def work(_wanted: Wanted) -> None:
            with self.notebook.sibling() as own:
                own.look_through()

        self._checker.ask(work)

    def _on_damaged(self, fault: HovrikError) -> None:
        if isinstance(fault, Damaged):
            self.notebook.close_for_writing(str(fault))
        self.failed.emit(str(fault))

    def close(self) -> None:
        """Let go of the notebook."""
        self.notebook.close()

    def read_along(self, over: str) -> None:
        """Read the passes along another factor: a view, not an edit."""
        if over != self.over:
            self.over = over
            self.over_changed.emit()

    def read_within(self, section: str) -> None:
        """Read a section of the scene only: a view, not an edit."""
        if section != self.within:
            self.within = section
            self.over_changed.emit()

    # -- setters, called by undo commands only

    def set_order(self, order: Order) -> None:
        """Replace the order in which the passes of the plan are made, an empty one by that of its design."""
        if order != self.order:
            self.order = order
            self.design_changed.emit()

    def set_question(self, question: Question) -> None:
        """Replace the question."""
        if question != self.question:
            self.order = Order()
            if self.question is not None and own_factor(question) != own_factor(self.question):
                self.over = ""  # another question is read along what it is about
            if self.question is None or question.keys["scene"] != self.question.keys["scene"]:
                self.within = ""
            self.question = question
            self._remember("question", question.as_dict())
            self._propose_design()
            self.question_changed.emit()

    def note_question(self, question: Question) -> None:
        """Keep what the question holds the same, as its plan was stored with it: nobody edited it."""
        noted = self.question.noted_as(question) if self.question is not None else question
        if noted != self.question:
            self.question = noted
            self._remember("question", noted.as_dict())
            self.question_changed.emit()

    def set_design(self, design: LadderDesign) -> None:
        """Replace the plan being edited."""
        if design != self.design:
            self.order = Order()
            self.design, self._is_design_own = design, True
            self._remember("design", design.as_dict())
            self.design_changed.emit()

    def _propose_design(self) -> None:
        """A plan that nobody has laid out follows the rig."""
        if self._is_design_own:
            return
        proposed = first_design(self.rig, self.scene)
        if proposed != self.design:
            self.design = proposed
            self.design_changed.emit()

    def set_rig(self, rig: Rig) -> None:
        """Save a rig as a new version. Raises PlanError."""
        library.save_rig(self.notebook, rig)
        self._library_edited()

    def set_title(self, title: Title) -> None:
        """Save a title as a new version. Raises PlanError."""
        library.save_title(self.notebook, title)
        self._library_edited()

    def _library_edited(self) -> None:
        if self.question is None:
            found = self.first_question()
            if found is not None:
                self.set_question(found)
        self._propose_design()
        self.library_changed.emit()

    def read_again(self) -> None:
        """Rows came in from elsewhere: everything that is shown of the notebook is read anew."""
        self._library_edited()
        self.passes_changed.emit()
        self.profiles_changed.emit()

    def first_question(self) -> Question | None:
        """What is asked before anybody has asked: the newest rig and title, held as the user prefers."""
        found = library.first_question(self.notebook)
        if found is None or not found.floor.is_of_frames:
            return found
        schools = {one.value: one for one in School}
        school = schools.get(str(remembered_choice(SCHOOL)))
        try:
            target = float(remembered_choice(TARGET, found.target_fps))
        except (TypeError, ValueError):
            target = found.target_fps
        return found.with_(target_fps=target, school=school) if 0 < target <= 1000 else found

    def set_answers(self, rig_key: str, answers: Mapping[str, Any]) -> None:
        """Replace the preflight answers of a rig."""
        library.keep_answers(self.notebook, rig_key, answers)
        self.answers_changed.emit()

    def set_thresholds(self, thresholds: Thresholds | GuardThresholds) -> None:
        """Replace the thresholds of the checks, so that every pass is judged anew, or of the guards."""
        keep_thresholds(self.notebook, thresholds)
        self.thresholds_changed.emit()
        if isinstance(thresholds, Thresholds):
            self.passes_changed.emit()

    @property
    def archived(self) -> frozenset[str]:
        """Rigs and titles ("rig/key") that are no longer offered; their passes and their history stay."""
        kept = self.notebook.get_state(_ARCHIVED)
        return frozenset(str(one) for one in kept) if isinstance(kept, list) else frozenset()

    def set_archived(self, archived: frozenset[str]) -> None:
        """Replace them."""
        self._remember(_ARCHIVED, sorted(archived))
        self.library_changed.emit()

    @property
    def aside(self) -> dict[str, str]:
        """Findings that were put aside: their key to the reason."""
        kept = self.notebook.get_state(_ASIDE)  # as notebooks of before kept them: a merge left them behind
        before = {str(key): str(why) for key, why in kept.items()} if isinstance(kept, dict) else {}
        return before | self.notebook.aside()

    def set_aside(self, aside: Mapping[str, str]) -> None:
        """Replace them."""
        self.notebook.put_aside(aside)
        if self.notebook.get_state(_ASIDE) is not None:
            self._remember(_ASIDE, None)
        self.aside_changed.emit()

    @property
    def evening(self) -> Journey:
        """The evening ahead."""
        return tonight.kept(self.notebook)

    def set_evening(self, evening: Journey) -> None:
        """Replace it. Raises StoreError."""
        tonight.keep(self.notebook, evening)
        self.evening_changed.emit()

    @property
    def notes(self) -> tuple[Note, ...]:
        """What a person noted in the logbook."""
        return kept_notes(self.notebook)

    def set_notes(self, notes: tuple[Note, ...]) -> None:
        """Replace them. Raises InputError, StoreError."""
        keep_notes(self.notebook, notes)
        self.notes_changed.emit()

    @property
    def campaign(self) -> Campaign:
        """The campaign over titles and OS slots."""
        return campaigns.kept(self.notebook)

    def set_campaign(self, campaign: Campaign) -> None:
        """Replace it. Raises StoreError."""
        campaigns.keep(self.notebook, campaign)
        self.campaign_changed.emit()

    def preflight(self) -> tuple[Item, ...]:
        """The list before measuring."""
        return library.preflight(self.notebook, self.question, self.machine_seen) if self.question else ()

    def seen(self) -> dict[str, Condition]:
        """What the list says about passes made now."""
        return conditions(self.preflight())

    def set_room(self, room_c: float | None) -> None:
        """Replace the room temperature that passes will be noted with."""
        if room_c != self.room_c:
            self.room_c = room_c
            self._remember("room_c", room_c)
            self.room_changed.emit()

    # -- plain setters, not undoable

    def select_pass(self, pass_id: str | None) -> None:
        """Choose the pass that is shown in full."""
        if pass_id != self.selected_pass:
            self.selected_pass = pass_id
            self.selection_changed.emit()

    def set_evaluation(self, evaluation: Evaluation) -> None:
        """Show newer figures."""
        self.evaluation = evaluation
        found = {(one.table, one.row): one for one in evaluation.spoiled}
        if found.keys() - self.notebook.spoiled.keys():
            self.notebook.spoiled.update(found)
            self.tell_faults()
        self.evaluation_changed.emit()

    def _remember(self, key: str, body: Any) -> None:
        try:
            self.notebook.set_state(key, body)
        except StoreError as fault:
            self.failed.emit(str(fault))

    # -- what there is to choose

    def _known_as(self, what: str, find: Callable[[], T]) -> T:
        """What was found last under this name, as long as no version of anything was noted since."""
        own, now = self.notebook.changes, time.monotonic()
        if own != self._known_at[0] or now > self._look_next:  # another's row is seen a little later, unless told of
            at = own, self.notebook.newest_version()
            if at[1] != self._known_at[1]:
                self._known = {}
            self._known_at, self._look_next = at, now + LOOK_EACH_S
        if what not in self._known:
            self._known[what] = find()
        found: T = self._known[what]
        return found

    def _look_anew(self) -> None:
        self._look_next = 0.0

    def newest(self, kind: str) -> dict[str, Entity]:
        """Newest versions of rigs, slots, titles or scenes by key."""
        return self._known_as(kind, lambda: self.notebook.newest(kind))

    @property
    def address(self) -> Mapping[str, Any] | None:
        """Where the machine of the question's rig is found, None where it is run by hand."""
        return library.address_of(self.notebook, self.question.rig) if self.question else None

    @property
    def slot(self) -> OsSlot | None:
        """The OS slot of the question."""
        rig, question = self.rig, self.question
        return next((s for s in rig.slots if question and s.key == question.slot), None) if rig else None

    @property
    def rig(self) -> Rig | None:
        """The rig of the question; the one noted last while there is no question."""
        known = self.newest("rig")
        found = known.get(self.question.rig) if self.question else next(reversed(known.values()), None)
        return self._known_as(f"rig {found.id}", lambda: Rig.from_dict(found.body)) if found else None

    @property
    def title(self) -> Title | None:
        """The title of the question; the one noted last while there is no question."""
        if self.question:
            key = self.question.title
            return self._known_as(f"title {key}", lambda: sweep.title_of(self.notebook, key))
        return self._known_as("the last title", lambda: next(reversed(library.titles(self.notebook).values()), None))

    @property
    def scene(self) -> Scene | None:
        """The scene of the question."""
        title, question = self.title, self.question
        return next((one for one in title.scenes if question and one.key == question.scene), None) if title else None

    @property
    def plan_problem(self) -> str:
        """Why the plan being edited cannot be carried out on the rig, "" where it can."""
        rig = self.rig
        if rig is None or self.question is None:
            return "wants a rig"
        if self.slot is None:
            return "wants an OS slot"
        try:
            self.planned_design()
        except PlanError as fault:
            return str(fault)
        return ""

    @property
    def knobs(self) -> tuple[Knob, ...]:
        """What rig, slot and title offer to be set, as far as the machine goes along; none without a rig."""
        rig, slot, title = self.rig, self.slot, self.title
        if rig is None:
            return ()
        name = f"knobs {rig.key} {slot.key if slot else ''} {title.key if title else ''}"
        own = self._known_as(name, lambda: knobs_of(rig, slot, title))
        seen = self.machine_seen
        if not seen.knobs or slot is None or seen.slot not in (None, "", slot.key):
            return own
        return narrowed(knobs_of(rig, slot, title, absent=True), seen.knobs)

    @property
    def now(self) -> Setup | None:
        """What the machine is set to, as far as it was confirmed; None where none was read."""
        snapshot = self.machine_seen.snapshot
        return snapshot.restorable() if snapshot is not None else None

    def planned_design(self) -> Design:
        """The design of the question, as it is edited. Raises PlanError."""
        rig, question = self.rig, self.question
        if rig is None:
            raise PlanError("No rig is chosen: there is nothing to plan for.")
        if question is None:
            self.design.check(rig)
            return self.design
        now = self.now
        made_of = question, rig, self.title, self.knobs, self.design, now, self.order
        if self._planned is None or self._planned[0] != made_of:
            made = planning.planned_within(question, rig, self.knobs, self.design, now, self.title)
            design = self._with_references(made.design, question, rig, now)
            self._planned = made_of, EditedDesign(design, self.order) if self.order else design, made.question
        return self._planned[1]

    def planned_question(self) -> Question:
        """The question as its plan is stored with it. Raises PlanError."""
        self.planned_design()
        return self._planned[2] if self._planned is not None else self.question or Question()

    def _with_references(self, design: Design, question: Question, rig: Rig, now: Setup | None) -> Design:
        found = references_of(rig, self.knobs, now) if question.parts.get("references") and now else ()
        return ReferencedDesign(design, found, self.design.lengths) if found else design

    def planned_passes(self) -> tuple[tuple[PlannedPass, ...], bool]:
        """The passes that it wants first, and whether these are all. Raises PlanError."""
        design = self.planned_design()
        return planning.first_passes(design, self.question or Question(), self.title)

    @property
    def overhead(self) -> Overhead:
        """The line that draws are predicted by."""
        return line_to_plan_with(self.evaluation.context.overhead if self.evaluation else None)

    @property
    def warming(self) -> Warming | None:
        """How the die warms, as far as the passes read so far tell."""
        found = self.evaluation
        if found is None:
            return None
        groups = [group for response in found.responses for group in response.groups]
        settled = [
            (die.value, package.value)
            for group in groups
            if (die := group.mean("die_c")) and (package := group.package)
        ]
        return warming_of(settled, found.context.room_c, found.constants)

    def name(self, kind: str, key: str) -> str:
        """Shown name of an entity."""
        found = self.newest(kind).get(key)
        return str(found.body.get("name", key)) if found else key

    def look_if_other(self) -> None:
        """Read the machine where it is another one than was read last: an edit of a question opens none."""
        if self.address != self._looked_at:
            self.look_at_machine()

    def look_at_machine(self) -> None:
        """Read the machine anew, off the interface thread; `machine_looked` tells."""
        address = self._looked_at = self.address
        self._looker.ask(lambda _wanted: library.look(address))

    @property
    def is_looking(self) -> bool:
        """Whether the machine is being read."""
        return self._looker.is_busy

    def _on_looked(self, seen: Seen) -> None:
        known = self.machine_seen if self._seen_of == self._looked_at else Seen()
        if seen.fault and known.snapshot is not None:  # in use just now: what it offers, and was set to, stays known
            seen = replace(known, fault=seen.fault)
        self.machine_seen, self._seen_of = seen, self._looked_at
        self.machine_looked.emit()
