"""What a title's options cost: a screening of up to eleven of them, two levels each, in twelve setups."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import PlanError
from ..facts.knob import Knob, Level, inside
from ..facts.setup import Setup
from ..message import say
from ..passes.figure import BY_ID
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, Option, build
from ..read.contrast import thought_before
from ..read.group import Counted
from ..stats.estimate import Estimate, t_quantile
from ..stats.least_squares import Joint, generalised
from .kind import USUAL, Ask, Kind, Seen
from .knob import complete

ROW = "++-+++---+-"  # of the design of twelve: Plackett and Burman (1946), from memory; a test shows it orthogonal
MOST = 11


def screening(options: int) -> np.ndarray:
    """(12, options) of -1 and 1: each column with six of both, any two at right angles."""
    first = np.array([1 if sign == "+" else -1 for sign in ROW])
    rows = [np.roll(first, at) for at in range(MOST)]
    return np.array([*rows, -np.ones(MOST, int)])[:, :options]


def design(ask: Ask) -> Design:
    """Twelve setups of the options that are named, at otherwise one setup. Raises PlanError."""
    names = list(ask.varied)
    if not 2 <= len(names) <= MOST:
        raise PlanError(f"{len(names)} options are named. A screening takes 2 to {MOST}, each with two levels.")
    levels = []
    for name in names:
        own = ask.varied[name]
        wrong = [why for level in own for key in ask.bundle(name) if (why := ask.knobs[key].refusal(level))]
        if wrong or len(own) != 2:
            raise PlanError(wrong[0] if wrong else f"{name} has {len(own)} levels. A screening takes two of each.")
        levels.append((own[0], own[1]))
    cells = []
    for row in screening(len(names)):
        chosen = {
            key: pair[int(sign > 0)] for name, pair, sign in zip(names, levels, row) for key in ask.bundle(name)
        }  # fmt: skip
        cells.append(Cell(Setup({**ask.base, **chosen})))
    like = ask.lengths(repeats=max(1, (ask.most or 12) // 12), heat_s=0.0)
    return RoundsDesign(tuple(cells), like, most=ask.most)


@dataclass(frozen=True)
class Cost:
    """What the second level of an option costs against the first: ms a frame and watts, with 95 % intervals. is_told :
    whether its frame time is told from nothing, among all the options that were looked at (Bonferroni)."""

    name: str
    levels: tuple[Level, Level]
    frame_ms: Estimate
    watts: Estimate | None
    is_told: bool


def costs(
    counted: Sequence[Counted], levels: dict[str, tuple[Level, Level]], usual: Mapping[str, float] | None = None
) -> tuple[list[Cost], Estimate | None]:
    """Of each option by least squares over passes, those of one launch erring together, and the mean frame time with
    all at the first level. usual : spread of a pass by figure, as the machine's history has it."""
    rows = [one for one in counted if one.figures.value("mean_fps") and all(name in one.point.setup for name in levels)]
    if len(rows) < len(levels) + 2:
        return [], None
    signs = np.array([[float(one.point.setup[name] == pair[1]) for name, pair in levels.items()] for one in rows])
    design_ = np.column_stack((np.ones(len(rows)), signs))
    blocks = [one.point.launch or one.id for one in rows]  # no two in a row are alike: each is set anew
    frame = _fitted(design_, [1000.0 / one.figures.values["mean_fps"] for one in rows], "mean_fps", blocks, usual)
    draws = [one.figures.value("draw_w") or one.figures.value("package_w") for one in rows]
    watts = _fitted(design_, [w or 0.0 for w in draws], "draw_w", blocks, usual) if all(draws) else None
    found = [
        Cost(name, pair, _estimate(frame, at + 1, "ms"), _estimate(watts, at + 1, "W") if watts else None,
             _is_told(frame, at + 1, len(levels)))
        for at, (name, pair) in enumerate(levels.items())
    ]  # fmt: skip
    return found, _estimate(frame, 0, "ms")


