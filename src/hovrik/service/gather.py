"""From notebook rows to an answer: figures (cached), verdicts, responses, the sentence. No interface code."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from statistics import fmean
from typing import Any

import numpy as np

from ..core import words
from ..core.errors import HovrikError, InputError
from ..core.facts.factor import Factor, static_limit
from ..core.facts.incident import Incident
from ..core.facts.knob import Knob, inside, named
from ..core.facts.known_knobs import is_voltage, known
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Scene, Section, Title
from ..core.finding import Finding, State
from ..core.keep.evening import evenings_in
from ..core.kinds.ask import varied_by
from ..core.kinds.kind import Kind, Seen
from ..core.kinds.table import kind_asked
from ..core.message import Message, Value, say
from ..core.model import known_rig
from ..core.model.battery import Used, used_of
from ..core.passes import discharge, energy, figures, heat
from ..core.passes.discharge import Discharge, discharge_of
from ..core.passes.figures import PassFigures
from ..core.passes.heat import TimeConstants
from ..core.passes.point import Point
from ..core.passes.purpose import DISCHARGE, EVENING, HEAT, purpose
from ..core.passes.record import End, Origin, PassRecord
from ..core.passes.remedy import SOAK, remedy_of
from ..core.passes.sections import section_figures
from ..core.passes.trace import Trace
from ..core.passes.verdict import Verdict
from ..core.plan.design import Design
from ..core.plan.designs import design_from
from ..core.plan.search.design import SearchDesign
from ..core.plan.search.space import SLOT
from ..core.plan.undervolt import UndervoltDesign
from ..core.questions.question import Question
from ..core.read import response
from ..core.read.agree import at_base
from ..core.read.answer import Answer, Context, build, hours_of
from ..core.read.group import Counted, Group
from ..core.read.in_the_way import with_what_is_in_the_way
from ..core.read.limits import with_limits
from ..core.read.response import Response
from ..core.read.rules.rule import Looked, Whole
from ..core.read.rules.table import findings_of
from ..core.read.stopped import Attempt, Stopped, stopped_of
from ..store.notebook import Annotation, Notebook, PassQuery
from ..store.opened import Spoiled
from ..store.sound import WRONG
from . import known_titles
from .along import factor_of, factors_along
from .inferred import with_noise, with_package
from .judging import verdicts_of
from .memory import Cancelled, Memory, Progress
from .points import Places, scope
from .steering import steered
from .warmth import with_settled

HEAT_ALGORITHM = "time-constants"
HEAT_VERSION = 1
SET_OFF = frozenset({"unsettled", "clamp-hit", "clamp-at", "clock-collapse"})  # by watts that a machine takes back


@dataclass(frozen=True)
class PassView:
    """A pass as it is shown: record (without trace), point, figures, verdict. deleted : taken out by the user; beside :
    it is of another question at the same place, or was made at another base."""

    record: PassRecord
    point: Point
    figures: PassFigures
    verdict: Verdict
    deleted: bool = False
    beside: bool = False

    @property
    def is_good(self) -> bool:
        """Whether it could enter figures, be it of which question it may."""
        return self.verdict.counts and not self.deleted and purpose(self.record.purpose).counts

    @property
    def was_tried(self) -> bool:
        """Whether it was made to enter figures, whatever came of it."""
        return not self.deleted and purpose(self.record.purpose).counts and self.record.outcome is not End.ABORTED

    @property
    def counts(self) -> bool:
        """Whether it enters the figures of the question."""
        return self.is_good and not self.beside

    def is_read_by(self, kind: Kind) -> bool:
        """Whether it counts for nothing but what this kind reads of it."""
        void = {one.id for one in self.verdict.findings if one.weight is State.VOID}
        plain = self.verdict.overruled or self.beside or not self.was_tried or self.record.outcome is not End.DONE
        return not plain and not self.verdict.counts and bool(void & kind.reads) and void <= kind.reads | SET_OFF

    @property
    def counted(self) -> Counted:
        """What groups are made of."""
        record = self.record
        pair = f"{record.plan_id}/{record.plan_index // 2}" if record.plan_index is not None else ""
        number = self.point.number("round")
        round_ = f"{record.plan_id}/{number:g}" if record.plan_id and number is not None else ""
        return Counted(record.id, self.point, record.asked, self.figures, pair, record.purpose, round_)

    def counts_for(self, question: Question) -> bool:
        """Whether it enters the figures of a question: blocks of a flip count for flips alone, looks of a blind test
        for that, whatever was measured of them: they were felt."""
        kind = kind_asked(question)
        if self.beside:
            return False
        if kind.purposes:
            counts = self.record.outcome is End.DONE if kind.unjudged else self.verdict.counts
            return counts and not self.deleted and self.record.purpose in kind.purposes
        display = question.parts.get("display")  # of which alone it is asked
        return self.counts and (display is None or self.point.setup.get("display") in (None, display))


@dataclass(frozen=True)
class Evaluation:
    """Everything that is known about a question. constants : calibrated heat response, with why not where None;
    factor : what its responses lie along; along : what they can lie along; sections : of the scene; within : the one
    that figures are of, "" all of it; spoiled : rows of the notebook that could not be read; findings : of
    the rules over many passes; unchecked : passes that were not looked at yet, whether they are as they were stored;
    beside : responses of passes that are not the question's own; since : what was said before, and what is other
    now, None where nothing else was said, or nobody looked; stopped : levels at which no pass ever ran."""

    question: Question
    rig: Rig | None
    views: tuple[PassView, ...]
    responses: tuple[Response, ...]
    answer: Answer
    context: Context
    constants: TimeConstants | None
    why_no_constants: str = ""
    factor: Factor = field(default_factory=static_limit)
    along: tuple[Factor, ...] = ()
    sections: tuple[Section, ...] = ()
    within: str = ""
    spoiled: tuple[Spoiled, ...] = ()
    findings: tuple[Finding, ...] = ()
    unchecked: int = 0
    beside: tuple[Response, ...] = ()
    since: Message | None = None
    stopped: tuple[Stopped, ...] = ()

    @property
    def every(self) -> tuple[Response, ...]:
        """Responses of the question, then those of passes beside it."""
        return (*self.responses, *self.beside)

    @property
    def surprises(self) -> dict[str, str]:
        """Passes that stand out from the others: id to words."""
        return {pass_id: words.render(said) for one in self.responses for pass_id, said in one.surprises}


def void_setups(evaluation: Evaluation) -> list[Setup]:
    """Setups of void passes that no counted pass of the same plan and place has made good, one a pass."""
    good = {(v.record.plan_id, v.record.step_id) for v in evaluation.views if v.is_good}
    return [
        v.record.setup for v in evaluation.views
        if not v.is_good and not v.beside and not v.deleted and purpose(v.record.purpose).counts
        and v.record.origin is Origin.MEASURED and (v.record.plan_id, v.record.step_id) not in good
    ]  # fmt: skip


def surprising_setups(evaluation: Evaluation) -> list[Setup]:
    """Setups of passes that stand out from the others and were not repeated in a later run, one a pass."""
    odd = evaluation.surprises
    return [
        v.record.setup for at, v in enumerate(evaluation.views)
        if v.record.id in odd and purpose(v.record.purpose).counts and not any(
            other.counts and other.record.setup == v.record.setup
            and (other.record.plan_id is None or other.record.plan_id != v.record.plan_id)
            for other in evaluation.views[at + 1 :]
        )
    ]  # fmt: skip


UNLIKE_LENGTHS = 1.5  # from where passes of a question are said to differ in length
MOST_VOID = 3  # void passes of a setup, none of them counting, after which it is not proposed again


def failed_setups(views: Sequence[PassView], design: Design | None = None) -> list[Setup]:
    """Setups of a plan at which a title failed, or of which every one of several passes is void; candidates of a
    search in several OS slots with theirs."""

    def own(view: PassView) -> Setup:
        setup, in_slots = view.record.setup, isinstance(design, SearchDesign) and SLOT in design.levels
        return setup.with_(**{SLOT: view.point.place.slot.rpartition("/")[2]}) if in_slots else setup

    counts = {own(view) for view in views if view.verdict.counts}
    found = [own(view) for view in views if view.record.outcome is End.FAILED or by_voltage(view.record, view.verdict)]
    void = Counter(own(view) for view in views if not view.verdict.counts)
    found += [setup for setup, times in void.items() if times >= MOST_VOID and setup not in counts]
    return list(dict.fromkeys(found))


ENDED = frozenset({"title-ended", "empty-pass"})  # between the marks, or before them


def by_voltage(record: PassRecord, verdict: Verdict) -> bool:
    """Whether a pass ended before its time at a lowered voltage: that is a fault of it, whatever else it may be."""
    lowered = any(is_voltage(key) and value for key, value in record.asked.items())
    return lowered and _ended(record, verdict)


def _ended(record: PassRecord, verdict: Verdict) -> bool:
    """Whether the title did not start, or ended before its time."""
    return record.outcome is End.FAILED or any(one.id in ENDED for one in verdict.findings)


def slots_of(question: Question) -> tuple[str, ...]:
    """Keys of the OS slots that a question is asked of at once, where these are several."""
    wanted = question.parts.get("slots") if kind_asked(question).over_slots else None
    return tuple(map(str, wanted)) if isinstance(wanted, list | tuple) else ()


def own_factor(question: Question, knobs: Mapping[str, Knob] | None = None) -> str:
    """Id of the factor that a question is about: as it says, else that of its kind, by the knobs that its title and
    machine have; "" the static limit."""
    if not question.is_known:
        return str(question.parts.get("over") or "")
    kind = kind_asked(question)
    return str(question.parts.get("over") or kind.complete(question.parts, knobs or {}).get("over") or kind.over)


def evaluate(
    notebook: Notebook, question: Question, progress: Progress | None = None, over: str = "",
    memory: Memory | None = None, within: str = "", *, check: bool = True,
) -> Evaluation:  # fmt: skip
    """Read every pass that belongs to the question and build the answer.

    over : id of the factor that passes are read along, the static limit where none is named. progress(done, total) is
    called for each pass whose figures had to be computed; False raises Cancelled. memory : of the evaluations before of
    this notebook, which grows; within : name of the section of the scene that figures are of, "" all of it; check :
    look first whether every pass is as it was stored, else the answer says how many were not looked at. Raises
    InputError for a factor that neither the program nor the rig, slot or title knows, or a section that the scene has
    not.
    """
    memory = memory or Memory(notebook)
    if check:
        memory.check()
    memory.refresh()
    places = memory.places
    rig = places.newest_rig(question.rig)
    knobs = places.knobs(question)
    over = over or own_factor(question, named(knobs))
    factor = factor_of(over, knobs, rig, places)
    sections = _sections(places, question)
    section = next((one for one in sections if one.name == within), None)
    if within and section is None:
        known_ones = ", ".join(one.name for one in sections) or "none"
        raise InputError(f"The scene has no section {within!r}. It has: {known_ones}.")
    notes = notebook.annotations()
    records = memory.records(scope(question, factor.place or ("slot" if len(slots_of(question)) > 1 else "")))
    is_own = _own(memory, question, named(knobs))
    kind = kind_asked(question) if question.is_known else None
    if kind is not None and kind.of_others:
        told = _telling(memory, question, [one for one in records if is_own(one)])
        is_own = lambda record: record.id in told  # noqa: E731
    own, others = ([one for one in records if is_own(one) is mine] for mine in (True, False))
    heat_passes = [one for one in memory.records(PassQuery(rig=question.rig, purpose=HEAT)) if not _deleted(one, notes)]
    constants = _Constants(memory, [one for mine in (False, True) for one in heat_passes if is_own(one) is mine])
    views = _views(memory, own, notes, constants, progress, section, question.rig)
    beside = [
        replace(one, beside=True) for one in _views(memory, others, notes, constants, progress, section, question.rig)
    ]  # fmt: skip
    counted = [view for view in views if view.counts_for(question)]
    responses = response.read([view.counted for view in counted], question, factor, named(knobs))
    incidents = incidents_of(notebook, places, question)
    responses = _with_incidents(responses, incidents)
    played = places.newest("title", question.keys["title"])
    context = replace(
        _context(views, counted, rig), counted=len(counted), along=inside(factor.label),
        live_opponents=played.body.get("live_opponents") if played is not None else None,
        rigs=_rigs(places, counted) if factor.place == "rig" else {},
    )  # fmt: skip
    if kind is not None and context.remedy == SOAK and "until_settled" not in kind.fields:
        context = replace(context, remedy="")  # what is switched in play cannot soak
    unchecked = memory.unchecked
    if unchecked:
        context = replace(context, notes=(*context.notes, say("unchecked", passes=unchecked)))
    responses = with_limits(responses, question.terms.limits, partial(hours_of, question=question, context=context))
    newest, why_not = constants.of(views[-1].point) if views else constants.of(Point())
    why_not = "" if any(view.figures.value("die_c") is not None for view in views) else why_not
    along = factors_along(notebook, question, [view.point for view in counted], knobs, rig, places)
    seen = Seen(
        responses, [view.counted for view in counted], question, context, factor, named(knobs),
        *(_last_design(notebook, question, views, incidents) if kind is not None and kind.of_plan else ()),
    )  # fmt: skip
    stopped = stopped_of(factor, [_attempt(view) for view in views if view.was_tried])
    read_so = [view.counted for view in views if kind is not None and view.is_read_by(kind)]
    seen = replace(seen, stopped=stopped, read=read_so)
    if counted and not factor.place:
        seen = replace(seen, earlier=_earlier(counted, [*views, *beside], question))
    if kind is not None and kind.of_charge:
        emptied = [v.record for v in views if v.record.purpose == DISCHARGE and v.record.outcome is End.DONE
                   and not v.deleted]  # fmt: skip
        read = memory.derived("by-charge", discharge.VERSION, emptied, Discharge.from_dict, _by_charge,
                              Discharge.as_dict, progress)  # fmt: skip
        seen = replace(
            seen,
            discharges=[read[one.id] for one in emptied],
            discharged=[one.setup for one in emptied],
            evenings=evenings_in([v.record for v in views if not v.deleted]),
        )
    answer = _answered(kind, seen, progress)
    order = {record.id: at for at, record in enumerate(records)}
    every = sorted((*views, *beside), key=lambda one: order[one.record.id])
    whole = _whole(places, responses, every, question, context, rig, named(knobs))
    answer = with_what_is_in_the_way(answer, whole)
    better = response.read([one.counted for one in beside if one.is_good], question, factor, named(knobs))
    better = _with_incidents(better, incidents)
    found = findings_of(replace(whole, pick=answer.option, beside=better))
    return Evaluation(
        question, rig, tuple(every), tuple(responses), answer, context, newest, why_not,
        factor, along, sections, within, tuple(memory.notebook.spoiled.values()), found, unchecked,
        tuple(better), stopped=stopped,
    )  # fmt: skip


def _own(memory: Memory, question: Question, knobs: Mapping[str, Knob]) -> Callable[[PassRecord], bool]:
    """Which passes are a question's own: made for its kind of question, about the same knob, and at its base. Of one
    whose base is not noted all are."""
    base, kind = question.base, kind_asked(question)
    if base is None:
        return lambda record: True
    varied = varied_by(question)

    def is_own(record: PassRecord) -> bool:
        asked = memory.asked(record.plan_id) if record.plan_id and not kind.of_others else None
        if asked is not None and (asked.kind, own_factor(asked, knobs)) != (question.kind, own_factor(question, knobs)):
            return False
        if asked is not None and set(asked.base or ()) & varied:  # it held the same what this one varies
            return False
        point = memory.places.point(record)
        is_there = point.place.slot == question.keys["slot"]  # another slot has settings of its own
        return at_base(point.setup if is_there else record.asked, point.versions, base, question.versions, knobs)

    return is_own


def _attempt(view: PassView) -> Attempt:
    ended = _ended(view.record, view.verdict)
    why = view.record.reason if view.record.outcome is End.FAILED else "it ended before its time" if ended else ""
    return Attempt(view.point, ended, why)


def _earlier(counted: Sequence[PassView], every: Sequence[PassView], question: Question) -> list[Counted]:
    """The rig's passes of this scene that are older than the question's first, oldest first."""
    first = min(view.record.started_ns for view in counted)
    own = {view.record.id for view in counted}
    earlier = [
        view for view in every
        if view.is_good and 0 < view.record.started_ns < first and view.record.id not in own
        and view.point.place.slot == question.keys["slot"] and view.point.place.source is question.source
    ]  # fmt: skip
    return [view.counted for view in sorted(earlier, key=lambda one: one.record.started_ns)]


def _telling(memory: Memory, question: Question, records: Sequence[PassRecord]) -> frozenset[str]:
    """Ids of what tells of a prediction: whole charges and evenings, the question's own where it has some; and what was
    made before the newest of them. What came later predicted nothing."""
    ends = [one for one in records if one.purpose in (DISCHARGE, EVENING)]
    mine = [one for one in ends if not one.plan_id or ((of := memory.asked(one.plan_id)) and of.kind == question.kind)]
    told = {one.id for one in mine or ends}
    last = max((at for at, one in enumerate(records) if one.id in told), default=len(records))
    return frozenset(one.id for one in records[: last + 1] if one not in ends or one.id in told)


def _by_charge(record: PassRecord) -> Discharge:
    return discharge_of(record.trace if record.trace is not None else Trace(np.empty(0, np.int64)))


def _whole(
    places: Places, responses: Sequence[Response], views: Sequence[PassView], question: Question, context: Context,
    rig: Rig | None, knobs: Mapping[str, Knob],
) -> Whole:  # fmt: skip
    """What the rules look at."""
    slots = {slot.key: slot for slot in rig.slots} if rig is not None else {}
    title = places.newest("title", question.keys["title"])
    scene = places.newest("scene", question.keys["scene"])
    looked = [
        Looked(
            view.counted, frozenset(one.id for one in view.verdict.findings), view.verdict.facts,
            view.counts_for(question), view.record.plan_id or "", view.record.plan_index, view.record.origin,
            view.record.summary, view.is_good,
            (view.record.reason or "failed") if view.record.outcome is End.FAILED else "",
        )
        for view in views if not view.deleted
    ]  # fmt: skip
    return Whole.of(
        responses, looked, question=question, context=context, rig=rig, slot=slots.get(question.slot),
        title=Title.from_dict(title.body) if title is not None else None,
        scene=Scene.from_dict(scene.body) if scene is not None else None, knobs=knobs,
    )  # fmt: skip


def _answered(kind: Kind | None, seen: Seen, progress: Progress | None) -> Answer:
    """progress : told of what a kind has to make for its answer, too."""
    if kind is None:
        return build(seen.responses, seen.question, seen.context)

    def heard(done: int, total: int) -> None:
        if progress is not None and not progress(done, total):
            raise Cancelled

    token = known_rig.heard.set(heard)
    try:
        return kind.answer(seen)
    finally:
        known_rig.heard.reset(token)


def _rigs(places: Places, counted: Sequence[PassView]) -> dict[str, tuple[Rig | None, Used | None]]:
    """Each rig that passes were made on, and what they drew against its own gauge."""
    by_rig: dict[str, list[PassFigures]] = {}
    for view in counted:
        by_rig.setdefault(view.point.place.rig, []).append(view.figures)
    return {key: (places.newest_rig(key), used_of(own)) for key, own in by_rig.items()}


def _last_design(
    notebook: Notebook, question: Question, views: Sequence[PassView], incidents: Sequence[Incident]
) -> tuple[Design | None, list[Setup]]:
    """The search that was run last, and the setups of it that are no measurement."""
    for plan_id in dict.fromkeys(view.record.plan_id for view in reversed(views) if view.record.plan_id):
        try:
            design = steered(notebook, question, design_from(notebook.plan(plan_id)))
        except (HovrikError, *WRONG):  # of a newer version, or spoiled: its passes are read without it
            continue
        if isinstance(design, SearchDesign | UndervoltDesign):
            if isinstance(design, SearchDesign):
                design = replace(design, known=known_titles.kept(notebook, plan_id) or ())
            failed = failed_setups([view for view in views if view.record.plan_id == plan_id], design)
            return design, [*failed, *(one.setup for one in incidents)]
    return None, []


def incidents_of(notebook: Notebook, places: Places, question: Question) -> list[Incident]:
    """Incidents of the question's rig, slot and title, whatever the scene."""
    wanted = {kind: question.keys[kind] for kind in ("rig", "slot", "title")}
    return [
        one for one in notebook.incidents()
        if all((entity := places.entity(one.context[k])) and entity.key == key for k, key in wanted.items())
    ]  # fmt: skip


