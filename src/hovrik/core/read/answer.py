"""The answer: one sentence with its evidence, or what is missing for one."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

from .. import words
from ..facts.factor import Factor
from ..facts.knob import CAP, Level, inside
from ..facts.knobs import OF_PICTURE
from ..facts.place import Source
from ..facts.rig import Rig
from ..facts.setup import Setup, describe
from ..facts.terms import Aim, Floor
from ..message import Message, Value, say
from ..model import battery
from ..model.belief import Believed
from ..model.held import more_to_settle
from ..model.worth import JUDGED, USUAL_ROOM_C, worth_of
from ..passes import energy, heat
from ..passes.figure import BY_ID
from ..questions.question import Question
from ..stats.estimate import Estimate, Mean
from . import limits, marks
from .against import against
from .contrast import Contrast
from .generated import why_not
from .group import RATE, Group
from .marks import Mark
from .response import Response

HOTTER_C = 10.0  # of the room that is always asked about
NOT_GIVEN = 0.05  # a probability under this is as good as none


@dataclass(frozen=True)
class Option:
    """The answer or a neighbour of it: a level with its setup, what it gives, and how it differs from the answer."""

    setup: Setup
    level: Level
    holds: float | None
    metrics: dict[str, Estimate]
    differs: Message | None = None

    @property
    def difference(self) -> str:
        """How it differs from the answer, in English."""
        return words.render(self.differs) if self.differs else ""


@dataclass(frozen=True)
class Answer:
    """What the passes say to a question.

    says : always something to read; holds : probability that the stated setup holds the floor (that of the best
    candidate where none is stated); option : the stated setup, None where the answer is withheld; down, up : one
    level below and above it; because, lacks : the evidence, and what is missing; contrasts : of the levels that were
    compared; believed : of every setup of a search; action : id of what one button does about it, "" for none.
    `sentence`, `reasons` and `missing` are the same in English.
    """

    says: Message
    holds: float | None
    option: Option | None
    down: Option | None = None
    up: Option | None = None
    marks: tuple[Mark, ...] = ()
    because: tuple[Message, ...] = ()
    lacks: tuple[Message, ...] = ()
    contrasts: tuple[Contrast, ...] = ()
    believed: Believed | None = None
    action: str = ""

    @property
    def sentence(self) -> str:
        """The answer in English."""
        said = words.render(self.says)
        return f"{said[:1].upper()}{said[1:]}"

    @property
    def reasons(self) -> tuple[str, ...]:
        """The evidence in English."""
        return tuple(words.render(one) for one in self.because)

    @property
    def missing(self) -> tuple[str, ...]:
        """What is missing, in English."""
        return tuple(words.render(one) for one in self.lacks)

    def as_dict(self) -> dict[str, Any]:
        """The JSON document of `hovrik answer`."""
        option = self.option
        return {
            "sentence": self.sentence,
            "holds": self.holds,
            "setup": option.setup.as_dict() if option else None,
            "level": option.level if option else None,
            "metrics": {k: e.as_dict() for k, e in option.metrics.items()} if option else {},
            "marks": {mark.id: mark.as_dict() for mark in self.marks},
            "reasons": list(self.reasons),
            "missing": list(self.missing),
        }


@dataclass(frozen=True)
class Context:
    """Facts beside the passes. room_c : room of the passes, None where unknown; void : passes left out; counted : those
    that count; along : what they are read along, in words; used : what passes drew against the battery's gauge;
    live_opponents : whether others play along, None unknown; rigs : along rigs, key of each to it and what was drawn
    against its gauge; why_void : where none counts, what half of them or more are left out for; remedy : what makes
    the next count, an action."""

    rig: Rig | None = None
    room_c: float | None = None
    void: int = 0
    suspect: int = 0
    overhead: energy.Overhead | None = None
    notes: tuple[Message, ...] = ()
    counted: int = 0
    along: str = ""
    used: battery.Used | None = None
    live_opponents: bool | None = None
    rigs: Mapping[str, tuple[Rig | None, battery.Used | None]] = field(default_factory=dict)
    why_void: Message | None = None
    remedy: str = ""

    def of(self, group: Group) -> Context:
        """The same for the rig that a group was measured on, where groups lie along rigs."""
        own = self.rigs.get(str(group.level))
        return self if own is None else replace(self, rig=own[0], used=own[1])


def build(responses: Sequence[Response], question: Question, context: Context) -> Answer:
    """The answer from every response that belongs to the question."""
    if not question.is_known:
        return Answer(say("unknown-kind", kind=question.kind), None, None)
    if not responses and context.counted:
        says = say("no-level", passes=context.counted, factor=context.along)
        return Answer(says, None, None, lacks=(say("missing.level", factor=context.along),))
    if not responses:
        left_out = say("no-passes-void", passes=context.void) if context.void else say("no-passes")
        left_out = context.why_void if context.why_void is not None else left_out
        lacks = say("missing.passes-counting" if context.void else "missing.passes")
        return Answer(left_out, None, None, lacks=(lacks,), action=context.remedy)
    candidates = [(one, group) for one in responses for group in one.groups if _may_be_stated(group, question, context)]
    if candidates:
        told = tuple(generated_reasons(responses, question, context))
        response, group = min(candidates, key=lambda c: _preference(c[0], c[1], question, context))
        found = stated(response, group, question, context, responses)
        return replace(found, because=(*found.because, *told)) if told else found
    return _withheld(responses, question, context)


def generated_reasons(responses: Sequence[Response], question: Question, context: Context) -> list[Message]:
    """Why levels that show generated frames are not stated, though they would hold."""
    groups = [group for one in responses for group in one.groups if (group.holds or 0.0) >= question.terms.sure]
    return [said for group in groups if (said := why_not(group, question, context.live_opponents)) is not None]


def _may_be_stated(group: Group, question: Question, context: Context) -> bool:
    sure = group.holds is not None and group.holds >= question.terms.sure and not group.incidents
    return sure and why_not(group, question, context.live_opponents) is None


def _preference(response: Response, group: Group, question: Question, context: Context) -> tuple[float, ...]:
    """What holds the floor, best first: by the player's weights where there are any, else the lowest level where rates
    can only rise along the factor, the best picture where that is wanted, else what the aim asks for."""
    if question.terms.weights:
        room = context.room_c if context.room_c is not None else USUAL_ROOM_C
        values = metrics_of(group, question, context)
        values |= {JUDGED: group.judged.estimate()} if group.judged is not None else {}
        worth = worth_of(values, question.terms.weights, room)
        return (math.inf if worth is None else -worth, group.at)
    draw = group.draw.mean if group.draw else math.inf
    place = float(response.groups.index(group))
    if _by_picture(response, question):
        return (-place, draw)
    if RATE in response.factor.rising and response.factor.unit == "W":
        return (group.at, draw)
    if question.terms.aim is Aim.FRAMES:
        return (-group.judged.mean if group.judged else 0.0, draw, place)
    return (draw, place)


def _by_picture(response: Response, question: Question) -> bool:
    """Whether of levels that hold the best picture is wanted: it is aimed at, along what makes it."""
    of_picture = response.factor.id in OF_PICTURE and response.factor.is_ordered
    return of_picture and question.terms.aim is Aim.PICTURE


def metrics_of(group: Group, question: Question, context: Context) -> dict[str, Estimate]:
    """Every figure of a group with unit and interval, beside them hours and energy a frame."""
    found: dict[str, Estimate] = {}
    for key, mean in group.means.items():
        found[key] = mean.estimate(BY_ID[key].unit)
    draw, rate = group.draw, group.rate
    if (time := hours_of(group, question, context)) is not None:
        found["hours"] = time
    if draw and rate:
        joules = math.exp(draw.mean - rate.mean)
        half = 2.0 * math.hypot(draw.se, rate.se)
        found["joules_per_frame"] = Estimate(joules, joules * math.exp(-half), joules * math.exp(half), "J", draw.n)
    return found


def _bounds(group: Group | None, question: Question, context: Context) -> list[Message]:
    """How a group keeps its bounds."""
    return limits.reasons(group, question.terms.limits, partial(hours_of, question=question, context=context))


def hours_of(group: Group, question: Question, context: Context) -> Estimate | None:
    """Hours on the battery, None where they are not asked for or cannot be told."""
    own = context.of(group)
    if group.draw is None or own.rig is None or question.source is not Source.BATTERY:
        return None
    return battery.hours(own.rig, group.draw, own.used)


def option_of(group: Group, question: Question, context: Context) -> Option:
    """A group as something that can be chosen."""
    return Option(group.setup, group.level, group.holds, metrics_of(group, question, context))


def _value(estimate: Estimate, unit: str = "") -> Value:
    return Value(estimate.value, unit, estimate.low, estimate.high)


def _figure_words(response: Response, question: Question, form: str) -> Message:
    """The figure that the floor names. form : of a 1 % low: "of" and "in" with its school, "alone"."""
    floor = question.terms.floor
    if floor is not None and floor.is_slow_share:
        return say("slow-share")
    name = response.figure.floor if response.figure else ""
    return say(f"low-{form}" if name == "low_1pct" else f"figure.{name or 'none'}", school=question.school.words)


def stated(
    response: Response, group: Group, question: Question, context: Context, responses: Sequence[Response],
    *, alone: bool = False,
) -> Answer:  # fmt: skip
    """The answer that states a group of a response, with its neighbours and evidence. alone : the response is no ladder
    that was looked at level by level, so that there is nothing to say of neighbours and marks."""
    context = context.of(group)
    option = option_of(group, question, context)
    metrics = option.metrics
    floor, named = question.terms.floor, _title(response, group)
    if floor is None:
        parts = [say("chosen", setup=named, passes=len(group.passes))]
    elif group.judged is None:
        share = Value(group.missed or 0.0)
        parts = [say("holds-share", setup=named, target=floor.value, share=share, passes=len(group.passes),
                     sure=group.holds or 0.0)]  # fmt: skip
    else:
        parts = [
            say("holds-inside" if group.one_pass else "holds", setup=named, target=floor.value,
                figure=say("low-predicted") if group.from_mean else _figure_words(response, question, "of"),
                low=_value(group.judged.estimate()),
                passes=len(group.passes), sure=group.holds or 0.0)
        ]  # fmt: skip
    missing: list[Message] = []
    if group.from_mean:
        missing.append(say("missing.frames", figure=_figure_words(response, question, "alone")))
    if "hours" in metrics:
        limit = context.rig.charge_limit if context.rig is not None else 1.0
        hours = _value(metrics["hours"])
        parts.append(say("from-full", hours=hours) if limit >= 1 else say("from-charge", hours=hours, charge=limit))
    elif question.source is Source.BATTERY:
        missing.append(say("missing.hours-battery" if group.draw else "missing.hours-draw"))
    if "die_c" in metrics:
        parts.append(say("settled", die=_value(metrics["die_c"], "C")))
    elif least := group.mean("die_least_c"):
        missing.append(say("missing.settled-least", die=Value(least.value, "C", digits=0)))
    else:
        missing.append(say("missing.settled", why=group.why.get("die_c", "no die temperature was recorded")))
    if alone:
        because = (
            *_bounds(group, question, context),
            *_of_option(group, context, metrics),
        )
        because = (*because, *_against(group, responses, question, context))
        return Answer(say("stated-alone", parts=tuple(parts)), group.holds, option, because=because,
                      lacks=tuple(missing))  # fmt: skip
    steps: list[Message] = []
    beside: list[Option | None] = []
    for step, tell in ((-1, _down_words), (1, _up_words)):
        other = _neighbour(response, group, step)
        if other is None:
            beside.append(None)
            continue
        text = tell(response, other, group, question, context)
        beside.append(replace(option_of(other, question, context), differs=text))
        steps.append(text)
    if beside[0] is None and response.factor.is_number:
        steps.insert(0, say(f"less-untried.{_kind(response.factor)}"))
    says = say("stated", parts=tuple(parts), steps=tuple(steps)) if steps else say("stated-alone", parts=tuple(parts))
    missing += _settle_it(response, question, context, before=group)
    found = marks.find(response, question)
    reasons = _reasons(response, group, question, context, metrics, found)
    reasons = (*reasons, *_against(group, responses, question, context))
    return Answer(says, group.holds, option, beside[0], beside[1], found, reasons, tuple(missing))


def _against(group: Group, responses: Sequence[Response], question: Question, context: Context) -> list[Message]:
    """What a group gives against today's setup and the maker's presets."""
    hours = partial(hours_of, question=question, context=context)
    return against(group, responses, context.rig, question.source, hours)


def _title(response: Response, group: Group) -> str:
    """What a group is called: its setup, before it the level where that is no part of a setup."""
    setup = describe(group.setup)
    return setup if response.factor.knobs else f"{response.factor.words(group.level)}: {setup}"


def _kind(factor: Factor) -> str:
    """What levels are called in a sentence."""
    return "limit" if factor.unit == "W" else "level"


def _neighbour(response: Response, group: Group, step: int) -> Group | None:
    index = response.groups.index(group) + step
    return response.groups[index] if 0 <= index < len(response.groups) else None


def _step_words(response: Response, other: Group, group: Group) -> Message:
    """'1 W less (11 W)', or the level alone where levels are words."""
    level = response.factor.words(other.level)
    step = other.at - group.at
    if not math.isfinite(step):
        return say("said", text=level)
    size = Value(abs(step), response.factor.unit)
    return say("step-less" if step < 0 else "step-more", step=size, level=level)


def _down_words(response: Response, down: Group, group: Group, question: Question, context: Context) -> Message:
    if not response.factor.is_ordered:
        return _up_words(response, down, group, question, context)
    name = _step_words(response, down, group)
    floor = question.terms.floor
    if floor is None:
        return _up_words(response, down, group, question, context)
    if down.holds is None:
        return say("less-unjudged", step=name)
    if down.holds >= question.terms.sure:  # it holds as well, and something else was wanted more
        return _up_words(response, down, group, question, context)
    short = _short_words(down, name, floor) if down.holds < 1 - question.terms.sure else None
    return short or say("less-open", step=name, sure=down.holds)


def _up_words(response: Response, up: Group, group: Group, question: Question, context: Context) -> Message:
    name = _step_words(response, up, group)
    floor = question.terms.floor
    if floor is not None and up.holds is not None and up.holds < NOT_GIVEN:
        return _short_words(up, name, floor) or say("less-unjudged", step=name)
    costs = say("costs-unknown")
    if group.draw and up.draw:
        other, mine = (hours_of(one, question, context) for one in (up, group))
        more = up.draw.value - group.draw.value
        noise = 2 * math.hypot(up.draw.value_se, group.draw.value_se)
        if other and mine and energy.is_practical(mine.value, other.value):
            lost = mine.value - other.value
            costs = say("costs-hours", hours=lost) if lost > 0 else say("gives-hours", hours=-lost)
        elif more > noise:
            costs = say("costs-watts", watts=Value(more, "W", digits=1))
        else:
            costs = say("costs-none")
    if group.rate and up.rate:
        gain = up.rate.value - group.rate.value
        noise = 2 * math.hypot(up.rate.se, group.rate.se) * group.rate.value
        if gain > max(noise, 0.5):
            return say("more-brings", step=name, frames=Value(gain, digits=1), costs=costs)
    return say("more-nothing", step=name, costs=costs)


def _short_words(other: Group, name: Message, floor: Floor) -> Message | None:
    """By what a group falls short of the floor; None where its figure is not known."""
    if other.missed is not None and other.missed > floor.missed_share:
        return say("less-misses", step=name, missed=other.missed)
    if other.judged is not None:
        return say("less-drops", step=name, low=_value(other.judged.estimate()))
    return None


def more_passes(group: Group, question: Question) -> int | None:
    """Further passes at a level that would settle whether it holds in four of five futures; None: over 20."""
    return more_to_settle(group.margin, question.terms.sure) if group.margin is not None else 2


def _settle_it(
    response: Response, question: Question, context: Context, before: Group | None = None
) -> list[Message]:  # fmt: skip
    """What would settle the levels under the answer that may hold as well; none settles what is kept back."""
    groups = response.groups if before is None else response.groups[: response.groups.index(before)]
    undecided = [
        one for one in groups if one.holds is not None and NOT_GIVEN < one.holds < question.terms.sure
        and _kept_back(one, response, question, context) is None
    ]  # fmt: skip
    bare = [group.level for group in undecided if group.from_mean][-3:]
    undecided = [group for group in undecided if not group.from_mean]
    frames = [say("missing.frames-settle", levels=_levels_words(response.factor, bare))] if bare else []
    if not undecided:
        return frames
    counts = [more_passes(group, question) for group in undecided]
    levels = _levels_words(response.factor, [group.level for group in undecided[-3:]])
    if any(count is None for count in counts):
        return [say("missing.close-several" if len(undecided) > 1 else "missing.close", levels=levels), *frames]
    most = max(count or 1 for count in counts)
    each = "missing.settle-each" if len(undecided) > 1 else "missing.settle"
    return [say(each, passes=most, levels=levels), *frames]


def _levels_words(factor: Factor, levels: Sequence[Level]) -> str:
    """'10 and 11 W'."""
    if factor.is_number and factor.unit:
        return f"{words.joined([factor.short(level) for level in levels])} {factor.unit}"
    return words.joined([factor.words(level) for level in levels])


def _withheld(responses: Sequence[Response], question: Question, context: Context) -> Answer:
    response = max(responses, key=lambda one: max((g.holds or 0.0 for g in one.groups), default=0.0))
    judged = [group for group in response.groups if group.holds is not None]
    found = marks.find(response, question)
    reasons = (
        *_reasons(response, None, question, context, {}, found),
        *generated_reasons(responses, question, context),
    )
    figure, target = _figure_words(response, question, "alone"), question.target_fps
    if not judged:
        told = response.figure is not None and response.figure.floor in ("score", "time")
        lacks = say("missing.figure" if told else "missing.frames", figure=figure)
        says = say("no-figure" if told else "no-low", target=target, figure=figure)
        return Answer(says, None, None, marks=found, because=reasons, lacks=(lacks,))
    broken = next((g for g in judged if (g.floor_holds or 0.0) >= question.terms.sure), None)
    if broken is not None:
        bounds = tuple(_bounds(broken, question, context))
        says = say("bound.broken", level=response.factor.words(broken.level), target=target, bounds=bounds)
        return Answer(says, broken.holds, None, marks=found, because=reasons, lacks=(say("missing.bound"),))
    free = [group for group in judged if _kept_back(group, response, question, context) is None]
    best = max(free, key=lambda group: group.holds or 0.0, default=judged[0])
    if (best.holds or 0.0) <= NOT_GIVEN:
        best = max(judged, key=lambda group: group.holds or 0.0)
    holds = best.holds or 0.0
    missing = _settle_it(response, question, context)
    name = response.factor.words
    if holds <= NOT_GIVEN:
        top = max(judged, key=lambda group: _goodness(group.judged, question))
        low = _value(top.judged.estimate()) if top.judged else Value(math.nan)
        says = say(
            "none-holds",
            target=target,
            level=name(top.level),
            low=low,
            figure=say("low-predicted") if top.from_mean else _figure_words(response, question, "in"),
        )
        if response.factor.is_number:
            further = _further(response, judged[-1], question, context)
            missing = [*missing, further]
            says = say("two-sentences", one=says, other=say("try", what=further))
    else:
        says = _open(best, response, question, context)
        if missing:
            says = say("two-sentences", one=says, other=missing[0])
    return Answer(says, holds, None, marks=found, because=reasons, lacks=tuple(missing))


def _open(best: Group, response: Response, question: Question, context: Context) -> Message:
    """That the likeliest level is not stated: for what keeps it back, else for want of sureness."""
    level, target, holds = response.factor.words(best.level), question.target_fps, best.holds or 0.0
    why = _kept_back(best, response, question, context)
    if why is not None:
        return say("kept-back", level=level, target=target, sure=holds, why=why)
    return say("not-settled", level=level, target=target, sure=holds, asked=question.terms.sure)


def _kept_back(group: Group, response: Response, question: Question, context: Context) -> Message | None:
    """Why a level is not stated however surely it holds, None for nothing: no pass changes that."""
    if group.incidents:
        return say("incidents", level=response.factor.words(group.level), incidents=group.incidents)
    return why_not(group, question, context.live_opponents)


def _further(response: Response, top: Group, question: Question, context: Context) -> Message:
    """What there is still to try where nothing holds: no limit helps under a cap below the floor, and none above the
    rig's range is proposed."""
    factor, floor, rig = response.factor, question.floor, context.rig
    name, cap = factor.words(top.level), response.family.get(CAP)
    if factor.unit == "W" and floor.is_of_frames and isinstance(cap, int | float) and cap < floor.edge:
        return say("missing.cap", cap=float(cap), target=floor.value)
    if factor.unit != "W" or not isinstance(top.level, int | float) or rig is None or rig.limit_high_w is None:
        return say(f"missing.{_kind(factor)}s", level=name)
    if top.level >= rig.limit_high_w - 1e-9:
        return say("missing.top", level=name)
    return say("missing.limits-to", level=name, top=Value(rig.limit_high_w, "W", digits=0))


