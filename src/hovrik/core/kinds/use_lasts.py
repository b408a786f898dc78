"""How long a use lasts, or what a job costs: idle, a film, writing, an export, over a few limits.

A scene that ends by itself tells seconds, watt-hours and degrees a job; one that goes on tells draw and hours.
"""

from __future__ import annotations

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..message import Message, Value, say
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, Option, build, option_of
from ..read.group import Group
from .kind import Ask, Kind, Limits, Seen

PLACES, REPEATS = (0.2, 0.5, 0.9), 2
MARGIN = 1.02  # of energy: a level that takes less than that more is worth its shorter time


def design(ask: Ask) -> Design:
    """Three limits, or the setup that is asked for, twice. Raises PlanError where no limit is left."""
    cells = [Cell(ask.base)]
    try:
        keys, levels = ask.bundle(LIMIT), ask.possible(LIMIT, 40)
    except PlanError:
        keys, levels = (), []
    if keys and levels and not set(keys) & set(ask.base):
        chosen = sorted({levels[round(place * (len(levels) - 1))] for place in PLACES})
        cells = [Cell(ask.base.with_(**dict.fromkeys(keys, level))) for level in chosen]
    kept, left_out = ask.feasible(cells)
    if not kept:
        raise PlanError(f"Nothing is left to measure. {' '.join(left_out)}")
    like = ask.lengths(repeats=max(ask.like.repeats, REPEATS), heat_s=0.0)
    return RoundsDesign(tuple(kept), like, most=ask.most, left_out=left_out)


def answer(seen: Seen) -> Answer:
    """The level that takes least energy a job, or that lasts longest."""
    groups = [group for one in seen.responses for group in one.groups if group.draw is not None]
    if not groups:
        return build(seen.responses, seen.question, seen.context)
    options = [(group, option_of(group, seen.question, seen.context)) for group in groups]
    jobs = [(group, option) for group, option in options if "time_s" in option.metrics]
    if jobs:
        return _job(seen, jobs)
    because = tuple(_lasts(seen, group, option) for group, option in options)
    group, option = min(options, key=lambda one: one[0].draw.value if one[0].draw is not None else 0.0)
    if "hours" not in option.metrics:
        return Answer(say("use.draw", setup=_words(seen, group), watts=_of(option, "draw_w")), None, option,
                      because=because, lacks=(say("missing.hours-battery"),))  # fmt: skip
    says = say("use.lasts", setup=_words(seen, group), hours=_of(option, "hours"), watts=_of(option, "draw_w"))
    return Answer(says, None, option, because=because)


def _job(seen: Seen, jobs: list[tuple[Group, Option]]) -> Answer:
    """Energy a job decides; of what takes as little, the one that is done first."""
    energies = {id(group): _energy(option) for group, option in jobs}
    least = min(energies.values())
    group, option = min(
        (one for one in jobs if energies[id(one[0])] <= MARGIN * least), key=lambda one: one[1].metrics["time_s"].value
    )
    because = tuple(
        say("use.job-at", setup=_words(seen, one), seconds=_of(other, "time_s"), wh=_wh(other)) for one, other in jobs
    )
    says = say("use.job", setup=_words(seen, group), wh=_wh(option), seconds=_of(option, "time_s"))
    return Answer(says, None, option, because=because)


def _energy(option: Option) -> float:
    known = option.metrics.get("energy_wh")
    return known.value if known is not None else option.metrics["draw_w"].value * option.metrics["time_s"].value / 3600


def _wh(option: Option) -> Value:
    known = option.metrics.get("energy_wh")
    if known is not None:
        return Value(known.value, "Wh", known.low, known.high)
    draw, time = option.metrics["draw_w"], option.metrics["time_s"]
    ends = [draw.low, draw.high, time.low, time.high]
    if any(end is None for end in ends):
        return Value(_energy(option), "Wh")
    low, high = ((draw.low or 0) * (time.low or 0) / 3600, (draw.high or 0) * (time.high or 0) / 3600)
    return Value(_energy(option), "Wh", low, high)


def _lasts(seen: Seen, group: Group, option: Option) -> Message:
    hours = {"hours": _of(option, "hours")} if "hours" in option.metrics else {}
    return say("use.at" if hours else "use.draw-at", setup=_words(seen, group), watts=_of(option, "draw_w"), **hours)


def _words(seen: Seen, group: Group) -> str:
    return seen.factor.words(group.level)


def _of(option: Option, key: str) -> Value:
    return option.metrics[key].as_value()


KIND = Kind("use-lasts", "how long", "see how long this use lasts", LIMIT, design, answer, asks_floor=False,
            limits=Limits.RANGE)  # fmt: skip
