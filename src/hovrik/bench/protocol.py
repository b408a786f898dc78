"""What a machine offers, version 1. Simulated, kernel and hand-run machines stand behind this one small protocol.

The machine owns time: `now_ns` and `wait`, of a clock that can be exchanged (clock.py). Nothing above it sleeps or
reads a clock. Setting, frames, telemetry and starting a title are parts that a machine offers or lacks; one that lacks
them (plain.py) is legal, and so is recording without a scene. A machine is opened, used and closed on one thread; only
`stop` comes from another.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Protocol

from ..core.facts.condition import Conditions
from ..core.facts.knob import Knob
from ..core.facts.place import Source
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup, Snapshot
from ..core.facts.title import Title
from ..core.passes.trace import Channel, Stamps

VERSION = 1


class Part(StrEnum):
    """What a machine can offer."""

    SETTING = "setting"
    FRAMES = "frames"
    TELEMETRY = "telemetry"
    TITLES = "titles"


ALL_PARTS = frozenset(Part)


class Reply(StrEnum):
    """What became of an Apply."""

    DONE = "done"
    REFUSED = "refused"
    RELAUNCH = "needs relaunch"
    RESTART = "needs restart"
    RECHARGE = "needs recharge"
    PERSON = "needs person"


@dataclass(frozen=True)
class Outcome:
    """Reply with its reason; instruction : what a person must do, where one is needed."""

    reply: Reply
    reason: str = ""
    instruction: str = ""


@dataclass(frozen=True)
class ChannelInfo:
    """A telemetry channel on offer. rate_hz : samples a second; 0: one per frame."""

    name: str
    unit: str
    rate_hz: float


@dataclass(frozen=True)
class Description:
    """What a machine is and offers. by_hand : a person sets everything and puts it back; parts : those it offers."""

    rig: Rig
    titles: tuple[Title, ...]
    knobs: tuple[Knob, ...]
    channels: tuple[ChannelInfo, ...]
    slot: str
    by_hand: bool = False
    parts: frozenset[Part] = ALL_PARTS

    def knob(self, key: str) -> Knob | None:
        """The knob with this id, or None."""
        return next((k for k in self.knobs if k.id == key), None)


@dataclass(frozen=True)
class Sample:
    """What was recorded since the last sample. frames_ns : (n,) present stamps; channels : name to Channel."""

    frames_ns: Stamps
    channels: Mapping[str, Channel] = field(default_factory=dict)


RATE_READ = "mean_fps_read"  # condition that `told` may hold: a mean rate in place of frame times
LAUNCHED_ANEW = "launched_anew"  # condition that `told` may hold: the title was started anew for this pass


class Need(StrEnum):
    """What a person can be asked for."""

    RECHARGE = "recharge"
    RELAUNCH = "relaunch"
    RESTART = "restart"
    PLUG_IN = "plug in"
    UNPLUG = "unplug"
    SET_BY_HAND = "set by hand"
    PUT_BACK = "put back"
    START = "start the scene"
    BRING = "bring the readings"


@dataclass(frozen=True)
class Instruction:
    """Something a person must do, in plain words. until : charge share (0..1) to reach, for a recharge; slot : OS slot
    to restart into, where it is another one."""

    need: Need
    text: str
    until: float | None = None
    slot: str | None = None


class Machine(Protocol):
    """A machine that can be measured. Every method may raise Unavailable.

    poll_s : machine seconds between samples that are worth taking.
    """

    @property
    def poll_s(self) -> float: ...

    def describe(self) -> Description:
        """What it is and offers in the OS slot it runs; changes only where a person restarts it into another."""

    def now_ns(self) -> int:
        """Machine time, ns; never goes back."""

    def wait(self, seconds: float) -> None:
        """Let `seconds` of machine time pass, less if `stop` is called from another thread."""

    def snapshot(self) -> Snapshot:
        """Every knob, each value confirmed by the hardware or merely cached."""

    def apply(self, setup: Setup) -> Outcome:
        """Set what `setup` knows; anything but DONE leaves every knob as it was."""

    def read_back(self) -> Snapshot:
        """Knobs as they are now."""

    def start_scene(self, title: str, scene: str) -> Outcome:
        """Start a scene's load, or recording alone where titles are not started by it; not DONE is an outcome of the
        setup (did not start), with its reason."""

    def scene_over(self) -> bool:
        """Whether the scene has come to its own end, as a person marks it; False where nobody does."""

    def end_scene(self) -> None:
        """End the scene's load; harmless where none runs."""

    def sample(self) -> Sample:
        """Everything recorded since the last call."""

    def told(self) -> Conditions:
        """What a person said about the scene that has just ended; empty where nobody was asked."""

    def charge(self) -> float | None:
        """Charge share 0..1 by the gauge, None where there is no battery."""

    def source(self) -> Source | None:
        """Battery or adapter, None where it cannot be read."""

    def room_c(self) -> float | None:
        """Temperature of the room, C, None where it has no sensor for it."""

    def needs_person(self, instruction: Instruction) -> bool:
        """Ask the person at the machine; True when done, False when declined or stopped."""

    def stop(self) -> None:
        """End the wait under way, or the next one where none is, at once. May be called from any thread, at any
        time, more than once."""

    def restore(self, snapshot: Snapshot) -> Outcome:
        """Put back the confirmed values of `snapshot`; cached ones are never written. A machine that a person runs asks
        that person (PUT_BACK)."""

    def close(self) -> None:
        """Let go of the machine; its state stays as it is."""
