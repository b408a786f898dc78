"""Does a live knob pay while one plays: switched back and forth in balanced random order, stopped when decided."""

from __future__ import annotations

import math

from ..errors import PlanError
from ..facts.knob import Where, inside
from ..facts.setup import Setup
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from ..passes.purpose import FLIP
from ..plan.design import Design
from ..plan.flip import BLOCK_S, SETTLE_S, FlipDesign, flip_of
from ..read.answer import Answer, build
from ..read.contrast import Comparison, Contrast
from ..stats.flips import Flip, pairs_needed
from .kind import IN_PLAY, Ask, Kind, Seen

FIGURES = ("mean_fps", "draw_w", "package_w")
MARGIN = 0.02
SLOW = 10  # pairs after which it is said how many more it may take


def design(ask: Ask) -> Design:
    """Pairs of blocks of 20 s. Raises PlanError where the knob cannot be set while the title runs."""
    ask.refuse_frozen()
    over = ask.over or next(iter(ask.varied), "")
    if not over:
        raise PlanError("Which knob is asked about? Choose one that can be set while the title runs.")
    keys, levels = ask.bundle(over), ask.levels(over, 5)
    knob = ask.knobs[keys[0]]
    if knob.where is not Where.LIVE or knob.by_hand:
        raise PlanError(f"{knob.label} cannot be set by a program while the title runs ({knob.where.value}). "
                        "Ask whether it pays in passes of their own.")  # fmt: skip
    if len(levels) != 2:
        raise PlanError(f"{knob.label}: two levels are switched between, {len(levels)} are named.")
    like = ask.lengths(pass_s=BLOCK_S, settle_s=SETTLE_S, soak_s=0.0, cool_s=0.0, heat_s=0.0)
    most = max((ask.most or 120) // 2, 1)
    return FlipDesign(keys, (levels[0], levels[1]), Setup(ask.base), like, MARGIN, most)


def answer(seen: Seen) -> Answer:
    """The rate first, then watts: with intervals that hold at every look."""
    told = list(dict(seen.question.parts.get("levels") or {}).get(seen.factor.id, ()))
    if len(told) != 2 or not seen.counted:
        return build([], seen.question, seen.context)
    states, key = (told[0], told[1]), (seen.factor.knobs or (seen.factor.id,))[0]
    margins = seen.question.terms.margins
    found = [
        (name, one) for name in FIGURES
        if (one := flip_of(seen.counted, states, key, name, margins.get(name, MARGIN))) is not None
    ]  # fmt: skip
    if not found:
        return build([], seen.question, seen.context)
    contrasts = tuple(_contrast(name, one, states, seen) for name, one in found)
    names = [seen.factor.words(state) for state in states]
    rate = dict(found).get("mean_fps")
    because = tuple(
        say("flip.figure", figure=inside(BY_ID[name].label), by=_by(one), pairs=one.pairs) for name, one in found
    )
    lacks: tuple[Message, ...] = ()
    if rate is None or not rate.is_over:
        says = say("flip.open", a=names[0], b=names[1], pairs=rate.pairs if rate else 0)
        if rate is not None and rate.pairs >= SLOW and rate.difference:
            spread = max((rate.high - rate.low) / 4, 1e-6) if math.isfinite(rate.high - rate.low) else 0.08
            lacks = (say("missing.pairs", pairs=min(pairs_needed(rate.difference, spread), 500)),)
        return Answer(says, None, None, because=because, lacks=lacks, contrasts=contrasts)
    if rate.same:
        says = say("flip.same", a=names[0], b=names[1], pairs=rate.pairs)
    else:
        better, worse = (names[0], names[1]) if rate.difference > 0 else (names[1], names[0])
        says = say("flip.better", a=better, b=worse, by=_by(rate, absolute=True), pairs=rate.pairs)
    return Answer(says, None, None, because=because, contrasts=contrasts)


def _by(one: Flip, *, absolute: bool = False) -> Value:
    """The difference in percent; absolute : of the better state over the other."""
    ends = [one.difference, one.low, one.high]
    if absolute and one.difference < 0:
        ends = [-one.difference, -one.high, -one.low]
    value, low, high = (100 * _share(v) for v in ends)
    if math.isfinite(one.low) and math.isfinite(one.high):
        return Value(value, "%", low, high)
    return Value(value, "%", digits=1)


def _share(log_ratio: float) -> float:
    """Of a level, bounded where an interval is open."""
    return math.expm1(min(max(log_ratio, -5.0), 5.0))


def _contrast(name: str, one: Flip, states: tuple[object, object], seen: Seen) -> Contrast:
    figure = BY_ID[name]
    base = [v for c in seen.counted if (v := c.figures.value(name)) and c.asked.get(seen.factor.id) == states[1]]
    level = sum(base) / len(base) if base else 1.0
    verdict = Comparison.UNDECIDED
    if one.same:
        verdict = Comparison.SAME
    elif one.decided:
        verdict = Comparison.BETTER if (one.difference > 0) != figure.less_is_better else Comparison.WORSE
    ends = [_share(v) for v in (one.difference, one.low, one.high)]
    percent = (100 * ends[0], 100 * ends[1], 100 * ends[2])
    a, b = states
    return Contrast(
        name, a, b, level * ends[0], level * ends[1], level * ends[2], figure.unit, verdict, percent,  # type: ignore[arg-type]
        2 * one.pairs,
    )  # fmt: skip


KIND = Kind(
    "flip", "does it pay", "see whether a knob pays while I play", "", design, answer, asks_floor=False,
    fields=IN_PLAY | {"knob"}, purposes=frozenset({FLIP}), in_window="It is asked while somebody plays.",
    passes=(20, 92),
)  # fmt: skip
