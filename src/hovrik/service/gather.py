"""From notebook rows to an answer: figures (cached), verdicts, ladders, the sentence. No interface code."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import fmean
from typing import Any

import numpy as np

from ..core.errors import InputError
from ..core.facts.incident import Incident
from ..core.facts.knob import LIMITS
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.passes import energy, figures, heat
from ..core.passes import verdict as validity
from ..core.passes.figures import PassFigures
from ..core.passes.heat import TimeConstants
from ..core.passes.record import Origin, PassRecord
from ..core.passes.verdict import State, Thresholds, Verdict
from ..core.questions.question import Question
from ..core.read import ladder
from ..core.read.answer import Answer, Context, build
from ..core.read.ladder import Counted, Ladder
from ..core.stats.spread import OnePass
from ..store.notebook import Annotation, Entity, Notebook
from .thresholds import changed, thresholds_of

HEAT_ALGORITHM = "time-constants"
HEAT_VERSION = 1
SPREAD_ALGORITHM = "one-pass-spread"
SPREAD_VERSION = 1


class Cancelled(Exception):
    """The evaluation was no longer wanted."""


@dataclass(frozen=True)
class PassView:
    """A pass as it is shown: record (without trace), figures, verdict. deleted : taken out by the user."""

    record: PassRecord
    figures: PassFigures
    verdict: Verdict
    deleted: bool = False

    @property
    def counts(self) -> bool:
        """Whether it enters figures."""
        return self.verdict.counts and not self.deleted and self.record.purpose == "sweep"


@dataclass(frozen=True)
class Evaluation:
    """Everything that is known about a question. constants : calibrated heat response, with why not where None."""

    question: Question
    rig: Rig | None
    views: tuple[PassView, ...]
    ladders: tuple[Ladder, ...]
    answer: Answer
    context: Context
    constants: TimeConstants | None
    why_no_constants: str = ""

    @property
    def surprises(self) -> dict[str, str]:
        """Passes that stand out from the others: id to words."""
        return {pass_id: words for one in self.ladders for pass_id, words in one.surprises}


def void_setups(evaluation: Evaluation) -> list[Setup]:
    """Setups of void passes that no counted pass of the same plan and place has made good, one a pass."""
    good = {(v.record.plan_id, v.record.plan_index) for v in evaluation.views if v.counts}
    return [
        v.record.setup for v in evaluation.views
        if not v.counts and not v.deleted and v.record.purpose == "sweep" and v.record.origin is Origin.MEASURED
        and (v.record.plan_id, v.record.plan_index) not in good
    ]  # fmt: skip


def surprising_setups(evaluation: Evaluation) -> list[Setup]:
    """Setups of passes that stand out from the others and were not repeated in a later run, one a pass."""
    odd = evaluation.surprises
    return [
        v.record.setup for at, v in enumerate(evaluation.views)
        if v.record.id in odd and not any(
            other.counts and other.record.setup == v.record.setup
            and (other.record.plan_id is None or other.record.plan_id != v.record.plan_id)
            for other in evaluation.views[at + 1 :]
        )
    ]  # fmt: skip


def evaluate(notebook: Notebook, question: Question, progress: Callable[[int, int], bool] | None = None) -> Evaluation:
    """Read every pass that belongs to the question and build the answer.

    progress(done, total) is called for each pass whose figures had to be computed; False raises Cancelled.
    """
    entities = {entity.id: entity for entity in notebook.entities()}
    notes = notebook.annotations()
    rig = _rig(entities, question)
    records = [r for r in notebook.passes() if _belongs(r, entities, question)]
    constants, why_not = _constants(notebook, records)
    limits = thresholds_of(notebook, Thresholds)
    views = _views(notebook, records, notes, question, rig, constants, limits, progress)
    counted = [view for view in views if view.counts]
    ladders = _with_incidents(_ladders(notebook, counted, question), _incidents(notebook, entities, question))
    context = _context(views, counted, rig, _versions_differ(counted, entities))
    return Evaluation(
        question, rig, tuple(views), tuple(ladders), build(ladders, question, context), context, constants, why_not
    )


def _incidents(notebook: Notebook, entities: Mapping[str, Entity], question: Question) -> list[Incident]:
    """Incidents of the question's rig, slot and title, whatever the scene."""
    wanted = {"rig": question.rig, "slot": f"{question.rig}/{question.slot}", "title": question.title}
    return [
        one for one in notebook.incidents() if all(entities[one.context[k]].key == key for k, key in wanted.items())
    ]