def reasons_of(response: Response, question: Question, context: Context, found: Sequence[Mark]) -> tuple[Message, ...]:
    """The evidence of a response that states no setup. found : its marks."""
    return _reasons(response, None, question, context, {}, found)


def _goodness(mean: Mean | None, question: Question) -> float:
    if mean is None:
        return -math.inf
    return -mean.mean if question.floor.less_is_better else mean.mean


def _reasons(
    response: Response, group: Group | None, question: Question, context: Context, metrics: dict[str, Estimate],
    found: Sequence[Mark],
) -> tuple[Message, ...]:  # fmt: skip
    factor = response.factor
    said = [*context.notes, *(finding.message for finding in response.findings)]
    total = sum(len(one.passes) for one in response.groups)
    if factor.unit == "W":
        said.append(say("passes-count", passes=total, levels=len(response.groups)))
    else:
        said.append(say("passes-count-over", passes=total, levels=len(response.groups), factor=inside(factor.label)))
    if context.void:
        said.append(say("void-left-out", passes=context.void))
    if context.suspect:
        said.append(say("suspect-count", passes=context.suspect))
    said += [say("lies", level=factor.words(level), what=text) for level, text in response.dents]
    said += [say("a-pass", what=text) for _, text in response.surprises]
    for one in response.groups:
        if one.incidents:
            said.append(say("incidents", level=factor.words(one.level), incidents=one.incidents))
    said += [say("mark.says", mark=mark.name, note=mark.note) for mark in found if mark.note]
    floor = question.terms.floor
    if group is not None and group.judged and floor is not None and floor.is_of_frames and floor.edge < floor.value:
        edge = Value(floor.edge, digits=1)
        said.append(say("tolerance", share=1 - floor.edge / floor.value, edge=edge, target=floor.value))
    if group is not None:
        said += _bounds(group, question, context)
    said += _of_option(group, context, metrics)
    return tuple(said)


