"""Every machine there is, ready for the contract: stand-in, one run by hand, an odd plant, a toy on a real clock."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from gates.worlds.machine import machine as plant_machine
from gates.worlds.plants import drawn

from hovrik.bench.by_hand.guided import GuidedMachine, Readings
from hovrik.bench.clock import RealClock, SteppedClock
from hovrik.bench.plain import PlainMachine
from hovrik.bench.protocol import ChannelInfo, Outcome, Part, Reply, Sample
from hovrik.core.facts.rig import OsSlot, OwnKnob, Rig
from hovrik.core.facts.title import Scene, Title
from hovrik.core.passes.trace import Channel

from .build import machine as stand_in
from .build import trace_of, wandering

_NS = 1_000_000_000
BY_HAND = Rig(
    "hearthside-9", "Hearthside 9", 5.0, 25.0, battery_wh=50.0, refresh_hz=(60.0, 90.0), fan_policies=("even", "full"),
    slots=(OsSlot("moss", "Moss 4"), OsSlot("flint", "Flint 2")),
    own_knobs=(OwnKnob("window_mode", "Window mode", levels=("windowed", "whole screen")),),
)  # fmt: skip
FERRY = Title("copper-ferry", "Copper Ferry", scenes=(Scene("deck", "Ferry deck"),))


class Willing:
    """A person who does everything at once and brings a log of as long as the scene was."""

    def __init__(self, clock):
        self.clock, self.began, self.told = clock, 0, []

    def do(self, instruction):
        self.told.append(instruction.text)
        self.began = self.clock.now_ns()
        return True

    def has_ended(self):
        return False

    def cut(self):
        self.told.append("withdrawn")

    def bring(self, instruction):
        seconds = max((self.clock.now_ns() - self.began) / _NS, 1.0)
        interval = wandering(seconds + 1, 40)
        inside = interval[: int(np.searchsorted(np.cumsum(interval), 1000 * seconds - 30))]
        return Readings(trace_of(inside, package_w=9.0))


class ToyMachine(PlainMachine):
    """Something real and small: this process. It can set nothing, starts no title, and records on the wall's clock."""

    parts = frozenset({Part.FRAMES, Part.TELEMETRY})
    poll_s = 0.02

    def __init__(self, clock):
        super().__init__(Rig("toy", "Toy", 1.0, 2.0, slots=(OsSlot("own", "Own"),)), clock, slot="own")
        self._due_ns = None

    def channels(self):
        return (ChannelInfo("room_c", "C", 50.0),)

    def start_scene(self, title, scene):
        self._due_ns = self.now_ns()
        return Outcome(Reply.DONE)

    def end_scene(self):
        self._due_ns = None

    def sample(self):
        if self._due_ns is None:
            return Sample(np.empty(0, np.int64))
        stamps = np.arange(self._due_ns, self.now_ns(), _NS // 50, dtype=np.int64)[1:]
        if stamps.size:
            self._due_ns = int(stamps[-1])
        return Sample(stamps, {"room_c": Channel(stamps, np.full(stamps.size, 21.0))} if stamps.size else {})


@dataclass
class Case:
    """A machine under the contract. scene : one that it knows; reopen : the same machine in another program, None where
    it keeps nothing; unit : seconds that stand for one (a real clock is not waited for long)."""

    machine: Any
    scene: tuple[str, str]
    reopen: Callable[[], Any] | None = None
    unit: float = 1.0
    facts: dict = field(default_factory=dict)

    @property
    def is_real(self):
        return self.unit < 1.0


def _stand_in(folder):
    return Case(stand_in(folder), ("saltmarsh-couriers", "causeway"), lambda: stand_in(folder))


def _by_hand(folder):
    clock = SteppedClock()
    return Case(GuidedMachine(BY_HAND, [FERRY], "moss", Willing(clock), clock), ("copper-ferry", "deck"))


def _plant(folder):
    return Case(plant_machine(drawn("dent", 0, 5), 3), ("odd-title", "stretch"))


def _toy(folder):
    return Case(ToyMachine(RealClock()), ("", ""), None, 0.02)


MACHINES = {"simulated": _stand_in, "by hand": _by_hand, "odd plant": _plant, "toy": _toy}
