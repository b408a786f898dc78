"""A machine that a person runs by hand: one instruction at a time, timers, then the readings.

Stands behind the same protocol as every machine. What a person sets is never confirmed by the hardware; what a log or
a gauge says comes in after each pass.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from ...core.facts.condition import Condition, Conditions, Provenance
from ...core.facts.knob import named
from ...core.facts.knobs import knobs_of
from ...core.facts.place import Source
from ...core.facts.rig import Rig
from ...core.facts.setup import Reading, Setup, Snapshot, describe
from ...core.facts.title import Title
from ...core.passes.hand import (
    LEAST_TICKS,
    GaugeReading,
    HandDraw,
    MeterReading,
    best_draws,
    draw_from_gauge,
    draw_from_meter,
    draw_from_ticks,
)
from ...core.passes.trace import Channel, Trace
from ..clock import Clock
from ..plain import PlainMachine
from ..protocol import (
    ALL_PARTS,
    LAUNCHED_ANEW,
    RATE_READ,
    ChannelInfo,
    Description,
    Instruction,
    Need,
    Outcome,
    Reply,
    Sample,
)

_NS = 1_000_000_000
ANEW = "started anew"  # a tag that is said of the title, not of what was seen


@dataclass(frozen=True)
class Readings:
    """What a person brings back from a pass.

    trace : an imported frame log, None for none; gauge : read when the scene began and ended; ticks_ns : machine time
    of each step of the gauge; step_wh : of one tick, where the rig's is unknown; meter : an outside one over the scene;
    mean_fps : read in place of frame times; die_c, shell_c : read at the end;
    seen : quick tags; conditions : what the files tell of themselves.
    """

    trace: Trace | None = None
    gauge: GaugeReading | None = None
    ticks_ns: tuple[int, ...] = ()
    step_wh: float | None = None
    meter: MeterReading | None = None
    mean_fps: float | None = None
    die_c: float | None = None
    shell_c: float | None = None
    seen: tuple[str, ...] = ()
    conditions: Conditions = field(default_factory=dict)

    def draws(self, seconds: float, rig: Rig) -> dict[str, HandDraw]:
        """What was read, as powers by channel. seconds : of the scene. Raises InputError naming what cannot be."""
        found = []
        if self.gauge is not None:
            found.append(draw_from_gauge(self.gauge, seconds, rig))
        step = self.step_wh or rig.gauge_step_wh
        if len(self.ticks_ns) >= LEAST_TICKS and step:
            found.append(draw_from_ticks([(at - self.ticks_ns[0]) / _NS for at in self.ticks_ns], step))
        if self.meter is not None:
            found.append(draw_from_meter(self.meter, seconds))
        return best_draws(found)

    def end_temperatures(self, end_ns: int) -> dict[str, Channel]:
        """Temperatures read at the end, as channels of one sample in the last second."""
        at = np.array([end_ns - _NS], np.int64)
        read = {"die_c": self.die_c, "shell_c": self.shell_c}
        return {name: Channel(at, np.array([value])) for name, value in read.items() if value is not None}


class Person(Protocol):
    """The person at the machine, behind a window or a prompt. Each call blocks until answered."""

    def do(self, instruction: Instruction) -> bool:
        """Do something and say so; False when the run was stopped."""

    def bring(self, instruction: Instruction) -> Readings | None:
        """Bring the readings of the pass that has just ended; None when the run was stopped."""

    def has_ended(self) -> bool:
        """Whether the person has marked the end of the scene since it was started."""

    def cut(self) -> None:
        """An open call is withdrawn; what is asked next is asked again. From any thread."""


class GuidedMachine(PlainMachine):
    """One rig run by hand. slot : the OS slot it runs, "" where nobody has said yet."""

    parts = ALL_PARTS

    def __init__(
        self, rig: Rig, titles: Sequence[Title], slot: str, person: Person, clock: Clock,
        on_source: Source = Source.BATTERY,
    ) -> None:  # fmt: skip
        super().__init__(rig, clock, slot=slot, titles=titles)
        self.person, self.on_source = person, on_source
        self._set = Setup()
        self._granted = self._running = False
        self._began_ns = 0
        self._brought: Sample | None = None
        self._told: Conditions = {}

    def describe(self) -> Description:
        slot = next((one for one in self.rig.slots if one.key == self.slot), None)
        knobs = named(knobs_of(self.rig, slot))
        for title in self.titles:
            knobs = {**named(knobs_of(self.rig, slot, title)), **knobs}
        channels = (ChannelInfo("battery_w", "W", 0.0),)
        return Description(self.rig, self.titles, tuple(knobs.values()), channels, self.slot, by_hand=True)

    def snapshot(self) -> Snapshot:
        """What was set by hand last; nothing of it is confirmed, so nothing is ever restored from it."""
        return Snapshot({key: Reading(value, False) for key, value in self._set.items()}, self.now_ns())

    def apply(self, setup: Setup) -> Outcome:
        knobs = named(self.describe().knobs)
        for key, value in setup.items():
            knob = knobs.get(key)
            refusal = knob.refusal(value) if knob is not None else f"{key!r} is no knob of this rig, slot or title."
            if refusal:
                return Outcome(Reply.REFUSED, refusal)
        if setup == self._set:
            return Outcome(Reply.DONE)
        if not self._granted:
            return Outcome(Reply.PERSON, "set by hand", f"Set {self._words(setup)}.")
        self._granted, self._set = False, setup
        return Outcome(Reply.DONE)

    def _words(self, setup: Setup) -> str:
        static = setup.static_limit_w
        pinned = f" (sustained, short and peak all {static:g} W)" if static is not None else ""
        knobs = self.describe().knobs
        places = dict.fromkeys(k.place for k in knobs if k.id in setup and k.place)
        where = f" ({', '.join(places)})" if places else ""
        return f"{describe(setup, knobs)}{pinned}{where}"

    def needs_person(self, instruction: Instruction) -> bool:
        if not self.person.do(instruction):
            return False
        if instruction.need is Need.SET_BY_HAND:
            self._granted = True
        if instruction.slot is not None:
            self.slot = instruction.slot
        if instruction.need in (Need.PLUG_IN, Need.UNPLUG):
            self.on_source = Source.ADAPTER if instruction.need is Need.PLUG_IN else Source.BATTERY
        return True

    def start_scene(self, title: str, scene: str) -> Outcome:
        known = next((t for t in self.titles if t.key == title), None)
        place = next((s for s in known.scenes if s.key == scene), None) if known else None
        if known is None or place is None:
            return Outcome(Reply.REFUSED, f"{title} · {scene} is no scene of this rig's titles.")
        where = f"{known.name} · {place.name}"
        mark = f", at {place.start_mark}" if place.start_mark else ""
        text = f"Start {where}{mark}, and the frame log with it. Confirm at the moment it begins."
        if not self.person.do(Instruction(Need.START, text)):
            return Outcome(Reply.REFUSED, "it was not started")
        self._running, self._began_ns, self._brought = True, self.now_ns(), None
        return Outcome(Reply.DONE)

    def scene_over(self) -> bool:
        return self._running and self.person.has_ended()

    def end_scene(self) -> None:
        if not self._running:
            return
        self._running, end = False, self.now_ns()
        over = "It is over" if self.person.has_ended() else "The time is up"
        text = f"{over}: stop the log and the scene. Bring the frame log and what you read."
        readings = self.person.bring(Instruction(Need.BRING, text))
        if readings is not None:
            draws = readings.draws((end - self._began_ns) / _NS, self.rig) if end > self._began_ns else {}
            self._brought = self._sample(readings, draws, end)
            self._told = {**told_by_hand(readings.seen, draws, end), **readings.conditions}
            if readings.mean_fps is not None and readings.trace is None:
                self._told[RATE_READ] = Condition(readings.mean_fps, Provenance.ASKED, end)

    def told(self) -> Conditions:
        """Quick tags of the pass that has just ended, how well its draw is known, where its telemetry lies."""
        told, self._told = self._told, {}
        return told

    def _sample(self, readings: Readings, draws: Mapping[str, HandDraw], end: int) -> Sample:
        """Readings as samples: the log's last frame lies at the moment the scene was ended."""
        channels: dict[str, Channel] = {}
        frames = np.empty(0, np.int64)
        if readings.trace is not None:
            shift = end - int(readings.trace.frames_ns[-1])
            frames = readings.trace.frames_ns + shift
            channels = {k: replace(c, stamps_ns=c.stamps_ns + shift) for k, c in readings.trace.channels.items()}
        if end > self._began_ns:
            channels = {**readings.end_temperatures(end), **channels, **constant(draws, self._began_ns, end)}
        return Sample(frames, channels)

    def sample(self) -> Sample:
        brought, self._brought = self._brought, None
        return brought or Sample(np.empty(0, np.int64))

    def source(self) -> Source | None:
        return self.on_source

    def stop(self) -> None:
        super().stop()
        self.person.cut()

    def restore(self, snapshot: Snapshot) -> Outcome:
        """The person puts back what was there before; said once, at the end."""
        if not self._set:
            return Outcome(Reply.DONE)
        text = "Put the limits back to what you had before the sweep."
        if not self.person.do(Instruction(Need.PUT_BACK, text)):
            return Outcome(Reply.REFUSED, "nobody said that it was put back; set it to what you had before")
        self._set, self._granted, self._running = Setup(), False, False
        return Outcome(Reply.DONE)


def constant(draws: Mapping[str, HandDraw], start_ns: int, end_ns: int) -> dict[str, Channel]:
    """Powers that are known as a mean over a span only, as channels."""
    seconds = np.arange(start_ns, end_ns, _NS, dtype=np.int64)
    return {name: Channel(seconds, np.full(seconds.size, draw.watts)) for name, draw in draws.items()}


def told_by_hand(seen: Sequence[str], draws: Mapping[str, HandDraw], now_ns: int) -> dict[str, Condition]:
    """Quick tags, and how well each power is known, as conditions of a pass."""
    found = {}
    tags = [tag for tag in seen if tag.lower() != ANEW]
    if tags:
        found["seen"] = Condition(", ".join(tags), Provenance.ASKED, now_ns)
    if len(tags) < len(seen):
        found[LAUNCHED_ANEW] = Condition("yes", Provenance.ASKED, now_ns)
    for name, draw in draws.items():
        key = "draw" if name == "battery_w" else name.removesuffix("_w")
        found[f"{key}_sd_w"] = Condition(draw.sd_w, Provenance.ASSUMED, now_ns)
        found[f"{key}_read_from"] = Condition(draw.how, Provenance.ASKED, now_ns)
    return found
