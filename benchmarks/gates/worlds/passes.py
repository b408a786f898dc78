"""Passes and sweeps of a plant: frames, telemetry, heat, charge, launches. NumPy and SciPy, nothing of the program."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .chips import Knobs, Point
from .heat import Warmth
from .packs import Pack
from .plants import Plant
from .scenes import TICK_S, Stream, Stretch

Array = NDArray[np.float64]
Stamps = NDArray[np.int64]
Channels = dict[str, tuple[Stamps, Array]]

NS = 1_000_000_000
SETTLE_S, SOAK_S, PASS_S, COOL_S, HEAT_S = 4.0, 30.0, 60.0, 20.0, 1200.0
IDLE_W = 2.0
ROUNDS = 5
SUBSETS = {1: (2,), 2: (1, 3), 3: (0, 2, 4), 5: (0, 1, 2, 3, 4)}  # rounds of the same five, drift balanced


@dataclass(frozen=True)
class Made:
    """One pass as a recorder saw it, stamps in machine time. channels : name to (stamps, values); waits : truth;
    round : -1 for the heat pass; launch : number of the launch it ran in."""

    limit_w: float
    knobs: Knobs
    round: int
    launch: int
    frames_ns: Stamps
    start_ns: int
    end_ns: int
    channels: Channels
    waits: NDArray[np.int8]
    room_c: float
    heat: bool = False


@dataclass(frozen=True)
class Swept:
    """A sweep of a plant with the pack that was in it."""

    plant: Any
    seed: int
    passes: tuple[Made, ...]
    pack: Pack | None

    def of(self, n: int) -> list[Made]:
        """The passes of a sweep with n rounds, the heat pass among them."""
        return [one for one in self.passes if one.heat or one.round in SUBSETS[n]]


def seconds_of(values: Array) -> Array:
    """Means of ticks (n,) over whole seconds; the last may be shorter."""
    per = round(1.0 / TICK_S)
    whole = values.size // per * per
    means = values[:whole].reshape(-1, per).mean(axis=1)
    return means if whole == values.size else np.append(means, values[whole:].mean())


class Bench:
    """A plant under way: time, heat, charge. One is made a sweep; seed : everything random about it."""

    def __init__(self, plant: Plant, seed: int) -> None:
        self.plant, self.seed = plant, seed
        self.rng = np.random.default_rng((plant.seed, plant.index, seed, 5))
        self.pack = plant.pack(self.rng)
        self.die_c = plant.room_c
        self.warmth = Warmth(plant.network, plant.fans[plant.fan], plant.room_c)
        self.now_ns = 1000 * NS
        self.charge, self.gauge = 1.0, 1.0
        self.beside_w = 0.0  # what else draws while something is played
        self.made = 0
        self.launched = 0
        self.launch_level = 0.0

    def relaunch(self) -> None:
        """Start the title anew."""
        self.launched += 1
        self.launch_level = self.plant.scene.launch(self.rng)

    def rest(self, seconds: float) -> None:
        """Nothing runs."""
        self._live(np.full(max(round(seconds), 1), IDLE_W), seconds, 0)

    def stream(self, drift: float = 0.0, *, play: bool = False) -> Stream:
        """A scene begun. drift : log factor of the sweep's drift at this time."""
        scene = replace(self.plant.scene, regimes=4, profile=()) if play else self.plant.scene
        self.made += 1
        own = scene.pass_sd * float(self.rng.standard_normal())
        seed = (self.plant.seed, self.plant.index, self.seed, self.made, 9)
        level = own + self.launch_level + drift
        return Stream(scene, self.plant.operate, self.plant.work.serial, seed, level, self.plant.most_fps)

    def play(
        self, stream: Stream, knobs: Knobs, seconds: float, scene_s: float, *, frames: bool = True
    ) -> tuple[Stretch, Stamps, Channels]:
        """The next seconds of a stream: stretch, frame stamps, channels."""
        stretch = stream.play(knobs, seconds, scene_s, frames=frames)
        began = self.now_ns
        stamps = began + np.round(stretch.ends_s * NS).astype(np.int64)
        watts = seconds_of(stretch.point.package_w)
        heat = self._live(watts, seconds, knobs.slot, knobs.fan)
        return stretch, stamps, self._telemetry(began, seconds, stretch.point, heat, knobs)

    def measure(
        self, knobs: Knobs, round_: int, *, seconds: float = PASS_S, soak_s: float = SOAK_S, drift: float = 0.0,
        heat: bool = False, disturbed: Callable[[Array], Array] | None = None,
    ) -> Made:  # fmt: skip
        """Settle, soak and measure one pass. disturbed : factor on frame times at scene seconds, for faults."""
        self.rest(SETTLE_S)
        if self.charge < 0.62:  # recharged between passes, as a plan would have it
            self.charge = self.gauge = 1.0
        stream = self.stream(drift)
        stream.disturbed = disturbed
        parts = []
        if soak_s:
            parts.append(self.play(stream, knobs, soak_s, -soak_s)[2])  # the load wanders on into the pass
        start = self.now_ns
        stretch, frames, channels = self.play(stream, knobs, seconds, 0.0, frames=not heat)
        end = self.now_ns
        parts.append(channels)
        joined = {
            name: tuple(np.concatenate([part[name][i] for part in parts]) for i in (0, 1)) for name in parts[0]
        }  # fmt: skip
        return Made(knobs.limit_w, knobs, round_, self.launched, frames, start, end, joined, stretch.waits,
                    self.plant.room_c, heat)  # fmt: skip

    def _live(self, watts: Array, seconds: float, slot: int, fan: str | None = None) -> tuple[Array, Array, Array]:
        """Heat and drain through seconds of package power; die, shell, fan speed each second."""
        self.warmth.fan = self.plant.fans[fan or self.plant.fan]
        if self.warmth.fan.kind in ("even", "full"):
            self.warmth.speed = self.warmth.fan.wanted(0.0, 0.0)
        mean = float(watts.mean())
        draw = float(self.plant.draw_w(mean, slot)) + self.beside_w
        found = self.warmth.advance(watts, draw - mean)
        self.die_c = float(found[0][-1]) if found[0].size else self.die_c
        self.charge_before = self.charge
        self.charge = self.pack.drained(self.charge, draw, seconds)
        self.gauge = self.charge
        self.now_ns += round(seconds * NS)
        return found

    def _telemetry(self, began: int, seconds: float, point: Point, heat: tuple[Array, Array, Array],
                   knobs: Knobs) -> Channels:  # fmt: skip
        plant, rng = self.plant, self.rng
        every = min(plant.telemetry_s, seconds)
        n = max(int(seconds / every + 1e-9), 1)
        stamps = began + np.round(np.arange(1, n + 1) * every * NS).astype(np.int64)
        group = np.minimum((np.arange(point.package_w.size) * TICK_S / every).astype(int), n - 1)
        counts = np.bincount(group, minlength=n)

        def mean(values: Array) -> Array:
            return np.bincount(group, weights=values, minlength=n) / counts

        last = np.minimum(np.round(np.arange(1, n + 1) * every).astype(int), heat[0].size) - 1
        package = mean(point.package_w)
        draw = plant.draw_w(package, knobs.slot) + self.beside_w
        charge = np.linspace(self.charge_before, self.charge, n)
        step = self.pack.gauge_step
        found = {
            "package_w": package * (1 + 0.006 * rng.standard_normal(n)),
            "battery_w": draw * (1 + 0.008 * rng.standard_normal(n)),
            "cpu_share": 100 * mean(point.cpu_share), "gpu_share": 100 * mean(point.gpu_share),
            "cpu_mhz": np.round(1000 * mean(point.cpu_ghz)), "gpu_mhz": np.round(mean(point.gpu_mhz)),
            "die_c": np.round(heat[0][last] + 0.3 * rng.standard_normal(n), 1 if plant.rpm else 0),
            "charge_share": 100 * np.floor(charge / step + 1e-9) * step,
            "voltage_v": np.round(self.pack.volts(charge, float(draw.mean())), 3),
        }  # fmt: skip
        if plant.shell:
            found["shell_c"] = np.round(heat[1][last] + 0.1 * rng.standard_normal(n), 1)
        if plant.rpm:
            found["fan_rpm"] = np.round(5400.0 * heat[2][last])
        return {name: (stamps, values) for name, values in found.items()}


