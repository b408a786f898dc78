"""Limits against what is taken, the maker's presets against the marks, draw beside the package, heat in this room."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from itertools import pairwise

from ...facts.knob import is_number
from ...facts.place import Source
from ...finding import About, Finding
from ...message import Value, say
from ...model import battery
from ...stats.estimate import Estimate, t_quantile
from .. import marks
from ..group import Group
from ..response import Response
from .rule import Rule, Whole, advice, finding

UNBOUND, UNBOUND_W = 0.90, 0.5  # of a limit that is taken where it does not bind
BESIDE = 0.5  # share of the draw beside the package from which that is worth a word
NEAR_LIMIT_C = 2.0
STEP_LOG, STEP_SE = 0.02, 4.0  # log of a clock, and standard errors, from which it steps
LEAST_USED, OFF = 0.1, 0.06  # of a charge that passes used together; log of what is noted, by which it has to be off


def _unbound(whole: Whole) -> Iterable[Finding]:
    """From which limit on the title takes no more."""
    for response in whole.responses:
        if response.factor.unit != "W":
            continue
        rows = [(g, g.package.estimate(), w) for g in response.groups
                if g.package is not None and (w := g.setup.static_limit_w) is not None]  # fmt: skip
        loose: list[tuple[Group, Estimate]] = []
        for group, took, limit in reversed(rows):  # from the top down: where it does not bind, more binds less
            if (took.high or took.value) >= min(UNBOUND * limit, limit - UNBOUND_W):
                break
            loose.insert(0, (group, took))
        if loose and len(rows) > 1:
            most = max(one.value for _, one in loose)
            group = loose[0][0]
            yield finding(
                "limit-loose",
                say("rule.limit-loose", level=response.factor.words(group.level), took=Value(most, "W", digits=1)),
                About.GROUP, group.passes[0],
            )  # fmt: skip


def _presets(whole: Whole) -> Iterable[Finding]:
    """The maker's presets against first playable and the last watt that pays."""
    rig = whole.rig
    if rig is None or not rig.modes or not whole.responses:
        return
    main = whole.responses[0]
    found = {mark.id: mark for mark in marks.find(main, whole.question)}
    paying, first = found.get("last_paying"), found.get("first_playable")
    for mode in rig.modes:
        watts = mode.sustained_w
        if watts is None:
            continue
        name = say("rule.preset", name=mode.name, watts=Value(watts, "W"))
        if first is not None and first.low is not None and watts < first.low - 0.5:
            yield _preset(mode.name, "short", name, first.low - watts)
        elif paying is not None and paying.high is not None and watts > paying.high + 0.5 and _tried(main, watts):
            yield _preset(mode.name, "past", name, watts - paying.high)
        elif first is not None and paying is not None and first.high is not None and paying.low is not None and (
            first.high <= watts <= paying.low
        ):  # fmt: skip
            yield _preset(mode.name, "right", name, 0.0)


def _preset(mode: str, how: str, name: object, by: float) -> Finding:
    said = say(f"rule.preset.{how}", preset=name, by=Value(by, "W", digits=0))
    return finding("preset", said, About.SETTING, f"power_mode/{mode}")


def _tried(response: Response, watts: float) -> bool:
    levels = response.levels
    return bool(levels.size) and float(levels.max()) >= watts - 0.5


def _adapter(whole: Whole) -> Iterable[Finding]:
    """Presets that want more than the adapter gives."""
    rig = whole.rig
    if rig is None or rig.adapter_w is None:
        return
    wanting = [mode for mode in rig.modes if (mode.adapter_w or 0.0) > rig.adapter_w]
    if wanting:
        most = max(mode.adapter_w or 0.0 for mode in wanting)
        yield finding(
            "adapter-small",
            say("rule.adapter-small", modes=tuple(mode.name for mode in wanting), has=Value(rig.adapter_w, "W"),
                wants=Value(most, "W")),
            About.SETTING, "source", worry=whole.question.source is Source.ADAPTER,
        )  # fmt: skip


