"""The shipped stand-in as a world: rigs with other parameters, played straight, and their truth by its physics."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from hovrik.bench.protocol import Instruction, Need
from hovrik.bench.simulated.battery import Battery
from hovrik.bench.simulated.heat import HeatState
from hovrik.bench.simulated.machine import SimulatedMachine
from hovrik.bench.simulated.model import Model, load_model
from hovrik.bench.simulated.physics import Load, capped, operate
from hovrik.bench.simulated.truth import independent_pass
from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.setup import Setup
from hovrik.demo.scenario import SCENARIO

from .chips import Knobs
from .passes import COOL_S, PASS_S, ROUNDS, SETTLE_S, SOAK_S, Made, Swept

KIND = "shipped"
TITLE, SCENE = "saltmarsh-couriers", "causeway"
NAMES = ("gpu-heavy, cap 40", "gpu-heavy", "cpu-heavy, cap 30", "big chip", "spinning, cap 60")
LADDERS = ((7.0, 18.0, 1.0), (6.0, 18.0, 1.0), (5.0, 16.0, 1.0), (12.0, 34.0, 2.0), (5.0, 14.0, 1.0))
ASKED = ((40.0, 40.0), (0.0, 35.0), (30.0, 30.0), (0.0, 60.0), (60.0, 60.0))  # cap (0 none), floor
FAN = "as shipped"
SHIPPED_HEAT_S = 600.0  # three of its slow constants


@lru_cache
def model(index: int) -> Model:
    """The description of one case."""
    base = load_model(SCENARIO)
    heavy = base.loads[TITLE, SCENE]
    load, changes = (
        (heavy, {}),
        (replace(heavy, wander=0.035, gpu_ms=24.0), {"gpu": {"k": 9.4, "v0": 0.66}, "chip": {"uncore_w": 2.4}}),
        (replace(heavy, cpu_ms=24.0, gpu_ms=11.0, cpu_sd=0.12, threads=1.8), {"cpu": {"k": 2.3}}),
        (replace(heavy, gpu_ms=15.0, cpu_ms=7.0, wander=0.025),
         {"gpu": {"k": 11.0, "high_ghz": 2.9}, "heat": {"r1": 0.45, "r2": 0.8, "c2": 300.0}}),
        (replace(heavy, cpu_ms=8.0, gpu_ms=8.5, waste=0.7, threads=1.6, stutter_share=0.003), {}),
    )[index]  # fmt: skip
    return _changed(base, load, changes)


def _changed(base: Model, load: Load, changes: dict[str, dict[str, float]]) -> Model:
    physics, chip = base.physics, base.physics.chip
    for domain in ("cpu", "gpu"):
        if domain in changes:
            chip = replace(chip, **{domain: replace(getattr(chip, domain), **changes[domain])})
    chip = replace(chip, **changes.get("chip", {}))
    rig = replace(base.rig, limit_high_w=35.0, short_high_w=35.0, peak_high_w=35.0, battery_wh=80.0)
    heat = replace(physics.heat, **changes.get("heat", {}))
    physics = replace(physics, chip=chip, heat=heat, pack=Battery.of(rig))
    return replace(base, rig=rig, physics=physics, loads={**base.loads, (TITLE, SCENE): load})


@dataclass(frozen=True)
class Shipped:
    """One case; the same names as a Plant's where the gates ask for them."""

    index: int
    seed: int = 0
    kind: str = KIND

    @property
    def name(self) -> str:
        """Kind and case."""
        return f"{KIND}/{NAMES[self.index]}"

    @property
    def limits_w(self) -> tuple[float, ...]:
        """The ladder, W."""
        low, high, step = LADDERS[self.index]
        return tuple(np.arange(low, high + step / 2, step).tolist())

    @property
    def cap_fps(self) -> float:
        """0: none."""
        return ASKED[self.index][0]

    @property
    def floor_fps(self) -> float:
        """What is asked."""
        return ASKED[self.index][1]

    @property
    def room_c(self) -> float:
        """Of the stand-in's room."""
        return model(self.index).room_c

    def facts(self) -> dict[str, Any]:
        """What its owner could know of the rig."""
        rig = model(self.index).rig
        return {
            "low_w": rig.limit_low_w, "high_w": rig.limit_high_w, "battery_wh": rig.full_charge_wh,
            "cells": rig.pack_cells, "charge_limit": rig.charge_limit, "reserve": rig.reserve, "rated": "slow",
            "ohm": rig.pack_ohm, "die_limit_c": rig.die_limit_c, "fan": rig.fan_policy or FAN, "gauge_wh": None,
        }  # fmt: skip

    def typical(self, limit_w: float, factors: dict[str, float], *, free: bool = False) -> tuple[float, float]:
        """(rate, package W) without noise, with parameters changed by factors. free : as if there were no cap."""
        own = model(self.index)
        load, physics, chip = own.loads[TITLE, SCENE], own.physics, own.physics.chip
        load = replace(load, cpu_ms=load.cpu_ms * factors.get("cpu", 1.0), gpu_ms=load.gpu_ms * factors.get("gpu", 1.0))
        gpu = replace(chip.gpu, k=chip.gpu.k * factors.get("gpu_w", 1.0))
        chip = replace(chip, gpu=gpu, uncore_w=chip.uncore_w * factors.get("base", 1.0))
        setting = capped(None if free else self.cap_fps or None)
        found = operate(replace(physics, chip=chip), load, limit_w, setting, 60.0, np.ones(1))
        return 1000.0 / float(found.frame_ms[0]), float(found.package_w[0])

    def draw_w(self, package_w: float) -> float:
        """Battery draw, W."""
        board = model(self.index).physics.board
        return board.base_w + package_w / board.efficiency

    def settled(self, package_w: float) -> list[tuple[float, float]]:
        """Settled (die sensor, shell), from the balance of the two nodes at the speed that the fan then has."""
        heat = model(self.index).physics.heat
        policy = heat.policies.get(model(self.index).rig.fan_policy or "")

        def at(speed: float) -> tuple[float, float]:
            shell = self.room_c + package_w / heat.to_room(speed)
            return shell + package_w * heat.r1 * heat.paste, shell

        speed = heat.fan_at
        if policy is not None:
            low, high = policy.base, policy.top
            for _ in range(60):
                speed = 0.5 * (low + high)
                low, high = (speed, high) if policy.speed(at(speed)[0]) > speed else (low, speed)
        die, shell = at(speed)
        return [(die + _hot_c(self.index, package_w), shell)]

    def hours(self, _: Swept, draw_w: float) -> float:
        """Hours from full to the reserve, by the stand-in's own battery."""
        own = model(self.index)
        return own.physics.pack.hours(draw_w, own.rig.charge_limit, own.rig.reserve)

    def setup(self, limit_w: float) -> Setup:
        """The knobs of a level."""
        return Setup({**dict.fromkeys(LIMITS, limit_w), "cap_fps": self.cap_fps or "none"})

    def sweep(self, seed: int, *, heat_at: str = "middle") -> Swept:
        """A heat pass, then five rounds over the ladder in random order."""
        with tempfile.TemporaryDirectory() as folder:
            machine = SimulatedMachine(model(self.index), Path(folder) / "state.json", seed=seed)
            rng = np.random.default_rng((seed, self.index, 5))
            limits = list(self.limits_w)
            middle = limits[-1] if heat_at == "top" else limits[len(limits) // 2]
            passes = [self._measured(machine, middle, -1, SHIPPED_HEAT_S, 0.0)]
            for number in range(ROUNDS):
                for limit in rng.permutation(limits).tolist():
                    passes.append(self._measured(machine, limit, number, PASS_S, SOAK_S))
        return Swept(self, seed, tuple(passes), None)

    def extra(self, seed: int, limit_w: float, count: int) -> list[Made]:
        """Further passes at one level."""
        with tempfile.TemporaryDirectory() as folder:
            machine = SimulatedMachine(model(self.index), Path(folder) / "state.json", seed=seed + 500_000)
            return [self._measured(machine, limit_w, 0, PASS_S, SOAK_S) for _ in range(count)]

    def _measured(self, machine: SimulatedMachine, limit: float, number: int, seconds: float, soak_s: float) -> Made:
        if (machine.charge() or 1.0) < 0.62:
            machine.needs_person(Instruction(Need.RECHARGE, "", 1.0))
        machine.apply(self.setup(limit))
        machine.wait(SETTLE_S)
        machine.sample()
        machine.start_scene(TITLE, SCENE)
        machine.wait(soak_s)
        start = machine.now_ns()
        machine.wait(seconds)
        end = machine.now_ns()
        machine.end_scene()
        sample = machine.sample()
        machine.wait(COOL_S)
        low, high = np.searchsorted(sample.frames_ns, (start, end + 1))
        channels = {name: (c.stamps_ns, c.values) for name, c in sample.channels.items()}
        knobs = Knobs(limit, self.cap_fps, fan=FAN)
        frames = sample.frames_ns[low:high]
        return Made(limit, knobs, number, number, frames, start, end, channels, np.empty(0, np.int8), self.room_c,
                    number < 0)  # fmt: skip


def _hot_c(index: int, package_w: float) -> float:
    """Hot spot over the die node at a package power: CPU and GPU watts of the level that takes it."""
    own = model(index)
    heat, case = own.physics.heat, Shipped(index)
    limits = np.linspace(case.limits_w[0], case.limits_w[-1], 60)
    points = [operate(own.physics, own.loads[TITLE, SCENE], float(w), capped(case.cap_fps or None), 60.0, np.ones(1))
              for w in limits]  # fmt: skip
    package = np.array([float(p.package_w[0]) for p in points])
    hot = np.array([heat.hot_cpu * float(p.cpu_w[0]) + heat.hot_gpu * float(p.gpu_w[0]) for p in points])
    order = np.argsort(package)
    return float(np.interp(package_w, package[order], hot[order]))


def independent(index: int, limit_w: float, number: int) -> tuple[np.ndarray, float]:
    """Intervals (ms) and mean package power of one independent pass, started as warm as in the middle of a sweep."""
    own, case = model(index), Shipped(index)
    heat = own.physics.heat
    duty = (SOAK_S + PASS_S) / (SOAK_S + PASS_S + COOL_S + SETTLE_S)
    watts = duty * sum(case.limits_w) / len(case.limits_w)
    shell = own.room_c + heat.r2 * watts
    start = HeatState(shell + 0.3 * heat.r1 * watts, shell)
    return independent_pass(
        own.physics, own.loads[TITLE, SCENE], limit_w, capped(case.cap_fps or None), PASS_S, (900_000 + index, number),
        start=start, room_c=own.room_c,
    )  # fmt: skip
