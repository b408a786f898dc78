"""Verdicts: the one place that derives them. They are a cache by pass, checks and thresholds; only what a person said
(overrules, deletions, marks) is kept for good."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..core.facts.place import Source
from ..core.facts.rig import Rig
from ..core.finding import State
from ..core.passes import verdict as validity
from ..core.passes.checks import Thresholds
from ..core.passes.clamped import without_clamped
from ..core.passes.record import PassRecord
from ..core.passes.recurring import without_scenes_own
from ..core.passes.verdict import Verdict
from ..store.notebook import Annotation, Notebook, PassQuery
from .memory import Memory
from .thresholds import changed, thresholds_of


def verdicts_of(
    memory: Memory, records: Sequence[PassRecord], notes: Mapping[str, Sequence[Annotation]]
) -> dict[str, Verdict]:
    """The verdict of each pass, by the rig as it was then and the thresholds as they are now, with its overrule."""
    limits = thresholds_of(memory.notebook, Thresholds)
    found = memory.derived(
        _algorithm(limits), validity.VERSION, records, Verdict.from_dict,
        lambda record: validity.judge(record, memory.places.rig_of(record), limits), Verdict.as_dict,
    )  # fmt: skip
    found = without_scenes_own(found, {record.id: record.context["scene"] for record in records})
    ends = {
        record.id: float(end) for record in records
        if isinstance(end := getattr(record.conditions.get("charge_end_share"), "value", None), int | float)
        and getattr(record.conditions.get("source"), "value", None) == Source.BATTERY.value
    }  # fmt: skip
    found = without_clamped(found, {record.id: _rig_key(memory, record) for record in records}, ends)
    for record in records:
        own = notes.get(record.id, ())
        overrule = next((note.body for note in reversed(own) if note.kind == "overrule"), None)
        if overrule is not None:
            found[record.id] = replace(found[record.id], state=State(overrule["state"]), overruled=overrule["reason"])
    return found


def _rig_key(memory: Memory, record: PassRecord) -> str:
    rig = memory.places.rig_of(record)
    return rig.key if rig is not None else ""


def keep_judged(notebook: Notebook, record: PassRecord, rig: Rig | None) -> Verdict:
    """Store a pass, then its verdict."""
    notebook.keep(record)
    limits = thresholds_of(notebook, Thresholds)
    verdict = validity.judge(record, rig, limits)
    notebook.cache(_algorithm(limits), validity.VERSION, {record.id: verdict.as_dict()})
    return verdict


def judged_among(memory: Memory, record: PassRecord, alone: Verdict) -> Verdict:
    """The verdict of a stored pass beside the others of its scene: what recurs in them is no fault of it. alone : its
    verdict without them."""
    rig, title, scene = (memory.places.key(record, kind) for kind in ("rig", "title", "scene"))
    records = memory.records(PassQuery(rig=rig, title=title, scene=scene))
    return verdicts_of(memory, records, memory.notebook.annotations()).get(record.id, alone)


def _algorithm(limits: Thresholds) -> str:
    return f"verdict/{json.dumps(changed(limits), sort_keys=True)}"