def _with_incidents(ladders: Sequence[Ladder], incidents: Sequence[Incident]) -> list[Ladder]:
    """Levels with the incidents at their setup counted: such a setup is not recommended."""
    found = []
    for one in ladders:
        levels = tuple(
            replace(
                level,
                incidents=sum(i.setup == one.family.with_(**dict.fromkeys(LIMITS, level.limit_w)) for i in incidents),
            )
            for level in one.levels
        )
        found.append(replace(one, levels=levels))
    return found


def _rig(entities: Mapping[str, Entity], question: Question) -> Rig | None:
    found = [e for e in entities.values() if e.kind == "rig" and e.key == question.rig]
    return Rig.from_dict(found[-1].body) if found else None


def _belongs(record: PassRecord, entities: Mapping[str, Entity], question: Question) -> bool:
    keys = {kind: entities[record.context[kind]].key for kind in record.context}
    source = record.conditions.get("source")
    return (
        keys["rig"] == question.rig
        and keys["slot"] == f"{question.rig}/{question.slot}"
        and keys["title"] == question.title
        and keys["scene"] == f"{question.title}/{question.scene}"
        and (source is None or source.value == question.source.value)
    )


def _constants(notebook: Notebook, records: Sequence[PassRecord]) -> tuple[TimeConstants | None, str]:
    """Time constants from the newest heat pass of the rig that carries them, and why there are none."""
    long_passes = [r for r in records if r.purpose == "heat" and r.outcome.value == "done"]
    cached = notebook.cached(HEAT_ALGORITHM, HEAT_VERSION)
    why = "no heat pass has calibrated this rig and fan policy yet"
    for record in reversed(long_passes):
        body = cached.get(record.id)
        if body is None:
            body = _calibrate(notebook.load(record.id))
            notebook.cache(HEAT_ALGORITHM, HEAT_VERSION, {record.id: body})
        if "reason" not in body:
            return TimeConstants(**body), ""
        why = body["reason"]
    return None, why


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
    notebook: Notebook,
    records: Sequence[PassRecord],
    notes: Mapping[str, Sequence[Annotation]],
    question: Question,
    rig: Rig | None,
    constants: TimeConstants | None,
    limits: Thresholds,
    progress: Callable[[int, int], bool] | None,
) -> list[PassView]:
    heat_key = f"{constants.fast_s:.6g}/{constants.slow_s:.6g}" if constants else "-"
    algorithm = f"{figures.ALGORITHM}/{question.target_fps:g}/{heat_key}"
    cached = notebook.cached(algorithm, figures.VERSION)
    missing = [r for r in records if r.id not in cached]
    fresh: dict[str, dict[str, Any]] = {}
    for number, record in enumerate(missing):
        full = notebook.load(record.id)
        fresh[record.id] = figures.figures_of(full, constants, question.target_fps).as_dict()
        if progress is not None and not progress(number + 1, len(missing)):
            raise Cancelled
    notebook.cache(algorithm, figures.VERSION, fresh)
    verdicts = _verdicts(notebook, records, notes, rig, limits)
    views = []
    for record in records:
        own = notes.get(record.id, ())
        verdict = verdicts[record.id]
        overrule = next((n.body for n in reversed(own) if n.kind == "overrule"), None)
        if overrule is not None:
            verdict = replace(verdict, state=State(overrule["state"]), overruled=overrule["reason"])
        deleted = any(n.kind == "deletion" for n in own)
        body = cached.get(record.id) or fresh[record.id]
        views.append(PassView(record, PassFigures.from_dict(body), verdict, deleted))
    return views


