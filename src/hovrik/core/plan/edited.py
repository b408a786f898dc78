"""A design whose passes a person has put in another order, left out, repeated, or set controls between."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..passes.purpose import CONTROL, HEAT
from .design import Design, Told
from .steps import Asked, Wanted

A_CONTROL = -1  # in a sequence: the setup in the middle of those that the design wants, as a control


@dataclass(frozen=True)
class EditedDesign:
    """inner : the design; sequence : places in what it wants first, in the order in which they are to be made."""

    inner: Design
    sequence: tuple[int, ...]

    def ask(self, told: Told) -> Asked:
        """What the design wants, as edited; what it wants later is its own affair."""
        asked = self.inner.ask(told)
        if told.batches:
            return asked
        return replace(asked, wanted=edited(asked.wanted, self.sequence))


def edited(wanted: Sequence[Wanted], sequence: Sequence[int]) -> tuple[Wanted, ...]:
    """The passes of a sequence; places that are not there are left out."""
    found = []
    for at in sequence:
        if at == A_CONTROL and wanted:
            found.append(replace(control_of(wanted), purpose=CONTROL, why="control"))
        elif 0 <= at < len(wanted):
            found.append(wanted[at])
    return tuple(found)


def control_of(wanted: Sequence[Wanted]) -> Wanted:
    """The pass that controls are made like: of the middle limit, else the first."""
    plain = [one for one in wanted if one.purpose != HEAT] or list(wanted)
    limited = sorted((one for one in plain if one.setup.static_limit_w), key=lambda w: w.setup.static_limit_w or 0.0)
    return limited[len(limited) // 2] if limited else plain[0]


def moved(sequence: Sequence[int], at: int, to: int) -> tuple[int, ...]:
    """One of a sequence taken to another place."""
    found = list(sequence)
    found.insert(min(max(to, 0), len(found) - 1), found.pop(at))
    return tuple(found)


def with_controls(sequence: Sequence[int]) -> tuple[int, ...]:
    """Controls at start, middle and end."""
    plain = [at for at in sequence if at != A_CONTROL]
    half = len(plain) // 2
    return (A_CONTROL, *plain[:half], A_CONTROL, *plain[half:], A_CONTROL)
