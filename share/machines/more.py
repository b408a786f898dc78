"""Made-up machines to try questions on, made of the one in docs/own-machine.md: save that as toy.py beside this file.

TwoSlots and Greedy have two OS slots, Options has options with known costs, Dent misbehaves at one limit, Crashing does
not start there, Dying goes away, Broken and Careless cannot be run at all.
"""

from dataclasses import replace

import numpy as np
from toy import Toy

from hovrik.bench.protocol import Need, Outcome, Reply
from hovrik.core.facts.knob import Knob, Order
from hovrik.core.facts.rig import OsSlot


class TwoSlots(Toy):
    """The second OS leaves the GPU more of the same watts; `greedy` it takes two over its limit instead."""

    greedy = False
    where = "heath"

    def describe(self):
        found = super().describe()
        slots = (OsSlot("heath", "Heath 3"), OsSlot("moss", "Moss 4"))
        return replace(found, rig=replace(found.rig, slots=slots), slot=self.where)

    def needs_person(self, instruction):
        if instruction.need is Need.RESTART:
            self.where = instruction.slot
        return True

    def wait(self, seconds):
        before = dict(self.set)
        if self.where == "moss":
            more = {"sustained_limit_w": self.set["sustained_limit_w"] + 2.0} if self.greedy else {"boost": "off"}
            self.set.update(more)
        super().wait(seconds)
        self.set = before


class Greedy(TwoSlots):
    greedy = True


class Dent(Toy):
    """Just where a plain ladder of five limits would look, firmware misbehaves."""

    def wait(self, seconds):
        before = dict(self.set)
        if self.set["sustained_limit_w"] == 15.0:
            self.set["sustained_limit_w"] = 8.0
        super().wait(seconds)
        self.set = before


OPTIONS = {"shadows": ("low", "high", 2.0), "grass": ("near", "far", 1.0), "grain": ("off", "on", 0.0)}


class Options(Toy):
    """Options that cost known milliseconds a frame, presets, a GPU ceiling that never binds, three refresh rates."""

    def __init__(self):
        super().__init__()
        self.set.update({key: row[0] for key, row in OPTIONS.items()}, gpu_ceiling_mhz=1600.0, preset="medium")

    def describe(self):
        found = super().describe()
        knobs = [Knob(key, key.capitalize(), levels=row[:2], starting=row[0]) for key, row in OPTIONS.items()]
        knobs.append(Knob("gpu_ceiling_mhz", "GPU clock", "MHz", low=400.0, high=1600.0, step=50.0, starting=1600.0))
        levels = ("low", "medium", "high")
        knobs.append(Knob("preset", "Preset", levels=levels, order=Order.ORDERED, starting="medium"))
        return replace(found, knobs=(*found.knobs, *knobs), rig=replace(found.rig, refresh_hz=(60.0, 80.0, 90.0)))

    def wait(self, seconds):
        self.extra = sum(row[2] for key, row in OPTIONS.items() if self.set[key] == row[1])
        self.factor = {"low": 0.8, "medium": 1.0, "high": 1.3}[self.set["preset"]]
        limit = self.set["sustained_limit_w"] - (2.0 if self.set["boost"] == "on" else 0.0)
        usual = (1000.0 / (62.0 * (1.0 - np.exp(-0.14 * (limit - 1.0)))) + self.extra) * self.factor
        until = self.now_ns() + round(seconds * 1e9)
        while self.playing and self.last_ns < until:
            took = usual * np.exp(self.level + 0.05 * self.rng.standard_normal())
            if self.set["cap_fps"] != "none":
                took = max(took, 1000.0 / self.set["cap_fps"])
            self.last_ns += round(took * 1e6)
            self.frames.append(self.last_ns)
        self.watts.append((until, self.set["sustained_limit_w"]))


class Crashing(Toy):
    """The title does not start at 15 W, where a search begins."""

    def start_scene(self, title, scene):
        if self.set["sustained_limit_w"] in (14.0, 15.0, 16.0):
            return Outcome(Reply.REFUSED, "the title ended at its start")
        return super().start_scene(title, scene)


class Dying(Toy):
    def sample(self):
        if self.now_ns() > 90e9:
            raise OSError("the cable was pulled")
        return super().sample()


class Broken(Toy):
    def describe(self):
        raise RuntimeError("no such bus")


class Careless(Toy):
    """Says nothing of where its knobs start: what it would not know how to put back is refused."""

    def describe(self):
        found = super().describe()
        return replace(found, knobs=tuple(replace(knob, starting=None) for knob in found.knobs))


not_callable = 3
