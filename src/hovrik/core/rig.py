"""The machine as people know it: limits, battery, panel, OS slots. Facts only; a None field is unknown."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from .errors import LimitError, PlanError


@dataclass(frozen=True)
class OsSlot:
    """One operating system installed on the rig. key : stable word; versions : free text, noted when set up."""

    key: str
    name: str
    session: str | None = None
    driver: str | None = None
    os_build: str | None = None


@dataclass(frozen=True)
class Rig:
    """One machine.

    limit_low_w, limit_high_w, limit_step_w : power limit range (W); battery_wh : full-charge energy (Wh);
    pack_ohm, pack_cells : series resistance of the whole pack (ohm) and cells in series;
    valid_charge : lowest and highest charge (share) at which passes count; reserve : share never used;
    die_limit_c : die temperature at which the maker's firmware throttles (degrees C);
    recharge_w : watts into the battery while charging idle.
    """

    key: str
    name: str
    limit_low_w: float
    limit_high_w: float
    limit_step_w: float = 1.0
    battery_wh: float | None = None
    pack_ohm: float | None = None
    pack_cells: int | None = None
    health: float = 1.0
    charge_limit: float = 1.0
    reserve: float = 0.05
    valid_charge: tuple[float, float] = (0.51, 1.0)
    gauge_step_wh: float | None = None
    refresh_hz: tuple[float, ...] = ()
    variable_range_hz: tuple[float, float] | None = None
    resolution: tuple[int, int] | None = None
    adapter_w: float | None = None
    recharge_w: float | None = None
    die_limit_c: float | None = None
    fan_policy: str | None = None
    firmware: str | None = None
    slots: tuple[OsSlot, ...] = ()

    def check_limit(self, limit_w: float) -> None:
        """Raise LimitError where a power limit lies outside this rig's range."""
        if not self.limit_low_w - 1e-9 <= limit_w <= self.limit_high_w + 1e-9:
            raise LimitError("Power limit", limit_w, self.limit_low_w, self.limit_high_w, "W")

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
        known = {k: _tuple(v) for k, v in body.items() if k in cls.__dataclass_fields__ and k != "slots"}
        slots = tuple(
            OsSlot(**{k: v for k, v in s.items() if k in OsSlot.__dataclass_fields__}) for s in body.get("slots", ())
        )
        return cls(**known, slots=slots)


def _tuple(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value
