"""Does a knob pay: its levels interleaved in rounds at otherwise equal setups; several knobs as a factorial."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations, product
from typing import Any

import numpy as np

from ..errors import PlanError
from ..facts.factor import LIMIT, of_knob, static_limit
from ..facts.knob import Knob, Level, inside
from ..facts.known_knobs import known
from ..facts.setup import Setup
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer
from ..stats.estimate import t_quantile
from ..stats.least_squares import fitted
from . import versus
from .kind import USUAL, Ask, Kind, Seen

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
    """The better level at equal setups; of several knobs each, and which of them work on each other."""
    found = versus.answer(seen)
    told = dict(seen.question.parts.get("levels") or {})
    others = {str(key): levels for key, levels in told.items() if key != seen.factor.id and len(levels) > 1}
    if not found.contrasts or not others:
        return found
    contrasts, because = list(found.contrasts), list(found.because)
    for key, levels in others.items():
        factor = static_limit() if key == LIMIT else of_knob(seen.knobs.get(key) or known(key))
        for level in levels[1:]:
            more = versus.contrasts_of(seen, factor, level, levels[0])
            contrasts += more
            because += [say("knob.also", a=factor.words(level), b=factor.words(levels[0]),
                            what=versus.figure_words(one)) for one in more]  # fmt: skip
    because += _together(seen, {seen.factor.id: told.get(seen.factor.id, ()), **others})
    return replace(found, contrasts=tuple(contrasts), because=tuple(because))


def _together(seen: Seen, levels: Mapping[str, Sequence[Level]]) -> list[Message]:
    """Pairs of two-level knobs of which one changes what the other does to the rate, by more than chance."""
    said = []
    two = {key: own for key, own in levels.items() if len(own) == 2 and key != LIMIT}
    rows = [one for one in seen.counted if one.figures.value("mean_fps") and all(k in one.point.setup for k in two)]
    for one, other in combinations(two, 2):
        signs = np.array([[row.point.setup[key] == two[key][1] for key in (one, other)] for row in rows], float)
        if len(rows) < 6 or signs.size == 0:
            continue
        design_ = np.column_stack((np.ones(len(rows)), signs, signs.prod(axis=1)))
        y = np.log([row.figures.values["mean_fps"] for row in rows])
        found = fitted(design_, y, BY_ID["mean_fps"].prior_sd)
        half = t_quantile(0.975, found.dof) * float(found.errors[3])
        value = float(found.coefficients[3])
        if abs(value) > half:
            ends = [100 * float(np.expm1(v)) for v in (value, value - half, value + half)]
            names = [inside((seen.knobs.get(key) or known(key)).label) for key in (one, other)]
            said.append(say("knob.together", a=names[0], b=names[1], by=Value(ends[0], "%", ends[1], ends[2])))
    return said


def complete(parts: Mapping[str, Any], knobs: Mapping[str, Knob]) -> Mapping[str, Any]:
    """The knob that is asked about, where one is named by its levels alone."""
    named = next(iter(parts.get("levels") or {}), "")
    return {"over": named} if named and not parts.get("over") else {}


KIND = Kind(
    "knob", "does it pay", "see whether a knob pays", LIMIT, design, answer, asks_floor=False,
    fields=USUAL | {"knob", "repeats"}, button="Measure it", complete=complete,
)  # fmt: skip
