"""The odd plants: what each kind is made of, drawn by seed. NumPy and SciPy, nothing of the program.

Every kind comes GPU-heavy, CPU-heavy and light, each with a cap and without. Fan, heat, battery, gauge and telemetry
are drawn for every plant; what a kind is named after is always there.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .chips import LAWS, Chip, Knobs, Point, Work, operate
from .heat import Fan, Network
from .packs import Pack
from .packs import drawn as drawn_pack
from .scenes import Scene

Array = NDArray[np.float64]

KINDS = (
    "power", "hill", "flat", "ticks", "tails", "wander", "spread", "edge", "dent", "light", "launches", "warm",
)  # fmt: skip
CLASSES = ("gpu", "cpu", "light")
TUNING, REPORTING = 1, 1001  # first seeds; disjoint
LEVELS = 12
CAPS = (30.0, 40.0, 45.0, 60.0)


@dataclass(frozen=True)
class Plant:
    """One machine with one title.

    limits_w : the ladder that is swept; cap_fps : 0 none; floor_fps : what is asked of it; draw = base_w + package /
    efficiency + bend P^2; telemetry_s : seconds between samples; slots, versions : factors on CPU and GPU time of the
    two there are; slot_w : draw of the second slot beside the first's; shell : it has a shell sensor; rpm : its fan
    speed can be read; middle_w : level about which the floor is decided.
    """

    kind: str
    index: int
    seed: int
    chip: Chip
    work: Work
    scene: Scene
    limits_w: tuple[float, ...]
    cap_fps: float
    floor_fps: float
    sync: str
    refresh_hz: float
    base_w: float
    efficiency: float
    bend: float
    telemetry_s: float
    slots: tuple[float, float]
    versions: tuple[float, float]
    slot_w: float
    room_c: float
    fan: str
    fans: Mapping[str, Fan]
    network: Network
    label_wh: float
    cells: int
    shell: bool
    rpm: bool
    middle_w: float = 0.0

    def scaled(self, factor: float) -> Plant:
        """The same machine with a scene that takes `factor` times as long."""
        work = replace(self.work, cpu_ms=self.work.cpu_ms * factor, gpu_ms=self.work.gpu_ms * factor)
        return replace(self, work=work)

    @property
    def name(self) -> str:
        """Kind, class, cap and seed."""
        return f"{self.kind}/{CLASSES[self.index // 2]}/{'cap' if self.cap_fps else 'free'}/{self.seed}"

    def knobs(self, limit_w: float) -> Knobs:
        """The setup of a level of its ladder."""
        return Knobs(limit_w, self.cap_fps, fan=self.fan, sync=self.sync, refresh_hz=self.refresh_hz)

    @property
    def most_fps(self) -> float:
        """Over every rate that the title reaches."""
        free = 1.5 * self.typical_fps(self.limits_w[-1])
        return min(free, 1.6 * self.cap_fps) if self.cap_fps else free

    def operate(self, knobs: Knobs, load: Array) -> Point:
        """Operating point at ticks."""
        return operate(self.chip, self.work, knobs, load, self.slots, self.versions)

    def draw_w(self, package_w: Array | float, slot: int = 0) -> Array:
        """Battery draw, W."""
        watts = np.asarray(package_w, float)
        return self.base_w + self.slot_w * slot + watts / self.efficiency + self.bend * watts**2

    def pack(self, rng: np.random.Generator) -> Pack:
        """A pack as the label says, one of many."""
        return drawn_pack(rng, self.label_wh, self.cells)

    def facts(self) -> dict[str, Any]:
        """What its owner could know of the rig."""
        step = self.limits_w[1] - self.limits_w[0]
        return {
            "low_w": self.limits_w[0] - 3 * step, "high_w": self.limits_w[-1] + 3 * step, "battery_wh": self.label_wh,
            "cells": self.cells, "ohm": None, "die_limit_c": 100.0, "fan": self.fan, "gauge_wh": None,
        }  # fmt: skip

    def settled(self, package_w: float) -> list[tuple[float, float]]:
        """Settled (die sensor, shell): one pair, or two where the fan has two answers."""
        beside = float(self.draw_w(package_w)) - package_w
        return self.network.settled(package_w, beside, self.room_c, self.fans[self.fan])

    def typical(self, limit_w: float, factors: Mapping[str, float], *, free: bool = False) -> tuple[float, float]:
        """(rate, package W) without noise, with parameters of the plant's own family changed by factors. free : as if
        there were no cap."""
        chip, work = self.chip, self.work
        chip = replace(
            chip, bend=chip.bend * factors.get("bend", 1.0), gpu_ref_w=chip.gpu_ref_w * factors.get("gpu_w", 1.0),
            gpu_top_w=chip.gpu_top_w * factors.get("gpu_w", 1.0), base_w=chip.base_w * factors.get("base", 1.0),
            edge=(chip.edge[0], chip.edge[1] * factors.get("edge", 1.0)),
            dent=(*chip.dent[:2], chip.dent[2] * factors.get("dent", 1.0)),
        )  # fmt: skip
        work = replace(work, cpu_ms=work.cpu_ms * factors.get("cpu", 1.0), gpu_ms=work.gpu_ms * factors.get("gpu", 1.0))
        knobs = replace(self.knobs(limit_w), cap_fps=0.0) if free else self.knobs(limit_w)
        point = operate(chip, work, knobs, np.ones(1), self.slots, self.versions)
        return 1000.0 / float(point.frame_ms[0]), float(point.package_w[0])

    def typical_fps(self, limit_w: float) -> float:
        """Rate without noise at a limit, uncapped."""
        return 1000.0 / float(self.operate(Knobs(limit_w), np.ones(1)).frame_ms[0])


def drawn(kind: str, index: int, seed: int) -> Plant:
    """The plant of a kind. index 0..5: class (index // 2) and cap (index odd); seed : TUNING or REPORTING and on."""
    rng = np.random.default_rng((seed, KINDS.index(kind), index))
    klass, capped = CLASSES[index // 2], bool(index % 2)
    if kind == "light":
        klass = "light"
    chip, low, high = _chip(rng, kind, klass)
    work = _work(rng, klass, kind)
    scene = _scene(rng, kind)
    chip = replace(chip, headroom=math.exp(2.33 * scene.scatter * float(rng.uniform(1.05, 1.6))))
    limits = tuple(round(float(w), 2) for w in np.linspace(low, high, LEVELS))
    step = limits[1] - limits[0]
    whole = 0.5 if step < 1.25 else 1.0 if step < 2.0 else 2.0
    limits = tuple(round(math.ceil(low / 0.5) * 0.5 + i * whole, 2) for i in range(LEVELS))
    if kind == "edge":
        chip = replace(chip, edge=(limits[int(rng.integers(3, 8))], float(rng.uniform(1.06, 1.16))))
    if kind == "dent":
        at = int(rng.integers(3, 8))
        wide = int(rng.integers(1, 3))
        chip = replace(chip, dent=(limits[at], limits[at + wide], float(rng.uniform(0.86, 0.94))))
    base = Plant(
        kind, index, seed, chip, work, scene, limits, 0.0, 40.0, "on" if kind == "ticks" else "off", 60.0,
        base_w=float(rng.uniform(3.0, 10.0)), efficiency=float(rng.uniform(0.84, 0.95)),
        bend=float(rng.uniform(0.0, 0.004)) if kind != "power" else float(rng.uniform(0.004, 0.010)),
        telemetry_s=float(rng.uniform(5.0, 10.0)) if kind == "hill" else float(rng.choice([0.5, 1.0, 2.0])),
        slots=(1.0, float(rng.uniform(0.9, 1.15))), versions=(1.0, float(rng.uniform(0.94, 1.06))),
        slot_w=float(rng.uniform(-0.5, 1.5)), room_c=float(rng.uniform(17.0, 29.0)), **_warmth(rng, kind, high),
        label_wh=float(rng.choice([38.0, 41.0, 50.0, 57.0, 63.0, 80.0, 99.0])), cells=int(rng.choice([2, 2, 3, 4])),
        shell=bool(rng.random() < 0.6), rpm=bool(rng.random() < 0.65),
    )  # fmt: skip
    return _asked(rng, base, capped)


def _asked(rng: np.random.Generator, plant: Plant, capped: bool) -> Plant:
    """Scale the scene so that what is asked is decided inside the ladder."""
    middle = plant.limits_w[int(rng.integers(3, 8))]
    target = float(rng.choice(CAPS if capped or plant.sync == "on" else (30.0, 35.0, 40.0, 50.0, 60.0, 75.0)))
    refresh = 60.0
    if plant.sync == "on":  # a cap that the panel shows evenly, or a floor between two of its rates
        target, refresh = [(30.0, 60.0), (40.0, 80.0), (45.0, 90.0)][int(rng.integers(3))]
        target, refresh = (target, refresh) if capped else (40.0, 60.0)
    # 1.12 : about what lies between a scene's mean and its 1 % low; the truth scales it to the point
    goal = 1.12 * (refresh if plant.sync == "on" and not capped else target)
    if capped:  # a limiter whose own jitter breaks its cap holds nothing
        most = 0.0055 * 1000.0 / target
        plant = replace(plant, scene=replace(plant.scene, jitter_ms=min(plant.scene.jitter_ms, most)))
    asked = replace(plant, cap_fps=target if capped else 0.0, floor_fps=target, refresh_hz=refresh, middle_w=middle)
    return asked.scaled(plant.typical_fps(middle) / goal)


def _chip(rng: np.random.Generator, kind: str, klass: str) -> tuple[Chip, float, float]:
    """A chip with the range of limits that is swept on it."""
    size = float(rng.choice([1.0, 1.0, 1.6, 2.2]))  # small, small, middle, large
    law = kind if kind in LAWS else str(rng.choice(LAWS))
    bend = float(rng.uniform(0.40, 0.62)) if law == "power" else float(rng.uniform(0.35, 1.6))
    base = size * float(rng.uniform(1.5, 3.5))
    low, high = base + size * float(rng.uniform(4.0, 6.0)), base + size * float(rng.uniform(16.0, 24.0))
    ref = 0.5 * (high - base)
    top = ref * float(rng.uniform(1.1, 1.5)) * (2.0 if klass == "gpu" else 1.3)
    cpu_w = size * float(rng.uniform(2.0, 4.0))
    if klass == "light" or kind == "light":
        top = ref * float(rng.uniform(0.55, 0.9))
        cpu_w *= 0.6
    if kind == "flat":
        top = min(top, ref * float(rng.uniform(0.7, 1.0)))
    return Chip(
        law, bend, base, cpu_w, float(rng.uniform(2.0, 3.0)), 3.0, float(rng.uniform(2.4, 3.2)),
        float(rng.uniform(3.6, 5.2)), float(rng.uniform(0.30, 0.55)), float(rng.uniform(0.20, 0.32)), ref, top,
        float(rng.uniform(1500.0, 2900.0)), over_w=float(rng.uniform(-0.2, 0.2)),
    ), low, high  # fmt: skip


def _work(rng: np.random.Generator, klass: str, kind: str) -> Work:
    gpu = 20.0
    cpu = gpu * (float(rng.uniform(0.35, 0.7)) if klass == "gpu" else float(rng.uniform(0.95, 1.3)))
    if klass == "light":
        cpu = gpu * float(rng.uniform(0.4, 0.9))
    fixed = float(rng.uniform(0.1, 0.35))
    return Work(cpu, gpu, float(rng.uniform(0.15, 0.45)), fixed, float(rng.uniform(0.0, 0.12)),
                float(rng.uniform(0.6, 1.6)))  # fmt: skip


def _scene(rng: np.random.Generator, kind: str) -> Scene:
    plain = Scene(
        wander=float(rng.uniform(0.008, 0.03)), wander_s=float(rng.uniform(2.0, 12.0)),
        cpu_sd=float(rng.uniform(0.04, 0.12)), gpu_sd=float(rng.uniform(0.03, 0.09)), rho=float(rng.uniform(0.0, 0.9)),
        hitches_per_min=float(rng.uniform(0.0, 3.0)), jitter_ms=float(rng.uniform(0.02, 0.3)),
        limiter=str(rng.choice(["wait", "grid"])), pass_sd=float(rng.uniform(0.003, 0.015)),
    )  # fmt: skip
    match kind:
        case "tails":
            return replace(plain, tails=float(rng.uniform(3.0, 5.0)), hitches_per_min=float(rng.uniform(0.5, 3.0)),
                           cluster=float(rng.uniform(1.5, 4.0)), hitch=float(rng.uniform(1.6, 2.6)))  # fmt: skip
        case "wander":
            heavier = ((40.0, float(rng.uniform(1.04, 1.12))),) if rng.random() < 0.5 else ()
            return replace(plain, wander=float(rng.uniform(0.03, 0.06)), wander_s=float(rng.uniform(2.0, 20.0)),
                           profile=heavier)  # fmt: skip
        case "spread":
            return replace(plain, pass_sd=float(rng.uniform(0.005, 0.04)), drift=float(rng.uniform(-0.03, 0.03)))
        case "launches":
            if rng.random() < 0.5:
                return replace(plain, launch_sd=float(rng.uniform(0.01, 0.025)))
            return replace(plain, hump=(float(rng.uniform(0.25, 0.4)), float(rng.uniform(0.03, 0.06))))
    return plain


def _warmth(rng: np.random.Generator, kind: str, high_w: float) -> dict[str, object]:
    """Network, fans and the policy in force; at the top of the ladder the die stays under about 90 C."""
    nodes = 4 if kind == "warm" else int(rng.choice([2, 3, 4]))
    rise = float(rng.uniform(32.0, 52.0))  # of the sink over the room at the top and half fan
    hot, g_die = float(rng.uniform(0.05, 0.35)), high_w / float(rng.uniform(6.0, 14.0))
    network = Network(
        nodes, g_die, float(rng.uniform(6.0, 25.0)), 1.35 * high_w / rise, float(rng.uniform(60.0, 260.0)),
        float(rng.uniform(0.25, 0.5)), float(rng.uniform(0.6, 1.0)), hot, float(rng.uniform(0.05, 0.4)),
        float(rng.uniform(0.1, 0.4)), float(rng.uniform(80.0, 300.0)), float(rng.uniform(0.2, 0.6)),
        float(rng.uniform(80.0, 250.0)), float(rng.uniform(0.3, 0.8)),
    )  # fmt: skip
    edges = 48.0 + 9.0 * np.arange(3) + rng.uniform(-3.0, 3.0, 3)
    fans = {
        "even": Fan("even", float(rng.uniform(0.45, 0.7))),
        "full": Fan("full"),
        "auto": Fan("steps", 0.25, tuple(zip(edges.tolist(), (0.45, 0.65, 0.9))), lag_s=float(rng.uniform(4.0, 15.0)))
        if kind == "warm" or rng.random() < 0.4
        else Fan("curve", float(rng.uniform(0.2, 0.4)), middle_c=float(rng.uniform(58.0, 72.0)),
                 width_c=float(rng.uniform(18.0, 40.0)), lag_s=float(rng.uniform(4.0, 15.0))),
    }  # fmt: skip
    policy = "auto" if kind == "warm" else str(rng.choice(["even", "auto", "auto", "full"]))
    return {"network": network, "fans": fans, "fan": policy}
