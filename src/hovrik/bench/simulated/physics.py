"""Physics of the stand-in: watts to clocks to frame times. No clock, no files, no analysis.

Vectorised over ticks of 0.1 s. Parameter values were tried by us; none describes a real product.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .battery import Battery
from .heat import HeatPath

Array = NDArray[np.float64]

TICK_S = 0.1
BLOCK_TICKS = 20


@dataclass(frozen=True)
class Domain:
    """CPU or GPU: P = idle_w + k f V(f)^2, V = v0 + v_slope max(0, f - v_knee) + offset_v; f in GHz, low to high."""

    idle_w: float
    k: float
    v0: float
    v_slope: float
    v_knee: float
    low_ghz: float
    high_ghz: float
    offset_v: float = 0.0

    @cached_property
    def _table(self) -> tuple[Array, Array]:
        f = np.linspace(self.low_ghz, self.high_ghz, 256)
        return f, self.dynamic_w(f)

    def dynamic_w(self, ghz: Array) -> Array:
        """Switching power at full activity, W."""
        volts = self.v0 + self.offset_v + self.v_slope * np.maximum(0.0, ghz - self.v_knee)
        return np.asarray(self.k * ghz * volts**2)

    def ghz_at(self, dynamic_w: Array) -> Array:
        """Highest clock within a switching power (numerical inverse of `dynamic_w`), GHz."""
        f, p = self._table
        return np.asarray(np.interp(dynamic_w, p, f))


@dataclass(frozen=True)
class Chip:
    """Two domains under one package budget. uncore_w : the rest; leak_per_k : share of uncore a degree over 50 C.

    claim, claim_no_boost : share of what the CPU would like above its floor that it takes before the GPU, with boost
    and without; base_ghz : CPU clock without boost; memory_steps : (from limit W, memory clock MHz), ascending;
    memory_mhz : memory clock that loads are given for; dents : (from W, to W, share of the budget lost there).
    """

    cpu: Domain
    gpu: Domain
    uncore_w: float
    leak_per_k: float
    claim: float
    claim_no_boost: float = 0.09
    base_ghz: float = 3.3
    memory_steps: tuple[tuple[float, float], ...] = ()
    memory_mhz: float = 3200.0
    dents: tuple[tuple[float, float, float], ...] = ()

    def memory_clock_mhz(self, limit_w: float) -> float:
        """Memory clock that the firmware runs at a limit, MHz."""
        found = [mhz for start, mhz in self.memory_steps if limit_w >= start - 1e-9]
        return found[-1] if found else self.memory_mhz

    def lost_share(self, limit_w: float) -> float:
        """Share of the budget lost at a limit to a mode edge."""
        return next((share for low, high, share in self.dents if low - 1e-9 <= limit_w < high - 1e-9), 0.0)


@dataclass(frozen=True)
class Board:
    """Everything beside the package: draw = base_w + package / efficiency; idle_package_w between scenes."""

    base_w: float
    efficiency: float
    idle_package_w: float


@dataclass(frozen=True)
class Load:
    """What a scene asks for.

    cpu_ms at 3.3 GHz with share cpu_fixed that does not scale with clock; gpu_ms at 1.6 GHz likewise, of which share
    gpu_pixels grows with the pixels; memory_ms : time at the chip's reference memory clock, a ceiling of its own;
    threads : how many cores' worth of activity; waste : spinning while waiting; wander, wander_s : slow load (log sd,
    time constant); cpu_sd, gpu_sd : per-frame log sd; stutter_share, stutter_ms : rare long frames; memory_gb : pool
    it wants; crowd_share, crowd_factor : share of time with a crowd and what it does to CPU time; motion : share of
    time too fast for generated frames; compile_s : time constant of its shader compilation; targets_fps : rates its
    engine holds by lowering its own resolution (empty: none).
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
    gpu_pixels: float = 0.62
    memory_ms: float = 0.0
    memory_gb: float = 0.0
    crowd_share: float = 0.0
    crowd_factor: float = 1.8
    motion: float = 0.2
    compile_s: float = 0.0
    targets_fps: tuple[float, ...] = ()


