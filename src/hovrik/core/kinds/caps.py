"""Which cap holds with the limits left alone: those the panel shows evenly, predicted from uncapped passes, two of them
measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..errors import PlanError
from ..facts.knob import CAP, REFRESH, is_number
from ..facts.panel import EvenCap, even_caps_of
from ..message import Message, Value, say
from ..model.capped import capped, limiter_of
from ..passes.figure import low_id
from ..plan.cap_check import CapCheckDesign, measured
from ..plan.design import Design
from ..read.answer import Answer, Option, build, option_of
from ..read.response import Response
from .kind import Ask, Kind, Seen

LEAST_FPS = 24.0


def design(ask: Ask) -> Design:
    """Even caps of the panel, or those that are named. Raises PlanError where there are none."""
    ask.bundle(CAP)
    named = [float(cap) for cap in ask.varied.get(CAP, ()) if is_number(cap)]
    even: Sequence[EvenCap] = even_caps_of(ask.rig)
    if named:
        pairs = [(cap, next((one.refresh_hz for one in even if abs(one.cap_fps - cap) < 0.05), 0.0)) for cap in named]
    else:
        pairs = [(one.cap_fps, 0.0 if one.variable else one.refresh_hz) for one in even if one.cap_fps >= LEAST_FPS]
    pairs = [(cap, hz) for cap, hz in pairs if ask.knobs[CAP].refusal(cap) is None]
    if not pairs:
        raise PlanError("No cap is known that the panel shows evenly. Note its refresh rates, or name caps.")
    can_set = REFRESH in ask.knobs and REFRESH in ask.now  # what is not confirmed could not be put back
    pairs = [
        (cap, hz if can_set and hz and ask.knobs[REFRESH].refusal(hz) is None else 0.0)
        for cap, hz in sorted(set(pairs), reverse=True)
    ]
    tolerance = ask.question.terms.tolerance
    return CapCheckDesign(
        tuple(pairs), ask.base.without(CAP), ask.lengths(heat_s=0.0), tolerance, most=ask.most,
        settled=ask.question.terms.sure,
    )  # fmt: skip


def answer(seen: Seen) -> Answer:
    """The highest cap that was measured and holds; what the others are predicted to do."""
    if not seen.responses:
        return build(seen.responses, seen.question, seen.context)
    tolerance = seen.question.terms.tolerance
    low, sure = low_id(seen.question.school), seen.question.terms.sure
    options = [
        (cap, replace(option_of(group, seen.question, seen.context), holds=chance))
        for cap, chance, group in measured(seen.responses, low, tolerance)
    ]
    because = tuple(
        say("cap.measured", cap=cap, sure=option.holds or 0.0, draw=_draw(option)) for cap, option in options
    ) + tuple(_predicted(seen.responses, seen, tolerance, low))  # fmt: skip
    best = next((pair for pair in options if (pair[1].holds or 0.0) >= sure), None)
    if best is None:
        likely = max(options, key=lambda pair: pair[1].holds or 0.0, default=None)
        says = say("cap.none") if likely is None else say("cap.open", cap=likely[0], sure=likely[1].holds or 0.0)
        return Answer(says, likely[1].holds if likely else None, None, because=because)
    says = say("cap.holds", cap=best[0], sure=best[1].holds or 0.0)
    return Answer(says, best[1].holds, best[1], because=because)


def _draw(option: Option) -> Message:
    draw = option.metrics.get("draw_w")
    if draw is None:
        return say("cap.no-draw")
    return say("cap.draw", watts=Value(draw.value, "W", draw.low, draw.high))


def _predicted(responses: Sequence[Response], seen: Seen, tolerance: float, low: str) -> list[Message]:
    rig = seen.context.rig
    for response in responses:
        if rig is None or response.ladder is None or None not in response.ladder.caps:
            continue
        found, paced = [], limiter_of(one.ladder for one in responses)
        for even in even_caps_of(rig):
            levels = capped(response.ladder, even.cap_fps, tolerance, low, paced)
            one = next((c for c in levels if c is not None), None)
            if one is not None and one.holds is not None:
                found.append(say("cap.predicted", cap=even.cap_fps, sure=one.holds))
        return found
    return []


KIND = Kind("caps", "find", "find the cap that holds", CAP, design, answer, asks_floor=False,
            varies=frozenset({CAP, REFRESH}), button="See which caps hold", passes=(4, 7),
            takes=(0.9, 1.0))  # fmt: skip