def _with_incidents(responses: Sequence[Response], incidents: Sequence[Incident]) -> list[Response]:
    """Groups with the incidents at their setup counted: such a setup is not recommended."""
    if not incidents:
        return list(responses)
    return [
        replace(one, groups=tuple(replace(g, incidents=sum(_at(i, g) for i in incidents)) for g in one.groups))
        for one in responses
    ]


def _at(incident: Incident, group: Group) -> bool:
    own = group.setup
    return set(incident.setup) == set(own) and all(known(k).agrees(v, own[k]) for k, v in incident.setup.items())


class _Constants:
    """Time constants of a rig by fan policy and its own versions, from its newest heat pass under these that carries
    them."""

    def __init__(self, memory: Memory, heat_passes: Sequence[PassRecord]) -> None:
        self._memory = memory
        self._passes = [r for r in reversed(heat_passes) if r.outcome.value == "done"]
        self._known: dict[str, tuple[TimeConstants | None, str, PassRecord | None]] = {}

    def of(self, point: Point) -> tuple[TimeConstants | None, str]:
        """Those for a pass, and why there are none. An unknown policy is taken to be any."""
        return self._at(point)[:2]

    def heat_pass(self, point: Point) -> PassRecord | None:
        """The heat pass that those for a pass come from; the newest where none carries them."""
        return self._at(point)[2]

    def _at(self, point: Point) -> tuple[TimeConstants | None, str, PassRecord | None]:
        if point.cooling not in self._known:
            self._known[point.cooling] = self._find(point)
        return self._known[point.cooling]

    def _find(self, point: Point) -> tuple[TimeConstants | None, str, PassRecord | None]:
        policy = str(point.setup.get("fan_policy", ""))
        why, newest = "no heat pass has calibrated this rig and fan policy yet", None
        for record in self._passes:
            other = self._memory.places.point(record)
            own = str(other.setup.get("fan_policy", ""))
            if (policy and own and policy != own) or _updated(point, other):
                continue
            body = self._memory.derived(HEAT_ALGORITHM, HEAT_VERSION, [record], _plain, _calibrate, _plain)[record.id]
            if "reason" not in body:
                return TimeConstants(**body), "", record
            why, newest = body["reason"], newest or record
        return None, why, newest


