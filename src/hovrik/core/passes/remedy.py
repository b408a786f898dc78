"""What makes passes count that are left out alike: a longer soak, a higher charge than that at which power is cut."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ..facts.rig import Rig
from ..facts.setup import Setup
from ..finding import Finding
from ..message import Value
from .record import End, PassRecord
from .verdict import Verdict

SOAK = "remedy/soak"
CHARGE = "remedy/charge/"  # and the lowest charge, share
ABOVE = 0.02  # as far above the step of power as the gauge may be late
NARROWEST = 0.2  # share of a charge that is left to measure in
ALIKE = 2  # passes in a row
_OF_THE_SETUP = frozenset({"throttled", "memory-full", "limit-exceeded", "read-back-otherwise"})
_ANSWERS = frozenset({"outcome", "title-ended"})  # a level that does not run is an answer in itself


def remedy_of(finding: Finding) -> str:
    """What makes the next pass count: an action, "" where nothing does by itself."""
    said = finding.message.id
    if said in ("unsettled", "shaders-compiling"):
        return SOAK
    charge = finding.message.values.get("charge" if said == "clamp-at" else "clamp" if said == "under-clamp" else "")
    if not isinstance(charge, Value):
        return ""
    return from_above(charge.number / (100.0 if charge.unit == "%" else 1.0))


def from_above(share: float) -> str:
    """The action that counts passes from above a charge on; "" where too little would be left to measure in."""
    low = math.ceil(100.0 * (share + ABOVE) - 1e-9) / 100.0
    return f"{CHARGE}{low:g}" if low <= 1.0 - NARROWEST else ""


def charge_of(action: str) -> float | None:
    """The lowest charge (share) of an action, None of another."""
    try:
        low = float(action.removeprefix(CHARGE)) if action.startswith(CHARGE) else math.nan
    except ValueError:
        return None
    return low if 0.0 <= low <= 1.0 - NARROWEST else None


def is_remedy(action: str) -> bool:
    """Whether it is one, of this version."""
    return action == SOAK or charge_of(action) is not None


def above(rig: Rig, action: str) -> Rig:
    """A rig whose passes count from a higher charge on; any other action leaves it."""
    low = charge_of(action)
    if low is None:
        return rig
    return replace(rig, valid_charge=(max(rig.valid_charge[0], low), max(rig.valid_charge[1], low)))


@dataclass
class Alike:
    """Passes of a run that are left out one after the other for one reason."""

    reason: tuple[str, Setup | None] | None = None
    passes: int = 0

    def hear(self, record: PassRecord, verdict: Verdict) -> Finding | None:
        """The reason, where this pass is the second in a row that is left out for it. One that lies in the setup has to
        be of the same setup."""
        why = verdict.reason
        if verdict.counts or record.outcome is not End.DONE or why is None or why.id in _ANSWERS:
            self.reason, self.passes = None, 0
            return None
        reason = (why.id, record.asked if why.id in _OF_THE_SETUP else None)
        self.passes = self.passes + 1 if reason == self.reason else 1
        self.reason = reason
        if self.passes < ALIKE:
            return None
        self.reason, self.passes = None, 0
        return why
