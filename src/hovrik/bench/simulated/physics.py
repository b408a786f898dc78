"""Physics of the stand-in: watts to clocks to frame times, heat, charge. No clock, no files, no analysis.

Vectorised over ticks of 0.1 s. Parameter values were tried by us; none describes a real product.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...core.energy import Pack

Array = NDArray[np.float64]

TICK_S = 0.1
BLOCK_TICKS = 20


@dataclass(frozen=True)
class Domain:
    """CPU or GPU: P = idle_w + k f V(f)^2, V = v0 + v_slope max(0, f - v_knee); f in GHz, low to high."""

    idle_w: float
    k: float
    v0: float
    v_slope: float
    v_knee: float
    low_ghz: float
    high_ghz: float

    @cached_property
    def _table(self) -> tuple[Array, Array]:
        f = np.linspace(self.low_ghz, self.high_ghz, 256)
        return f, self.k * f * (self.v0 + self.v_slope * np.maximum(0.0, f - self.v_knee)) ** 2

    def dynamic_w(self, ghz: Array) -> Array:
        """Switching power at full activity, W."""
        volts = self.v0 + self.v_slope * np.maximum(0.0, ghz - self.v_knee)
        return np.asarray(self.k * ghz * volts**2)

    def ghz_at(self, dynamic_w: Array) -> Array:
        """Highest clock within a switching power (numerical inverse of `dynamic_w`), GHz."""
        f, p = self._table
        return np.asarray(np.interp(dynamic_w, p, f))


@dataclass(frozen=True)
class Chip:
    """Two domains under one package budget. uncore_w : the rest; leak_per_k : share of uncore a degree over 50 C.

    claim : share of what the CPU would like above its floor that it takes before the GPU.
    """

    cpu: Domain
    gpu: Domain
    uncore_w: float
    leak_per_k: float
    claim: float


@dataclass(frozen=True)
class HeatPath:
    """die -(r1)- shell -(r2)- room; c1, c2 in J/K. hot_cpu, hot_gpu : hot spot over the die node, K/W."""

    r1: float
    c1: float
    r2: float
    c2: float
    hot_cpu: float
    hot_gpu: float
    throttle_c: float = 95.0
    resume_c: float = 90.0


@dataclass(frozen=True)
class Board:
    """Everything beside the package: draw = base_w + package / efficiency; idle_package_w between scenes."""

    base_w: float
    efficiency: float
    idle_package_w: float


@dataclass(frozen=True)
class Load:
    """What a scene asks for.

    cpu_ms at 3.3 GHz with share cpu_fixed that does not scale with clock; gpu_ms at 1.6 GHz likewise;
    threads : how many cores' worth of activity; waste : spinning while waiting; wander, wander_s : slow load
    (log sd, time constant); cpu_sd, gpu_sd : per-frame log sd; stutter_share, stutter_ms : rare long frames.
    """

    cpu_ms: float
    cpu_fixed: float
    gpu_ms: float
    gpu_fixed: float
    threads: float = 1.0
    waste: float = 0.2
    wander: float = 0.03
    wander_s: float = 6.0
    cpu_sd: float = 0.10
    gpu_sd: float = 0.07
    stutter_share: float = 0.0015
    stutter_ms: float = 30.0


@dataclass(frozen=True)
class Physics:
    """A whole machine's parameters. limit_bias_w : what its firmware takes over a limit it was given."""

    chip: Chip
    heat: HeatPath
    board: Board
    pack: Pack
    overhead: float = 1.0
    limit_bias_w: float = 0.0
    clamp_charges: tuple[float, ...] = (0.5, 0.2)
    clamp_shares: tuple[float, ...] = (0.7, 0.45)

    def clamp(self, charge: float) -> float:
        """Share of the limit that the firmware still allows at a charge."""
        share = 1.0
        for level, kept in zip(self.clamp_charges, self.clamp_shares):
            if charge < level:
                share = kept
        return share


@dataclass(frozen=True)
class Operating:
    """Operating point at ticks, all (n,): ms before per-frame noise, W, GHz, shares 0..1."""

    cpu_ms: Array
    gpu_ms: Array
    frame_ms: Array
    cpu_ghz: Array
    gpu_ghz: Array
    cpu_w: Array
    gpu_w: Array
    package_w: Array
    cpu_share: Array
    gpu_share: Array
    activity: Array


