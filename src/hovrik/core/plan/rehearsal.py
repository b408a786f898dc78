"""A plan gone through dry, before it is started: what is in its way, and what a person has to do for it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from ..facts.allowed import refusals
from ..facts.knob import Knob
from ..facts.knobs import infeasible
from ..facts.known_knobs import known
from ..facts.rig import Rig
from ..facts.setup import Setup, describe
from ..passes.energy import Overhead
from ..words import plural
from .schedule import total
from .steps import RECHARGE, RELAUNCH, RESTART, SOURCE, PlannedPass

RECHARGE_HANDS_MIN, CHANGE_HANDS_MIN = 1.0, 3.0  # of a person, for plugging in and out; for a restart
_NAMES = {RESTART: "restart", RELAUNCH: "relaunch", SOURCE: "change of the source", RECHARGE: "recharge"}
_MANY = {RELAUNCH: "relaunches", SOURCE: "changes of the source"}


@dataclass(frozen=True)
class Rehearsal:
    """problems : each in a sentence; hands : kinds of steps that a person does, how often; hands_min, minutes : of a
    person, of the machine."""

    problems: tuple[str, ...]
    hands: tuple[tuple[str, int], ...]
    hands_min: float
    minutes: float

    @property
    def words(self) -> str:
        """In a sentence or two."""
        asked = ", ".join(plural(count, _NAMES[kind], _MANY.get(kind)) for kind, count in self.hands) or "nothing"
        does = f"It asks of you: {asked} ({self.hands_min:.0f} of {self.minutes:.0f} min)."
        if not self.problems:
            return f"Nothing is in its way. {does}"
        return f"{plural(len(self.problems), 'problem')}: {' '.join(self.problems)} {does}"


def rehearsed(
    passes: Sequence[PlannedPass], rig: Rig, knobs: Sequence[Knob], slot: str, overhead: Overhead,
    *, charge: float | None = None, now: Setup | None = None, incidents: Sequence[Setup] = (),
) -> Rehearsal:  # fmt: skip
    """Go through passes. knobs : on offer; slot : that the machine is in; charge : its share now, None unknown; now :
    what the machine confirms, None where it was not read; incidents : setups at which something went wrong before."""
    slots = {one.key: one for one in rig.slots}
    by_hand = {knob.id for knob in knobs if knob.by_hand}
    problems: dict[str, None] = {}
    for one in passes:
        where = one.slot or slot
        found = [*refusals(one.setup, rig, knobs), *infeasible(one.setup, slots.get(where))]
        if where and where not in slots:
            found.append(f"The rig has no OS slot {where!r}.")
        if one.setup in incidents:
            found.append(f"{describe(one.setup)}: something went wrong there before.")
        lost = [] if now is None else [key for key in one.setup if key not in now and key not in by_hand]
        found += [
            f"{known(key).label} is not confirmed by the machine, so that it could not be put back." for key in lost
        ]
        problems |= dict.fromkeys(found)
    taken = total(passes, rig, start_charge=1.0 if charge is None else charge, overhead=overhead)
    if taken.too_long:
        problems[f"{plural(len(taken.too_long), 'pass', 'passes')} would leave the valid charge window from full."] = (
            None
        )
    counts = Counter(step.kind for one in passes for step in one.steps if step.kind in _NAMES)
    counts[RECHARGE] += taken.recharges
    hands = tuple((kind, counts[kind]) for kind in _NAMES if counts[kind])
    changes = counts[RESTART] + counts[RELAUNCH] + counts[SOURCE]
    hands_min = CHANGE_HANDS_MIN * changes + 2 * RECHARGE_HANDS_MIN * counts[RECHARGE]
    return Rehearsal(tuple(problems), hands, hands_min, taken.minutes)