def _updated(one: Point, other: Point) -> bool:
    """Whether the rig's own versions are known to differ."""
    return any(
        version and other.versions.get(what) and version != other.versions[what]
        for what, version in one.versions.items() if what.startswith("rig/")
    )  # fmt: skip


def _plain(body: dict[str, Any]) -> dict[str, Any]:
    return body


def _calibrate(record: PassRecord) -> dict[str, Any]:
    trace = record.trace
    channel = trace.channels.get("die_c") if trace else None
    if channel is None or channel.values.size == 0:
        return {"reason": "the heat pass recorded no die temperature"}
    seconds = (channel.stamps_ns - channel.stamps_ns[0]) / 1e9
    try:
        return heat.calibrate(seconds, channel.values).as_dict()
    except InputError as fault:
        return {"reason": str(fault)}


def _views(
    memory: Memory, records: Sequence[PassRecord], notes: Mapping[str, Sequence[Annotation]], constants: _Constants,
    progress: Progress | None, section: Section | None, rig: str,
) -> list[PassView]:  # fmt: skip
    """rig : key of the question's."""
    points = {record.id: memory.places.point(record) for record in records}
    by_heat: dict[str, tuple[TimeConstants | None, list[PassRecord]]] = {}
    for record in records:
        own, _ = constants.of(points[record.id])
        key = f"{own.fast_s:.6g}/{own.slow_s:.6g}" if own else "-"
        by_heat.setdefault(key, (own, []))[1].append(record)
    found: dict[str, PassFigures] = {}
    if section is not None:
        found = memory.derived(
            _of(figures.ALGORITHM, section), figures.VERSION, records, PassFigures.from_dict,
            partial(section_figures, section=section), PassFigures.as_dict, progress,
        )  # fmt: skip
        by_heat.clear()
    for key, (own, group) in by_heat.items():
        found |= memory.derived(
            f"{figures.ALGORITHM}/{key}", figures.VERSION, group, PassFigures.from_dict,
            partial(figures.figures_of, constants=own), PassFigures.as_dict, progress,
        )  # fmt: skip
    if section is None:
        found = with_settled(memory, records, points, found, constants.heat_pass)
    if records:
        found = with_noise(memory.places.newest_rig(rig), with_package(memory, rig, records, points, found, progress))
    verdicts = verdicts_of(memory, records, notes)
    return [
        PassView(
            record, points[record.id], found[record.id], verdicts[record.id],
            _deleted(record, notes),
        )
        for record in records
    ]  # fmt: skip


