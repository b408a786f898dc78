"""Which OS: the same setups in each slot, restarts as mirrored blocks, compared at equal measured watts."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import Level
from ..facts.setup import Setup
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer
from . import versus
from .kind import USUAL, Ask, Kind, Limits, Seen

ROUNDS = 4  # A B B A A B B A: two restarts a pair
LEVELS = 3  # of the limit, so that slots can be compared at the watts that each really takes


def design(ask: Ask) -> Design:
    """Three limits in each slot, or the setup that is asked for. Raises PlanError where there is one slot."""
    own = [slot for slot in ask.slots if slot == ask.question.slot]
    slots = tuple(dict.fromkeys((*own, *ask.slots))) or tuple(slot.key for slot in ask.rig.slots)
    if len(slots) < 2:
        raise PlanError("One OS slot cannot be compared. Note a second one with the rig.")
    setups = [ask.base]
    try:
        keys, levels = ask.bundle(LIMIT), ask.levels(LIMIT, 40)
    except PlanError:
        keys, levels = (), ()
    if keys and not set(keys) & set(ask.base) and levels:
        asked = ask.varied.get(LIMIT)
        middle, reach = len(levels) // 2, max(len(levels) // 6, 1)
        about = levels[max(middle - reach, 0) : middle + reach + 1 : reach][:LEVELS]
        chosen = _thinned(levels) if asked or ask.range_w is not None else about
        setups = [Setup({**ask.base, **dict.fromkeys(keys, level)}) for level in chosen]
    cells, left_out = ask.feasible([Cell(setup, slot) for slot in slots for setup in setups])
    if len({cell.slot for cell in cells}) < 2:
        raise PlanError(f"No two OS slots are left to compare. {' '.join(left_out)}")
    repeats = 2 if len(setups) >= LEVELS else ROUNDS
    return RoundsDesign(
        tuple(cells), ask.lengths(repeats=max(ask.like.repeats, repeats)), mirrored=True, most=ask.most,
        left_out=left_out, pins=True,
    )  # fmt: skip


def _thinned(levels: Sequence[Level]) -> Sequence[Level]:
    """At most LEVELS, as evenly spread as they come."""
    if len(levels) <= LEVELS:
        return levels
    return [levels[round(at * (len(levels) - 1) / (LEVELS - 1))] for at in range(LEVELS)]


def answer(seen: Seen) -> Answer:
    """The better slot at equal measured watts and equal cap."""
    return versus.answer(seen, equal_watts=True)


KIND = Kind(
    "which-os", "compare", "compare the OS slots", "slot", design, answer, asks_floor=False, limits=Limits.RANGE,
    fields=USUAL | {"repeats"}, button="Compare the OS slots",
)  # fmt: skip
