"""Which of two levels is better, from contrasts of their figures: what knob and which-os answer with."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..facts.factor import Factor
from ..facts.knob import Level, inside
from ..facts.setup import describe
from ..facts.terms import Aim
from ..message import Message, Value, say
from ..passes.figure import BY_ID, low_id
from ..read.answer import Answer, Option, build, option_of
from ..read.contrast import Comparison, Contrast, contrasts
from ..read.group import Group
from ..read.response import level_of
from .kind import Seen

OTHERS = ("score", "time_s", "package_w", "draw_w", "die_c", "shell_c", "die_end_c", "noise_db")


def figures_of(seen: Seen) -> tuple[str, ...]:
    """What is compared, what counts most first."""
    return ("mean_fps", low_id(seen.question.school), *OTHERS)


def contrasts_of(seen: Seen, factor: Factor, a: Level, b: Level, *, equal_watts: bool = False) -> list[Contrast]:
    """Every figure of two levels of a factor."""
    return contrasts(
        seen.counted, factor, a, b, figures_of(seen), margins=seen.question.terms.margins, knobs=seen.knobs,
        equal_watts=equal_watts,
    )  # fmt: skip


def figure_words(one: Contrast) -> Message:
    """'mean rate 1.9 to 4.2 % higher: better'."""
    return say("versus.figure", what=difference_words(one), verdict=say(f"versus.{one.verdict.value}"))


def answer(seen: Seen, *, equal_watts: bool = False) -> Answer:
    """Every pair of levels against the first, and the better one where it is decided."""
    factor = seen.factor
    levels = factor.sorted(level for one in seen.counted if (level := level_of(factor, one.point)) is not None)
    distinct: list[Level] = []
    for level in levels:
        if not distinct or not any(factor.same(level, other) for other in distinct):
            distinct.append(level)
    if len(distinct) < 2:
        if not seen.counted:
            return build(seen.responses, seen.question, seen.context)
        return Answer(say("versus.one", factor=inside(factor.label)), None, None, lacks=(say("missing.other-level"),))
    found: list[Contrast] = []
    for level in distinct[1:]:
        found += contrasts_of(seen, factor, level, distinct[0], equal_watts=equal_watts)
    best = _best(distinct, found, seen)
    option = _option(best, seen) if best is not None else None
    says = _words(distinct, found, best, factor)
    group = _group(best, seen) if best is not None else None
    because = tuple(figure_words(one) for one in found)
    open_ = [one for one in found if one.verdict is Comparison.UNDECIDED and best is None]
    lacks = tuple(say("missing.undecided", figure=inside(BY_ID[one.figure].label)) for one in open_[:3])
    return Answer(says, group.holds if group else None, option, because=because, lacks=lacks, contrasts=tuple(found))


def _best(levels: Sequence[Level], found: Sequence[Contrast], seen: Seen) -> Level | None:
    """The level that is better: one that alone holds the floor, else by rate and watts; None where they are the same,
    nothing is decided or something else differs."""
    if any(one.verdict is Comparison.CONFOUNDED for one in found):
        return None
    sure = seen.question.terms.sure
    if seen.question.terms.floor is not None:
        chances = {level: group.holds for level in levels if (group := _group(level, seen)) and group.holds is not None}
        holding = [level for level, chance in chances.items() if chance >= sure]
        if (
            len(holding) == 1
            and len(chances) == len(levels)
            and all(chance <= 1 - sure for level, chance in chances.items() if level != holding[0])
        ):
            return holding[0]
    leader = levels[0]
    decided = False
    for level in levels[1:]:
        own = [one for one in found if one.a == level]
        side = _side(own, seen)
        decided = decided or side != 0
        if side > 0:
            leader = level
    return leader if decided else None


def _side(own: Sequence[Contrast], seen: Seen) -> int:
    """1 where the level is better than the first one, -1 where that is, 0 where neither can be said."""
    rates = [one for one in own if BY_ID[one.figure].unit in ("fps", "points", "s")]
    watts = [one for one in own if one.figure == "draw_w"] or [one for one in own if one.figure == "package_w"]
    rate, watt = _sign(rates), _sign(watts)
    if rate and watt and rate != watt:
        return rate if seen.question.terms.aim is Aim.FRAMES else _by_frame(own, rate)
    rest = [one for one in own if one not in rates and one not in watts]
    return rate or watt or _sign([one for one in rest if one.figure in ("die_c", "noise_db", "shell_c")])


def _by_frame(own: Sequence[Contrast], rate: int) -> int:
    """Where more frames cost more watts: what a frame costs decides, where that can be told."""
    by = {one.figure: one for one in own if one.percent is not None}
    frames = by.get("mean_fps") or next((one for key, one in by.items() if key.startswith("low_")), None)
    watts = by.get("draw_w") or by.get("package_w")
    if frames is None or watts is None:
        return 0
    (gain, gain_half), (cost, cost_half) = _log(frames), _log(watts)
    dearer = abs(gain) - abs(cost)
    if abs(dearer) <= math.hypot(gain_half, cost_half):
        return 0
    return rate if dearer > 0 else -rate


def _log(one: Contrast) -> tuple[float, float]:
    """Difference in logs and half of its 95 % interval."""
    value, low, high = (math.log1p(max(percent, -99.0) / 100.0) for percent in one.percent or (0.0, 0.0, 0.0))
    return value, (high - low) / 2


def _sign(found: Sequence[Contrast]) -> int:
    better = sum(one.verdict is Comparison.BETTER for one in found)
    worse = sum(one.verdict is Comparison.WORSE for one in found)
    return (better > 0) - (worse > 0) if not (better and worse) else 0


def _group(level: Level, seen: Seen) -> Group | None:
    own = [g for one in seen.responses for g in one.groups if seen.factor.same(g.level, level)]
    return max(own, key=lambda group: (len(group.passes), describe(group.setup)), default=None)


def _option(level: Level, seen: Seen) -> Option | None:
    group = _group(level, seen)
    return option_of(group, seen.question, seen.context) if group is not None else None


def difference_words(one: Contrast) -> Message:
    """'mean rate 3.1 % higher (1.9 to 4.2)'."""
    side = say("versus.higher" if one.difference > 0 else "versus.lower")
    if one.percent is not None:
        ends = sorted(abs(v) for v in one.percent[1:]) if one.percent[1] * one.percent[2] > 0 else None
        size = _size(one.percent[0], "%", ends)
    else:
        ends = sorted([abs(one.low), abs(one.high)]) if one.low * one.high > 0 else None
        size = _size(one.difference, one.unit, ends)
    return say("versus.by" if ends else "versus.about", figure=inside(BY_ID[one.figure].label), by=size, side=side)


def _size(number: float, unit: str, ends: Sequence[float] | None) -> Value:
    return Value(abs(number), unit, ends[0], ends[1]) if ends else Value(abs(number), unit, digits=1)


def _words(levels: Sequence[Level], found: Sequence[Contrast], best: Level | None, factor: Factor) -> Message:
    if any(one.verdict is Comparison.CONFOUNDED for one in found):
        beside = tuple(dict.fromkeys(name for one in found for name in one.beside))
        return say("versus.confounded-by", factor=inside(factor.label), beside=beside)
    base = factor.words(levels[0])
    if best is None:
        decided = [one for one in found if one.verdict is not Comparison.UNDECIDED]
        other = factor.words(levels[1]) if len(levels) == 2 else inside(factor.label)
        sides = {one.verdict for one in found}
        if len(levels) == 2 and {Comparison.BETTER, Comparison.WORSE} <= sides:
            told = tuple(difference_words(one) for one in found if one.verdict in (Comparison.BETTER, Comparison.WORSE))
            return say("versus.trade", a=other, b=base, what=told)
        if found and len(decided) == len(found):
            return say("versus.all-same", a=other, b=base)
        return say("versus.open", a=other, b=base)
    own = [one for one in found if one.a == best] or [one for one in found if one.verdict is not Comparison.SAME]
    told = tuple(
        difference_words(one if one.a == best else _turned(one)) for one in own
        if one.verdict in (Comparison.BETTER, Comparison.WORSE)
    )  # fmt: skip
    other = factor.words(next(level for level in levels if level != best))
    return say("versus.better-than", a=factor.words(best), b=other, what=told or (say("versus.holds-floor"),))


def _turned(one: Contrast) -> Contrast:
    """The same seen from its other level, for words."""
    from dataclasses import replace

    percent = None
    if one.percent is not None:
        value, low, high = (100 * (1 / (1 + p / 100) - 1) for p in one.percent)
        percent = (value, high, low)
    return replace(one, a=one.b, b=one.a, difference=-one.difference, low=-one.high, high=-one.low, percent=percent)