def _deleted(record: PassRecord, notes: Mapping[str, Sequence[Annotation]]) -> bool:
    return any(note.kind == "deletion" for note in notes.get(record.id, ()))


def _of(algorithm: str, section: Section | None) -> str:
    """The algorithm as the cache knows it: what is of a section belongs to its ends, whatever it is called."""
    return algorithm if section is None else f"{algorithm}/{section.start_s:g}-{section.end_s:g} s"


def _sections(places: Places, question: Question) -> tuple[Section, ...]:
    scene = places.newest("scene", question.keys["scene"])
    return Scene.from_dict(scene.body).sections if scene is not None else ()


def _context(views: Sequence[PassView], counted: Sequence[PassView], rig: Rig | None) -> Context:
    known_rooms = [room for v in counted if (room := v.point.number("room_c")) is not None]
    notes: list[Message] = []
    if known_rooms and max(known_rooms) - min(known_rooms) > 3:
        by = Value(max(known_rooms) - min(known_rooms), "degrees", digits=0)
        notes.append(say("rooms-differ", by=by))
    lengths = [v.figures.frames.seconds for v in counted if v.figures.frames is not None]
    if lengths and max(lengths) > UNLIKE_LENGTHS * min(lengths):
        short, long = (Value(s, "s", digits=0) for s in (min(lengths), max(lengths)))
        notes.append(say("lengths-differ", short=short, long=long))
    pairs = [(v.figures.value("package_w"), v.figures.value("draw_w")) for v in counted]
    both = [(p, d) for p, d in pairs if p is not None and d is not None]
    line = energy.fit_overhead(np.array([p for p, _ in both]), np.array([d for _, d in both])) if both else None
    sweep = [v for v in views if purpose(v.record.purpose).counts and not v.deleted]
    void = [v for v in sweep if v.verdict.state is State.VOID]
    why_void, many = (None, 0) if counted else _common(void)
    return Context(
        rig, fmean(known_rooms) if known_rooms else None, len(void),
        sum(v.verdict.state is State.SUSPECT for v in sweep), line, tuple(notes),
        used=used_of([v.figures for v in counted]), why_void=None if why_void is None else say(
            "no-passes-why", many=many, passes=len(void), why=why_void.message, advice=why_void.next_step or ""
        ),
        remedy=remedy_of(why_void) if why_void is not None else "",
    )  # fmt: skip


def _common(void: Sequence[PassView]) -> tuple[Finding | None, int]:
    """What half of void passes or more are left out for, and how many; None without one."""
    first = [one for view in void if (one := view.verdict.reason) is not None]
    (name, many), *_ = Counter(one.id for one in first).most_common(1) or [("", 0)]
    if 2 * many < max(len(void), 1):
        return None, 0
    return next(one for one in first if one.id == name), many
