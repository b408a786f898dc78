"""Noting what went wrong, for the window and the command line alike."""

from __future__ import annotations

import uuid

from ..core.facts.incident import Incident, IncidentKind
from ..core.facts.setup import Setup
from ..core.questions.question import Question
from ..store.notebook import Notebook
from .gather import incidents_of
from .points import Places
from .run import context_of


def incidents_at(notebook: Notebook, question: Question) -> list[Incident]:
    """Incidents of the question's rig, slot and title, whatever the scene."""
    return incidents_of(notebook, Places(notebook), question)


def note(
    notebook: Notebook, question: Question, kind: IncidentKind, setup: Setup, *, phase: str = "", words: str = ""
) -> Incident:
    """Store an incident under the newest versions of the question's rig, slot, title and scene.

    Raises PlanError, StoreError.
    """
    made = Incident(str(uuid.uuid4()), kind, context_of(notebook, question), setup, phase, words)
    notebook.note_incident(made)
    return made