def _beside(whole: Whole) -> Iterable[Finding]:
    """Draw beside the package, where it is most of it."""
    line = whole.context.overhead
    if line is None or not whole.responses:
        return
    groups = [g for g in whole.responses[0].groups if g.package is not None and g.draw is not None]
    rows = [(g, g.draw.value - g.package.value, g.draw.value) for g in groups if g.draw and g.package]
    heavy = [(g, beside, draw) for g, beside, draw in rows if beside > BESIDE * draw]
    if heavy:
        group, beside, draw = heavy[0]
        base = line.base_interval_w()
        half = t_quantile(0.975, max(line.n - 2, 1)) * line.k_se
        yield finding(
            "draw-beside",
            say("rule.draw-beside", level=whole.responses[0].factor.words(group.level),
                share=Value(100 * beside / draw, "%", digits=0), base=Value(line.base_w, "W", *base),
                slope=Value(line.k, "", line.k - half, line.k + half)),
            About.GROUP, group.passes[0],
        )  # fmt: skip


def _hot(whole: Whole) -> Iterable[Finding]:
    """Levels whose settled die reaches its limit in this room."""
    limit = whole.rig.die_limit_c if whole.rig is not None else None
    if limit is None:
        return
    for response in whole.responses:
        for group in response.groups:
            die, own = group.mean("die_c"), whole.members(group)
            throttled = sum("throttled" in one.checks for one in own) > len(own) / 2
            if die is not None and (throttled or (die.estimate().low or die.value) >= limit - NEAR_LIMIT_C):
                yield finding(
                    "heat-limited",
                    say("rule.heat-limited", level=response.factor.words(group.level),
                        die=Value(die.value, "C", digits=0), limit=Value(limit, "C", digits=0)),
                    About.GROUP, group.passes[0], step=advice("heat-limited"), worry=True,
                )  # fmt: skip
                break


def _gauge(whole: Whole) -> Iterable[Finding]:
    """What was drawn against what the gauge went down by, and both against the energy that is noted of the battery."""
    used, rig = whole.context.used, whole.rig
    if used is None or rig is None or used.share < LEAST_USED or used.stretches < 3:
        return
    stated = battery.gives(replace(rig, charge_limit=1.0, reserve=0.0), used.draw_w)
    if stated is None or stated.wh <= 0:
        return
    told = battery.full_of(used)
    read = math.log((told.high or told.value) / told.value) / 2.0
    error = math.hypot(math.log(stated.high / stated.low) / 3.92, read)
    if abs(math.log(told.value / stated.wh)) > max(3.0 * error, OFF):
        yield finding(
            "gauge-off", say("rule.gauge-off", told=told.as_value(), noted=Value(stated.wh, "Wh")), About.SETTING,
            "battery", step=advice("gauge-off"), worry=True,
        )  # fmt: skip


def _memory_clock(whole: Whole) -> Iterable[Finding]:
    """A memory clock that steps where the rate leaves its curve: what a limit changes beside the watts."""
    for response in whole.responses:
        off = [said[0] for said in response.dents]
        if response.factor.unit != "W" or not off:
            continue
        rows = [(group, clock) for group in response.groups if (clock := group.mean("memory_mhz")) is not None]
        for (before, one), (after, other) in pairwise(rows):
            step = other.mean - one.mean
            touched = any(
                abs(group.at - float(level)) < 1e-6 for group in (before, after) for level in off if is_number(level)
            )
            if touched and abs(step) > max(STEP_LOG, STEP_SE * math.hypot(one.se, other.se)):
                yield finding(
                    "memory-clock",
                    say("rule.memory-clock", first=response.factor.words(before.level),
                        then=response.factor.words(after.level), clock=Value(one.value, "MHz", digits=0),
                        clock_then=Value(other.value, "MHz", digits=0)),
                    About.GROUP, after.passes[0], step=advice("memory-clock"), worry=True,
                )  # fmt: skip
                break


RULES = (
    Rule("gauge-off", "energy drawn over charge used against what is noted, three errors and 6 % apart", _gauge),
    Rule("limit-loose", "package power, upper end, under 90 % of the limit and half a watt", _unbound),
    Rule("preset", "the preset's watts outside the interval of the marks", _presets),
    Rule("adapter-small", "as noted of rig and presets", _adapter),
    Rule("draw-beside", "draw less package power over half of the draw; line by least squares", _beside),
    Rule("heat-limited", "settled die, lower end, within 2 degrees of the rig's limit", _hot),
    Rule(
        "memory-clock",
        "a mean memory clock that moves by 2 % and 4 standard errors beside a dent or a step of the rate",
        _memory_clock,
    ),
)
