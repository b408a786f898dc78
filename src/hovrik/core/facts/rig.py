"""The machine as people know it: limits, battery, panels, OS slots, versions. Facts only; a None or empty field is
unknown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import MISSING, asdict, dataclass, fields
from typing import Any, TypeVar

from ..errors import LimitError, PlanError

T = TypeVar("T")


@dataclass(frozen=True)
class Version:
    """One version as it was noted. what : firmware, graphics driver, OS build, session, ...; installed : what runs;
    offered : what an update channel offers, where that differs; noted : date; read_from : where it was read."""

    what: str
    installed: str | None = None
    offered: str | None = None
    noted: str | None = None
    read_from: str | None = None


@dataclass(frozen=True)
class PowerMode:
    """A maker's preset: limits (W) it sets, the adapter it wants (W, None: none), whether it is meant for battery."""

    name: str
    sustained_w: float | None = None
    short_w: float | None = None
    peak_w: float | None = None
    adapter_w: float | None = None
    for_battery: bool | None = None


@dataclass(frozen=True)
class Panel:
    """An external display. refresh_hz : fixed rates; lowest_hz, highest_hz : variable range."""

    name: str
    width: int | None = None
    height: int | None = None
    refresh_hz: tuple[float, ...] = ()
    lowest_hz: float | None = None
    highest_hz: float | None = None


@dataclass(frozen=True)
class KnobPlace:
    """Where a knob can be changed in one OS slot: live, relaunch, restart, set-up screen, not at all."""

    knob: str
    where: str


@dataclass(frozen=True)
class OwnKnob:
    """A knob that an owner adds. order : number, ordered words or words; levels : as typed, least first where they have
    an order; low, high, step : of a number; where : live, relaunch, restart, set-up screen; place : where it is found;
    minutes : one change costs; depends : ids of knobs that must be set first."""

    id: str
    label: str
    order: str | None = None
    levels: tuple[str, ...] = ()
    unit: str | None = None
    low: float | None = None
    high: float | None = None
    step: float | None = None
    where: str | None = None
    place: str | None = None
    minutes: float | None = None
    depends: tuple[str, ...] = ()


@dataclass(frozen=True)
class Exclusion:
    """Two functions of a slot that cannot be had together, why, and the version that was seen with."""

    knob: str
    level: str
    other: str
    other_level: str
    why: str
    version: str | None = None


@dataclass(frozen=True)
class NoiseReading:
    """What a sound level meter read where the player's head is, the room's quiet aside. rpm : of the fan; db."""

    rpm: float
    db: float


@dataclass(frozen=True)
class DelayCount:
    """Frames of a slow-motion recording from a press to what it changes on the panel. generation : on or off;
    rendered_fps : rate that was rendered meanwhile; refresh_hz : of the panel; camera_fps; frames : counted."""

    generation: str
    rendered_fps: float
    camera_fps: float
    frames: float
    refresh_hz: float | None = None


@dataclass(frozen=True)
class DoesNotRun:
    """A title that does not run in a slot, why, and the version that was seen with."""

    title: str
    why: str
    version: str | None = None


@dataclass(frozen=True)
class OsSlot:
    """One operating system installed on the rig. key : stable word.

    overlay, overlay_stops : overlay in use and what it switches off; sync : locked on or free; threads : available to
    a title; lacks : hardware functions missing there; own_knobs : those its owner added; exclusions : functions that
    exclude each other there.
    """

    key: str
    name: str
    versions: tuple[Version, ...] = ()
    session: str | None = None
    sync: str | None = None
    threads: int | None = None
    overlay: str | None = None
    overlay_stops: str | None = None
    background: str | None = None
    lacks: tuple[str, ...] = ()
    knobs: tuple[KnobPlace, ...] = ()
    does_not_run: tuple[DoesNotRun, ...] = ()
    own_knobs: tuple[OwnKnob, ...] = ()
    exclusions: tuple[Exclusion, ...] = ()

    def version(self, what: str) -> str | None:
        """Installed version of something, None where it is not noted."""
        return version_of(self.versions, what)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> OsSlot:
        """The inverse of `as_dict`; unknown keys are ignored."""
        rows = ("versions", "knobs", "does_not_run", "own_knobs", "exclusions")
        return cls(
            **plain_fields(cls, body, rows),
            versions=many(Version, body.get("versions")),
            knobs=many(KnobPlace, body.get("knobs")),
            does_not_run=many(DoesNotRun, body.get("does_not_run")),
            own_knobs=many(OwnKnob, body.get("own_knobs")),
            exclusions=many(Exclusion, body.get("exclusions")),
        )


