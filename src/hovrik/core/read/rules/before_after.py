"""Before and after a change of version: hotter at the same setting, and why, as far as its four cells were measured.

The cells are old and new version, each with the fan as it is set and with a full fan. Only where all four are there is
heat named as the cause of a lower rate.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ...facts.setup import Setup
from ...finding import About, Finding
from ...message import Message, Value, say
from ...passes.figure import BY_ID
from ...passes.point import Point
from ...stats.estimate import t_quantile
from ...stats.least_squares import fitted
from ..contrast import margin_of
from ..group import RATE, Counted
from .rule import Rule, Whole, advice, finding

FULL = "full"
HOTTER_C = 2.0  # from which it is worth a word
SLOWER = 0.01
Cell = tuple[str, str]  # (old or new, fan policy)


@dataclass(frozen=True)
class Moved:
    """New less old of a figure, levels apart: size with its 95 % interval, on the figure's own scale."""

    size: float
    low: float
    high: float


def _finds(whole: Whole) -> Iterable[Finding]:
    counted = [looked.one for looked in whole.passes if looked.is_good]  # those of before are beside the question
    for what, old, new in _changes(counted):
        yield from _told(counted, what, old, new)


def _changes(counted: Sequence[Counted]) -> list[tuple[tuple[str, ...], str, str]]:
    """(version keys, the one before the newest, the newest), as they were met. What changed at the same passes is told
    as one: they cannot tell it apart."""
    seen: dict[str, list[str]] = defaultdict(list)
    for one in counted:
        for key, version in one.point.versions.items():
            if version and version not in seen[key]:
                seen[key].append(version)
    found: dict[tuple[bool, ...], list[str]] = defaultdict(list)
    for key, own in seen.items():
        if len(own) > 1:
            found[tuple(one.point.versions.get(key) == own[-1] for one in counted)].append(key)
    return [
        (tuple(keys), _joined(keys, seen, -2), _joined(keys, seen, -1)) for keys in found.values()
    ]  # fmt: skip


def _joined(keys: Sequence[str], seen: Mapping[str, Sequence[str]], at: int) -> str:
    return " and ".join(seen[key][at] for key in keys)


def _told(counted: Sequence[Counted], keys: Sequence[str], old: str, new: str) -> Iterable[Finding]:
    cells: dict[Cell, list[Counted]] = defaultdict(list)
    for one in counted:
        version = " and ".join(str(one.point.versions.get(key)) for key in keys)
        fan = str(one.point.setup.get("fan_policy", ""))
        if version in (old, new):
            cells["new" if version == new else "old", fan].append(one)
    fans = [fan for _, fan in cells if fan and fan != FULL]
    own = next((fan for fan in dict.fromkeys(fans) if ("old", fan) in cells and ("new", fan) in cells), None)
    if own is None:
        return
    before, after = cells["old", own], cells["new", own]
    rise, watts = _difference(after, before, "rise"), _difference(after, before, "package_w")
    if rise is None or rise.low < HOTTER_C / 2 or rise.size < HOTTER_C:
        return
    label = " and ".join(key.partition("/")[2] or key for key in keys)
    parts = _split(before, after, cells)
    rate = _difference(after, before, RATE)
    message = say(
        "rule.hotter", what=label, old=old, new=new, by=Value(rise.size, "degrees", rise.low, rise.high),
        parts=parts or (say("rule.hotter.part-untold"),),
        watts=_watts(watts), rate=_rate(rate),
    )  # fmt: skip
    missing = [cell for cell in (("old", FULL), ("new", FULL)) if cell not in cells]
    if missing:
        lacks = say("rule.hotter.lacks", cells=tuple(say(f"rule.hotter.cell-{cell[0]}") for cell in missing))
        yield finding(
            "hotter", message, About.RESPONSE, after[0].id, step=lacks, worry=True, action="ask/knob/fan_policy"
        )
        return
    yield finding("hotter", message, About.RESPONSE, after[0].id, step=advice("hotter"), worry=True)
    cause = _cause(rate, _difference(cells["new", FULL], cells["old", FULL], RATE))
    if cause is not None:
        yield finding("heat-cause", cause, About.RESPONSE, after[0].id, worry=True, sure=0.95)


def _key(point: Point) -> Setup:
    return point.setup.without("fan_policy")


def _difference(after: Sequence[Counted], before: Sequence[Counted], key: str) -> Moved | None:
    """After less before, over the setups that both were made at."""
    both = {_key(one.point) for one in after} & {_key(one.point) for one in before}
    rows = [
        (value, side, _key(one.point)) for side, own in ((1.0, after), (0.0, before)) for one in own
        if _key(one.point) in both and (value := _value(one, key)) is not None
    ]  # fmt: skip
    if len({side for _, side, _ in rows}) < 2:
        return None
    homes = list(dict.fromkeys(home for *_, home in rows))
    design = np.column_stack([
        [side for _, side, _ in rows], *([float(home == one) for *_, home in rows] for one in homes)
    ])  # fmt: skip
    prior = BY_ID["die_end_c"].prior_sd if key in ("rise", "rpm") else BY_ID[key].prior_sd
    found = fitted(design, np.array([value for value, *_ in rows]), prior)
    half = t_quantile(0.975, found.dof) * float(found.errors[0])
    size = float(found.coefficients[0])
    return Moved(size, size - half, size + half)


