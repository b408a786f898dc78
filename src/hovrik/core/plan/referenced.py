"""A design with references beside it: today's setup and the maker's presets, one pass each, so that an answer can say
what is gained against them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..facts.knob import CAP, LIMITS, Knob, Level
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..passes.purpose import REFERENCE
from .design import Design, Told
from .lengths import Lengths
from .steps import Asked


@dataclass(frozen=True)
class ReferencedDesign:
    """inner : the design; references : setups that are measured once, after what it wants first; like : lengths."""

    inner: Design
    references: tuple[Setup, ...]
    like: Lengths

    def ask(self, told: Told) -> Asked:
        """What the design wants, and the references after its first passes."""
        asked = self.inner.ask(told)
        if told.batches:
            return asked
        more = tuple(replace(self.like.wanted(setup), purpose=REFERENCE) for setup in self.references)
        return replace(asked, wanted=(*asked.wanted, *more))


def references_of(rig: Rig, knobs: Sequence[Knob], now: Setup) -> tuple[Setup, ...]:
    """Today's limits and cap as the machine reads them, and each preset's limits; what a rig does not allow is left
    out, and so is what is there already."""
    offered = {knob.id: knob for knob in knobs}
    found = [Setup({key: now[key] for key in (*LIMITS, CAP) if key in now and key in offered})]
    for mode in rig.modes:
        values: dict[str, Level] = {}
        for key, watts in zip(LIMITS, (mode.sustained_w, mode.short_w, mode.peak_w)):
            if key in offered and (watts or mode.sustained_w) is not None:
                values[key] = float(watts or mode.sustained_w or 0.0)
        if mode.sustained_w is not None and mode.for_battery is not False:
            found.append(Setup({**values, **({CAP: now[CAP]} if CAP in now and CAP in offered else {})}))
    allowed = [one for one in found if one and all(offered[key].refusal(value) is None for key, value in one.items())]
    return tuple(dict.fromkeys(allowed))