def _verdicts(
    notebook: Notebook, records: Sequence[PassRecord], notes: Mapping[str, Sequence[Annotation]], rig: Rig | None,
    limits: Thresholds,
) -> dict[str, Verdict]:  # fmt: skip
    """Verdicts as annotated; judged anew (and cached) under other thresholds or where marks were moved since."""
    found: dict[str, Verdict] = {}
    other = changed(limits)
    algorithm = f"verdict/{json.dumps(other, sort_keys=True)}"
    cached = notebook.cached(algorithm, validity.VERSION)
    fresh = {}
    for record in records:
        kept = None if other else _annotated(notes.get(record.id, ()))
        body = kept or cached.get(record.id)
        if body is None:
            body = fresh[record.id] = validity.judge(notebook.load(record.id), rig, limits).as_dict()
        found[record.id] = Verdict.from_dict(body)
    notebook.cache(algorithm, validity.VERSION, fresh)
    return found


def _annotated(notes: Sequence[Annotation]) -> dict[str, Any] | None:
    """The newest annotated verdict, None where marks were moved after it."""
    for note in reversed(notes):
        if note.kind == "mark":
            return None
        if note.kind == "verdict":
            return note.body
    return None


def _ladders(notebook: Notebook, counted: Sequence[PassView], question: Question) -> list[Ladder]:
    """Ladders of the counted passes. A family with one pass a level takes its intervals from inside the passes."""
    by_family: dict[Any, dict[float | None, int]] = {}
    for view in counted:
        levels = by_family.setdefault(view.record.setup.family, {})
        limit = view.record.setup.static_limit_w
        levels[limit] = levels.get(limit, 0) + 1
    single = {family for family, levels in by_family.items() if max(levels.values()) == 1}
    spreads = _spreads(notebook, [v.record for v in counted if v.record.setup.family in single])
    passes = [Counted(v.record.id, v.record.setup, v.figures, spreads.get(v.record.id)) for v in counted]
    return ladder.read(passes, question)


def _spreads(notebook: Notebook, records: Sequence[PassRecord]) -> dict[str, OnePass]:
    cached = notebook.cached(SPREAD_ALGORITHM, SPREAD_VERSION)
    fresh: dict[str, dict[str, Any]] = {}
    for record in records:
        if record.id not in cached:
            found = figures.spread_of(notebook.load(record.id))
            fresh[record.id] = {k: getattr(found, k) for k in found.__dataclass_fields__} if found is not None else {}
    notebook.cache(SPREAD_ALGORITHM, SPREAD_VERSION, fresh)
    bodies = {**cached, **fresh}
    return {r.id: OnePass(**bodies[r.id]) for r in records if bodies.get(r.id)}


def _versions_differ(counted: Sequence[PassView], entities: Mapping[str, Entity]) -> list[str]:
    """Versions that are not the same in all passes, in words: they may explain a difference."""
    seen: dict[str, set[str]] = {}
    for view in counted:
        for kind in ("rig", "slot", "title"):
            for version in entities[view.record.context[kind]].body.get("versions") or ():
                seen.setdefault(str(version["what"]), set()).add(str(version.get("installed") or "unknown"))
    differ = {what: ", ".join(sorted(found)) for what, found in seen.items() if len(found) > 1}
    return [f"passes ran under different versions of {what}: {found}" for what, found in differ.items()]


def _context(views: Sequence[PassView], counted: Sequence[PassView], rig: Rig | None, notes: list[str]) -> Context:
    rooms = {v.record.conditions["room_c"].value for v in counted if "room_c" in v.record.conditions}
    known = [float(r) for r in rooms if isinstance(r, int | float)]
    if known and max(known) - min(known) > 3:
        notes.append(f"rooms differ by {max(known) - min(known):.0f} degrees: temperatures are not comparable")
    pairs = [(v.figures.package_w, v.figures.draw_w) for v in counted]
    both = [(p, d) for p, d in pairs if p is not None and d is not None]
    line = energy.fit_overhead(np.array([p for p, _ in both]), np.array([d for _, d in both])) if both else None
    sweep = [v for v in views if v.record.purpose == "sweep" and not v.deleted]
    return Context(
        rig,
        fmean(known) if known else None,
        sum(v.verdict.state is State.VOID for v in sweep),
        sum(v.verdict.state is State.SUSPECT for v in sweep),
        line,
        tuple(notes),
    )