@dataclass(frozen=True)
class Rig:
    """One machine.

    limit_low_w, limit_high_w, limit_step_w : range of the sustained limit (W); short_*, peak_* those of the other two,
    window_s : time constant over which the sustained one is kept; battery_wh : design energy (Wh), full_wh : what a
    full charge holds now (else battery_wh x health); pack_ohm, pack_cells : series resistance of the whole pack (ohm)
    and cells in series; valid_charge : lowest and highest charge (share) at which passes count; reserve : share never
    used; die_limit_c : die temperature at which the maker's firmware throttles (degrees C); recharge_w : watts into the
    battery while charging idle; split_gb : sizes the graphics memory can be set to, split_where : what changing needs;
    link_gbit_s : link to an external GPU; cpu_offset_low_mv, gpu_offset_low_mv : lowest voltage offsets that the maker
    allows; own_knobs : those its owner added; noise_db : sound level at the fan speed
    noise_rpm, known to 3 dB; noise_readings : of a meter, which count before it (neither: no limit of decibels can be
    asked for); delays : counted on slow motion; battery_rated : whether its energy is rated at
    a slow drain or at a fifth of capacity an hour.
    """

    key: str
    name: str
    limit_low_w: float | None = None
    limit_high_w: float | None = None
    limit_step_w: float = 1.0
    short_low_w: float | None = None
    short_high_w: float | None = None
    peak_low_w: float | None = None
    peak_high_w: float | None = None
    window_s: float | None = None
    modes: tuple[PowerMode, ...] = ()
    cpu_cores: int | None = None
    cpu_threads: int | None = None
    cpu_low_ghz: float | None = None
    cpu_high_ghz: float | None = None
    boost_levels: tuple[str, ...] = ()
    smt: bool | None = None
    schedulers: tuple[str, ...] = ()
    biases: tuple[str, ...] = ()
    energy_preferences: tuple[str, ...] = ()
    governors: tuple[str, ...] = ()
    gpu_low_mhz: float | None = None
    gpu_high_mhz: float | None = None
    gpu_modes: tuple[str, ...] = ()
    link_gbit_s: float | None = None
    cpu_offset_low_mv: float | None = None
    gpu_offset_low_mv: float | None = None
    memory_gb: float | None = None
    split_gb: tuple[float, ...] = ()
    split_where: str | None = None
    battery_wh: float | None = None
    full_wh: float | None = None
    health: float = 1.0
    cycles: int | None = None
    pack_ohm: float | None = None
    pack_cells: int | None = None
    charge_limit: float = 1.0
    reserve: float = 0.05
    valid_charge: tuple[float, float] = (0.1, 1.0)
    gauge_step_wh: float | None = None
    refresh_hz: tuple[float, ...] = ()
    variable_range_hz: tuple[float, float] | None = None
    resolution: tuple[int, int] | None = None
    displays: tuple[Panel, ...] = ()
    adapter_w: float | None = None
    recharge_w: float | None = None
    die_limit_c: float | None = None
    fan_policy: str | None = None
    fan_policies: tuple[str, ...] = ()
    versions: tuple[Version, ...] = ()
    slots: tuple[OsSlot, ...] = ()
    own_knobs: tuple[OwnKnob, ...] = ()
    noise_db: float | None = None
    noise_rpm: float | None = None
    noise_readings: tuple[NoiseReading, ...] = ()
    delays: tuple[DelayCount, ...] = ()
    battery_rated: str | None = None

    @property
    def full_charge_wh(self) -> float | None:
        """Energy of a full charge now, Wh; None where the battery is unknown."""
        if self.full_wh is not None:
            return self.full_wh
        return self.battery_wh * self.health if self.battery_wh is not None else None

    @property
    def firmware(self) -> str | None:
        """Installed firmware version, None where it is not noted."""
        return version_of(self.versions, "firmware")

    def limit_range_w(self) -> tuple[float, float]:
        """Range of the sustained limit, W. PlanError where it is unknown."""
        if self.limit_low_w is None or self.limit_high_w is None:
            raise PlanError(f"The range of power limits of {self.name} is unknown. Enter it in Rig.")
        return self.limit_low_w, self.limit_high_w

    def range_of(self, key: str) -> tuple[float, float]:
        """Range of one of the three power limits, W; short and peak share the sustained one's where theirs is unknown.
        PlanError where that is unknown too."""
        name = key.removesuffix("_limit_w")
        low, high = (getattr(self, f"{name}_{side}_w", None) for side in ("low", "high"))
        if low is not None and high is not None:
            return low, high
        return self.limit_range_w()

    def check_limit(self, limit_w: float) -> None:
        """Raise LimitError where a power limit lies outside this rig's range, PlanError where that is unknown."""
        low, high = self.limit_range_w()
        if not low - 1e-9 <= limit_w <= high + 1e-9:
            raise LimitError("Power limit", limit_w, low, high, "W")

    def slot(self, key: str) -> OsSlot:
        """The slot with this key; PlanError names those there are."""
        for slot in self.slots:
            if slot.key == key:
                return slot
        raise PlanError(f"OS slot {key!r} is not on {self.name}. It has: {', '.join(s.key for s in self.slots)}.")

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Rig:
        """The inverse of `as_dict`; unknown keys are ignored so that later fields do no harm."""
        nested = ("slots", "versions", "modes", "displays", "own_knobs", "noise_readings", "delays")
        return cls(
            **plain_fields(cls, body, nested),
            slots=tuple(OsSlot.from_dict(s) for s in body.get("slots") or ()),
            versions=many(Version, body.get("versions")),
            modes=many(PowerMode, body.get("modes")),
            displays=many(Panel, body.get("displays")),
            own_knobs=many(OwnKnob, body.get("own_knobs")),
            noise_readings=many(NoiseReading, body.get("noise_readings")),
            delays=many(DelayCount, body.get("delays")),
        )


