"""From when on does it feel bad to the player: caps or limits switched unseen while they play, and a key."""

from __future__ import annotations

import math

import numpy as np

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import CAP, LIMITS, Level, Where, is_number
from ..facts.panel import even_caps_of
from ..facts.setup import Setup
from ..message import Message, say
from ..passes.purpose import BLIND, FEEL_LATE
from ..plan.design import Design
from ..plan.feel import LOOK_S, MOST_LOOKS, SETTLE_S, FeelDesign
from ..read.answer import Answer, build
from ..read.looks import LEAST_LOOKS, Look, felt_of, late_cap, looks_of, said_of
from .kind import FINEST, IN_PLAY, Ask, Kind, Seen

MOST_LEVELS = 9
FEW = 8  # looks under which nothing is told


def design(ask: Ask) -> Design:
    """Looks of 12 s. Raises PlanError where neither caps nor limits can be set while the title runs."""
    ask.refuse_frozen()
    over = ask.over or next(iter(ask.varied), "") or CAP
    if over != CAP and over not in (LIMIT, *LIMITS):
        raise PlanError(f"A blind test is over caps or over limits, not over {over}. Choose one of them.")
    keys = ask.bundle(over)
    knob = ask.knobs[keys[0]]
    if knob.where is not Where.LIVE or knob.by_hand:
        raise PlanError(f"{knob.label} cannot be set by a program while the title runs ({knob.where.value}). "
                        "What is switched by hand is no blind test.")  # fmt: skip
    levels = _levels(ask, over)
    if len(levels) < 3:
        raise PlanError(f"{knob.label}: a blind test wants three levels or more, {len(levels)} can be set here.")
    like = ask.lengths(pass_s=LOOK_S, settle_s=SETTLE_S, soak_s=0.0, cool_s=0.0, heat_s=0.0)
    return FeelDesign(keys, levels, ask.base, like, ask.most or MOST_LOOKS)


def _levels(ask: Ask, over: str) -> tuple[Level, ...]:
    """Caps that the panel shows evenly, so that nothing but the rate is felt; else what the machine offers."""
    wanted = ask.varied.get(over)
    if over == CAP and not wanted:
        knob = ask.knobs[CAP]
        even = sorted(one.cap_fps for one in even_caps_of(ask.rig) if not knob.refusal(one.cap_fps))
        if len(even) >= 3:
            return _thinned(even)
    return _thinned([float(level) for level in ask.levels(over, FINEST) if is_number(level)])


def _thinned(levels: list[float]) -> tuple[Level, ...]:
    """At most nine, as evenly spread by their logs as they come."""
    if len(levels) <= MOST_LEVELS:
        return tuple(levels)
    logs = [math.log(one) for one in levels]
    places = [logs[0] + (logs[-1] - logs[0]) * at / (MOST_LEVELS - 1) for at in range(MOST_LEVELS)]
    nearest = np.argmin(np.abs(np.array(logs)[None, :] - np.array(places)[:, None]), axis=1)
    return tuple(levels[at] for at in dict.fromkeys(nearest.tolist()))


def answer(seen: Seen) -> Answer:
    """The rate, or the share of late frames, from which every second look feels bad."""
    knob = (seen.factor.knobs or (seen.factor.id,))[0]
    newest = next((one.asked for one in reversed(seen.counted) if one.purpose == FEEL_LATE), Setup())
    base = newest if knob in LIMITS else Setup()
    looks = looks_of(seen.counted, knob, base)
    found = felt_of(looks)
    if found is None:
        return build([], seen.question, seen.context)
    more = max(LEAST_LOOKS - found.looks, 0)
    lacks = (say("missing.looks", looks=more),) if more else ()
    because = (say("feels.counts", looks=found.looks, bad=found.bad), _of_good(looks))
    if found.looks < FEW:
        return Answer(say("feels.few", looks=found.looks), None, None, because=because, lacks=lacks)
    says = said_of(found, cap=late_cap(knob, base))
    return Answer(says, None, None, because=because, lacks=lacks)


def _of_good(looks: list[Look]) -> Message:
    """How often a key was pressed at the best third of the looks, where it hardly can feel bad."""
    best = sorted(looks, key=lambda one: -one.x)[: max(len(looks) // 3, 1)]
    return say("feels.mistaken", bad=sum(one.is_bad for one in best), looks=len(best))


KIND = Kind(
    "feels", "find", "from when on it feels bad to me", CAP, design, answer, asks_floor=False,
    ranged_over=frozenset({LIMIT}), at=1.0, fields=IN_PLAY, purposes=BLIND, unjudged=True,
    in_window="Somebody plays and presses a key.",
    passes=(20, 60),
)  # fmt: skip
