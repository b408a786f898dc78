"""Odd plants with more to set: knobs with effects of their own, displays, a battery that holds back, clamps by charge,
a hidden margin of the voltage. What is true of a setup is told by independent passes.
"""

from __future__ import annotations

import math
import os
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from functools import lru_cache
from typing import Any

import numpy as np
from gates import truth
from gates.worlds.chips import Knobs, Point, operate
from gates.worlds.machine import LIMITS, PlantMachine
from gates.worlds.plants import Plant, drawn

from hovrik.bench.protocol import Description, Instruction, Need
from hovrik.core.facts.knob import Hazard, Knob, Level, Where
from hovrik.core.facts.rig import Panel

FIRST = 7000  # seeds that no other table uses
PASSES = 60  # independent ones behind a truth
FAULT_MV = 2.5


def apart(folder: str) -> None:
    """Give this process a data folder of its own: machines that look alike are one, which one run has at a time."""
    os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp(dir=folder)


@dataclass(frozen=True)
class Effect:
    """What a level does: factors on CPU and GPU time, watts beside the package."""

    cpu: float = 1.0
    gpu: float = 1.0
    beside_w: float = 0.0


@dataclass(frozen=True)
class Own:
    """A knob that is added: the effect of each of its levels, its first being what a machine starts at; ordered :
    levels from the poorest to the best."""

    levels: Mapping[Level, Effect]
    where: Where = Where.LIVE
    ordered: bool = False


@dataclass(frozen=True)
class OddKnobs(Knobs):
    """With the factors of what else is set."""

    cpu: float = 1.0
    gpu: float = 1.0


@dataclass(frozen=True)
class Grown(Plant):
    """own : knobs by id; battery_w : more than that is not to be had on the battery; clamp : (charge, W) under which
    firmware holds the package back; margin_mv : of the CPU's voltage, None where it cannot be moved; per_mv : share of
    CPU time that a millivolt saves; aged : true energy over what the label says; throttle_c : of the die, at which the
    machine takes watts back, and which it names as its limit."""

    own: Mapping[str, Own] = field(default_factory=dict)
    battery_w: float = math.inf
    clamp: tuple[float, float] = (0.0, math.inf)
    margin_mv: float | None = None
    per_mv: float = 0.0006
    aged: float = 1.0
    throttle_c: float = math.inf

    def operate(self, knobs: Knobs, load: np.ndarray) -> Point:
        """With the factors of the knobs that were added."""
        cpu, gpu = (getattr(knobs, name, 1.0) for name in ("cpu", "gpu"))
        work = replace(self.work, cpu_ms=self.work.cpu_ms * cpu, gpu_ms=self.work.gpu_ms * gpu)
        return operate(self.chip, work, knobs, load, self.slots, self.versions)

    def pack(self, rng: np.random.Generator) -> Any:
        """Its label tells less or more than the truth where it has aged."""
        found = super().pack(rng)
        return replace(found, charge_ah=found.charge_ah * self.aged)

    def setting(
        self, knobs: Mapping[str, Level], slot: int = 0, *, plugged: bool = False, charge: float = 1.0
    ) -> tuple[OddKnobs, float]:
        """(what the plant takes, watts beside) of what is set."""
        effects = [own.levels[knobs.get(key, next(iter(own.levels)))] for key, own in self.own.items()]
        cap = knobs.get("cap_fps", "none")
        limit = min(float(knobs[key]) for key in LIMITS)
        limit = limit if plugged else min(limit, self.battery_w)
        limit = min(limit, self.clamp[1]) if charge < self.clamp[0] else limit
        cpu = math.prod(one.cpu for one in effects) * (1.0 + self.per_mv * float(knobs.get("cpu_offset_mv", 0.0)))
        return OddKnobs(
            limit, 0.0 if cap == "none" else float(cap), knobs.get("boost", "on") == "on",
            float(knobs.get("cpu_ceiling_ghz", math.inf)), float(knobs.get("gpu_ceiling_mhz", math.inf)),
            str(knobs.get("fan_policy", self.fan)), float(knobs.get("refresh_hz", self.refresh_hz)), self.sync, slot, 0,
            cpu, math.prod(one.gpu for one in effects),
        ), sum(one.beside_w for one in effects)  # fmt: skip


def grown(family: str, seed: int, *, free: bool = False, **more: Any) -> Grown:
    """A plant of a family with what is added. free : without a cap."""
    index = (seed % 6) // 2 * 2 if free else seed % 6
    plant = drawn(family, index, FIRST + seed)
    plant = replace(plant, scene=replace(plant.scene, drift=0.0))
    return Grown(**{one.name: getattr(plant, one.name) for one in fields(plant)}, **more)


