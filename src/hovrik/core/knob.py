"""What can be set on a machine. Knows levels, place and cost of a change; not how it is done."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

Level = float | int | str | bool


class Where(StrEnum):
    """Where a knob can be changed."""

    LIVE = "live"
    RELAUNCH = "relaunch"
    RESTART = "restart"
    SETUP_SCREEN = "set-up screen"
    OTHER_OS = "other OS"
    NOT = "not at all"


class Hazard(StrEnum):
    """What a wrong value can do."""

    NONE = "none"
    LIMIT = "limit"
    VOLTAGE = "voltage"


@dataclass(frozen=True)
class Knob:
    """One thing that can be set.

    levels : allowed values where they are few; else low, high and step bound a number.
    cost_min : minutes one change costs. depends : ids of knobs that must be set first.
    slots : OS slot keys that offer it; empty means every slot.
    """

    id: str
    label: str
    unit: str = ""
    levels: tuple[Level, ...] = ()
    low: float | None = None
    high: float | None = None
    step: float | None = None
    where: Where = Where.LIVE
    cost_min: float = 0.0
    depends: tuple[str, ...] = ()
    hazard: Hazard = Hazard.NONE
    slots: tuple[str, ...] = ()

    def refusal(self, value: Level) -> str | None:
        """Why `value` is not allowed, or None where it is."""
        if self.levels and value in self.levels:
            return None
        if isinstance(value, str | bool) or self.low is None or self.high is None:
            allowed = ", ".join(str(level) for level in self.levels) or "numbers only"
            return f"{self.label} {value} is not offered. Choose one of: {allowed}."
        if not self.low - 1e-9 <= value <= self.high + 1e-9:
            return (
                f"{self.label} {value:g} {self.unit} is outside this rig's range. "
                f"Choose {self.low:g} to {self.high:g} {self.unit}."
            )
        return None


STATIC_LIMIT = "sustained_limit_w"
LIMITS = ("sustained_limit_w", "short_limit_w", "peak_limit_w")
CAP = "cap_fps"
NO_CAP = "none"
REFRESH = "refresh_hz"

LABELS = {
    "sustained_limit_w": ("Sustained limit", "W"),
    "short_limit_w": ("Short limit", "W"),
    "peak_limit_w": ("Peak limit", "W"),
    "cap_fps": ("Frame cap", "fps"),
    "refresh_hz": ("Refresh", "Hz"),
}
