"""Does a knob pay: its levels interleaved in rounds at otherwise equal setups; several knobs as a factorial."""

from __future__ import annotations

from itertools import product

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.setup import Setup
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer
from . import versus
from .kind import Ask, Kind, Seen

MOST_CELLS = 32
REPEATS = 4


def design(ask: Ask) -> Design:
    """Every combination of the levels, mirrored rounds for two of them. Raises PlanError where a knob has one level."""
    names = list(dict.fromkeys([*([ask.over] if ask.over else []), *ask.varied]))
    if not names:
        raise PlanError("Which knob is asked about? Name it with its levels, such as boost on and off.")
    bundles = [(ask.bundle(name), ask.levels(name, 5)) for name in names]
    single = next((name for name, (_, levels) in zip(names, bundles) if len(levels) < 2), None)
    if single is not None:
        raise PlanError(f"{single} has one level only. Name two or more.")
    cells = [
        Cell(Setup({**ask.base, **{key: level for (keys, _), level in zip(bundles, chosen) for key in keys}}))
        for chosen in product(*(levels for _, levels in bundles))
    ]  # fmt: skip
    if len(cells) > MOST_CELLS:
        raise PlanError(f"{len(cells)} combinations are too many. Name fewer knobs or levels, {MOST_CELLS} at most.")
    cells, left_out = ask.feasible(cells)
    if len(cells) < 2:
        raise PlanError(f"Nothing is left to compare. {' '.join(left_out)}")
    repeats = ask.like.repeats if len(cells) > 4 else max(ask.like.repeats, REPEATS)
    return RoundsDesign(tuple(cells), ask.lengths(repeats=repeats), mirrored=len(cells) == 2, most=ask.most,
                        left_out=left_out)  # fmt: skip


def answer(seen: Seen) -> Answer:
    """The better level at equal setups."""
    return versus.answer(seen)


KIND = Kind("knob", "does it pay", "see whether a knob pays", LIMIT, design, answer, asks_floor=False)
