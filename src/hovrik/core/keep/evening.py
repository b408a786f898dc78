"""A real evening against what a profile promised: how much of a charge it took, and how long that makes a whole one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..facts.condition import number
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..message import Message, Value, say
from ..passes.discharge import LEAST_USED, hours_of_a_charge
from ..passes.purpose import EVENING
from ..passes.record import PassRecord
from .profile import Profile

START, END, PLAYED = "charge_start_share", "charge_end_share", "played_h"  # conditions that tell of one
STEP = 0.01  # of a gauge that is read by eye, of which nothing else is known


@dataclass(frozen=True)
class EveningReadings:
    """Read by a person. start, end : charge (shares); hours : played between, at one setup, on the battery."""

    start: float
    end: float
    hours: float

    @property
    def used(self) -> float:
        """Share of a full charge."""
        return self.start - self.end


def evening_of(record: PassRecord) -> EveningReadings | None:
    """What a record says of an evening; None where it is of something else."""
    if record.purpose != EVENING:
        return None
    values = [number(record.conditions, key) for key in (START, END, PLAYED)]
    return EveningReadings(*values) if None not in values else None  # type: ignore[arg-type]


def evenings_in(records: Sequence[PassRecord]) -> list[tuple[Setup, EveningReadings]]:
    """Setup and readings of every evening among passes, in their order."""
    return [(record.setup, found) for record in records if (found := evening_of(record)) is not None]


def verdict(profile: Profile, evening: EveningReadings, rig: Rig) -> Message:
    """Whether a profile's hours are true. An evening is no scene: what it plays beside the
    measured one is in the difference, so that it is said and not judged further."""
    if evening.used < LEAST_USED:
        return say("evening.little", used=max(evening.used, 0.0), least=LEAST_USED)
    row = profile.metrics.get("hours")
    span = rig.charge_limit - rig.reserve
    found = hours_of_a_charge(3600.0 * evening.hours, evening.used, span, STEP)
    took = Value(found.value, "h", found.low, found.high)
    values = {"hours": evening.hours, "used": evening.used, "took": took}
    if row is None:
        return say("evening.alone", **values)
    low, high = row.ends
    told = Value(row.value, "h", low, high)
    if low <= (found.high or math.inf) and (found.low or 0.0) <= high:
        return say("evening.true", **values, told=told)
    off = Value(100.0 * (row.value / found.value - 1.0), "%", digits=0)
    return say("evening.off", **values, told=told, off=off)
