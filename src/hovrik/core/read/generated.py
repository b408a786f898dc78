"""Setups that show generated frames: what of them is rendered, whether they may be stated."""

from __future__ import annotations

from collections.abc import Sequence

from ..facts.knob import is_number
from ..facts.setup import Setup, describe
from ..message import Message, Value, say
from ..questions.question import Question
from .group import Group
from .response import Response

COUNT, FROM, LIVE = "shown_counts", "generated_from", "generated_live"  # parts of a question
KNOB = "frame_generation"
FROM_FPS = 30.0  # rendered, from which generating is thought of where a player says nothing
AS_RENDERED = 1.02  # shown over rendered, up to which a log counts what is rendered


def is_generated(group: Group) -> bool:
    """Whether frames are generated there: as it was asked, or as its passes read."""
    return group.mean("rendered_fps") is not None or group.setup.get(KNOB) not in (None, "off")


def generated_from(question: Question) -> float:
    """Rendered rate from which generating is thought of, as a player says; the usual one where that is no rate."""
    found = question.parts.get(FROM)
    return float(found) if is_number(found) and found is not None and 0 < float(found) < 1000 else FROM_FPS


def why_not(group: Group, question: Question, live_opponents: bool | None) -> Message | None:
    """Why a setup with generated frames is not stated; None where it may be, or generates none."""
    rendered, rate = group.mean("rendered_fps"), group.rate
    if not is_generated(group) or question.terms.floor is None:
        return None
    level = describe(group.setup)
    if rendered is None or rate is None:
        return say("generated.untold", level=level)
    base = Value(rendered.value, digits=0)
    if rate.value > AS_RENDERED * rendered.value and not question.parts.get(COUNT):
        return say("generated.not-counted", level=level, rendered=base, shown=Value(rate.value, digits=0))
    least = generated_from(question)
    if rendered.value < least:
        return say("generated.low-base", level=level, rendered=base, least=least)
    if live_opponents and not question.parts.get(LIVE):
        return say("generated.live", level=level)
    return None


def barred(responses: Sequence[Response], question: Question, live_opponents: bool | None) -> list[Setup]:
    """Setups, or the one level that all of them share, that were measured and may not be stated by these rules."""
    found: dict[Setup, None] = {}
    for group in (group for one in responses for group in one.groups):
        why = why_not(group, question, live_opponents)
        if why is not None:
            of_all = why.id == "generated.not-counted" and KNOB in group.setup
            found[Setup({KNOB: group.setup[KNOB]}) if of_all else group.setup] = None
    return list(found)


def is_barred(setup: Setup, barred_: Sequence[Setup]) -> bool:
    """Whether a setup is one of those."""
    return any(one.has(setup) or setup.has(one) for one in barred_)