def sweep(plant: Plant, seed: int, *, heat_at: str = "middle", limits: Sequence[float] | None = None) -> Swept:
    """A heat pass, then five rounds over the ladder in random order; the title is launched anew each round and, one
    time in four, between passes."""
    bench = Bench(plant, seed)
    limits = list(limits or plant.limits_w)
    bench.relaunch()
    middle = limits[-1] if heat_at == "top" else limits[len(limits) // 2]
    passes = [bench.measure(plant.knobs(middle), -1, seconds=HEAT_S, soak_s=0.0, heat=True)]
    bench.rest(COOL_S)
    total, at = ROUNDS * len(limits), 0
    for number in range(ROUNDS):
        bench.relaunch()
        for limit in bench.rng.permutation(limits).tolist():
            if bench.rng.random() < 0.25:
                bench.relaunch()
            drift = plant.scene.drift * (at / (total - 1) - 0.5)
            passes.append(bench.measure(plant.knobs(limit), number, drift=drift))
            bench.rest(COOL_S)
            at += 1
    return Swept(plant, seed, tuple(passes), bench.pack)


def extra(plant: Plant, seed: int, limit_w: float, count: int) -> list[Made]:
    """Further passes of the machine of a sweep at one level, each in a launch of its own."""
    bench = Bench(plant, seed + 500_000)
    found = []
    for _ in range(count):
        bench.relaunch()
        found.append(bench.measure(plant.knobs(limit_w), 0))
        bench.rest(COOL_S)
    return found
