"""Something passes can differ by and be drawn over: a knob, a bundle of knobs, or a place."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from .knob import CAP, LIMITS, NONE, Knob, Level, Order, is_number, shown
from .known_knobs import known
from .place import PLACES

LIMIT = "limit_w"  # the static bundle: the three limits, all equal
VERSION, DAY, ROOM = "version", "day", "room"
_RATES = frozenset({"mean_fps", "low_1pct_fps_percentile", "low_1pct_fps_slowest_mean", "low_1pct_fps_time_weighted"})
_POWERS = frozenset({"package_w", "draw_w", "wall_w", "input_w", "die_c", "shell_c", "die_end_c", "shell_end_c"})
_RISING = {
    LIMIT: _RATES | _POWERS, "sustained_limit_w": _RATES | _POWERS, "cpu_ceiling_ghz": frozenset({"mean_fps"}),
    "gpu_ceiling_mhz": frozenset({"mean_fps"}), CAP: frozenset({"mean_fps"}),
}  # fmt: skip


@dataclass(frozen=True)
class Factor:
    """One factor.

    knobs : ids that it bundles, empty for a place; place : which part of a point's place it is, "" for knobs; order of
    its levels; levels : ordered words, least first; rising : ids of figures that can only rise along it but for a dent.
    """

    id: str
    label: str
    unit: str = ""
    order: Order = Order.WORDS
    knobs: tuple[str, ...] = ()
    place: str = ""
    levels: tuple[Level, ...] = ()
    rising: frozenset[str] = frozenset()
    knob: Knob | None = None
    names: Mapping[str, str] = field(default_factory=dict)  # of places, by key

    @property
    def is_number(self) -> bool:
        """Whether levels are numbers, so that curves and neighbours mean something."""
        return self.order is Order.NUMBER

    @property
    def is_ordered(self) -> bool:
        """Whether levels stand in an order at all."""
        return self.order is not Order.WORDS

    def level_of_setup(self, values: Mapping[str, Level]) -> Level | None:
        """The level of a setup (a mapping of knob id to level); None where it is unknown or a bundle disagrees."""
        found = [values.get(key) for key in self.knobs]
        known_ones = [value for value in found if value is not None]
        if not known_ones or found[0] is None:
            return None
        return found[0] if all(self.same(found[0], value) for value in known_ones) else None

    def sorted(self, levels: Iterable[Level]) -> list[Level]:
        """Levels in the factor's order: numbers ascending ("none" last), ordered words as told, words by name."""
        found = list(dict.fromkeys(levels))
        if self.order is Order.NUMBER:
            return sorted(found, key=lambda v: (not is_number(v), float(v) if is_number(v) else 0.0, str(v)))
        if self.order is Order.ORDERED:
            place = {level: at for at, level in enumerate(self.levels)}
            return sorted(found, key=lambda v: (place.get(v, len(place)), str(v)))
        return sorted(found, key=str)

    def same(self, one: Level, other: Level) -> bool:
        """Whether two levels are the same setting: numbers within half a step."""
        if self.knob is not None:
            return self.knob.same(one, other)
        return one == other

    def words(self, level: Level) -> str:
        """A level in words, with its unit."""
        if self.knob is not None and self.id != LIMIT:
            return self.knob.words(level)
        return self.names.get(str(level)) or f"{shown(level)} {self.unit}".strip()

    def short(self, level: Level) -> str:
        """A level on an axis or in a column: without the factor's name."""
        if level == NONE and self.knob is not None and self.knob.none:
            return self.knob.none
        return self.names.get(str(level)) or shown(level)


def set_by(name: str) -> tuple[str, ...]:
    """The knobs that a factor's levels set: the three limits as one."""
    return LIMITS if name == LIMIT else (name,)


def of_knob(knob: Knob) -> Factor:
    """The factor of one knob."""
    return Factor(knob.id, knob.label, knob.unit, knob.order, (knob.id,), levels=knob.levels,
                  rising=_RISING.get(knob.id, frozenset()), knob=knob)  # fmt: skip


def static_limit(step: float | None = None) -> Factor:
    """The static power limit: sustained, short and peak as one."""
    base = known(LIMITS[0])
    own = base if step is None else Knob(base.id, base.label, base.unit, step=step, order=base.order)
    return Factor(LIMIT, "Power limit", "W", Order.NUMBER, LIMITS, rising=_RISING[LIMIT], knob=own)


_PLACE_WORDS = {"rig": "Rig", "slot": "OS slot", "title": "Title", "scene": "Scene", "source": "Power source",
                "path": "Power path"}  # fmt: skip


def factor_named(name: str, knobs: Sequence[Knob] = (), *, step: float | None = None) -> Factor | None:
    """The factor of an id: `limit_w`, a knob's, a part of the place, `version` (any that differs) or `version:WHAT`,
    `day`, `room`; None for one that is none. knobs : those on offer, owners' included; step : of the power limit."""
    if name == LIMIT:
        return static_limit(step)
    if name == VERSION or name.startswith(VERSION + ":"):
        return Factor(name, "Version" if name == VERSION else f"Version of {name.partition(':')[2]}", place=name)
    if name in (DAY, ROOM):
        order, unit = (Order.NUMBER, "C") if name == ROOM else (Order.WORDS, "")
        return Factor(name, name.capitalize(), unit, order, place=name)
    own = next((knob for knob in knobs if knob.id == name), None)
    if own is not None:
        return of_knob(own)
    if name in PLACES:
        return Factor(name, _PLACE_WORDS[name], place=name)
    base = known(name)
    return of_knob(base) if base.phrase or base.unit or base.levels else None
