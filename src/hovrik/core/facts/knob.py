"""What can be set on a machine. Knows levels, place and cost of a change; not how it is done."""

from __future__ import annotations

import math
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
        if isinstance(value, float) and not math.isfinite(value):
            return f"{self.label} {value} is not a number that can be set."
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

# the step within which two readings of a knob are the same setting, where neither machine nor rig knows a finer one
STEPS = {**dict.fromkeys(LIMITS, 1.0), CAP: 1.0, REFRESH: 1.0, "cpu_ceiling_ghz": 0.1, "gpu_ceiling_mhz": 25.0}


def agrees(key: str, asked: Level, read: Level, step: float | None = None) -> bool:
    """Whether a value read back is the one that was asked for: numbers within half a step (a hundredth of the value
    for knobs whose step is unknown), words to the letter."""
    numbers = [v for v in (asked, read) if isinstance(v, int | float) and not isinstance(v, bool)]
    if len(numbers) < 2:
        return asked == read
    one, other = float(numbers[0]), float(numbers[1])
    step = step or STEPS.get(key) or 0.02 * abs(one)
    return abs(one - other) <= 0.5 * step + 1e-9
