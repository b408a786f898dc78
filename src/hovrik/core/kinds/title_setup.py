"""Which of a title's set-ups can be afforded: the best first, with the highest cap first, until one holds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..errors import PlanError
from ..facts.knob import CAP, Knob, Level, Order, is_number
from ..facts.setup import Setup
from ..facts.terms import Aim
from ..plan.design import Design
from ..plan.first_holds import FirstHoldsDesign
from ..questions.question import BEST_SET_UP
from ..read.answer import Answer, build
from .kind import Ask, Kind, Seen

SET_UP = "preset"
OTHERS = ("textures", "render_scale", "upscaler")


def usual(knobs: Mapping[str, Knob]) -> str:
    """What a title is set up by, where nobody says: its preset, else what there is."""
    return next((key for key in (SET_UP, *OTHERS) if key in knobs), SET_UP)


def design(ask: Ask) -> Design:
    """Levels of the set-up, best first, each with the caps that are named, highest first. Raises PlanError."""
    over = ask.over or usual(ask.knobs)
    keys, levels = ask.bundle(over), ask.levels(over)
    if ask.question.terms.floor is None:
        raise PlanError("What can be afforded depends on what has to hold. Give a floor, such as 40 frames a second.")
    if ask.knobs[keys[0]].order is Order.WORDS and not ask.varied.get(over):
        raise PlanError(f"Which {over} is best? Name its levels, the best first.")
    ordered = levels[::-1] if ask.knobs[keys[0]].order is not Order.WORDS else tuple(ask.varied.get(over, levels))
    caps: tuple[Level, ...] = tuple(ask.varied.get(CAP, ()))
    caps = tuple(sorted((cap for cap in caps if is_number(cap)), key=float, reverse=True))
    setups = [
        Setup({**ask.base, **dict.fromkeys(keys, level), **({CAP: cap} if cap is not None else {})})
        for level in ordered for cap in (caps or (None,))
    ]  # fmt: skip
    return FirstHoldsDesign(tuple(setups), ask.lengths(heat_s=0.0), ask.question.terms.sure, ask.most)


def answer(seen: Seen) -> Answer:
    """The sentence of what holds, along the set-ups."""
    return build(seen.responses, seen.question.with_(aim=Aim.PICTURE), seen.context)


def complete(parts: Mapping[str, Any], knobs: Mapping[str, Knob]) -> Mapping[str, Any]:
    """What the title is set up by, where nobody says."""
    return {} if parts.get("over") else {"over": usual(knobs)}


KIND = Kind(BEST_SET_UP, "find", "find the best set-up of the title that holds", SET_UP, design, answer,
            complete=complete, passes=(4, 11))  # fmt: skip