def static(watts: float) -> dict[str, Level]:
    """All three limits."""
    return dict.fromkeys(LIMITS, watts)


def true_at(
    plant: Grown, knobs: Mapping[str, Level], slot: int = 0, *, plugged: bool = False, passes: int = PASSES
) -> dict[str, float]:
    """Expectations of a pass at what is set: figures of `truth`, with all that draws. Limits and knobs share their
    random numbers, so that differences are sharper than the levels."""
    setting, beside = plant.setting(knobs, slot, plugged=plugged)
    found = _true(_Key(plant), setting, passes)
    return {**found, "draw_w": found["draw_w"] + beside + plant.slot_w * slot}


class _Key:
    """A plant by what it was drawn from, so that its truths are kept."""

    def __init__(self, plant: Grown) -> None:
        self.plant = plant
        self._own = (plant.kind, plant.index, plant.seed, plant.slots, plant.work, plant.sync)

    def __hash__(self) -> int:
        return hash(self._own)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and other._own == self._own


@lru_cache(maxsize=256)
def _true(key: _Key, setting: OddKnobs, passes: int) -> dict[str, float]:
    return truth.played_at(key.plant, setting, passes, 17).means


class GrownMachine(PlantMachine):
    """Such a plant as a machine. What a person does takes its time."""

    def __init__(self, plant: Grown, seed: int) -> None:
        super().__init__(plant, seed)
        self.plant = plant
        self._kept_back = 1.0
        self._chance = np.random.default_rng((seed, 41))
        self._knobs.update({key: next(iter(own.levels)) for key, own in plant.own.items()})
        if plant.margin_mv is not None:
            self._knobs["cpu_offset_mv"] = 0.0

    def describe(self) -> Description:
        found = super().describe()
        more = [
            Knob(key, key.replace("_", " ").capitalize(), levels=tuple(own.levels), where=own.where)
            for key, own in self.plant.own.items()
        ]  # fmt: skip
        if math.isfinite(self.plant.throttle_c):
            found = replace(found, rig=replace(found.rig, die_limit_c=round(self.plant.throttle_c, 1)))
        rig = replace(found.rig, cpu_offset_low_mv=-150.0 if self.plant.margin_mv is not None else None)
        if "display" in self.plant.own:
            names = list(self.plant.own["display"].levels)[1:]
            rig = replace(rig, displays=tuple(Panel(str(name), 2560, 1440, (60.0,)) for name in names))
        if self.plant.margin_mv is not None:
            more.append(Knob("cpu_offset_mv", "CPU offset", "mv", low=-150.0, high=0.0, step=5.0,
                             hazard=Hazard.VOLTAGE))  # fmt: skip
        return replace(found, rig=rig, knobs=(*found.knobs, *more))

    def setting(self) -> Knobs:
        knobs, self.bench.beside_w = self.plant.setting(
            self._knobs, self._slot, plugged=self._plugged, charge=self.bench.charge
        )
        return replace(knobs, limit_w=self._kept_back * knobs.limit_w) if self._kept_back < 1.0 else knobs

    def _play_until(self, stream: Any, until_ns: int) -> None:
        if math.isfinite(self.plant.throttle_c):
            by = 0.97 if self.bench.die_c > self.plant.throttle_c else 1.015
            self._kept_back = min(max(by * self._kept_back, 0.3), 1.0)
        if self.plant.margin_mv is not None and self._faults((until_ns - self.now_ns()) / 1e9):
            self._stream = None  # the title is gone until it is started anew
            self.bench.rest((until_ns - self.now_ns()) / 1e9)
            self.bench.now_ns = until_ns
            return
        super()._play_until(stream, until_ns)

    def _faults(self, seconds: float) -> bool:
        """By a rate that grows with the offset beyond the margin."""
        offset = -float(self._knobs["cpu_offset_mv"])
        a_second = math.exp(min((offset - (self.plant.margin_mv or 0.0)) / FAULT_MV, 5.0)) / 30.0 if offset else 0.0
        return bool(self._chance.random() < 1.0 - math.exp(-a_second * seconds))

    def needs_person(self, instruction: Instruction) -> bool:
        done = super().needs_person(instruction)
        spans = {Need.RESTART: (120.0, 260.0), Need.RELAUNCH: (30.0, 90.0)}
        self.bench.beside_w = 0.0
        if done and instruction.need in spans:
            self.wait(float(self._chance.uniform(*spans[instruction.need])))
        return done


def slots_of(plant: Grown, second: tuple[float, float]) -> Grown:
    """The same with a factor on times and watts beside of its second slot."""
    return replace(plant, slots=(1.0, second[0]), slot_w=second[1])
