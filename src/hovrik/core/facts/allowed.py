"""The one gate before a machine: what a setup may not ask of it. Knows rigs and knobs; not how a knob is set."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import LimitError, PlanError
from .knob import LIMITS, Hazard, Knob, Level, finite, is_number, named, shown
from .known_knobs import known
from .rig import Rig
from .setup import Setup


def refusals(setup: Setup, rig: Rig, knobs: Sequence[Knob] | None = None) -> list[str]:
    """Why a setup must not be set, a sentence a knob; empty where it may.

    rig : as it is now, whose limits count whatever the machine would take; knobs : those the machine offers, None
    where that is not known yet.
    """
    found = []
    offered = named(knobs) if knobs is not None else None
    for key, value in setup.items():
        why = _outside(key, value, rig)
        if why is None and offered is not None:
            knob = offered.get(key)
            why = knob.refusal(value) if knob is not None else f"This machine has no knob {key!r}. Leave it out."
        if why is not None:
            found.append(why)
    return found


def _outside(key: str, value: Level, rig: Rig) -> str | None:
    label = known(key).label
    if not finite(value):
        return f"{label} {value} is not a number that can be set. Choose another value."
    if known(key).hazard is Hazard.VOLTAGE:
        return _offset(key, value, rig)
    if key not in LIMITS:
        return None
    if not is_number(value):
        return f"{label} {shown(value)!r} is not a number of W. Choose a limit within the rig's range."
    try:
        low, high = rig.range_of(key)
    except PlanError as fault:
        return str(fault)
    number = float(value)
    return None if low - 1e-9 <= number <= high + 1e-9 else str(LimitError(label, number, low, high, "W"))


def _offset(key: str, value: Level, rig: Rig) -> str | None:
    """A voltage offset is nothing or less, and never under what the maker allows."""
    label, lowest = known(key).label, getattr(rig, key.replace("_mv", "_low_mv"), None)
    if not is_number(value):
        return f"{label} {shown(value)!r} is not a number of mV. Choose 0 or less."
    number = float(value)
    if number > 1e-9:
        return f"{label} {number:+g} mV is never set: only 0 or less."
    if number < -1e-9 and (lowest is None or number < lowest - 1e-9):
        least = f"down to {lowest:g} mV" if lowest is not None else "none"
        return f"{label} {number:g} mV is outside what the maker allows: {least}."
    return None