@dataclass(frozen=True)
class Setting:
    """What the knobs come to. cap_ms 0: no cap; pixels : share of full; pool_gb : graphics memory; upscale_ms : cost of
    the upscaler; engine_fps : target the engine holds by its own resolution, 0 for none; sync, refresh_hz, lowest_hz
    : how frames meet the panel (lowest_hz 0: no variable range); gpu_factor, cpu_factor : on their times; return_ms :
    sending a frame back over a link; own_gpu_w : power of the GPU beside the package, 0: the built-in one is used."""

    cap_ms: float = 0.0
    boost: bool = True
    smt: bool = True
    cpu_ceiling_ghz: float = math.inf
    gpu_ceiling_ghz: float = math.inf
    pixels: float = 1.0
    upscale_ms: float = 0.0
    engine_fps: float = 0.0
    pool_gb: float = math.inf
    frame_generation: bool = False
    sync: str = "off"
    refresh_hz: float = 0.0
    lowest_hz: float = 0.0
    gpu_factor: float = 1.0
    cpu_factor: float = 1.0
    return_ms: float = 0.0
    own_gpu_w: float = 0.0


PLAIN = Setting()
GENERATION_COST = 1.13  # GPU time of a rendered frame with frame generation on
LEAST_ENGINE_PIXELS = 0.4


def capped(cap_fps: float | None) -> Setting:
    """A plain setting with a frame cap (fps) or none."""
    return Setting(cap_ms=1000.0 / cap_fps) if cap_fps else PLAIN


@dataclass(frozen=True)
class Physics:
    """A whole machine's parameters. limit_bias_w : what its firmware takes over a limit it was given; clamp_charges,
    clamp_shares : charge levels under which it allows a share of the limit; undervolt_margin_mv,
    undervolt_gpu_margin_mv : hidden, per chip; discrete : a GPU beside the package."""

    chip: Chip
    heat: HeatPath
    board: Board
    pack: Battery
    overhead: float = 1.0
    limit_bias_w: float = 0.0
    clamp_charges: tuple[float, ...] = (0.5, 0.2)
    clamp_shares: tuple[float, ...] = (0.7, 0.45)
    undervolt_margin_mv: float = 60.0
    undervolt_gpu_margin_mv: float = 85.0
    discrete: Domain | None = None

    def clamp(self, charge: float) -> float:
        """Share of the limit that the firmware still allows at a charge."""
        share = 1.0
        for level, kept in zip(self.clamp_charges, self.clamp_shares):
            if charge < level:
                share = kept
        return share


@dataclass(frozen=True)
class Operating:
    """Operating point at ticks, all (n,): ms before per-frame noise, W, GHz, shares 0..1; package_w does not hold a GPU
    beside the package (outside_w); starved : CPU at its floor with work left."""

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
    pixels: Array
    starved: NDArray[np.bool_]
    outside_w: Array


