"""Which knobs a rig, a slot and a title offer, at which levels: the one place that knows.

A machine narrows what stands here and may add knobs of its own with all that is to be known of them; it never widens.
An owner's knob that no program sets is set by hand.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import pairwise

from ..errors import PlanError
from .knob import CAP, LIMITS, REFRESH, Knob, Level, Order, Where, is_number, named, shown
from .known_knobs import known
from .rig import OsSlot, OwnKnob, Rig
from .setup import Setup
from .title import Title


def knobs_of(
    rig: Rig, slot: OsSlot | None = None, title: Title | None = None, *, absent: bool = False
) -> tuple[Knob, ...]:
    """Every knob that can be set on a rig, in a slot, in a title, with its levels there; unknown ones are left out.

    absent : those that cannot be changed there at all come too.
    """
    found = {knob.id: knob for knob in (*_of_rig(rig), *_of_title(title))}
    if slot is not None:
        found.update({knob.id: knob for knob in _of_slot(found, slot)})
    for owner, rows in (("this rig", rig.own_knobs), ("this OS", slot.own_knobs if slot else ()),
                        ("the title", title.own_knobs if title else ())):  # fmt: skip
        found.update({row.id: own_knob(row, owner) for row in rows})
    return tuple(knob for knob in found.values() if absent or knob.where is not Where.NOT)


def _of_rig(rig: Rig) -> Iterator[Knob]:
    for key in LIMITS:
        try:
            low, high = rig.range_of(key)
        except PlanError:
            continue
        yield replace(known(key), low=low, high=high, step=rig.limit_step_w)
    if rig.modes:
        yield _with(known("power_mode"), [mode.name for mode in rig.modes])
    yield known(CAP)
    rates = sorted({*rig.refresh_hz, *(hz for panel in rig.displays for hz in panel.refresh_hz)})
    if rates:
        yield _with(known(REFRESH), rates)
    variable = rig.variable_range_hz is not None or any(p.lowest_hz is not None for p in rig.displays)
    if rates or variable:
        yield _with(known("sync"), ("off", "on", "variable") if variable else ("off", "on"))
    if rig.displays:
        yield _with(known("display"), ("built-in", *(panel.name for panel in rig.displays)))
    for key, levels in (
        ("boost", rig.boost_levels), ("energy_preference", rig.energy_preferences), ("governor", rig.governors),
        ("scheduler", rig.schedulers), ("bias", rig.biases), ("gpu_mode", rig.gpu_modes),
        ("fan_policy", rig.fan_policies),
    ):  # fmt: skip
        if len(levels) > 1:
            yield _with(known(key), levels)
    if rig.smt:
        yield known("smt")
    for key, low_high in (("cpu_ceiling_ghz", (rig.cpu_low_ghz, rig.cpu_high_ghz)),
                          ("gpu_ceiling_mhz", (rig.gpu_low_mhz, rig.gpu_high_mhz))):  # fmt: skip
        if None not in low_high:
            yield replace(known(key), low=low_high[0], high=low_high[1])
    for key, lowest in (("cpu_offset_mv", rig.cpu_offset_low_mv), ("gpu_offset_mv", rig.gpu_offset_low_mv)):
        if lowest is not None and lowest < 0:
            yield replace(known(key), low=lowest, high=0.0)
    if rig.split_gb:
        split = _with(known("memory_split_gb"), rig.split_gb)
        yield replace(split, where=Where(rig.split_where)) if rig.split_where in set(Where) else split


# knob of a title to the entry of its set-ups
OF_SET_UP = {"preset": "preset", "textures": "textures", "render_scale": "scale", "upscaler": "upscaler",
             "frame_generation": "frame_generation"}  # fmt: skip
OF_PICTURE = ("preset", "textures", "render_scale", "upscaler")  # levels from the poorest to the best


def _of_title(title: Title | None) -> Iterator[Knob]:
    if title is None:
        return
    for key, name in OF_SET_UP.items():
        values = [getattr(one, name) for one in title.set_ups]
        levels: list[Level] = list(dict.fromkeys(v for v in values if v is not None))
        if len(levels) > 1:
            # best first in the list of set-ups, least first in an order of words
            yield _with(known(key), levels[::-1] if known(key).order is Order.ORDERED else levels)


def _of_slot(found: dict[str, Knob], slot: OsSlot) -> Iterator[Knob]:
    if slot.sync == "locked on" and "sync" in found:
        yield replace(found["sync"], levels=("on",))
    for row in slot.knobs:
        knob = found.get(row.knob)
        if knob is not None:
            yield replace(knob, where=Where(row.where))


def own_knob(row: OwnKnob, owner: str) -> Knob:
    """An owner's knob as one like any other; set by hand until a machine says that it can. owner : where a person finds
    it, where nobody has said."""
    order = Order(row.order) if row.order else Order.WORDS
    levels: list[Level] = [_number_or_word(text) if order is Order.NUMBER else text for text in row.levels]
    numbers = [float(level) for level in levels if is_number(level)]
    ranged = order is Order.NUMBER and row.low is not None and row.high is not None
    return Knob(
        row.id, row.label, row.unit or "", tuple(levels), row.low if ranged else None, row.high if ranged else None,
        row.step or (min(_gaps(numbers), default=None) if order is Order.NUMBER else None),
        Where(row.where) if row.where else Where.LIVE, row.minutes or 0.0, tuple(row.depends), order=order,
        by_hand=True, place=row.place or owner,
    )  # fmt: skip


def _gaps(numbers: Sequence[float]) -> list[float]:
    return [high - low for low, high in pairwise(sorted(set(numbers)))]


def _number_or_word(text: str) -> Level:
    try:
        return float(text)
    except ValueError:
        return text


def _with(knob: Knob, levels: Iterable[Level]) -> Knob:
    found = tuple(levels)
    numbers = knob.order is Order.NUMBER and all(is_number(level) for level in found)
    return replace(knob, levels=tuple(float(level) for level in found) if numbers else found)


def narrowed(offered: Sequence[Knob], machine: Sequence[Knob]) -> tuple[Knob, ...]:
    """What can be set on a machine that says it has `machine` knobs, where rig, slot and title offer `offered` (absent
    ones included, so that a machine cannot bring them back).

    A knob of both is allowed what both allow; label, unit, order come from the one truth. One of the machine's alone is
    taken as it is. One offered alone is set by hand where its owner added it, else it is not there.
    """
    own = named(machine)
    found = []
    for knob in offered:
        mine = own.pop(knob.id, None)
        if knob.where is Where.NOT:
            continue
        if mine is not None:
            found.append(_both(knob, mine))
        elif knob.by_hand:
            found.append(knob)
    return (*found, *own.values())


def _both(knob: Knob, mine: Knob) -> Knob:
    levels = knob.levels
    if mine.levels:
        levels = tuple(level for level in knob.levels if level in mine.levels) if knob.levels else mine.levels
    lows = [k.low for k in (knob, mine) if k.low is not None]
    highs = [k.high for k in (knob, mine) if k.high is not None]
    ranged = None not in (knob.low, mine.low) or not (knob.levels and mine.levels)
    return replace(
        knob, levels=levels, low=max(lows) if lows and ranged else None, high=min(highs) if highs and ranged else None,
        step=mine.step or knob.step, where=mine.where if mine.where is not Where.LIVE else knob.where,
        cost_min=max(mine.cost_min, knob.cost_min), depends=mine.depends or knob.depends, by_hand=False,
        starting=mine.starting,
    )  # fmt: skip


def infeasible(setup: Setup, slot: OsSlot | None) -> list[str]:
    """Why a setup cannot be: functions of a slot that exclude each other, each with its reason."""
    found = []
    for row in slot.exclusions if slot is not None else ():
        one, other = setup.get(row.knob), setup.get(row.other)
        if one is not None and other is not None and (shown(one), shown(other)) == (row.level, row.other_level):
            names = f"{known(row.knob).words(one)} and {known(row.other).words(other)}"
            found.append(f"{names} exclude each other under {slot.name}: {row.why}." if slot else names)
    return found
