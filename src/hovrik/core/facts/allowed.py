"""The one gate before a machine: what a setup may not ask of it. Knows rigs and knobs; not how a knob is set."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..errors import LimitError, PlanError
from .knob import LABELS, LIMITS, Knob, Level
from .rig import Rig
from .setup import Setup


def refusals(setup: Setup, rig: Rig, knobs: Sequence[Knob] | None = None) -> list[str]:
    """Why a setup must not be set, a sentence a knob; empty where it may.

    rig : as it is now, whose limits count whatever the machine would take; knobs : those the machine offers, None
    where that is not known yet.
    """
    found = []
    offered = {knob.id: knob for knob in knobs} if knobs is not None else None
    for key, value in setup.items():
        why = _outside(key, value, rig)
        if why is None and offered is not None:
            knob = offered.get(key)
            why = knob.refusal(value) if knob is not None else f"This machine has no knob {key!r}. Leave it out."
        if why is not None:
            found.append(why)
    return found


def _outside(key: str, value: Level, rig: Rig) -> str | None:
    label, unit = LABELS.get(key, (key, ""))
    number = float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None
    if number is not None and not math.isfinite(number):
        return f"{label} {value} is not a number that can be set. Choose another value."
    if key not in LIMITS:
        return None
    if number is None:
        return f"{label} {value!r} is not a number of W. Choose a limit within the rig's range."
    try:
        low, high = rig.range_of(key)
    except PlanError as fault:
        return str(fault)
    if low - 1e-9 <= number <= high + 1e-9:
        return None
    return str(LimitError(label, number, low, high, unit))
