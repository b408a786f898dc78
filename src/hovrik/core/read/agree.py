"""What must agree for two passes to be pooled, a row a key; comparing uses the same table.

Nothing is grouped by the equality of floats. What differs keeps passes apart; what is unknown on one side is pooled
only with a word about it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from ..facts.factor import DAY, ROOM, VERSION, Factor
from ..facts.knob import LIMITS, Knob, Level, inside, is_number
from ..facts.known_knobs import known
from ..facts.place import PLACES, moved_with
from ..facts.setup import Setup
from ..passes.point import AS_KNOBS, PINNED, Point

PINNED_APART_W = 0.05


@dataclass(frozen=True)
class Row:
    """One key. label : in words; within : how far numbers may lie apart, None: exact."""

    key: str
    label: str
    within: float | None = None


# conditions that make another pass of it; those that are not named here are merely noted
CONDITIONS: tuple[Row, ...] = (
    Row("room_c", "room temperature", 3.0),
    Row("overlay", "overlay"),
    Row("overlay_off", "overlay off"),
    Row("capture", "screen capture"),
    Row("radios", "radios"),
    Row("radio", "radio"),
    Row("lighting", "lighting"),
    Row("load", "load (training, match)"),
    Row("live_opponents", "live opponents"),
    Row("dock", "dock"),
    Row("power_path", "power path"),
    Row("negotiated_w", "watts negotiated", 2.0),
    Row("meter_place", "place of the meter"),
    Row("brightness_share", "brightness", 0.05),
    Row("set_up", "set-up of the title"),
    Row("mods", "mod files"),
    *(Row(f"{key}_noted", f"{inside(known(key).label)} as noted") for key in AS_KNOBS),
)
_BY_KEY: Mapping[str, Row] = {row.key: row for row in CONDITIONS}


@dataclass(frozen=True)
class Difference:
    """One thing in which two points differ, or which one of them does not know (then its value is None)."""

    key: str
    label: str
    one: Level | None
    other: Level | None

    @property
    def is_unknown(self) -> bool:
        """Whether it is unknown on one side rather than different."""
        return self.one is None or self.other is None


def differences(
    one: Point, other: Point, *, over: Factor | None = None, knobs: Mapping[str, Knob] | None = None
) -> tuple[Difference, ...]:
    """Everything in which two points differ beside `over`, unknown things last. knobs : those with their own steps."""
    skip = _skipped(over)
    found = [
        *_of_place(one, other), *_of_setup(one, other, knobs or {}), *_of_versions(one, other),
        *_of_conditions(one, other),
    ]  # fmt: skip
    found = [d for d in found if not skip(d.key)]
    return tuple(sorted(found, key=lambda d: d.is_unknown))


def agree(one: Point, other: Point, *, over: Factor | None = None, knobs: Mapping[str, Knob] | None = None) -> bool:
    """Whether two points may be pooled: nothing that both know differs, beside `over`."""
    return not any(not d.is_unknown for d in differences(one, other, over=over, knobs=knobs))


def at_base(
    setup: Setup, own: Mapping[str, str | None], base: Mapping[str, Level], versions: Mapping[str, str],
    knobs: Mapping[str, Knob],
) -> bool:  # fmt: skip
    """Whether a pass with its own versions lies at the base of a question: nothing that both know differs."""
    return all(
        key not in setup or (knobs.get(key) or known(key)).agrees(level, setup[key]) for key, level in base.items()
    ) and all(not own.get(what) or own[what] == installed for what, installed in versions.items())


def _skipped(over: Factor | None) -> Callable[[str], bool]:
    if over is None:
        return lambda key: False
    if over.place == VERSION:
        return lambda key: key.startswith("version:")
    if over.place in (ROOM, DAY):
        return lambda key: key == "room_c"
    if over.place in PLACES:  # another OS has drivers of its own
        moved = moved_with(over.place)
        versions = tuple(f"version:{part}/" for part in moved)
        return lambda key: key in moved or key.startswith(versions)
    own = {over.place, *over.knobs} - {""}
    what = over.place.partition(":")[2]
    return lambda key: key in own or (bool(what) and key.startswith("version:") and key.endswith(f"/{what}"))


def _of_place(one: Point, other: Point) -> Iterable[Difference]:
    for part in PLACES:
        a, b = getattr(one.place, part) or None, getattr(other.place, part) or None
        if a != b and not (part == "path" and None in (a, b)):
            label = {"slot": "OS slot", "source": "power source", "path": "power path"}.get(part, part)
            yield Difference(part, label, str(a) if a else None, str(b) if b else None)


def _of_setup(one: Point, other: Point, knobs: Mapping[str, Knob]) -> Iterable[Difference]:
    same_watts = _pinned_alike(one, other)
    for key in dict.fromkeys((*one.setup, *other.setup)):
        if same_watts and key in LIMITS:
            continue
        a, b = one.setup.get(key), other.setup.get(key)
        knob = knobs.get(key) or known(key)
        if a is None or b is None or not knob.same(a, b):
            yield Difference(key, inside(knob.label), a, b)


def _pinned_alike(one: Point, other: Point) -> bool:
    """Whether both were brought to the same measured watts: what was asked for that is not what they differ by."""
    a, b = one.number(PINNED), other.number(PINNED)
    return a is not None and b is not None and abs(a - b) < PINNED_APART_W


def _of_versions(one: Point, other: Point) -> Iterable[Difference]:
    for what in dict.fromkeys((*one.versions, *other.versions)):
        a, b = one.versions.get(what), other.versions.get(what)
        if a != b:
            yield Difference(f"version:{what}", what.partition("/")[2] or what, a, b)


def _of_conditions(one: Point, other: Point) -> Iterable[Difference]:
    for key in dict.fromkeys((*one.conditions, *other.conditions)):
        row = _BY_KEY.get(key)
        if row is None:
            continue
        a, b = one.conditions.get(key), other.conditions.get(key)
        if a is None or b is None:
            yield Difference(key, row.label, a, b)
            continue
        near = row.within is not None and is_number(a) and is_number(b) and abs(float(a) - float(b)) <= row.within
        if not near and a != b:
            yield Difference(key, row.label, a, b)


@dataclass
class _Cluster:
    """Points that may be pooled. kinds : the distinct ones among them but for numbers with a tolerance; ranges : of
    those."""

    members: list[int]
    kinds: list[int]
    ranges: dict[str, tuple[float, float]]


def clusters(
    points: Sequence[Point], *, over: Factor | None = None, knobs: Mapping[str, Knob] | None = None
) -> list[list[int]]:
    """Indices of points that may be pooled, beside `over`: each joins the first cluster with all of which it agrees,
    best known points first, so that what is unknown cannot join two that differ."""
    skip = _skipped(over)
    kind_of: dict[Any, int] = {}
    kinds: list[int] = []
    reps: list[Point] = []
    for point in points:
        essence = _essence(point, skip)
        if essence not in kind_of:
            kind_of[essence] = len(reps)
            reps.append(replace(point, conditions={k: v for k, v in point.conditions.items() if k not in _NEAR}))
        kinds.append(kind_of[essence])

    @cache
    def alike(a: int, b: int) -> bool:
        return a == b or agree(reps[a], reps[b], over=over, knobs=knobs)

    found: list[_Cluster] = []
    for index in sorted(range(len(points)), key=lambda i: -_known_parts(reps[kinds[i]])):
        kind, near = kinds[index], _near(points[index], skip)
        home = next(
            (c for c in found if all(alike(min(kind, k), max(kind, k)) for k in c.kinds) and _fits(c.ranges, near)),
            None,
        )
        if home is None:
            home = _Cluster([], [], {})
            found.append(home)
        home.members.append(index)
        if kind not in home.kinds:
            home.kinds.append(kind)
        for key, value in near.items():
            low, high = home.ranges.get(key, (value, value))
            home.ranges[key] = (min(low, value), max(high, value))
    return [sorted(c.members) for c in sorted(found, key=lambda c: min(c.members))]


def silences(
    points: Sequence[Point], *, over: Factor | None = None, knobs: Mapping[str, Knob] | None = None
) -> dict[str, int]:
    """What the best known of some points tells and others do not: label to how many of them."""
    skip = _skipped(over)
    counts: dict[Any, list[Any]] = {}
    for point in points:
        counts.setdefault((_essence(point, skip), frozenset(point.conditions)), [point, 0])[1] += 1
    told = max((point for point, _ in counts.values()), key=_known_parts)
    found: dict[str, int] = {}
    for point, many in counts.values():
        for off in differences(told, point, over=over, knobs=knobs):
            if off.is_unknown and off.one is not None:
                found[off.label] = found.get(off.label, 0) + many
    return found


_NEAR = {row.key: row.within for row in CONDITIONS if row.within is not None}


def _near(point: Point, skip: Callable[[str], bool]) -> dict[str, float]:
    return {
        key: float(value) for key in _NEAR
        if is_number(value := point.conditions.get(key)) and value is not None and not skip(key)
    }  # fmt: skip


def _fits(ranges: Mapping[str, tuple[float, float]], near: Mapping[str, float]) -> bool:
    return all(
        max(ranges[key][1], value) - min(ranges[key][0], value) <= (_NEAR[key] or 0.0)
        for key, value in near.items() if key in ranges
    )  # fmt: skip


def _essence(point: Point, skip: Callable[[str], bool]) -> Any:
    """What tells two points apart but for numbers with a tolerance; hashable."""
    return (
        tuple(getattr(point.place, part) for part in PLACES if not skip(part)),
        tuple((k, v) for k, v in point.setup.items() if not skip(k)),
        tuple(sorted((k, v or "") for k, v in point.versions.items() if not skip(f"version:{k}"))),
        tuple(sorted((k, str(v)) for k, v in point.conditions.items() if k in _BY_KEY and k not in _NEAR)),
    )


def _known_parts(point: Point) -> int:
    return len(point.setup) + len([v for v in point.versions.values() if v]) + len(point.conditions)
