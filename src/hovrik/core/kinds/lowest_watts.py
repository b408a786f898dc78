"""The lowest watts, or level of any ordered knob, that hold a floor: searched pass by pass."""

from __future__ import annotations

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..plan.design import Design
from ..plan.lowest import MOST, LowestDesign
from ..questions.question import LOWEST_WATTS
from ..read.answer import Answer, build
from .kind import Ask, Kind, Seen

MOST_LEVELS = 400  # a search halves them: many cost little


def design(ask: Ask) -> Design:
    """A search over the levels of what is asked about. Raises PlanError where there is no floor to hold."""
    over = ask.over or LIMIT
    if ask.question.terms.floor is None:
        raise PlanError("The lowest level that holds a floor needs a floor. Give one, such as 40 frames a second.")
    return LowestDesign(
        ask.levels(over, MOST_LEVELS), ask.bundle(over), ask.base, ask.like, ask.question.terms.sure, ask.most or MOST
    )


def answer(seen: Seen) -> Answer:
    """The sentence of lowest watts."""
    return build(seen.responses, seen.question, seen.context)


KIND = Kind(LOWEST_WATTS, "find", "find the lowest watts that hold", LIMIT, design, answer)
