"""The looks of a blind test: what was shown in each, and whether a key said that it feels bad.

Over caps, or over limits that no cap holds, what is shown is a rate. Over limits under a cap it is the share of frames
that came late for it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..facts.knob import CAP, LIMITS, Level, is_number
from ..facts.setup import Setup
from ..message import Message, Value, say
from ..passes.purpose import BLIND, FEEL, FEEL_LATE
from ..stats.felt import Belief, Felt
from .group import Counted

LEAST_LOOKS = 20  # from which on it is said
RATE_SCALE, LATE_SCALE = 1.0, 5.0  # logs of the rate, of the share of late frames
LEAST_LATE = 0.001  # share of late frames that is told from none
PRESSED, EARLY = "pressed_s", "pressed_early"  # conditions: s until a key was pressed, how often while it settled


@dataclass(frozen=True)
class Look:
    """One look. level : of the knob; x : log of the rate, or of the late share turned round, so that less is worse;
    is_bad : a key was pressed; is_late : x is of late frames."""

    level: Level | None
    x: float
    is_bad: bool
    is_late: bool = False


def late_cap(knob: str, base: Setup) -> float | None:
    """The cap that late frames are held against where they are what is felt, limits that are switched under a cap;
    None where it is the rate."""
    cap = base.get(CAP)
    return float(cap) if knob in LIMITS and is_number(cap) and cap is not None else None


def looks_of(passes: Sequence[Counted], knob: str, base: Setup) -> list[Look]:
    """The looks of a test. One of which a key was pressed only while it settled tells nothing; one at another cap,
    where that is what late frames are held against, neither."""
    held, found = late_cap(knob, base), []
    for one in passes:
        pressed, early = one.point.number(PRESSED), one.point.number(EARLY)
        if one.purpose != (FEEL if held is None else FEEL_LATE) or (held is not None and one.asked.get(CAP) != held):
            continue
        if early is None or (early and pressed is None):
            continue
        rate, tail = one.figures.value("mean_fps"), one.figures.tail
        if held is not None and tail is not None:
            x = -math.log(max(tail.missed(held), LEAST_LATE))
        elif held is None and rate:
            x = math.log(rate)
        else:
            continue
        found.append(Look(one.asked.get(knob), x, pressed is not None, held is not None))
    return found


def belief_of(looks: Sequence[Look], levels: np.ndarray) -> Belief:
    """What looks say. levels : (m,) x that can be tried."""
    belief = Belief(levels, LATE_SCALE if any(one.is_late for one in looks) else RATE_SCALE)
    for one in looks:
        belief.tell(one.x, one.is_bad)
    return belief


def felt_of(looks: Sequence[Look]) -> Felt | None:
    """Where it begins to feel bad, in x; None without a look."""
    return belief_of(looks, np.array([one.x for one in looks])).felt() if looks else None


def tests_of(passes: Sequence[Counted]) -> list[tuple[str, Setup, list[Look]]]:
    """(knob, what else was set, looks) of every blind test: the rate's, then that of late frames at each cap."""
    own = [one for one in passes if one.purpose in BLIND]
    caps = sorted({float(cap) for one in own if is_number(cap := one.asked.get(CAP)) and cap is not None})
    kinds = [(CAP, Setup()), *((LIMITS[0], Setup({CAP: cap})) for cap in caps)]
    told = [(knob, base, looks_of(own, knob, base)) for knob, base in kinds]
    return [one for one in told if len(one[2]) >= LEAST_LOOKS]


def said_of(found: Felt, *, cap: float | None = None) -> Message:
    """The place of the curve in words. cap : that late frames are held against, None where the rate is felt."""
    if found.low is None and found.high is None:
        return say("feels.nowhere", looks=found.looks)
    if cap is not None:
        at, less, more = (None if x is None else 100 * math.exp(-x) for x in (found.at, found.high, found.low))
        if more is None:
            return say("feels.late-more", share=Value(less or 0.0, "%"), cap=cap)
        if less is None:
            return say("feels.late-less", share=Value(more, "%"), cap=cap)
        return say("feels.late", share=Value(at or 0.0, "%", less, more), cap=cap, looks=found.looks)
    rate, low, high = (None if x is None else math.exp(x) for x in (found.at, found.low, found.high))
    if low is None:
        return say("feels.at-most", rate=Value(high or 0.0, "fps", digits=0))
    if high is None:
        return say("feels.at-least", rate=Value(low, "fps", digits=0))
    return say("feels.at", rate=Value(rate or 0.0, "fps", low, high), looks=found.looks)
