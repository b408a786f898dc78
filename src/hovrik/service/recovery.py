"""What an end without a good-bye means: a computer that started anew while something was tried for the first time."""

from __future__ import annotations

from ..core.errors import HovrikError
from ..core.facts.incident import Incident, IncidentKind
from ..core.facts.knob import LIMITS, Hazard, is_number
from ..core.facts.known_knobs import known
from ..core.facts.setup import Setup, describe
from ..store.notebook import JournalEntry, Notebook, PassQuery
from . import incidents, run


def note_unclean(notebook: Notebook, entry: JournalEntry) -> Incident | None:
    """Note an incident where a run was cut short by a new start of the computer while a setup was tried that is riskier
    than all before it; None where it was not so, or was noted. Its setup is then neither proposed nor recommended.

    Raises StoreError.
    """
    before, now = notebook.get_state(run.boot_key(entry.id)), run.boot_id()
    if not before or not now or before == now:
        return None
    try:
        planned = run.load_plan(notebook, entry.plan_id)
    except HovrikError:
        return None
    under_way = next((one for one in planned.passes if one.index == entry.position), None)
    notebook.set_state(run.boot_key(entry.id), now)
    if under_way is None or under_way.step_id in planned.done:
        return None
    if not is_new(notebook, planned.question.rig, under_way.setup):
        return None
    words = "The computer started anew while this was tried for the first time."
    return incidents.note(
        notebook, planned.question, IncidentKind.REBOOT, under_way.setup, phase="first trial", words=words
    )  # fmt: skip


def unclean_words(notebook: Notebook, entry: JournalEntry) -> str:
    """The same as words to go on with, "" where there is nothing to say."""
    try:
        found = note_unclean(notebook, entry)
    except HovrikError as fault:
        return f" {fault}"
    return f" {found.note} {describe(found.setup)} is noted as an incident." if found is not None else ""


def is_new(notebook: Notebook, rig: str, setup: Setup) -> bool:
    """Whether a setup goes beyond what a rig has been through: a limit above every one before, or a voltage level that
    no pass had."""
    made = [record.asked for record in notebook.passes(PassQuery(rig=rig))]
    limits = [float(v) for one in made for key in LIMITS if is_number(v := one.get(key)) and v is not None]
    highest = max((float(v) for key in LIMITS if is_number(v := setup.get(key)) and v is not None), default=0.0)
    volts = [key for key in setup if known(key).hazard is Hazard.VOLTAGE]
    return highest > max(limits, default=0.0) or any(setup[key] not in [one.get(key) for one in made] for key in volts)
