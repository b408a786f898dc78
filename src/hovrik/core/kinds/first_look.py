"""A first look at a title: the maker's presets and levels between them, one pass each, in about ten minutes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..facts.factor import LIMIT
from ..message import say
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, build
from .kind import USUAL, Ask, Kind, Limits, Seen

LEVELS = 5
PLACES = (0.15, 0.35, 0.6, 0.85)  # of the range, for what no preset stands for
PASS_S, SOAK_S, COOL_S = 60.0, 30.0, 10.0


def design(ask: Ask) -> Design:
    """At most five static limits, presets first, one pass each from low to high at random."""
    over = ask.over or LIMIT
    keys, levels = ask.bundle(over), ask.levels(over, 40)
    chosen: dict[int, None] = {}
    numbers = [float(level) for level in levels if isinstance(level, int | float)]
    if over == LIMIT and numbers:
        for mode in ask.rig.modes:
            if mode.sustained_w is not None and numbers[0] <= mode.sustained_w <= numbers[-1]:
                chosen[int(np.argmin(np.abs(np.array(numbers) - mode.sustained_w)))] = None
    for place in PLACES:
        if len(chosen) < LEVELS:
            chosen[round(place * (len(levels) - 1))] = None
    cells = tuple(Cell(ask.base.with_(**dict.fromkeys(keys, levels[at]))) for at in sorted(chosen)[:LEVELS])
    like = ask.lengths(repeats=1, pass_s=min(ask.like.pass_s, PASS_S), soak_s=min(ask.like.soak_s, SOAK_S),
                       cool_s=min(ask.like.cool_s, COOL_S))  # fmt: skip
    return RoundsDesign(cells, like, most=ask.most, heat_last=True)


def answer(seen: Seen) -> Answer:
    """The sentence of lowest watts, from few passes: what it lacks is a finer look."""
    found = build(seen.responses, seen.question, seen.context)
    return replace(found, lacks=(*found.lacks, say("missing.refine"))) if seen.responses else found


KIND = Kind(
    "first-look", "look", "take a first look at what holds", LIMIT, design, answer, limits=Limits.RANGE, uncapped=True,
    fields=USUAL | {"heat"}, in_campaign=True,
)  # fmt: skip
