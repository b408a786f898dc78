"""One value for every knob that is known. A knob that is absent is unknown, which is not its default."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from .knob import CAP, LIMITS, NO_CAP, STATIC_LIMIT, Knob, Level, finite, is_number, named
from .known_knobs import known


class Setup(Mapping[str, Level]):
    """Immutable mapping of knob id to value; `get` returns None for unknown.

    Two setups are equal when they know the same knobs at the same values, so a knob that is added
    to the program later does not invalidate setups stored before it.
    """

    __slots__ = ("_values",)

    def __init__(self, values: Mapping[str, Level] | None = None, **more: Level) -> None:
        merged = {**(values or {}), **more}
        self._values = {key: _plain(merged[key]) for key in sorted(merged) if merged[key] is not None}

    def __getitem__(self, key: str) -> Level:
        return self._values[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)

    def __hash__(self) -> int:
        return hash(tuple(self._values.items()))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Setup) and self._values == other._values

    def __repr__(self) -> str:
        return f"Setup({self._values})"

    def with_(self, **changes: Level) -> Setup:
        """A copy with some values replaced."""
        return Setup({**self._values, **changes})

    def has(self, part: Setup) -> bool:
        """Whether every value of another setup is this one's too."""
        return all(self.get(key) == value for key, value in part.items())

    def without(self, *keys: str) -> Setup:
        """A copy in which `keys` are unknown."""
        return Setup({key: value for key, value in self._values.items() if key not in keys})

    @property
    def static_limit_w(self) -> float | None:
        """The power limit where sustained, short and peak agree or only sustained is known; else None."""
        known = {float(self._values[key]) for key in LIMITS if key in self._values}
        return known.pop() if STATIC_LIMIT in self._values and len(known) == 1 else None

    @property
    def family(self) -> Setup:
        """Everything but the power limits: passes of one family differ in watts only."""
        return self.without(*LIMITS)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return dict(self._values)


def static(limit_w: float, cap_fps: float | str | None = NO_CAP, **others: Level) -> Setup:
    """Setup with sustained = short = peak = `limit_w` (W) and a frame cap (fps, "none", or None for unknown)."""
    values: dict[str, Level] = dict.fromkeys(LIMITS, float(limit_w))
    if cap_fps is not None:
        values[CAP] = cap_fps
    return Setup({**values, **others})


def describe(setup: Setup, knobs: Iterable[Knob] = ()) -> str:
    """Short words for a setup: '12 W, cap 40'. knobs : those beside the known ones, such as an owner's."""
    own = named(tuple(knobs))
    parts = []
    limit = setup.static_limit_w
    if limit is not None:
        parts.append(f"{limit:g} W")
    keys = [key for key in (*LIMITS, CAP, *setup) if key in setup and not (limit is not None and key in LIMITS)]
    parts += [(own.get(key) or known(key)).words(setup[key]) for key in dict.fromkeys(keys)]
    return ", ".join(parts) or "setup unknown"


@dataclass(frozen=True)
class Reading:
    """A value read from a machine.

    confirmed : True only where the hardware itself answered; a cached value may be merely what was
    asked last, and is never restored.
    """

    value: Level
    confirmed: bool


@dataclass(frozen=True)
class Snapshot:
    """Every knob of a machine as read at one time. at_ns : machine time."""

    readings: Mapping[str, Reading] = field(default_factory=dict)
    at_ns: int = 0

    def restorable(self) -> Setup:
        """The confirmed values only; what is no finite number was not read."""
        return Setup({key: r.value for key, r in self.readings.items() if r.confirmed and finite(r.value)})

    def as_setup(self) -> Setup:
        """All values read, confirmed or not."""
        return Setup({key: r.value for key, r in self.readings.items()})

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "at_ns": self.at_ns,
            "readings": {
                k: {"value": r.value if finite(r.value) else str(r.value), "confirmed": r.confirmed and finite(r.value)}
                for k, r in self.readings.items()
            },
        }

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Snapshot:
        """The inverse of `as_dict`."""
        readings = {k: Reading(r["value"], bool(r["confirmed"])) for k, r in body["readings"].items()}
        return cls(readings, int(body["at_ns"]))


def _plain(value: Level) -> Level:
    return float(value) if is_number(value) else value