def _fitted(
    design_: np.ndarray, values: Sequence[float], figure: str, blocks: Sequence[str], usual: Mapping[str, float] | None
) -> Joint:
    """figure : whose relative spread the values have."""
    y = np.array(values)
    sd, dof = thought_before(BY_ID[figure], usual)
    return generalised(design_, y, sd * float(y.mean()), blocks, dof)


def _estimate(found: Joint, at: int, unit: str) -> Estimate:
    value, half = float(found.coefficients[at]), t_quantile(0.975, found.dof) * _error(found, at)
    return Estimate(value, value - half, value + half, unit)


def _error(found: Joint, at: int) -> float:
    return math.sqrt(float(found.covariance[at, at]))


def _is_told(found: Joint, at: int, looks: int) -> bool:
    return abs(float(found.coefficients[at])) > t_quantile(1 - 0.025 / looks, found.dof) * _error(found, at)


def answer(seen: Seen) -> Answer:
    """What each option costs, dearest first; with a floor the cheapest set of first levels that reaches it."""
    levels = _levels(seen)
    found, base = costs(seen.counted, levels, seen.history.spreads)
    if not found or base is None:
        return build(seen.responses, seen.question, seen.context)
    dearest = sorted(found, key=lambda one: -abs(one.frame_ms.value))
    because = tuple(
        say("option.costs" if one.watts is not None else "option.costs-frames", option=_words(one, seen.knobs),
            frame=one.frame_ms.as_value(), **({"watts": one.watts.as_value()} if one.watts is not None else {}))
        for one in dearest
    )  # fmt: skip
    floor = seen.question.terms.floor
    if floor is None or not floor.is_of_frames:
        sure = [one for one in dearest if one.is_told]
        says = say("option.dearest", options=tuple(_words(one, seen.knobs) for one in sure[:3])) if sure else say(
            "option.none"
        )  # fmt: skip
        return Answer(says, None, None, because=because)
    chosen, frame = _cheapest(found, base.value, 1000.0 / floor.edge)
    setup = seen.counted[0].asked.with_(**chosen)
    rate = 1000.0 / frame
    option = Option(setup, "", None, {"mean_fps": Estimate(rate, None, None, "fps")})
    if rate < floor.edge:
        return Answer(say("option.not-enough", rate=rate, target=floor.value), None, None, because=because)
    kept = tuple(_name(one.name, seen.knobs) for one in found if chosen[one.name] == one.levels[1])
    says = say("option.set", rate=rate, target=floor.value, kept=kept or (say("option.no-option"),))
    return Answer(says, None, option, because=because, lacks=(say("missing.verify"),))


def _levels(seen: Seen) -> dict[str, tuple[Level, Level]]:
    told = dict(seen.question.parts.get("levels") or {})
    return {str(name): (own[0], own[1]) for name, own in told.items() if len(own) == 2}


def _cheapest(found: Sequence[Cost], base_ms: float, most_ms: float) -> tuple[dict[str, Level], float]:
    """Second levels kept, in the order in which the player named the options, as long as the frame time allows."""
    chosen = {one.name: one.levels[0] for one in found}
    frame = base_ms + sum(min(one.frame_ms.value, 0.0) for one in found)
    for one in found:
        if one.frame_ms.value <= 0:
            chosen[one.name] = one.levels[1]
        elif frame + one.frame_ms.value <= most_ms:
            chosen[one.name], frame = one.levels[1], frame + one.frame_ms.value
    return chosen, frame


def _words(one: Cost, knobs: dict[str, Knob] | object) -> str:
    return f"{_name(one.name, knobs)} {one.levels[1]}"


def _name(key: str, knobs: object) -> str:
    knob = knobs.get(key) if hasattr(knobs, "get") else None
    label: str = knob.label if knob is not None else key.replace("_", " ")
    return inside(label)


KIND = Kind(
    "options-cost", "does it pay", "see what the title's options cost", "", design, answer, asks_floor=False,
    fields=USUAL | {"options"}, complete=complete,
)  # fmt: skip