def operate(
    physics: Physics, load: Load, limit_w: float, setting: Setting, die_c: float, work: Array,
    start: tuple[float, float] | None = None, crowd: Array | float = 1.0,
) -> Operating:  # fmt: skip
    """Solve the shared budget at ticks.

    limit_w : package budget; work (n,) : scene load factor; crowd : further factor on CPU time; start : (activity,
    busy) of the ticks before, which saves most of the rounds. The CPU claims its floor and a share of its wish, the
    GPU takes what it needs, the CPU gets the rest: damped fixed-point rounds over the activity both end up with.
    """
    chip = physics.chip
    uncore = chip.uncore_w * (1.0 + chip.leak_per_k * (die_c - 50.0))
    asked = (limit_w + physics.limit_bias_w) * (1.0 - chip.lost_share(limit_w))
    budget = max(asked - uncore - chip.cpu.idle_w - chip.gpu.idle_w, 0.3)
    n = work.size
    own = physics.discrete if setting.own_gpu_w > 0 else None
    gpu = own or chip.gpu
    top_ghz = min(chip.cpu.high_ghz, setting.cpu_ceiling_ghz, math.inf if setting.boost else chip.base_ghz)
    top_gpu = max(min(gpu.high_ghz, setting.gpu_ceiling_ghz), gpu.low_ghz)
    claim = chip.claim if setting.boost else chip.claim_no_boost
    low_cpu = float(chip.cpu.dynamic_w(np.array(chip.cpu.low_ghz)))
    high_cpu = float(chip.cpu.dynamic_w(np.array(top_ghz)))
    threads = load.threads * (1.0 if setting.smt else 0.93)
    slower = 1.0 if setting.smt or load.threads < 1.5 else 1.05
    cpu_work = load.cpu_ms * physics.overhead * setting.cpu_factor * slower * work * crowd
    cap_ms = max(setting.cap_ms, 1000.0 / setting.engine_fps if setting.engine_fps else 0.0)
    gpu_full = load.gpu_ms * setting.gpu_factor * work * (GENERATION_COST if setting.frame_generation else 1.0)
    memory = load.memory_ms * work * chip.memory_mhz / chip.memory_clock_mhz(limit_w)
    pixels = np.full(n, setting.pixels)
    first_activity, first_busy = start or (0.6 * threads, 0.9)
    activity, busy = np.full(n, first_activity), np.full(n, first_busy)
    for _ in range(12 if start is None else 4):
        gpu_work = gpu_full * (1.0 - load.gpu_pixels + load.gpu_pixels * pixels)
        floor = activity * low_cpu
        claimed = floor + claim * activity * (high_cpu - low_cpu)
        if own is not None:
            for_gpu = np.full(n, max(setting.own_gpu_w - own.idle_w, 0.3))
        else:
            for_gpu = np.maximum(budget - np.minimum(claimed, 0.6 * budget), 0.05)
        gpu_ghz = np.minimum(gpu.ghz_at(for_gpu / busy), top_gpu)
        if cap_ms > 0:  # enough to be done in 80 % of the frame, no more
            scale = np.maximum(0.8 * cap_ms / gpu_work - load.gpu_fixed, 0.05)
            gpu_ghz = np.minimum(gpu_ghz, np.maximum(1.6 * (1 - load.gpu_fixed) / scale, gpu.low_ghz))
        gpu_dynamic = gpu.dynamic_w(gpu_ghz)
        for_cpu = np.maximum(budget - (busy * gpu_dynamic if own is None else 0.0), 0.1) + np.zeros(n)
        cpu_ghz = np.minimum(chip.cpu.ghz_at(for_cpu / activity), top_ghz)
        cpu_ms = cpu_work * (load.cpu_fixed + (1 - load.cpu_fixed) * 3.3 / cpu_ghz)
        slowdown = load.gpu_fixed + (1 - load.gpu_fixed) * 1.6 / gpu_ghz
        if setting.engine_fps:
            room = (0.93 * cap_ms / (gpu_full * slowdown) - (1.0 - load.gpu_pixels)) / load.gpu_pixels
            pixels = np.clip(room, LEAST_ENGINE_PIXELS, setting.pixels)
            gpu_work = gpu_full * (1.0 - load.gpu_pixels + load.gpu_pixels * pixels)
        gpu_ms = np.maximum(gpu_work * slowdown + setting.upscale_ms, memory * (0.4 + 0.6 * pixels))
        frame_ms = np.maximum(np.maximum(cpu_ms, gpu_ms + setting.return_ms), cap_ms)
        share = cpu_ms / frame_ms
        activity = 0.5 * activity + 0.5 * threads * (share + load.waste * (1 - share))
        busy = 0.5 * busy + 0.5 * np.minimum(gpu_ms / frame_ms, 1.0)
    # what the firmware takes is what the clocks draw at their present activity
    cpu_w = chip.cpu.idle_w + activity * chip.cpu.dynamic_w(cpu_ghz)
    gpu_w = gpu.idle_w + busy * gpu.dynamic_w(gpu_ghz)
    inside_w = gpu_w if own is None else np.full(n, chip.gpu.idle_w)
    starved = (cpu_ghz <= chip.cpu.low_ghz * 1.01) & (share > 0.9)
    return Operating(
        cpu_ms, gpu_ms + setting.return_ms, frame_ms, cpu_ghz, gpu_ghz, cpu_w, gpu_w, uncore + cpu_w + inside_w,
        share, busy, activity, pixels, starved, gpu_w - inside_w if own is not None else np.zeros(n),
    )  # fmt: skip


def first_order(noise: Array, rho: float, before: float) -> Array:
    """x_i = rho x_(i-1) + noise_i from x_(-1) = `before`; (n,), n up to a few thousand for rho near 0.9."""
    powers = rho ** np.arange(1, noise.size + 1)
    return np.asarray(powers * (before + np.cumsum(noise / powers)))