def version_of(versions: Sequence[Version], what: str) -> str | None:
    """Installed version of something among versions, None where it is not noted."""
    return next((v.installed for v in versions if v.what == what), None)


def plain_fields(kind: type, body: Mapping[str, Any], nested: Sequence[str] = ()) -> dict[str, Any]:
    """The entries of `body` that are fields of a dataclass, lists as tuples; `nested` ones are left to the caller, and
    null, or an empty list in place of a value, is as good as not there where a field has a default."""
    known = {f.name: f for f in fields(kind) if f.name not in nested}

    def is_there(name: str, value: Any) -> bool:
        own = known[name]
        if own.default is MISSING and own.default_factory is MISSING:
            return True
        return value is not None and not (value == [] and own.default != ())

    return {k: tuple(v) if isinstance(v, list) else v for k, v in body.items() if k in known and is_there(k, v)}


def many(kind: type[T], bodies: Any) -> tuple[T, ...]:
    """Dataclasses from a list of plain bodies; unknown keys are ignored."""
    return tuple(kind(**plain_fields(kind, body)) for body in bodies or ())


def missing_minimum(rig: Rig) -> tuple[str, ...]:
    """What a first sweep still needs, in words: name, limit range, battery energy, panel refresh."""
    wanted = (
        ("a name", bool(rig.name.strip())),
        ("the range of power limits", rig.limit_low_w is not None and rig.limit_high_w is not None),
        ("the battery's energy", rig.full_charge_wh is not None),
        ("the panel's refresh", bool(rig.refresh_hz) or rig.variable_range_hz is not None),
    )
    return tuple(words for words, known in wanted if not known)
