"""A machine that lacks every part: what a machine with some of them begins from.

A machine of its own needs five methods: describe, wait, apply, sample, start_scene. The rest is supplied here, by
what those five were told: the time waited so far, and what was applied, read back as confirmed.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from ..core.facts.condition import Conditions
from ..core.facts.knob import Knob, Level
from ..core.facts.place import Source
from ..core.facts.rig import Rig
from ..core.facts.setup import Reading, Setup, Snapshot
from ..core.facts.title import Title
from .clock import Clock
from .protocol import ChannelInfo, Description, Instruction, Outcome, Part, Reply, Sample


class PlainMachine:
    """One rig on a clock. Nothing can be set, nothing is recorded, titles are started by whoever plays.

    parts : those that it offers; the methods of each are overridden. Without a clock its time is what it has waited.
    """

    parts: frozenset[Part] = frozenset()
    poll_s = 1.0
    rig: Rig = Rig("machine", "Machine")
    clock: Clock | None = None
    slot: str = ""
    titles: tuple[Title, ...] = ()
    _waited_ns = 0
    _depth = 0
    _applied: dict[str, Level] | None = None

    def __init__(
        self, rig: Rig | None = None, clock: Clock | None = None, *, slot: str = "", titles: Sequence[Title] = ()
    ) -> None:
        if rig is not None:
            self.rig, self.slot, self.titles = rig, slot, tuple(titles)
        self.clock = clock

    def __init_subclass__(cls, **more: Any) -> None:
        """What a subclass waits is its time, what it applies is remembered; where it says nothing all went well."""
        super().__init_subclass__(**more)
        for name, made in (("wait", _timed), ("apply", _remembered), ("start_scene", _answered)):
            if name in cls.__dict__:
                setattr(cls, name, made(cls.__dict__[name]))

    def describe(self) -> Description:
        """What it is and offers."""
        return Description(self.rig, self.titles, self.knobs(), self.channels(), self.slot, parts=self.parts)

    def knobs(self) -> tuple[Knob, ...]:
        """What can be set."""
        return ()

    def channels(self) -> tuple[ChannelInfo, ...]:
        """What is recorded."""
        return ()

    def now_ns(self) -> int:
        """Machine time, ns: of its clock, else what it has waited so far."""
        return self.clock.now_ns() if self.clock is not None else self._waited_ns

    def wait(self, seconds: float) -> None:
        """Let machine time pass."""
        if self.clock is not None:
            self.clock.wait(seconds)
        elif not self._depth:
            self._waited_ns += round(seconds * 1e9)

    def stop(self) -> None:
        """End a wait."""
        if self.clock is not None:
            self.clock.stop()

    def snapshot(self) -> Snapshot:
        """Every knob: as it was applied, else as its knob says that it starts; what neither tells is not there."""
        starting = {knob.id: knob.starting for knob in self.describe().knobs if knob.starting is not None}
        values = {**starting, **(self._applied or {})}
        return Snapshot({key: Reading(value, True) for key, value in values.items()}, self.now_ns())

    def read_back(self) -> Snapshot:
        """Knobs as they are now."""
        return self.snapshot()

    def apply(self, setup: Setup) -> Outcome:
        """Nothing can be set but nothing."""
        if not setup:
            return Outcome(Reply.DONE)
        return Outcome(Reply.REFUSED, f"{self.rig.name} is read only: {', '.join(setup)} cannot be set by a program.")

    def restore(self, snapshot: Snapshot) -> Outcome:
        """Put back what can be confirmed."""
        return self.apply(snapshot.restorable())

    def start_scene(self, title: str, scene: str) -> Outcome:
        """Recording begins; whoever plays has started what there is."""
        return Outcome(Reply.DONE)

    def scene_over(self) -> bool:
        """Nobody marks it."""
        return False

    def end_scene(self) -> None:
        """Recording ends."""

    def sample(self) -> Sample:
        """Nothing is recorded."""
        return Sample(np.empty(0, np.int64))

    def told(self) -> Conditions:
        """Nobody was asked."""
        return {}

    def charge(self) -> float | None:
        """Not known."""
        return None

    def source(self) -> Source | None:
        """Not known."""
        return None

    def room_c(self) -> float | None:
        """Not known."""
        return None

    def needs_person(self, instruction: Instruction) -> bool:
        """Nobody is there."""
        return False

    def close(self) -> None:
        """Nothing to let go of."""


def _timed(own: Callable[[Any, float], None]) -> Callable[[Any, float], None]:
    @functools.wraps(own)
    def wait(self: PlainMachine, seconds: float) -> None:
        self._depth += 1
        try:
            own(self, seconds)
        finally:
            self._depth -= 1
        if not self._depth and self.clock is None:
            self._waited_ns += round(seconds * 1e9)

    return wait


def _answered(own: Callable[[Any, str, str], Outcome | None]) -> Callable[[Any, str, str], Outcome]:
    @functools.wraps(own)
    def start_scene(self: PlainMachine, title: str, scene: str) -> Outcome:
        return own(self, title, scene) or Outcome(Reply.DONE)

    return start_scene


def _remembered(own: Callable[[Any, Setup], Outcome | None]) -> Callable[[Any, Setup], Outcome]:
    @functools.wraps(own)
    def apply(self: PlainMachine, setup: Setup) -> Outcome:
        outcome = own(self, setup) or Outcome(Reply.DONE)
        if outcome.reply is Reply.DONE:
            self._applied = {**(self._applied or {}), **setup}
        return outcome

    return apply
