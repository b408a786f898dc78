"""What a pass was really made at: setup as read back, place, versions, conditions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..facts.condition import Conditions
from ..facts.knob import Level
from ..facts.place import Place
from ..facts.setup import Setup


@dataclass(frozen=True)
class Point:
    """One point. setup : as read back, asked where nothing was read; asked_only : those knobs; versions : what to
    installed version, None where it is not noted; conditions : those that are known, by name; launch, boot : ids of the
    launch and the boot a pass belongs to, "" unknown."""

    setup: Setup = field(default_factory=Setup)
    asked_only: frozenset[str] = frozenset()
    place: Place = field(default_factory=Place)
    versions: Mapping[str, str | None] = field(default_factory=dict)
    conditions: Mapping[str, Level] = field(default_factory=dict)
    launch: str = ""
    boot: str = ""

    @property
    def cooling(self) -> str:
        """What the heat of its rig belongs to: fan policy and the rig's own versions (a firmware moves its fan)."""
        own = sorted(f"{what} {one}" for what, one in self.versions.items() if what.startswith("rig/") and one)
        return ", ".join((str(self.setup.get("fan_policy", "")), *own))

    def number(self, name: str) -> float | None:
        """A condition as a number; None where it is not known, or none."""
        found = self.conditions.get(name)
        return float(found) if isinstance(found, int | float) else None


PINNED = "pinned_w"  # condition: measured watts that the limits of a pass were adjusted to
# conditions that are a knob where a machine offers it: the reading of the knob counts before them
AS_KNOBS = ("boost", "fan_policy", "refresh_hz", "display", "brightness_percent")


def point_of(
    asked: Setup, read: Setup, place: Place, versions: Mapping[str, str | None], conditions: Conditions
) -> Point:
    """The point of a pass. What was asked fills in where nothing was read back; a condition of a knob's name does where
    the machine offers no such knob, and stays beside it, as NAME_noted, where they contradict."""
    known = {name: c.value for name, c in conditions.items() if c.value is not None}
    told = {key: known.pop(key) for key in AS_KNOBS if key in known}
    setup = Setup({**{k: _as_knob(v) for k, v in told.items()}, **asked, **read})
    known.update({f"{k}_noted": v for k, v in told.items() if _as_knob(v) != setup[k]})  # the machine says otherwise
    return Point(
        setup, frozenset(set(asked) - set(read)), place, dict(versions), known, str(known.get("launch", "")),
        str(known.get("boot", "")),
    )  # fmt: skip


def _as_knob(value: Level) -> Level:
    return {"yes": "on", "no": "off"}.get(value, value) if isinstance(value, str) else value
