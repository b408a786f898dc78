"""What a person read of an evening: kept as a pass that counts for no figure, and held against a profile."""

from __future__ import annotations

import math
import uuid

from ..core.errors import InputError
from ..core.facts.condition import Condition, Provenance
from ..core.facts.setup import Setup
from ..core.keep.evening import END, PLAYED, START, EveningReadings, evening_of, verdict
from ..core.keep.profile import Profile
from ..core.message import Message
from ..core.passes.purpose import EVENING
from ..core.passes.record import Origin, PassRecord
from ..store.notebook import Notebook, PassQuery
from .run import context_of, rig_of

MOST_H = 48.0


def note(notebook: Notebook, profile: Profile, evening: EveningReadings) -> PassRecord:
    """Keep an evening at a profile's setup. Raises InputError, PlanError, StoreError."""
    start, end, hours = evening.start, evening.end, evening.hours
    if not (0.0 <= end < start <= 1.0):
        raise InputError("The charge at the end must lie under that at the start, both from 0 to 100 %.")
    if not (0.0 < hours <= MOST_H and math.isfinite(hours)):
        raise InputError(f"The time played must be over 0 and at most {MOST_H:g} h.")
    asked = profile.asked
    told = {"source": asked.source.value, START: start, END: end, PLAYED: hours}
    conditions = {key: Condition(value, Provenance.ASKED) for key, value in told.items()}
    record = PassRecord(
        str(uuid.uuid4()), context_of(notebook, asked), profile.setup, Setup(), conditions, None,
        origin=Origin.SUMMARY, purpose=EVENING,
    )  # fmt: skip
    notebook.keep(record)
    return record


def said_of(notebook: Notebook, profile: Profile) -> Message | None:
    """What the newest evening at a profile's setup says of it; None where there is none."""
    asked, gone = profile.asked, notebook.taken_out()
    where = PassQuery(asked.rig, f"{asked.rig}/{asked.slot}", asked.title, None, asked.source.value, EVENING)
    for record in reversed(notebook.passes(where)):
        evening = evening_of(record)
        if record.id not in gone and evening is not None and record.setup.has(profile.setup):
            return verdict(profile, evening, rig_of(notebook, asked.rig))
    return None
