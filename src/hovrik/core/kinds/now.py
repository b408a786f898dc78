"""How it stands: one pass as the machine is."""

from __future__ import annotations

from dataclasses import replace

from ..facts.factor import LIMIT
from ..facts.place import Source
from ..message import Message, Value, say
from ..model import battery
from ..passes.figure import low_id
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, build, option_of
from ..read.group import Group
from ..read.rules.one_pass import rules_of
from ..stats.estimate import Estimate
from .kind import LENGTHS, Ask, Kind, Limits, Seen


def design(ask: Ask) -> Design:
    """One pass; nothing is set but what is asked for."""
    return RoundsDesign((Cell(ask.base),), ask.lengths(repeats=1, heat_s=0.0))


def answer(seen: Seen) -> Answer:
    """Rate, low, watts and hours from the present charge of the newest pass, and what it shows of what limits it."""
    if not seen.counted:
        return build(seen.responses, seen.question, seen.context)
    newest = seen.counted[-1]
    group = next((g for one in seen.responses for g in one.groups if newest.id in g.passes), None)
    if group is None:
        group = Group("", newest.point.setup, (newest.id,), {})
    option = replace(option_of(group, seen.question, seen.context), setup=newest.point.setup)
    parts: list[Message] = []
    low = low_id(seen.question.school)
    for key, template in (("mean_fps", "now.rate"), (low, "now.low"), ("draw_w", "now.draw")):
        estimate, value = option.metrics.get(key), newest.figures.value(key)
        if estimate is not None:
            parts.append(say(template, value=Value(estimate.value, "", estimate.low, estimate.high)))
        elif value is not None:
            parts.append(say(template, value=Value(value)))
    hours = _hours_left(seen, group)
    if hours is not None:
        charge, time = hours
        parts.append(say("from-charge", hours=Value(time.value, "h", time.low, time.high), charge=charge))
    if not parts:
        parts = [say("now.nothing")]
    because = rules_of(newest, seen.context.rig)
    return Answer(say("now", parts=tuple(parts)), group.holds, option, because=tuple(because))


def _hours_left(seen: Seen, group: Group) -> tuple[float, Estimate] | None:
    """(present charge, hours from it), None where they are not known or nothing is drawn from the battery."""
    rig, figures = seen.context.rig, seen.counted[-1].figures
    start, used = figures.value("charge_start_share"), figures.value("charge_used_share")
    if rig is None or group.draw is None or start is None or seen.question.source is not Source.BATTERY:
        return None
    charge = min(max(start - (used or 0.0), 0.0), 1.0)
    if charge <= rig.reserve:
        return None
    found = battery.hours(replace(rig, charge_limit=charge), group.draw, seen.context.used)
    return (charge, found) if found is not None else None


KIND = Kind("now", "look", "see how it stands", LIMIT, design, answer, asks_floor=False, limits=Limits.NONE,
            fields=LENGTHS | {"recipe"}, sets_nothing=True, takes=(0.8, 1.0))  # fmt: skip
