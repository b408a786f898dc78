"""Guards of a run: each watches one reading, trips past one threshold for a hold time, clears past another for its own.

A tripped guard is a recorded outcome, not an error. A guard decides on what it reads: time between two looks of which
nothing is known does not count as lasting, and one whose reading cannot be had while the run is held says so and lets
the pass be tried again. No clock here: the machine's time is handed in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from ..errors import InputError
from ..facts.place import Source
from ..facts.rig import Rig
from .trace import Channel

BLIND_S = 60.0  # how long a tripped guard waits for a reading that does not come before the pass is tried again

CHARGE = "charge"  # name of the guard that keeps passes in the window in which they count


@dataclass(frozen=True)
class Look:
    """What a guard can see at one time. Everything may be None; at_s : machine time, s; room_c : of a sensor."""

    at_s: float
    die_c: float | None = None
    charge: float | None = None
    source: Source | None = None
    battery_w: float | None = None
    plugged: bool = False
    room_c: float | None = None


@dataclass(frozen=True)
class Guard:
    """One guard. reading : what is watched; trip, clear : thresholds in its unit (it trips above `trip`, or below where
    `below` is set); hold_s, clear_s : how long either must last; why : words, with {value}; what : what to do."""

    name: str
    reading: str
    trip: float
    clear: float
    hold_s: float
    clear_s: float
    why: str
    what: str
    below: bool = False

    def is_past(self, value: float, *, tripped: bool) -> bool:
        """Whether a value is on the bad side: of `trip` while clear, of `clear` while tripped."""
        edge = self.clear if tripped else self.trip
        return value < edge if self.below else value > edge


@dataclass
class Watch:
    """The state of all guards of a run. wanted : source; room_c : where the run began; tripped : name to the words that
    say why; blind : name to the words that say what could not be read, of guards that let go for want of a reading."""

    guards: Sequence[Guard]
    wanted: Source | None = None
    room_c: float | None = None
    tripped: dict[str, str] = field(default_factory=dict)
    blind: dict[str, str] = field(default_factory=dict)
    _lasted: dict[str, float] = field(default_factory=dict)
    _unread: dict[str, float] = field(default_factory=dict)
    _before_s: float | None = None

    def look(self, seen: Look) -> tuple[str, ...]:
        """Take a look; the words of what is tripped now."""
        passed = 0.0 if self._before_s is None else max(seen.at_s - self._before_s, 0.0)
        self._before_s = seen.at_s
        for guard in self.guards:
            value = self._value(guard.reading, seen)
            if value is None:
                self._without_reading(guard, passed)
                continue
            self._unread.pop(guard.name, None)
            self.blind.pop(guard.name, None)
            is_tripped = guard.name in self.tripped
            if guard.is_past(value, tripped=is_tripped) == is_tripped:  # as before: nothing is under way
                self._lasted.pop(guard.name, None)
                continue
            wanted = guard.clear_s if is_tripped else guard.hold_s
            # two looks far apart know nothing of the time between them: no gap counts for more than half of what lasts
            lasted = self._lasted.get(guard.name)
            lasted = 0.0 if lasted is None else lasted + min(passed, 0.5 * wanted)
            self._lasted[guard.name] = lasted
            if lasted < wanted - 1e-9:
                continue
            self._lasted.pop(guard.name, None)
            if is_tripped:
                del self.tripped[guard.name]
            else:
                self.tripped[guard.name] = f"{guard.why.format(value=value)} {guard.what}"
        return tuple(self.tripped.values())

    def _without_reading(self, guard: Guard, passed: float) -> None:
        """A reading that does not come decides nothing; a tripped guard lets go after a while and says so."""
        self._lasted.pop(guard.name, None)
        if guard.name not in self.tripped:
            return
        self._unread[guard.name] = self._unread.get(guard.name, 0.0) + passed
        if self._unread[guard.name] < max(BLIND_S, guard.clear_s):
            return
        del self._unread[guard.name], self.tripped[guard.name]
        self.blind[guard.name] = f"The {guard.name} guard cannot read while nothing runs: the pass is tried again."

    def _value(self, reading: str, seen: Look) -> float | None:
        if reading == "other_source":
            if self.wanted is None or seen.source is None:
                return None
            return float(seen.source is not self.wanted)
        if reading == "drain_w":
            return seen.battery_w if seen.plugged and seen.battery_w is not None else None
        if reading == "room_off_c":
            return None if self.room_c is None or seen.room_c is None else abs(seen.room_c - self.room_c)
        if reading == "charge_percent":
            return None if seen.charge is None else 100.0 * seen.charge
        value: float | None = getattr(seen, reading)
        return value


@dataclass(frozen=True)
class GuardThresholds:
    """Where guards trip and clear, and for how long it must last (hold and clear times, s), with their reasons.

    heat_over_c, heat_under_c : degrees over the firmware's own limit, which means that the throttle does not hold it,
    and under it, from where a pass begins as usual; charge_under, charge_over : share of a full charge under the rig's
    window, where clocks may be clamped, and over its lower end; source_* : another source is another machine;
    drain_trip_w, drain_clear_w : a battery that gives this although plugged in empties behind one's back;
    room_trip_c, room_clear_c : degrees from where the run began; over 3 apart no comparison is fair.
    Raises InputError where one would clear on the wrong side of where it trips.
    """

    heat_over_c: float = 2.0
    heat_under_c: float = 18.0
    heat_hold_s: float = 4.0
    heat_clear_s: float = 10.0
    charge_under: float = 0.01
    charge_over: float = 0.02
    charge_hold_s: float = 2.0
    charge_clear_s: float = 2.0
    source_hold_s: float = 1.0
    source_clear_s: float = 3.0
    drain_trip_w: float = 1.0
    drain_clear_w: float = 0.2
    drain_hold_s: float = 20.0
    drain_clear_s: float = 20.0
    room_trip_c: float = 3.0
    room_clear_c: float = 2.0
    room_hold_s: float = 60.0
    room_clear_s: float = 60.0

    def __post_init__(self) -> None:
        for what, clear, trip in (
            ("The die, from its limit,", -self.heat_under_c, self.heat_over_c),
            ("Drain while plugged", self.drain_clear_w, self.drain_trip_w),
            ("The room", self.room_clear_c, self.room_trip_c),
        ):
            if clear > trip:
                raise InputError(
                    f"{what} would clear at {clear:g}, above {trip:g} where it trips. Change the other first."
                )


def guards_of(rig: Rig, at: GuardThresholds | None = None) -> tuple[Guard, ...]:
    """The guards of a rig, at the default thresholds where none are given."""
    at = at or GuardThresholds()
    found = []
    if rig.die_limit_c is not None:
        limit = rig.die_limit_c
        found.append(
            Guard("temperature", "die_c", limit + at.heat_over_c, limit - at.heat_under_c, at.heat_hold_s,
                  at.heat_clear_s, "The die is at {value:.0f} C.", "The limits are put back while it cools down.")
        )  # fmt: skip
    low = 100.0 * rig.valid_charge[0]
    back = low + 100.0 * at.charge_over
    found.append(
        Guard(CHARGE, "charge_percent", low - 100.0 * at.charge_under, back, at.charge_hold_s, at.charge_clear_s,
              "The battery is at {value:.0f} %.", f"Charge it above {back:.0f} %; do not charge unattended.",
              below=True)
    )  # fmt: skip
    found.append(
        Guard("source", "other_source", 0.5, 0.5, at.source_hold_s, at.source_clear_s, "The power source has changed.",
              "Put it back as planned.")
    )  # fmt: skip
    found.append(
        Guard("drain", "drain_w", at.drain_trip_w, at.drain_clear_w, at.drain_hold_s, at.drain_clear_s,
              "The battery gives {value:.0f} W although plugged in.", "Use a stronger adapter.")
    )  # fmt: skip
    found.append(
        Guard("room", "room_off_c", at.room_trip_c, at.room_clear_c, at.room_hold_s, at.room_clear_s,
              "The room is {value:.1f} degrees from where it was.",
              "Bring it back, or stop and plan anew: over 3 degrees no comparison is fair.")
    )  # fmt: skip
    return tuple(found)


def newest(channel: Channel | None, seconds: float = 3.0) -> float | None:
    """Mean of the last seconds of a channel, None where there is none."""
    if channel is None or channel.values.size == 0:
        return None
    late = channel.values[channel.stamps_ns >= channel.stamps_ns[-1] - seconds * 1e9]
    late = late[np.isfinite(late)]
    return float(late.mean()) if late.size else None


def has_settled(die: Channel | None, rate_per_s: Sequence[float], slope_c_per_min: float = 2.0) -> bool:
    """Whether soak may end by the data: the die rises by less than `slope_c_per_min` over the last 20 s, and the rate
    of the last 10 s is within 3 % of the 10 s before. False where less than 20 s are known."""
    if len(rate_per_s) < 20:
        return False
    before, late = float(np.mean(rate_per_s[-20:-10])), float(np.mean(rate_per_s[-10:]))
    if before <= 0 or abs(late / before - 1.0) > 0.03:
        return False
    if die is None or die.values.size < 10:
        return True
    recent = die.stamps_ns >= die.stamps_ns[-1] - 20_000_000_000
    minutes, celsius = die.stamps_ns[recent] / 60e9, die.values[recent]
    if celsius.size < 10:
        return False
    slope = float(np.polyfit(minutes - minutes.mean(), celsius, 1)[0])
    return abs(slope) < slope_c_per_min
