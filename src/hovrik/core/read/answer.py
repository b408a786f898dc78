"""The answer: one sentence with its evidence, or what is missing for one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from .. import words
from ..facts.knob import LIMITS
from ..facts.rig import Rig
from ..facts.setup import Setup, describe
from ..passes import energy, heat
from ..questions.question import Question
from ..stats.spread import Estimate
from . import marks
from .ladder import Ladder, Level
from .marks import Mark

FEWEST_EFFECTIVE = 400.0  # independent frames a 1 % low needs


@dataclass(frozen=True)
class Option:
    """The answer or a neighbour of it: a setup, what it gives, and how it differs from the answer."""

    setup: Setup
    limit_w: float
    holds: float | None
    metrics: dict[str, Estimate]
    difference: str = ""


@dataclass(frozen=True)
class Answer:
    """What the passes say to a question.

    sentence : always something to read; holds : probability that the stated setup holds the floor (that of the
    best candidate where none is stated); option : the stated setup, None where the answer is withheld;
    down, up : one step of limit below and above it; reasons, missing : in plain words.
    """

    sentence: str
    holds: float | None
    option: Option | None
    down: Option | None = None
    up: Option | None = None
    marks: tuple[Mark, ...] = ()
    reasons: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """The JSON document of `hovrik answer`."""
        option = self.option
        return {
            "sentence": self.sentence,
            "holds": self.holds,
            "setup": option.setup.as_dict() if option else None,
            "metrics": {k: e.as_dict() for k, e in option.metrics.items()} if option else {},
            "marks": {mark.id: mark.as_dict() for mark in self.marks},
            "reasons": list(self.reasons),
            "missing": list(self.missing),
        }


@dataclass(frozen=True)
class Context:
    """Facts beside the passes. room_c : room of the passes, None where unknown; void : passes left out."""

    rig: Rig | None = None
    room_c: float | None = None
    void: int = 0
    suspect: int = 0
    overhead: energy.Overhead | None = None
    notes: tuple[str, ...] = field(default=())


def build(ladders: Sequence[Ladder], question: Question, context: Context) -> Answer:
    """The answer from every ladder that belongs to the question."""
    if not ladders:
        left_out = f" {words.plural(context.void, 'pass is', 'passes are')} void." if context.void else ""
        return Answer(
            f"No passes answer this yet.{left_out} Plan a sweep and start it in Bench, or import passes.",
            None, None, missing=("passes of this title, scene, OS slot and source",),
        )  # fmt: skip
    candidates = [(ladder, level) for ladder in ladders if (level := _lowest_held(ladder, question))]
    if candidates:
        ladder, level = min(candidates, key=lambda c: (c[1].limit_w, _draw_w(c[1])))
        return _stated(ladder, level, question, context)
    return _withheld(ladders, question, context)


def _draw_w(level: Level) -> float:
    return math.exp(level.draw.mean) if level.draw else math.inf


def _lowest_held(ladder: Ladder, question: Question) -> Level | None:
    return next(
        (v for v in ladder.levels if v.holds is not None and v.holds >= question.sure and not v.incidents), None
    )


def metrics_of(level: Level, question: Question, context: Context) -> dict[str, Estimate]:
    """Figures of a level with unit and interval: mean and low rate, package, draw, hours, energy, temperatures."""
    found: dict[str, Estimate] = {}
    if level.rate:
        found["mean_fps"] = level.rate.estimate("fps")
    if level.low:
        found[f"low_1pct_fps_{question.school.value}"] = level.low.estimate("fps")
    if level.package:
        found["package_w"] = level.package.estimate("W")
    draw = level.draw
    if draw:
        found["draw_w"] = draw.estimate("W")
        if context.rig and question.source.value == "battery" and (time := energy.hours(context.rig, draw)):
            found["hours"] = time
    if draw and level.rate:
        joules = math.exp(draw.mean - level.rate.mean)
        half = 2.0 * math.hypot(draw.se, level.rate.se)
        found["joules_per_frame"] = Estimate(joules, joules * math.exp(-half), joules * math.exp(half), "J", draw.n)
    if level.die_c:
        found["die_c"] = level.die_c
    if level.shell_c:
        found["shell_c"] = level.shell_c
    return found


def option_of(ladder: Ladder, level: Level, question: Question, context: Context) -> Option:
    """A level as something that can be chosen."""
    setup = ladder.family.with_(**dict.fromkeys(LIMITS, level.limit_w))
    return Option(setup, level.limit_w, level.holds, metrics_of(level, question, context))


def _stated(ladder: Ladder, level: Level, question: Question, context: Context) -> Answer:
    option = option_of(ladder, level, question, context)
    metrics = option.metrics
    holds = level.holds or 0.0
    low = metrics[f"low_1pct_fps_{question.school.value}"]
    count = words.plural(len(level.passes), "pass", "passes")
    inside = " (interval from inside one pass)" if level.one_pass else ""
    parts = [
        f"{_title(option.setup)}: holds {question.target_fps:g} (1 % low, {question.school.words}, "
        f"{words.span(low)}, {count}{inside}, {words.percent(holds)} sure)"
    ]
    missing: list[str] = []
    if "hours" in metrics:
        parts.append(f"{words.hours_span(metrics['hours'])} from full")
    elif question.source.value == "battery":
        missing.append(
            "hours: no battery draw was recorded" if not level.draw else "hours: the rig's battery energy is unknown"
        )
    if "die_c" in metrics:
        parts.append(f"{words.span(metrics['die_c'])} C settled")
    else:
        missing.append(f"settled temperature: {level.why_no_heat}")
    down, up = _neighbour(ladder, level, -1), _neighbour(ladder, level, 1)
    steps = []
    down_option = up_option = None
    if down is not None:
        text = _down_words(down, level, question)
        down_option = _with(option_of(ladder, down, question, context), text)
        steps.append(text)
    else:
        steps.append("it is the lowest limit tried, so less may hold as well")
    if up is not None:
        text = _up_words(up, level, metrics, question, context)
        up_option = _with(option_of(ladder, up, question, context), text)
        steps.append(text)
    sentence = ", ".join(parts) + ". " + _sentence("; ".join(steps))
    missing += _settle_it(ladder, question, below=level.limit_w)
    found = marks.find(ladder, question)
    return Answer(
        sentence, holds, option, down_option, up_option, found, _reasons(ladder, level, context, metrics, found),
        tuple(missing),
    )  # fmt: skip


def _with(option: Option, difference: str) -> Option:
    return Option(option.setup, option.limit_w, option.holds, option.metrics, difference)


def _title(setup: Setup) -> str:
    return describe(setup)


def _sentence(text: str) -> str:
    return text[0].upper() + text[1:] + "."


def _neighbour(ladder: Ladder, level: Level, step: int) -> Level | None:
    index = ladder.levels.index(level) + step
    return ladder.levels[index] if 0 <= index < len(ladder.levels) else None


def _down_words(down: Level, level: Level, question: Question) -> str:
    name = f"{level.limit_w - down.limit_w:g} W less ({down.limit_w:g} W)"
    if down.holds is None or down.low is None:
        return f"{name} has no low to judge"
    if down.holds < 1 - question.sure:
        if down.missed and down.missed[0] ** 2 > question.missed_share:
            return f"{name} misses {words.share(down.missed[0] ** 2)} of frames"
        return f"{name} drops to {words.span(down.low.estimate())}"
    return f"{name} is not settled ({words.percent(down.holds)} that it holds)"


def _up_words(up: Level, level: Level, metrics: dict[str, Estimate], question: Question, context: Context) -> str:
    name = f"{up.limit_w - level.limit_w:g} W more ({up.limit_w:g} W)"
    costs = ""
    if level.draw and up.draw:
        other = metrics_of(up, question, context).get("hours")
        mine = metrics.get("hours")
        more = math.exp(up.draw.mean) - math.exp(level.draw.mean)
        noise = 2 * math.hypot(up.draw.se * math.exp(up.draw.mean), level.draw.se * math.exp(level.draw.mean))
        if other and mine and energy.is_practical(mine.value, other.value):
            costs = f" and costs {words.hours_minutes(mine.value - other.value)}"
        elif more > noise:
            costs = f" and draws {more:.1f} W more"
        else:
            costs = " and draws no more that can be told"
    if level.rate and up.rate:
        gain = math.exp(up.rate.mean) - math.exp(level.rate.mean)
        noise = 2 * math.hypot(up.rate.se, level.rate.se) * math.exp(level.rate.mean)
        if gain > max(noise, 0.5):
            return f"{name} brings {gain:.1f} frames{costs}"
    return f"{name} buys nothing you asked for{costs}"


def more_passes(level: Level, question: Question) -> int | None:
    """Further passes at a level that would settle whether it holds, by its present spread; None: over 12."""
    if level.low is None:
        return 2
    margin = abs(level.low.mean - math.log(question.floor_fps))
    single = level.low.se * math.sqrt(level.low.n)
    if margin < 1e-9:
        return None
    needed = math.ceil((1.75 * single / margin) ** 2)
    more = max(needed - level.low.n, 1)
    return more if more <= 12 else None


def _settle_it(ladder: Ladder, question: Question, below: float = math.inf) -> list[str]:
    """What would settle the levels under the answer that may hold as well."""
    open_levels = [
        level
        for level in ladder.levels
        if level.limit_w < below and level.holds is not None and 0.05 < level.holds < question.sure
    ]
    if not open_levels:
        return []
    counts = [more_passes(level, question) for level in open_levels]
    limits = " and ".join(f"{level.limit_w:g}" for level in open_levels[-3:])
    if any(count is None for count in counts):
        return [f"{limits} W lies too close to the floor to be settled by a dozen more passes"]
    most = max(count or 1 for count in counts)
    each = " each" if len(open_levels) > 1 else ""
    return [f"about {words.plural(most, 'more pass', 'more passes')}{each} at {limits} W would settle it"]


def _withheld(ladders: Sequence[Ladder], question: Question, context: Context) -> Answer:
    ladder = max(ladders, key=lambda one: max((v.holds or 0.0 for v in one.levels), default=0.0))
    judged = [level for level in ladder.levels if level.holds is not None]
    found = marks.find(ladder, question)
    if not judged:
        return Answer(
            f"Cannot say what holds {question.target_fps:g}: these passes carry no 1 % low "
            "(summary figures, or fewer than 100 frames). Frame times of each pass are needed.",
            None, None, marks=found, reasons=_reasons(ladder, None, context, {}, found),
            missing=("frame times for the 1 % low",),
        )  # fmt: skip
    best = max(judged, key=lambda level: level.holds or 0.0)
    holds = best.holds or 0.0
    missing = _settle_it(ladder, question)
    if holds <= 0.05:
        top = max(judged, key=lambda level: level.low.mean if level.low else -math.inf)
        low = words.span(top.low.estimate()) if top.low else "unknown"
        sentence = (
            f"Nothing tried holds {question.target_fps:g}: the best, {top.limit_w:g} W, has a 1 % low "
            f"({question.school.words}) of {low}. Try more watts, another cap, or a lower floor."
        )
        missing = [*missing, f"limits above {judged[-1].limit_w:g} W, or a lower floor"]
    else:
        need = f" {_sentence(missing[0])}" if missing else ""
        sentence = (
            f"Not settled yet: {best.limit_w:g} W holds {question.target_fps:g} with {words.percent(holds)}, "
            f"and {words.percent(question.sure)} is asked for.{need}"
        )
    reasons = _reasons(ladder, None, context, {}, found)
    return Answer(sentence, holds, None, marks=found, reasons=reasons, missing=tuple(missing))


def _reasons(
    ladder: Ladder, level: Level | None, context: Context, metrics: dict[str, Estimate], found: Sequence[Mark]
) -> tuple[str, ...]:
    said = list(context.notes)
    total = sum(len(one.passes) for one in ladder.levels)
    said.append(f"{words.plural(total, 'pass counts', 'passes count')} at {words.plural(len(ladder.levels), 'limit')}")
    if context.void:
        said.append(f"{words.plural(context.void, 'void pass', 'void passes')} left out")
    if context.suspect:
        said.append(f"{words.plural(context.suspect, 'suspect pass counts', 'suspect passes count')}")
    said += [f"{limit:g} W lies {text}" for limit, text in ladder.dents]
    said += [f"a pass {text}" for _, text in ladder.surprises]
    for level_ in ladder.levels:
        if level_.incidents:
            count = words.plural(level_.incidents, "incident")
            said.append(f"{level_.limit_w:g} W is not recommended: {count} at this setup")
    said += [f"{mark.label}: {mark.note}" for mark in found if mark.note]
    if "hours" in metrics and level is not None and level.draw and context.rig and (full := context.rig.full_charge_wh):
        plain = energy.plain_hours(full, math.exp(level.draw.mean))
        said.append(
            f"plain division gives {words.hours_minutes(plain)}; less is delivered at "
            f"{math.exp(level.draw.mean):.0f} W, and {100 * context.rig.reserve:.0f} % stays in reserve"
        )
    if "die_c" in metrics and context.room_c is not None:
        hot = heat.in_other_room(metrics["die_c"].value, context.room_c, context.room_c + 10)
        said.append(f"in a room of {context.room_c + 10:.0f} C the die would settle near {hot:.0f} C")
    if "shell_c" in metrics and (warning := heat.touch_warning(metrics["shell_c"].value)):
        said.append(warning)
    return tuple(said)
