"""What one knob pays or costs, from passes that differ in it alone."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ...facts.knob import Level, is_number
from ...facts.known_knobs import known
from ...finding import About, Finding
from ...message import Value, say
from ...passes.figure import BY_ID
from ...passes.point import Point
from ..agree import CONDITIONS
from ..contrast import Side, contrast, margin_of
from ..group import RATE, Counted
from .rule import Rule, Whole, advice, finding

PAIRED = ("boost", "cpu_ceiling_ghz", "smt", "energy_preference", "refresh_hz", "fan_policy")
TOLD = frozenset(row.key for row in CONDITIONS) - {"room_c"}
ROOM_APART_C = 3.0
NORMAL = 2.81  # two-sided p of .005: three figures of a handful of knobs are looked at


@dataclass(frozen=True)
class Paid:
    """A knob at `one` against `other`: log differences of rate and draw, each with its standard error; pairs : levels
    of all else at which both were measured; of : ids of the passes."""

    knob: str
    one: Level
    other: Level
    rate: tuple[float, float]
    draw: tuple[float, float]
    pairs: int
    of: tuple[str, ...]


def paid(whole: Whole) -> list[Paid]:
    """Every knob of which two levels were measured with all else equal: the first level against the last."""
    return [one for knob in PAIRED if (one := _paid(whole, knob)) is not None]


def _paid(whole: Whole, knob: str) -> Paid | None:
    homes: dict[object, dict[Level, list[Counted]]] = defaultdict(lambda: defaultdict(list))
    for looked in whole.counted:
        point = looked.one.point
        level = point.setup.get(knob)
        if level is not None:
            homes[_rest(point, knob)][level].append(looked.one)
    levels = sorted({level for own in homes.values() for level in own}, key=lambda v: (not is_number(v), _place(v)))
    if len(levels) < 2:
        return None
    one, other = levels[0], levels[-1]
    both = [(own[one], own[other]) for own in homes.values() if one in own and other in own]
    if not both:
        return None
    rate, draw = (_pooled(both, key) for key in (RATE, "draw_w"))
    if rate is None or draw is None:
        return None
    ids = tuple(c.id for pair in both for side in pair for c in side)
    return Paid(knob, one, other, rate, draw, len(both), ids)


def _rest(point: Point, knob: str) -> tuple[object, ...]:
    """All that has to agree beside a knob: setup, place, versions, and the conditions that make another pass of it."""
    told = [(key, value) for key, value in point.conditions.items() if key in TOLD]
    room = point.number("room_c")
    return (
        point.setup.without(knob), point.place, tuple(sorted(point.versions.items(), key=str)),
        tuple(sorted(told, key=str)), None if room is None else round(room / ROOM_APART_C),
    )  # fmt: skip


def _place(level: Level) -> str:
    return f"{float(level):09.3f}" if is_number(level) and level is not None else str(level)


def _pooled(both: Sequence[tuple[list[Counted], list[Counted]]], key: str) -> tuple[float, float] | None:
    """Differences of all pairs together, by their precision."""
    found = []
    for one, other in both:
        sides = (Side("one", tuple(one), (0,) * len(one)), Side("other", tuple(other), (0,) * len(other)))
        made = contrast(*sides, BY_ID[key])
        if made is not None and made.se > 0:
            found.append((made.delta, made.se))
    if not found:
        return None
    weight = sum(1 / se**2 for _, se in found)
    return sum(delta / se**2 for delta, se in found) / weight, 1 / math.sqrt(weight)


def _finds(whole: Whole) -> Iterable[Finding]:
    for one in paid(whole):
        saves = _beyond(one.draw, margin_of(BY_ID["draw_w"]))
        loses = _beyond(one.rate, margin_of(BY_ID[RATE]))
        keeps = abs(one.rate[0]) + 1.96 * one.rate[1] <= margin_of(BY_ID[RATE])
        how = ("free" if saves < 0 and keeps else "gains" if loses > 0 and saves <= 0 else "trades" if saves < 0 > loses
               else "costs" if saves > 0 and loses <= 0 else "")  # fmt: skip
        if how:
            names = [_named(whole, one, level) for level in (one.one, one.other)]
            yield finding(
                "knob-pays", say(f"rule.pays.{how}", one=names[0], other=names[1], rate=_percent(one.rate),
                                 draw=_percent(one.draw), pairs=one.pairs),
                About.SETTING, one.knob, step=advice(f"pays.{how}"), sure=0.995,
            )  # fmt: skip


def _beyond(found: tuple[float, float], margin: float) -> int:
    """1 or -1 where a difference is surely one and its middle is beyond the margin; else 0."""
    size, se = found
    return 0 if abs(size) < margin or abs(size) < NORMAL * se else 1 if size > 0 else -1


def _percent(found: tuple[float, float]) -> Value:
    size, se = found
    middle, low, high = (100 * math.expm1(size + times * se) for times in (0.0, -1.96, 1.96))
    return Value(middle, "%", low, high)


def _named(whole: Whole, one: Paid, level: Level) -> str:
    return (whole.knobs.get(one.knob) or known(one.knob)).words(level)


RULES = (
    Rule("knob-pays", "passes with all else equal, pairs pooled by precision: p under .005 and beyond 2 %",
         _finds),
)  # fmt: skip
