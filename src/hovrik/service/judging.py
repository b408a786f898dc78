"""Verdicts: the one place that derives them. They are a cache by pass, checks and thresholds; only what a person said
(overrules, deletions, marks) is kept for good."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..core.facts.rig import Rig
from ..core.finding import State
from ..core.passes import verdict as validity
from ..core.passes.checks import Thresholds
from ..core.passes.record import PassRecord
from ..core.passes.verdict import Verdict
from ..store.notebook import Annotation, Notebook
from .points import Places
from .thresholds import changed, thresholds_of


def verdicts_of(
    notebook: Notebook, records: Sequence[PassRecord], notes: Mapping[str, Sequence[Annotation]], places: Places
) -> dict[str, Verdict]:
    """The verdict of each pass, by the rig as it was then and the thresholds as they are now, with its overrule."""
    limits = thresholds_of(notebook, Thresholds)
    cached = notebook.cached(_algorithm(limits), validity.VERSION)
    found: dict[str, Verdict] = {}
    fresh = {}
    for record in records:
        body = cached.get(record.id)
        if body is None:
            judged = validity.judge(notebook.load(record.id), places.rig_of(record), limits)
            body = fresh[record.id] = judged.as_dict()
        own = notes.get(record.id, ())
        overrule = next((note.body for note in reversed(own) if note.kind == "overrule"), None)
        verdict = Verdict.from_dict(body)
        if overrule is not None:
            verdict = replace(verdict, state=State(overrule["state"]), overruled=overrule["reason"])
        found[record.id] = verdict
    notebook.cache(_algorithm(limits), validity.VERSION, fresh)
    return found


def keep_judged(notebook: Notebook, record: PassRecord, rig: Rig | None) -> Verdict:
    """Store a pass, then its verdict."""
    notebook.keep(record)
    limits = thresholds_of(notebook, Thresholds)
    verdict = validity.judge(record, rig, limits)
    notebook.cache(_algorithm(limits), validity.VERSION, {record.id: verdict.as_dict()})
    return verdict


def _algorithm(limits: Thresholds) -> str:
    return f"verdict/{json.dumps(changed(limits), sort_keys=True)}"
