"""The lowest watts, or level of any ordered knob, that hold a floor: searched pass by pass."""

from __future__ import annotations

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import CAP, NO_CAP, is_number
from ..plan.design import Design
from ..plan.grid import LadderDesign
from ..plan.lowest import MOST, LowestDesign
from ..plan.rounds import Cell, RoundsDesign
from ..questions.question import LOWEST_WATTS, Question
from ..read.answer import Answer, build
from .kind import FINEST, USUAL, Ask, Kind, Limits, Seen

SEARCH, LADDER = "search", "ladder"  # how they are found: parts["how"] of a question; one that does not say is a ladder


def is_ladder(question: Question) -> bool:
    """Whether every level is measured in rounds."""
    return question.parts.get("how", LADDER) != SEARCH


def design(ask: Ask) -> Design:
    """A search over the levels of what is asked about, or every one of them in rounds. Raises PlanError where a search
    has no floor to hold."""
    over = ask.over or LIMIT
    if is_ladder(ask.question):
        return _ladder(ask, over)
    if ask.question.terms.floor is None:
        raise PlanError("The lowest level that holds a floor needs a floor. Give one, such as 40 frames a second.")
    return LowestDesign(
        ask.levels(over, FINEST), ask.bundle(over), ask.base, ask.like, ask.question.terms.sure, ask.most or MOST
    )


def _ladder(ask: Ask, over: str) -> Design:
    """Every level once a round; a ladder of watts where nothing else is set."""
    keys, levels = ask.bundle(over), ask.levels(over, FINEST)
    cap = ask.base.get(CAP, NO_CAP)
    if over == LIMIT and set(ask.base) <= {CAP} and not ask.varied and all(map(is_number, levels)):
        numbers = [float(level) for level in levels]
        step = ask.range_w[2] if ask.range_w is not None else ask.rig.limit_step_w
        cap_fps = float(cap) if is_number(cap) else None
        ladder = LadderDesign(numbers[0], numbers[-1], step, cap_fps, **ask.like.as_dict())
        if ladder.levels_w() == tuple(numbers):
            return ladder
    kept, left_out = ask.feasible([Cell(ask.base.with_(**dict.fromkeys(keys, level))) for level in levels])
    if not kept:
        raise PlanError(f"Nothing is left to measure. {' '.join(left_out)}")
    return RoundsDesign(tuple(kept), ask.like, most=ask.most, left_out=left_out)


def answer(seen: Seen) -> Answer:
    """The sentence of lowest watts."""
    return build(seen.responses, seen.question, seen.context)


KIND = Kind(
    LOWEST_WATTS, "find", "find the lowest watts that hold", LIMIT, design, answer, limits=Limits.RANGE, uncapped=True,
    fields=USUAL | {"how", "heat"}, usual={"how": SEARCH}, in_campaign=True,
    passes=(4, 15),
)  # fmt: skip
