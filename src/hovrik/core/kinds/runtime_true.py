"""Is the predicted runtime true: one whole charge played at the pick, against what its passes predict."""

from __future__ import annotations

from dataclasses import dataclass

from ..facts.setup import Setup
from ..keep.evening import STEP
from ..message import Message, Value, say
from ..passes.discharge import LEAST_USED, Discharge, hours_of_a_charge, steps_of
from ..plan.design import Design
from ..read.answer import Answer, option_of
from .kind import Ask, Kind, Seen
from .over_charge import OF_CHARGE
from .over_charge import design as whole_charge

CLOSE = 0.15  # a prediction that is open by more than this to either side is not true, only not refuted


def design(ask: Ask) -> Design:
    """A pass from full to the reserve at the setup that is asked for."""
    return whole_charge(ask)


@dataclass(frozen=True)
class _Read:
    """What tells how long a charge lasts. used : share of it, in so many seconds; gauge : its step (share)."""

    setup: Setup
    seconds: float
    used: float
    gauge: float
    because: tuple[Message, ...]


def _read(seen: Seen) -> _Read | None:
    """The newest whole charge, else the newest evening that took enough of one."""
    newest: Discharge | None = seen.discharges[-1] if seen.discharges else None
    if newest is not None and newest.used >= LEAST_USED:
        clamps = steps_of(newest)
        seconds, used = newest.above(clamps[0].high) if clamps else (newest.seconds, newest.used)
        if used < LEAST_USED:
            seconds, used = newest.seconds, newest.used
        above = (say("runtime.above", clamp=clamps[0].high),) if clamps and used < newest.used else ()
        said = say("runtime.used", used=newest.used, hours=Value(newest.seconds / 3600.0, "h"))
        return _Read(seen.discharged[-1], seconds, used, newest.gauge, (said, *above))
    for setup, evening in reversed(seen.evenings):
        if evening.used >= LEAST_USED:
            said = say("runtime.evening", used=evening.used, hours=Value(evening.hours, "h"))
            return _Read(setup, 3600.0 * evening.hours, evening.used, STEP, (said,))
    return None


def answer(seen: Seen) -> Answer:
    """Measured against predicted, and by how much the prediction is off where it is."""
    rig, read = seen.context.rig, _read(seen)
    if read is None or rig is None:
        return Answer(say("runtime.none"), None, None, lacks=(say("missing.discharge"),))
    found = hours_of_a_charge(read.seconds, read.used, rig.charge_limit - rig.reserve, read.gauge)
    took = Value(found.value, "h", found.low, found.high)
    setup = read.setup
    group = next((g for one in seen.responses for g in one.groups if g.setup.has(setup)), None)
    option = option_of(group, seen.question, seen.context) if group is not None else None
    hours = option.metrics.get("hours") if option is not None else None
    if option is None or hours is None:
        return Answer(say("runtime.measured", took=took), None, option, lacks=(say("missing.runtime"),))
    told = Value(hours.value, "h", hours.low, hours.high)
    low, high = hours.ends
    because = read.because
    if low <= (found.high or found.value) and (found.low or found.value) <= high:
        is_close = 0.5 * (high - low) <= CLOSE * hours.value
        return Answer(say("runtime.true" if is_close else "runtime.wide", took=took, told=told), None, option,
                      because=because)  # fmt: skip
    off = Value(100.0 * (hours.value / found.value - 1.0), "%", digits=0)
    return Answer(say("runtime.off", took=took, told=told, off=off), None, option, because=because)


KIND = Kind("runtime-true", "how long", "see whether the predicted runtime is true", "", design, answer,
            asks_floor=False, of_charge=True, fields=OF_CHARGE, of_others=True,
            in_window="An evening's readings are typed in, or a whole charge is played.",
            takes=(0.31, 0.62))  # fmt: skip
