"""What an answer gives against today's setup and the maker's presets: time on a charge and frames, as far as they can
be told apart."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..facts.place import Source
from ..facts.rig import Rig
from ..facts.setup import describe
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from ..stats.estimate import Estimate, Mean, t_quantile
from .contrast import margin_of
from .group import RATE, Group
from .limits import HoursOf
from .response import Response

NEAR_W = 0.26  # a preset is read off a level that is no further away
Z = 1.96


def against(
    group: Group, responses: Sequence[Response], rig: Rig | None, source: Source, hours_of: HoursOf
) -> list[Message]:
    """A sentence for each reference that was measured, and for each preset whose limit was: what `group` gives more or
    less than it."""
    said: list[Message] = []
    told: set[float | None] = {group.setup.static_limit_w}
    for other in (one for response in responses for one in response.groups if one.reference and one is not group):
        told.add(other.setup.static_limit_w)
        if parts := _parts(group, other, hours_of):
            said.append(say("gained", setup=describe(other.setup), parts=parts))
    own = next((one for one in responses if any(group is other for other in one.groups)), None)
    if own is None or own.factor.unit != "W" or rig is None:
        return said
    for mode in rig.modes:
        watts = mode.sustained_w
        if watts is None or (mode.for_battery is False and source is Source.BATTERY):
            continue
        level = next((one for one in own.groups if abs(one.at - watts) < NEAR_W), None)
        if level is None or level.setup.static_limit_w in told:
            continue
        if parts := _parts(group, level, hours_of):
            limit = own.factor.words(level.level)
            said.append(say("gained.preset", level=limit, preset=mode.name, parts=parts))
    return said


def _parts(group: Group, other: Group, hours_of: HoursOf) -> tuple[Message, ...]:
    """Hours where they are known, else watts; frames."""
    parts: list[Message] = []
    mine, its = hours_of(group), hours_of(other)
    if mine is not None and its is not None and group.draw and other.draw:
        parts.append(_hours(mine, its, group.draw, other.draw))
    elif group.draw and other.draw:
        size, low, high = _difference(group.draw, other.draw)
        if low <= 0.0 <= high:
            parts.append(say("gained.same-watts"))
        else:
            side = say("gained.less" if size < 0 else "gained.more")
            parts.append(say("gained.watts", watts=_size(size, low, high, "W"), side=side))
    if group.rate and other.rate:
        parts.append(_frames(group.rate, other.rate))
    return tuple(parts)


def _hours(mine: Estimate, its: Estimate, draw: Mean, other: Mean) -> Message:
    """The battery's own error is common to both sides; what the two draws err is not."""
    more = mine.value - its.value
    whole = math.log(mine.high / mine.low) / (2 * Z) if mine.high and mine.low else draw.se
    common = math.sqrt(max(whole**2 - draw.se**2, 0.0))
    half = Z * math.hypot(more * common, mine.value * draw.se, its.value * other.se)
    if abs(more) <= half:
        return say("gained.same-time")
    kind = "gained.more-time" if more > 0 else "gained.less-time"
    return say(kind, time=_size(more, more - half, more + half, "h"))


def _frames(mine: Mean, its: Mean) -> Message:
    size, low, high = _difference(mine, its)
    share = (mine.mean - its.mean, math.hypot(mine.se, its.se) * t_quantile(0.95, min(mine.dof, its.dof)))
    margin = margin_of(BY_ID[RATE])
    if abs(share[0]) + share[1] <= margin:
        return say("gained.same-frames")
    if low <= 0.0 <= high:
        return say("gained.open-frames")
    return say(
        "gained.frames", frames=_size(size, low, high, ""), side=say("gained.less" if size < 0 else "gained.more")
    )


def _difference(mine: Mean, its: Mean) -> tuple[float, float, float]:
    """Mine less its on the natural scale, with its 95 % interval."""
    size = mine.value - its.value
    half = t_quantile(0.975, min(mine.dof, its.dof)) * math.hypot(mine.value_se, its.value_se)
    return size, size - half, size + half


def _size(size: float, low: float, high: float, unit: str) -> Value:
    """The size of a difference, without its sign."""
    ends = sorted((abs(low), abs(high)))
    return Value(abs(size), unit, ends[0], ends[1])
