"""Is the predicted runtime true: one whole charge played at the pick, against what its passes predict."""

from __future__ import annotations

import math

from ..message import Value, say
from ..passes.discharge import steps_of
from ..plan.design import Design
from ..read.answer import Answer, option_of
from ..stats.estimate import Estimate
from .kind import Ask, Kind, Seen
from .over_charge import LEAST_USED
from .over_charge import design as whole_charge

ENDS = 1.0  # steps of the gauge, of the reading at either end
PART_SD = 0.04  # of hours told from a part of a charge, of the rest: a percent is not the same energy everywhere


def design(ask: Ask) -> Design:
    """A pass from full to the reserve at the setup that is asked for."""
    return whole_charge(ask)


def measured(seconds: float, used: float, span: float, gauge: float) -> Estimate:
    """Hours that a whole charge lasts, from seconds in which a share of it was used. span : from the charge limit to
    the reserve; gauge : step of the gauge (share); its reading at either end errs by up to half a step."""
    hours = seconds / 3600.0 * span / used
    half = 2.0 * math.hypot(ENDS * gauge / math.sqrt(6.0) / used, PART_SD * max(1.0 - used / span, 0.0))
    return Estimate(hours, hours / (1.0 + half), hours * (1.0 + half), "h")


def answer(seen: Seen) -> Answer:
    """Measured against predicted, and by how much the prediction is off where it is."""
    rig, newest = seen.context.rig, seen.discharges[-1] if seen.discharges else None
    if newest is None or rig is None or not newest.used >= LEAST_USED:
        return Answer(say("runtime.none"), None, None, lacks=(say("missing.discharge"),))
    clamps = steps_of(newest)
    seconds, used = newest.above(clamps[0].high) if clamps else (newest.seconds, newest.used)
    if used < LEAST_USED:
        seconds, used = newest.seconds, newest.used
    found = measured(seconds, used, rig.charge_limit - rig.reserve, newest.gauge)
    took = Value(found.value, "h", found.low, found.high)
    setup = seen.discharged[-1]
    group = next((g for one in seen.responses for g in one.groups if g.setup.has(setup)), None)
    option = option_of(group, seen.question, seen.context) if group is not None else None
    hours = option.metrics.get("hours") if option is not None else None
    if option is None or hours is None:
        return Answer(say("runtime.measured", took=took), None, option, lacks=(say("missing.runtime"),))
    told = Value(hours.value, "h", hours.low, hours.high)
    low, high = (end if end is not None else hours.value for end in (hours.low, hours.high))
    told_from = (say("runtime.above", clamp=clamps[0].high),) if clamps and used < newest.used else ()
    because = (say("runtime.used", used=newest.used, hours=Value(newest.seconds / 3600.0, "h")), *told_from)
    if low <= (found.high or found.value) and (found.low or found.value) <= high:
        return Answer(say("runtime.true", took=took, told=told), None, option, because=because)
    off = Value(100.0 * (hours.value / found.value - 1.0), "%", digits=0)
    return Answer(say("runtime.off", took=took, told=told, off=off), None, option, because=because)


KIND = Kind("runtime-true", "how long", "see whether the predicted runtime is true", "", design, answer,
            asks_floor=False, of_charge=True)  # fmt: skip