def _of_option(group: Group | None, context: Context, metrics: dict[str, Estimate]) -> list[Message]:
    said: list[Message] = []
    if group is not None and group.of_100 is not None and math.isfinite(group.of_100) and group.judged:
        said.append(say("of-100", passes=Value(min(max(group.of_100, 1.0), 99.0), digits=0)))
    if "hours" in metrics and group and group.draw and context.rig and (full := context.rig.full_charge_wh):
        draw = group.draw.value
        plain = energy.plain_hours(full, draw)
        reserve, watts = context.rig.reserve, Value(draw, "W", digits=0)
        if reserve > 0:
            said.append(say("plain-division", hours=plain, draw=watts, reserve=reserve))
        else:
            said.append(say("plain-division-all", hours=plain, draw=watts))
    if "die_c" in metrics and context.room_c is not None:
        package = group.package.value if group is not None and group.package else None
        limit = context.rig.die_limit_c if context.rig is not None else None
        hot = context.room_c + HOTTER_C
        said.append(heat.in_hot_room(metrics["die_c"], context.room_c, hot, package, limit))
    if "shell_c" in metrics:
        said += _of_shell(metrics["shell_c"].value, metrics["hours"].value if "hours" in metrics else None, context)
    return said


def _of_shell(shell_c: float, hours: float | None, context: Context) -> list[Message]:
    """Cautions for a shell held as long as a charge lasts, here and in a hotter room."""
    here = heat.touch_warning(shell_c, hours)
    if here is not None or context.room_c is None:
        return [here] if here is not None else []
    hot = heat.touch_warning(shell_c + HOTTER_C, hours)
    if hot is None:
        return []
    room = Value(context.room_c + HOTTER_C, "C", digits=0)
    return [Message("hot-room-shell", {**hot.values, "room": room})]
