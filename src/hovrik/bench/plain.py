"""A machine that lacks every part: what a machine with some of them begins from."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..core.facts.condition import Conditions
from ..core.facts.knob import Knob
from ..core.facts.place import Source
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup, Snapshot
from ..core.facts.title import Title
from .clock import Clock
from .protocol import ChannelInfo, Description, Instruction, Outcome, Part, Reply, Sample


class PlainMachine:
    """One rig on a clock. Nothing can be set, nothing is recorded, titles are started by whoever plays.

    parts : those that it offers; the methods of each are overridden.
    """

    parts: frozenset[Part] = frozenset()
    poll_s = 0.25

    def __init__(self, rig: Rig, clock: Clock, *, slot: str = "", titles: Sequence[Title] = ()) -> None:
        self.rig, self.clock, self.slot, self.titles = rig, clock, slot, tuple(titles)

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
        """Machine time, ns."""
        return self.clock.now_ns()

    def wait(self, seconds: float) -> None:
        """Let machine time pass."""
        self.clock.wait(seconds)

    def stop(self) -> None:
        """End a wait."""
        self.clock.stop()

    def snapshot(self) -> Snapshot:
        """Every knob: none."""
        return Snapshot({}, self.now_ns())

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
