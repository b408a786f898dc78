"""Which of two levels is better, from contrasts of their figures: what knob and which-os answer with."""

from __future__ import annotations

from collections.abc import Sequence

from ..facts.factor import LIMIT, Factor
from ..facts.knob import Level, inside
from ..facts.setup import describe
from ..facts.terms import Aim
from ..message import Message, Value, say
from ..passes.figure import BY_ID, low_id
from ..read.answer import Answer, Option, build, hours_of, option_of
from ..read.contrast import Comparison, Contrast, contrasts
from ..read.group import RATE, Group
from ..read.response import level_of
from ..read.verdicts import Enough, Turn, Verdict, enough_of, turn_of, verdict_of
from ..stats.estimate import Mean
from ..words import decimals
from .kind import Seen

MOST_TOLD = 3  # levels whose figures are in the first line
OTHERS = (
    "min_fps", "score", "time_s", "energy_wh", "package_w", "draw_w", "input_w", "wall_w", "die_c", "shell_c",
    "die_end_c", "noise_db",
)  # fmt: skip


def figures_of(seen: Seen) -> tuple[str, ...]:
    """What is compared, what counts most first."""
    return ("mean_fps", low_id(seen.question.school), *OTHERS)


def contrasts_of(seen: Seen, factor: Factor, a: Level, b: Level, *, equal_watts: bool = False) -> list[Contrast]:
    """Every figure of two levels of a factor."""
    return contrasts(
        seen.counted, factor, a, b, figures_of(seen), margins=seen.question.terms.margins, knobs=seen.knobs,
        equal_watts=equal_watts, usual=seen.history.spreads,
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
    stopped = tuple(one.words(factor) for one in seen.stopped)
    if len(distinct) < 2:
        if not seen.counted and not stopped:
            return build(seen.responses, seen.question, seen.context)
        if stopped:
            return _only(distinct, stopped, seen)
        return Answer(say("versus.one", factor=inside(factor.label)), None, None, lacks=(say("missing.other-level"),))
    found: list[Contrast] = []
    for level in distinct[1:]:
        found += contrasts_of(seen, factor, level, distinct[0], equal_watts=equal_watts)
    verdict = verdict_of(
        seen.counted, factor, distinct, figures_of(seen), seen.question.terms.aim,
        margins=seen.question.terms.margins, knobs=seen.knobs, equal_watts=equal_watts,
        usual=seen.history.spreads,
    )  # fmt: skip
    best = _best(verdict, found, seen)
    option = _option(best, seen) if best is not None else None
    says = _words(verdict, found, best, factor)
    enough = _enough(seen, distinct, equal_watts=equal_watts)
    if enough is not None:
        says = say("versus.enough", says=says, level=factor.words(enough.lowest), margin=enough.margin)
    turn = None
    if factor.id != LIMIT:
        turn = turn_of(seen.counted, factor, distinct, knobs=seen.knobs, usual=seen.history.spreads)
    if turn is not None:
        says, best, option = _turned_words(turn, factor), None, None
    absolute = _absolute(distinct, seen)
    if absolute:
        says = say("versus.with-levels", says=says, levels=absolute)
    if stopped:
        says = say("versus.beside-stopped", stopped=stopped, says=says)
    group = _group(best, seen) if best is not None else None
    because = tuple(
        figure_words(one) if len(distinct) == 2
        else say("knob.also", a=factor.words(one.a), b=factor.words(one.b), what=figure_words(one)) for one in found
    )  # fmt: skip
    if enough is not None and enough.from_ != enough.to:
        because = (*because, say("versus.begins", low=factor.words(enough.from_), high=factor.words(enough.to)))
    if seen.history.spreads:
        because = (*because, say("versus.history", passes=seen.history.passes))
    counts = _counting(seen)
    open_ = dict.fromkeys(one.figure for one in found if one.verdict is Comparison.UNDECIDED and best is None)
    lacks = tuple(say("missing.undecided", figure=inside(BY_ID[one].label)) for one in open_ if one in counts)
    return Answer(says, group.holds if group else None, option, because=because, lacks=lacks, contrasts=tuple(found))


def _turned_words(turn: Turn, factor: Factor) -> Message:
    low, high = factor.words(turn.low), factor.words(turn.high)
    if turn.last is None or turn.first is None:
        return say("versus.turns", low=low, high=high)
    last, first = (Value(watts, "W", digits=0) for watts in (turn.last, turn.first))
    return say("versus.turns-between", low=low, high=high, last=last, first=first)


def _absolute(levels: Sequence[Level], seen: Seen) -> tuple[Message, ...]:
    """What each of a few levels gives: rate, draw, hours. Nothing where they were measured at several setups."""
    if len(seen.responses) != 1 or len(levels) > MOST_TOLD:
        return ()
    found = []
    for level in levels:
        group = next((one for one in seen.responses[0].groups if seen.factor.same(one.level, level)), None)
        if group is None or group.rate is None:
            return ()
        hours = hours_of(group, seen.question, seen.context)
        parts = (
            say("versus.rate", rate=_middle(group.rate)),
            *([say("versus.draw", draw=_middle(group.draw, "W"))] if group.draw is not None else []),
            *([say("from-full", hours=hours.as_value())] if hours is not None else []),
        )
        found.append(say("versus.level", level=seen.factor.words(level), parts=parts))
    return tuple(found)


def _middle(mean: Mean, unit: str = "") -> Value:
    """A mean with as many digits as its error leaves."""
    one = mean.estimate(unit)
    half = (one.high - one.low) / 2 if one.high is not None and one.low is not None else abs(one.value) / 20
    return Value(one.value, unit, digits=decimals(half))


def _counting(seen: Seen) -> frozenset[str]:
    """Figures that decide for the aim: the rest may stay open."""
    frames = {RATE, low_id(seen.question.school), "score", "time_s"}
    match seen.question.terms.aim:
        case Aim.FRAMES:
            return frozenset(frames)
        case Aim.QUIET:
            return frozenset({*frames, "die_c", "noise_db"})
    return frozenset({*frames, "draw_w", "package_w"})


def _enough(seen: Seen, levels: Sequence[Level], *, equal_watts: bool) -> Enough | None:
    """Of a knob of which more never costs frames: from where on it brings nothing."""
    if equal_watts or RATE not in seen.factor.rising:
        return None
    return enough_of(
        seen.counted, seen.factor, levels, margins=seen.question.terms.margins, knobs=seen.knobs,
        usual=seen.history.spreads,
    )  # fmt: skip


def _only(ran: Sequence[Level], stopped: tuple[Message, ...], seen: Seen) -> Answer:
    """Where one level ran, or none, and the others never did."""
    if not ran:
        return Answer(say("versus.none-ran", stopped=stopped), None, None)
    group = _group(ran[0], seen)
    says = say("versus.only", level=seen.factor.words(ran[0]), stopped=stopped)
    return Answer(says, group.holds if group else None, _option(ran[0], seen))


def _best(verdict: Verdict, found: Sequence[Contrast], seen: Seen) -> Level | None:
    """The level that is better than all others: one that alone holds the floor, else by what counts for the aim; None
    where several lead, they are the same, nothing is decided or something else differs."""
    if any(one.verdict is Comparison.CONFOUNDED for one in found):
        return None
    levels, sure = verdict.levels, seen.question.terms.sure
    if seen.question.terms.floor is not None:
        chances = {level: group.holds for level in levels if (group := _group(level, seen)) and group.holds is not None}
        holding = [level for level, chance in chances.items() if chance >= sure]
        if (
            len(holding) == 1
            and len(chances) == len(levels)
            and all(chance <= 1 - sure for level, chance in chances.items() if level != holding[0])
        ):
            return holding[0]
    return verdict.leader


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


def _words(verdict: Verdict, found: Sequence[Contrast], best: Level | None, factor: Factor) -> Message:
    if any(one.verdict is Comparison.CONFOUNDED for one in found):
        beside = tuple(dict.fromkeys(name for one in found for name in one.beside))
        return say("versus.confounded-by", factor=inside(factor.label), beside=beside)
    levels = verdict.levels
    if best is None:
        return _led(verdict, found, factor)
    others = tuple(factor.words(level) for level in levels if level != best)
    own = [one if one.a == best else _turned(one) for one in found if best in (one.a, one.b)]
    told = tuple(difference_words(one) for one in own if one.verdict in _DECIDED)
    if len(levels) == 2:
        told = told or (say("versus.holds-floor"),)
        return say("versus.better-than", a=factor.words(best), b=others[0], what=told)
    return say("versus.best-of", a=factor.words(best), others=others)


_DECIDED = (Comparison.BETTER, Comparison.WORSE)


def _led(verdict: Verdict, found: Sequence[Contrast], factor: Factor) -> Message:
    """Of levels of which none is better than all others."""
    levels, leading = verdict.levels, verdict.leading
    names = tuple(factor.words(level) for level in levels)
    if len(levels) == 2:
        if verdict.is_alike:
            return say("versus.all-same", a=names[1], b=names[0])
        told = tuple(difference_words(one) for one in found if one.verdict in _DECIDED)
        if verdict.is_trade and {one.verdict for one in found} >= set(_DECIDED):
            return say("versus.trade", a=names[1], b=names[0], what=told)
        return say("versus.open", a=names[1], b=names[0])
    ahead = tuple(factor.words(level) for level in leading)
    behind = tuple(factor.words(level) for level in levels if level not in leading)
    if verdict.is_alike:
        return say("versus.lead-alike", ahead=ahead, behind=behind) if behind else say("versus.all-alike", levels=names)
    return say("versus.lead-open", ahead=ahead, behind=behind) if behind else say("versus.none-leads", levels=names)


def _turned(one: Contrast) -> Contrast:
    """The same seen from its other level, for words."""
    from dataclasses import replace

    percent = None
    if one.percent is not None:
        value, low, high = (100 * (1 / (1 + p / 100) - 1) for p in one.percent)
        percent = (value, high, low)
    return replace(one, a=one.b, b=one.a, difference=-one.difference, low=-one.high, high=-one.low, percent=percent)
