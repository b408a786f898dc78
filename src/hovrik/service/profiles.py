"""Profiles: what was chosen, kept with its evidence."""

from __future__ import annotations

import time
from typing import Any

from ..core.errors import InputError
from ..core.questions.question import Question
from ..core.read.answer import Answer
from ..store.notebook import Notebook
from .gather import Evaluation


def profile_body(evaluation: Evaluation, names: dict[str, str]) -> dict[str, Any]:
    """The body of a profile for a stated answer; names : shown names by rig, slot, title, scene.

    Raises InputError where no answer is stated.
    """
    answer: Answer = evaluation.answer
    if answer.option is None:
        raise InputError("There is no answer to keep yet. " + answer.sentence)
    question = evaluation.question
    passes = [
        id_ for one in evaluation.responses for group in one.groups for id_ in group.passes
        if group.setup == answer.option.setup and group.level == answer.option.level
    ]  # fmt: skip
    return {
        "rig": question.rig, "slot": question.slot, "title": question.title, "scene": question.scene,
        "source": question.source.value, "target_fps": question.target_fps, "low_school": question.school.value,
        "names": names, "setup": answer.option.setup.as_dict(),
        "limit_w": answer.option.setup.static_limit_w, "holds": answer.holds,
        "sentence": answer.sentence,
        "metrics": {k: e.as_dict() for k, e in answer.option.metrics.items()},
        "reasons": list(answer.reasons), "passes": passes, "kept_at": time.time_ns(),
        "firmware": evaluation.rig.firmware if evaluation.rig else None,
    }  # fmt: skip


def keep(notebook: Notebook, body: dict[str, Any]) -> str:
    """Store a profile for its title x OS slot x source; its id."""
    return notebook.keep_profile((body["rig"], body["slot"], body["title"], body["source"]), body)


def names_of(notebook: Notebook, question: Question) -> dict[str, str]:
    """Shown names of what a question speaks of."""
    found = {kind: notebook.newest_of(kind, key) for kind, key in question.keys.items()}
    return {
        kind: str(entity.body.get("name", key)) if (entity := found[kind]) else key
        for kind, key in question.keys.items()
    }