def operate(
    physics: Physics, load: Load, limit_w: float, cap_ms: float, die_c: float, work: Array,
    start: tuple[float, float] | None = None,
) -> Operating:  # fmt: skip
    """Solve the shared budget at ticks.

    limit_w : package budget; cap_ms : least frame time, 0 for no cap; work (n,) : scene load factor;
    start : (activity, busy) of the ticks before, which saves most of the rounds.
    The CPU claims its floor and a share of its wish, the GPU takes what it needs, the CPU gets the rest: damped
    fixed-point rounds over the activity both end up with.
    """
    chip = physics.chip
    uncore = chip.uncore_w * (1.0 + chip.leak_per_k * (die_c - 50.0))
    budget = max(limit_w + physics.limit_bias_w - uncore - chip.cpu.idle_w - chip.gpu.idle_w, 0.3)
    n = work.size
    low_cpu = float(chip.cpu.dynamic_w(np.array(chip.cpu.low_ghz)))
    high_cpu = float(chip.cpu.dynamic_w(np.array(chip.cpu.high_ghz)))
    cpu_work = load.cpu_ms * physics.overhead * work
    gpu_work = load.gpu_ms * work
    first_activity, first_busy = start or (0.6 * load.threads, 0.9)
    activity, busy = np.full(n, first_activity), np.full(n, first_busy)
    for _ in range(12 if start is None else 4):
        floor = activity * low_cpu
        claimed = floor + chip.claim * activity * (high_cpu - low_cpu)
        for_gpu = np.maximum(budget - np.minimum(claimed, 0.6 * budget), 0.05)
        gpu_ghz = chip.gpu.ghz_at(for_gpu / busy)
        if cap_ms > 0:  # enough to be done in 80 % of the frame, no more
            scale = np.maximum(0.8 * cap_ms / gpu_work - load.gpu_fixed, 0.05)
            gpu_ghz = np.minimum(gpu_ghz, np.maximum(1.6 * (1 - load.gpu_fixed) / scale, chip.gpu.low_ghz))
        gpu_dynamic = chip.gpu.dynamic_w(gpu_ghz)
        for_cpu = np.maximum(budget - busy * gpu_dynamic, 0.1)
        cpu_ghz = chip.cpu.ghz_at(for_cpu / activity)
        cpu_ms = cpu_work * (load.cpu_fixed + (1 - load.cpu_fixed) * 3.3 / cpu_ghz)
        gpu_ms = gpu_work * (load.gpu_fixed + (1 - load.gpu_fixed) * 1.6 / gpu_ghz)
        frame_ms = np.maximum(np.maximum(cpu_ms, gpu_ms), cap_ms)
        share = cpu_ms / frame_ms
        activity = 0.5 * activity + 0.5 * load.threads * (share + load.waste * (1 - share))
        busy = 0.5 * busy + 0.5 * gpu_ms / frame_ms
    # what the firmware takes is what the clocks draw at their present activity
    cpu_w = chip.cpu.idle_w + activity * chip.cpu.dynamic_w(cpu_ghz)
    gpu_w = chip.gpu.idle_w + busy * chip.gpu.dynamic_w(gpu_ghz)
    return Operating(
        cpu_ms, gpu_ms, frame_ms, cpu_ghz, gpu_ghz, cpu_w, gpu_w, uncore + cpu_w + gpu_w, share, busy, activity
    )  # fmt: skip


def first_order(noise: Array, rho: float, before: float) -> Array:
    """x_i = rho x_(i-1) + noise_i from x_(-1) = `before`; (n,), n up to a few thousand for rho near 0.9."""
    powers = rho ** np.arange(1, noise.size + 1)
    return np.asarray(powers * (before + np.cumsum(noise / powers)))


@dataclass
class HeatState:
    """Node temperatures, C."""

    die_c: float
    shell_c: float

    def advance(self, path: HeatPath, package_w: Array, room_c: float, dt_s: float) -> tuple[Array, Array]:
        """Step both nodes through powers (n,), each held `dt_s`; returns die and shell at the end of each step."""
        die, shell = self.die_c, self.shell_c
        dies, shells = [], []
        into, out = dt_s / path.c1, dt_s / path.c2
        g1, g2 = 1.0 / path.r1, 1.0 / path.r2
        for watts in package_w.tolist():
            flow = (die - shell) * g1
            die += (watts - flow) * into
            shell += (flow - (shell - room_c) * g2) * out
            dies.append(die)
            shells.append(shell)
        self.die_c, self.shell_c = die, shell
        return np.array(dies), np.array(shells)
