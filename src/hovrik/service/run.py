"""The one sweep service behind the window and the command line: plan, run, put back, continue. No interface code."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ..bench import runner, setting
from ..bench.job import Control, Job, RunEnded, RunEvent
from ..bench.protocol import Machine
from ..bench.setting import PutBack
from ..core.errors import HovrikError, PlanError, StoreError, Unavailable
from ..core.facts.allowed import refusals
from ..core.facts.condition import UNKNOWN, Condition, Conditions, Provenance, from_plain, number, to_plain
from ..core.facts.incident import Incident, IncidentKind
from ..core.facts.known_knobs import known
from ..core.facts.left import Left
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Title
from ..core.model.known_rig import KnownTitle
from ..core.passes.energy import Overhead
from ..core.passes.guards import GuardThresholds, guards_of
from ..core.passes.point import PINNED
from ..core.passes.record import End, PassRecord
from ..core.passes.remedy import is_remedy
from ..core.passes.verdict import Verdict
from ..core.plan.design import Design, Told
from ..core.plan.designs import design_from, design_to
from ..core.plan.grid import LadderDesign, SetupsDesign
from ..core.plan.schedule import ASSUMED, line_to_plan_with, total
from ..core.plan.search.design import SearchDesign
from ..core.plan.steps import Batch, PlannedPass, laid_out, passes_in
from ..core.questions.question import Question
from ..core.read.generated import barred
from ..store.notebook import JournalEntry, Notebook, PassQuery
from ..store.sound import WRONG
from . import known_titles
from .gather import by_voltage, evaluate, failed_setups, incidents_of, slots_of
from .holds import Hold, held
from .judging import judged_among, keep_judged
from .machines import BY_HAND, Address, is_same, open_machine
from .memory import Memory
from .remembered import question_of
from .steering import steered
from .thresholds import thresholds_of

BOOT = Path("/proc/sys/kernel/random/boot_id")
PATIENCE_S = 300.0  # a machine that is gone: a cable, a restart of its own, a network that comes back


def context_of(notebook: Notebook, question: Question) -> dict[str, str]:
    """Ids of the newest versions that a question speaks of. Raises PlanError naming what is not known."""
    found = {}
    for kind, key in question.keys.items():
        entity = notebook.newest_of(kind, key)
        if entity is None:
            raise PlanError(f"The notebook knows no {kind} {key!r}. Choose one that it has in the question line.")
        found[kind] = entity.id
    return found


def rig_of(notebook: Notebook, key: str) -> Rig:
    """Newest version of a rig. Raises PlanError where there is none."""
    entity = notebook.newest_of("rig", key)
    if entity is None:
        raise PlanError(f"The notebook knows no rig {key!r}. Choose one that it has in the question line.")
    return Rig.from_dict(entity.body)


def title_of(notebook: Notebook, key: str) -> Title | None:
    """Newest version of a title, or None."""
    entity = notebook.newest_of("title", key)
    return Title.from_dict(entity.body) if entity else None


def counted_by(title: Title | None, question: Question) -> dict[str, Condition]:
    """What the reported rate of a scene counts, as a condition of its passes; nothing where that is not known."""
    scene = next((one for one in title.scenes if one.key == question.scene), None) if title is not None else None
    return {"counts": Condition(scene.counts, Provenance.ASKED)} if scene is not None and scene.counts else {}


def asked_conditions(
    question: Question, rig: Rig, room_c: float | None, seen: Conditions | None = None, title: Title | None = None
) -> dict[str, Condition]:
    """Conditions of the passes of a sweep that no channel reads; `seen` : what the preflight list says."""
    now, seen = time.time_ns(), seen or {}
    return {
        **seen,
        **counted_by(title, question),
        "source": Condition(question.source.value, Provenance.ASKED, now),
        "room_c": Condition(room_c, Provenance.ASKED, now) if room_c is not None else seen.get("room_c", UNKNOWN),
        "fan_policy": seen.get("fan_policy")
        or (Condition(rig.fan_policy, Provenance.ASSUMED, now) if rig.fan_policy else UNKNOWN),
    }


def keep_plan(
    notebook: Notebook, question: Question, design: LadderDesign, *, room_c: float | None = None,
    seen: Conditions | None = None, setups: Sequence[Setup] = (), overhead: Overhead = ASSUMED,
) -> str:  # fmt: skip
    """Check and store a plan with its question, context and what the preflight list says; its id.

    setups : made instead of the design's levels, with its lengths and seed; overhead : the line that charge is
    predicted by. Raises PlanError, LimitError, StoreError.
    """
    if not setups:
        design.check(rig_of(notebook, question.rig))
    chosen = SetupsDesign(tuple(setups), design.lengths) if setups else design
    return keep_design(notebook, question, chosen, room_c, seen, overhead)


def keep_design(
    notebook: Notebook, question: Question, design: Design, room_c: float | None = None,
    seen: Conditions | None = None, overhead: Overhead = ASSUMED,
) -> str:  # fmt: skip
    """Store a plan of any design with the steps that it gives first; its id. Raises PlanError, StoreError."""
    asked = steered(notebook, question, design).ask(Told())
    steps = laid_out(asked.wanted, 0, question.slot, before_launch=_set_before_launch(notebook, question))
    first = Batch(0, steps, (), asked.why, asked.done)
    check_passes(rig_of(notebook, question.rig), passes_in(first.steps), overhead)
    body = {
        "question": question.as_dict(), "design": design_to(design), "context": context_of(notebook, question),
        "room_c": room_c, "seen": to_plain(seen or {}),
    }  # fmt: skip
    return notebook.keep_plan(body, first)


def _set_before_launch(notebook: Notebook, question: Question) -> bool:
    title = title_of(notebook, question.title)
    return title is not None and bool(title.dislikes_changes)


def check_design(rig: Rig, design: Design, overhead: Overhead = ASSUMED) -> None:
    """Raises PlanError or LimitError where a rig does not allow what a design wants first."""
    check_passes(rig, passes_in(laid_out(design.ask(Told()).wanted)), overhead)


def check_passes(rig: Rig, passes: Sequence[PlannedPass], overhead: Overhead = ASSUMED) -> None:
    """Raises PlanError or LimitError where a rig does not allow passes, or its battery does not carry them."""
    wrong = dict.fromkeys(why for one in passes for why in refusals(one.setup, rig))
    if wrong:
        raise PlanError(f"This cannot be planned. {' '.join(list(wrong)[:3])}")
    too_long = total(passes, rig, overhead=overhead).too_long
    if too_long:
        raise PlanError(
            f"{len(too_long)} passes would leave the valid charge window even from full. "
            "Shorten the passes or lower the limits."
        )


@dataclass(frozen=True)
class Planned:
    """A stored plan as it is run. done : steps whose pass is kept; batches : what its design gave so far."""

    plan_id: str
    question: Question
    design: Design
    context: Mapping[str, str]
    rig: Rig
    conditions: Conditions
    passes: tuple[PlannedPass, ...]
    batches: tuple[Batch, ...]
    done: frozenset[str]

    @property
    def done_indices(self) -> frozenset[int]:
        """Places in the order of the passes that are kept."""
        return frozenset(one.index for one in self.passes if one.step_id in self.done)


def load_plan(notebook: Notebook, plan_id: str) -> Planned:
    """A stored plan, its rig in the version it was made for."""
    body = notebook.plan(plan_id)
    try:
        question = question_of(body["question"])
        rig_row = notebook.entity(str(body["context"]["rig"]))
        design = design_from(body)
        seen = from_plain(body.get("seen") or {})
    except WRONG as fault:
        raise StoreError(f"Plan {plan_id} in {notebook.path.name} cannot be read: {fault}.") from fault
    if rig_row is None:
        raise StoreError(f"Plan {plan_id} names a rig version that is not in {notebook.path.name}.")
    rig = Rig.from_dict(rig_row.body)
    conditions = asked_conditions(question, rig, body.get("room_c"), seen, title_of(notebook, question.title))
    batches = notebook.batches(plan_id)
    passes = passes_in([step for batch in batches for step in batch.steps])
    return Planned(
        plan_id, question, design, body["context"], rig, conditions, passes, batches,
        notebook.done_steps(plan_id),
    )  # fmt: skip


def further_passes(memory: Memory, plan_id: str) -> tuple[PlannedPass, ...]:
    """What the design of a plan wants after everything that it gave is done, laid out and stored; none where it wants
    no more. A batch that is stored is never asked for again. Raises PlanError where its rig does not allow it."""
    notebook = memory.notebook
    planned = load_plan(notebook, plan_id)
    if not planned.batches or planned.batches[-1].is_last:
        return ()
    found = evaluate(notebook, planned.question, memory=memory)
    counted = [view for view in found.views if view.counts_for(planned.question)]
    failed = failed_setups([view for view in found.views if view.record.plan_id == plan_id], planned.design)
    failed += [one.setup for one in incidents_of(notebook, memory.places, planned.question)]
    out = barred(found.responses, planned.question, found.context.live_opponents)
    told = Told(len(planned.batches), [view.counted for view in counted], found.responses, failed, out)
    design = steered(notebook, planned.question, planned.design)
    if isinstance(design, SearchDesign):
        design = replace(design, known=_known(memory, plan_id, planned.question))
    asked = design.ask(told)
    ids = tuple(view.record.id for view in counted)
    number = len(planned.batches)
    last = planned.passes[-1] if planned.passes else None
    steps = laid_out(
        asked.wanted, number, (last.slot if last else "") or planned.question.slot,
        before_launch=_set_before_launch(notebook, planned.question), after=last.setup if last else None,
    )  # fmt: skip
    batch = Batch(number, steps, ids, asked.why, asked.done)
    check_passes(rig_of(notebook, planned.question.rig), passes_in(batch.steps))
    notebook.keep_batch(plan_id, batch)
    return load_plan(notebook, plan_id).passes[len(planned.passes) :]


def remedies_of(notebook: Notebook, plan_id: str) -> tuple[str, ...]:
    """What was found to be needed for the passes of a plan to count; what is none is left out."""
    kept = notebook.get_state(_remedies_key(plan_id))
    named = [one for one in kept if isinstance(one, str)] if isinstance(kept, list) else []
    return tuple(one for one in named if is_remedy(one))


def _remedies_key(plan_id: str) -> str:
    return f"remedies/{plan_id}"


def boot_key(run_id: str) -> str:
    """Under which name it is remembered in which start of the computer a run was begun."""
    return f"boot/{run_id}"


def boot_id() -> str:
    """Which start of this computer it is, "" where that cannot be told."""
    try:
        return BOOT.read_text(encoding="utf-8").strip()
    except OSError:
        return ""


class _NotebookSink:
    """Stores what a run hands over; each call returns once the transaction is on disk."""

    def __init__(
        self, memory: Memory, plan_id: str, address: Address, rig: Rig, boot: str, hold: Hold,
        before: JournalEntry | None,
    ) -> None:  # fmt: skip
        self._notebook, self._plan_id, self._address, self._rig = memory.notebook, plan_id, address, rig
        self._memory = memory
        self._run_id = ""
        self._boot, self._hold, self._before = boot, hold, before

    def begin(self, left: Left) -> None:
        self._run_id = self._notebook.begin_run(self._plan_id, self._address, left, self._before)
        self._hold.note(self._notebook.path, self._run_id, left)
        self._notebook.set_state(boot_key(self._run_id), self._boot)

    def touching(self, left: Left) -> None:
        self._notebook.run_touches(self._run_id, left)
        self._hold.note(self._notebook.path, self._run_id, left)

    def at(self, planned: PlannedPass) -> None:
        self._notebook.run_at(self._run_id, planned.index, [step.id for step in planned.steps])

    def keep(self, record: PassRecord) -> Verdict:
        verdict = keep_judged(self._notebook, record, self._rig)
        if by_voltage(record, verdict):
            words = "It ended before its time at a lowered voltage."
            made = Incident(str(uuid.uuid4()), IncidentKind.CRASH, record.context, record.asked, "undervolt", words)
            self._notebook.note_incident(made)
        return verdict if verdict.counts else judged_among(self._memory, record, verdict)

    def remedied(self, action: str) -> None:
        kept = [one for one in remedies_of(self._notebook, self._plan_id) if one != action]
        self._notebook.set_state(_remedies_key(self._plan_id), [*kept, action])

    def restored(self, left: Left | None = None) -> None:
        if left is not None:  # a further run goes on where this one ended, and puts back what is left
            self.touching(left)
            return
        self._notebook.end_run(self._run_id)
        self._hold.forget()


def run_plan(
    notebook: Notebook, plan_id: str, machine: Machine, address: Address, control: Control,
    announce: Callable[[RunEvent], None], stays: Callable[[], bool] = lambda: False,
) -> RunEnded:  # fmt: skip
    """Run what is left of a stored plan. Every pass is in the notebook before it is announced. What the battery will
    give is predicted by the line fitted to the passes of the question, where they carry one. stays : whether a further
    run goes on in the OS slot that this one ends in. Raises Unavailable where another run has the machine."""
    with held(address) as hold:
        return _run_held(notebook, plan_id, machine, address, control, announce, stays, hold)


def open_run_of(notebook: Notebook, address: Address) -> JournalEntry | None:
    """The run of a notebook that is open on a machine."""
    return next((entry for entry in notebook.open_runs() if is_same(entry.machine, address)), None)


def _left_on(notebook: Notebook, entry: JournalEntry | None, hold: Hold) -> Left | None:
    """What an earlier run left on a machine, whatever notebook it was of: the older one is the true one."""
    if entry is not None:
        return entry.left
    other = hold.open_run()
    if other is None or Path(other.notebook) == notebook.path.resolve():  # it was closed here since
        return None
    return other.left


def _run_held(
    notebook: Notebook, plan_id: str, machine: Machine, address: Address, control: Control,
    announce: Callable[[RunEvent], None], stays: Callable[[], bool], hold: Hold,
) -> RunEnded:  # fmt: skip
    planned = load_plan(notebook, plan_id)
    memory = Memory(notebook)
    overhead = line_to_plan_with(evaluate(notebook, planned.question, memory=memory).context.overhead)
    if isinstance(planned.design, SearchDesign):
        _known(memory, plan_id, planned.question)
    rig = rig_of(notebook, planned.question.rig)
    entry = open_run_of(notebook, address)
    job = Job(
        plan_id, planned.passes, context_of(notebook, planned.question), planned.question.title, planned.question.scene,
        rig, planned.question.slot, planned.conditions, planned.done, _left_on(notebook, entry, hold), stays,
        guards_of(rig, thresholds_of(notebook, GuardThresholds)), PATIENCE_S,
        newest_rig=lambda: rig_of(notebook, rig.key), played=title_of(notebook, planned.question.title),
        further=lambda: further_passes(memory, plan_id), overhead=overhead,
        contexts={
            slot: context_of(notebook, planned.question.with_(slot=slot))
            for slot in dict.fromkeys([*(one.slot for one in planned.passes), *slots_of(planned.question)]) if slot
        },
        pins=_pins(memory, planned.question), crashed=_crashed(memory, planned.question),
        remedies=remedies_of(notebook, plan_id),
    )  # fmt: skip
    return runner.run(
        machine, job, _NotebookSink(memory, plan_id, address, rig, boot_id(), hold, entry), control, announce
    )


def _known(memory: Memory, plan_id: str, question: Question) -> tuple[KnownTitle, ...]:
    """What other titles told of the rig when this search began."""
    notebook = memory.notebook
    found = known_titles.kept(notebook, plan_id)
    if found is None:
        others = [evaluate(notebook, one, memory=memory).views for one in known_titles.questions(notebook, question)]
        found = known_titles.told_by([[view.counted for view in views if view.counts] for views in others])
        known_titles.keep(notebook, plan_id, found)
    return found


def _pins(memory: Memory, question: Question) -> dict[tuple[str, float], float]:
    """Limits that brought passes of this title to measured watts, by OS slot and watts; the newest counts."""
    found = {}
    for record in memory.records(PassQuery(rig=question.rig, title=question.title)):
        watts, limit = number(record.conditions, PINNED), record.asked.static_limit_w
        if watts is not None and limit is not None:
            found[memory.places.key(record, "slot"), watts] = limit
    return found


def crashed_at(notebook: Notebook, question: Question) -> list[Setup]:
    """Setups at which the title failed or something else went wrong, in this slot."""
    return _crashed(Memory(notebook), question)


def _crashed(memory: Memory, question: Question) -> list[Setup]:
    where = PassQuery(rig=question.rig, slot=question.slot, title=question.title)
    found = [one.setup for one in memory.records(where) if one.outcome is End.FAILED]
    incidents = incidents_of(memory.notebook, memory.places, question)
    return list(dict.fromkeys([*found, *(one.setup for one in incidents)]))


def put_back(
    notebook: Notebook, entry: JournalEntry, *, is_done: Callable[[str], bool] | None = None,
    reach: Callable[[Address], Machine] = open_machine,
) -> PutBack:  # fmt: skip
    """Put back what a run that was cut short touched on its machine; once all of it is confirmed the entry is closed.

    is_done : asks the person of a machine that is run by hand, or cannot be reached from here, whether it is back, in
    words; nothing but their yes closes it; reach : opens the machine. Raises Unavailable where it cannot be reached,
    with what to set by hand.
    """
    if entry.machine.get("kind") == BY_HAND:
        words = by_hand_words(entry)
        if entry.left.is_touched and (is_done is None or not is_done(words)):
            return PutBack({"setup": f"only who set it can say that it is back. {words}"})
        notebook.end_run(entry.id)
        return PutBack()
    rig = rig_of(notebook, load_plan(notebook, entry.plan_id).question.rig)
    with held(entry.machine) as hold:
        try:
            machine = reach(entry.machine)
        except Unavailable as fault:
            if is_done is None or not is_done(was_words(entry)):
                raise Unavailable(f"{fault} {was_words(entry)}") from fault
            notebook.end_run(entry.id)
            hold.forget()
            return PutBack()
        try:
            back = setting.put_back_left(machine, entry.left, rig)
        finally:
            machine.close()
        if back.is_whole:
            notebook.end_run(entry.id)
            hold.forget()
    return back


def leave(notebook: Notebook, entry: JournalEntry) -> None:
    """The user chose to leave the machine as it is. Raises StoreError."""
    notebook.end_run(entry.id)
    Hold(entry.machine).forget()


def was_words(entry: JournalEntry) -> str:
    """What a machine had before a run, as far as the run touched it."""
    values = entry.left.to_restore(entry.left.home).restorable()
    was = [f"{known(key).label} {known(key).words(value)}" for key, value in values.items()]
    return f"Before the sweep it had: {', '.join(was)}. Set that by hand." if was else "Nothing of it was touched."


def by_hand_words(entry: JournalEntry) -> str:
    """What a person is asked to put back."""
    touched = sorted({key for knobs in entry.left.touched.values() for key in knobs})
    what = f": {', '.join(known(key).label.lower() for key in touched)}" if touched else ""
    return f"Put back what you set by hand for the sweep{what}."


def unfinished(notebook: Notebook) -> list[tuple[JournalEntry, int, int]]:
    """Open runs with passes done and planned."""
    found = []
    for entry in notebook.open_runs():
        try:
            planned = load_plan(notebook, entry.plan_id)
            found.append((entry, len(planned.done_indices), len(planned.passes)))
        except HovrikError:  # what it was to do cannot be read; that it is open is still said
            found.append((entry, 0, 0))
    return found


def left_over(notebook: Notebook, question: Question) -> tuple[str, int] | None:
    """(plan id, passes left) of the newest plan of this question that was begun and is not done, None where the newest
    that was begun is done. Counts only, so that it costs nothing to ask."""
    for plan_id, body, _ in notebook.plans():
        try:
            asked = question_of(body["question"])
        except WRONG:
            continue
        if asked.keys != question.keys or asked.source is not question.source:
            continue
        planned, done = notebook.passes_planned(plan_id), len(notebook.done_steps(plan_id))
        if done:
            return (plan_id, planned - done) if planned > done else None
    return None


def describe_run(entry: JournalEntry, done: int, planned: int) -> str:
    """What an open run means, in plain words."""
    if entry.machine.get("kind") == BY_HAND:
        return (
            f"A sweep by hand was cut short after {done} of {planned} passes; all of them are kept. "
            f"{by_hand_words(entry)}"
        )
    values = entry.left.to_restore(entry.left.home).restorable()
    was = ", ".join(f"{known(key).label} {known(key).words(value)}" for key, value in values.items())
    may = "The machine may still be at the sweep's limits" if was else "The machine may still run another OS slot"
    had = f"Before the sweep it had: {was}." if was else f"Before the sweep it ran {entry.left.home}."
    return f"A sweep was cut short after {done} of {planned} passes; all of them are kept. {may}. {had}"