def _value(one: Counted, key: str) -> float | None:
    """A figure as it is judged; "rise" : of the die over the room."""
    if key == "rise":
        die, room = _die(one), one.point.number("room_c")
        return die - room if die is not None and room is not None else None
    value = one.figures.value(key)
    return math.log(value) if value is not None and value > 0 else None


def _die(one: Counted) -> float | None:
    settled = one.figures.value("die_c")
    return settled if settled is not None else one.figures.value("die_end_c")


def _split(
    before: Sequence[Counted], after: Sequence[Counted], cells: Mapping[Cell, Sequence[Counted]]
) -> tuple[Message, ...]:
    """What more watts, a slower fan, and contact or dust make of it, from resistances (rise over package power)."""
    both = {_key(one.point) for one in after} & {_key(one.point) for one in before}
    before, after = ([one for one in own if _key(one.point) in both] for own in (before, after))
    old, new = (_state(own) for own in (before, after))
    full = _state(cells.get(("old", FULL), ()))
    if old is None or new is None:
        return ()
    by_watts = old[0] * (new[1] - old[1])
    found = [say("rule.hotter.by-watts", by=Value(by_watts, "degrees", digits=1))]
    if full is not None and old[2] and new[2] and full[2] and abs(math.log(full[2] / old[2])) > 0.05:
        slope = math.log(full[0] / old[0]) / math.log(full[2] / old[2])
        by_fan = new[1] * old[0] * ((new[2] / old[2]) ** slope - 1.0)
        rest = (new[0] * new[1] - old[0] * old[1]) - by_watts - by_fan
        found.append(say("rule.hotter.by-fan", by=Value(by_fan, "degrees", digits=1),
                         old=Value(old[2], "rpm", digits=0), new=Value(new[2], "rpm", digits=0)))  # fmt: skip
        found.append(say("rule.hotter.by-rest", by=Value(rest, "degrees", digits=1)))
    elif old[2] and new[2] and abs(new[2] / old[2] - 1.0) > 0.05:
        found.append(say("rule.hotter.fan-moved", old=Value(old[2], "rpm", digits=0),
                         new=Value(new[2], "rpm", digits=0)))  # fmt: skip
    return tuple(found)


def _state(own: Sequence[Counted]) -> tuple[float, float, float] | None:
    """(K/W, package W, rpm) of some passes; rpm 0 where it was not read."""
    rows = [(rise, watts, one.figures.value("fan_rpm") or 0.0) for one in own
            if (rise := _value(one, "rise")) is not None and (watts := one.figures.value("package_w"))]  # fmt: skip
    if not rows:
        return None
    rise, watts, rpm = (float(np.mean(column)) for column in zip(*rows))
    return rise / watts, watts, rpm


def _watts(moved: Moved | None) -> Message:
    if moved is None or moved.low <= 0.0 <= moved.high or abs(moved.size) < 0.01:
        return say("rule.hotter.same-watts")
    return say("rule.hotter.other-watts", by=_percent(moved))


def _rate(moved: Moved | None) -> Message:
    if moved is None or moved.low <= 0.0 <= moved.high:
        return say("rule.hotter.same-rate")
    return say("rule.hotter.slower" if moved.size < 0 else "rule.hotter.faster", by=_percent(moved))


def _percent(moved: Moved) -> Value:
    ends = sorted(100.0 * abs(math.expm1(end)) for end in (moved.low, moved.high))
    return Value(100.0 * abs(math.expm1(moved.size)), "%", ends[0], ends[1])


def _cause(own: Moved | None, full: Moved | None) -> Message | None:
    """Heat, where a lower rate is back with a full fan in both; something else, where it is not."""
    if own is None or full is None or own.high >= 0.0 or own.size > -SLOWER:
        return None
    margin = margin_of(BY_ID[RATE])
    if full.low > -margin and full.high < margin:
        return say("rule.heat-cause", by=_percent(own))
    if full.high < 0.0 and full.size < 0.5 * own.size:
        return say("rule.not-heat-alone", by=_percent(own), still=_percent(full))
    return None


RULES = (
    Rule(
        "hotter", "rise of the die at equal setups, new less old version: 2 degrees or more, lower end over 1", _finds,
    ),
    Rule("heat-cause", "slower with the fan as set, within 2 % of each other with a full fan", lambda _whole: ()),
)  # fmt: skip
