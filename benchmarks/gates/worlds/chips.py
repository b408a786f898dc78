"""Watts to clocks to frame times, by laws that the shipped stand-in does not use. NumPy only.

Everything is explicit: one budget, a fixed split between CPU and GPU, three laws of GPU speed over power. Parameter
values are drawn by seed from wide ranges; none describes a real product.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

LAWS = ("power", "hill", "log")


def speed(law: str, bend: float, share: Array | float) -> Array:
    """GPU speed against its power as a share of a reference power; 1 at 1."""
    share = np.asarray(share, float)
    if law == "power":
        return np.asarray(share**bend)
    if law == "hill":
        return np.asarray((1.0 + bend) * share / (share + bend))
    return np.asarray(np.log1p(share / bend) / math.log1p(1.0 / bend))


def power_share(law: str, bend: float, found: Array | float) -> Array:
    """The inverse of `speed`."""
    found = np.asarray(found, float)
    if law == "power":
        return np.asarray(found ** (1.0 / bend))
    if law == "hill":
        return np.asarray(bend * found / np.maximum(1.0 + bend - found, 1e-3))
    return np.asarray(bend * np.expm1(found * math.log1p(1.0 / bend)))


@dataclass(frozen=True)
class Knobs:
    """What can be set on every plant. limit_w : static limit (W); cap_fps 0: none; ceilings in GHz and MHz; slot and
    version are 0 or 1; sync "on" shows frames at ticks of `refresh_hz` only."""

    limit_w: float
    cap_fps: float = 0.0
    boost: bool = True
    cpu_ceiling_ghz: float = math.inf
    gpu_ceiling_mhz: float = math.inf
    fan: str = "even"
    refresh_hz: float = 60.0
    sync: str = "off"
    slot: int = 0
    version: int = 0


@dataclass(frozen=True)
class Chip:
    """One package. base_w : what neither CPU nor GPU takes; cpu_w : of the CPU at `cpu_ref_ghz` and full activity, to
    the power `cpu_power` of its clock; split, split_plain : share of the budget the CPU may take with boost and
    without; gpu_ref_w : GPU power at speed 1, gpu_top_w : at its highest clock; edge : (from W, factor on GPU speed);
    dent : (from W, to W, factor); over_w : taken beyond every limit; headroom : frame time at a cap over what the chip
    clocks up for (more than 1)."""

    law: str
    bend: float
    base_w: float
    cpu_w: float
    cpu_power: float
    cpu_ref_ghz: float
    cpu_plain_ghz: float
    cpu_top_ghz: float
    split: float
    split_plain: float
    gpu_ref_w: float
    gpu_top_w: float
    gpu_top_mhz: float
    edge: tuple[float, float] = (math.inf, 1.0)
    dent: tuple[float, float, float] = (0.0, 0.0, 1.0)
    headroom: float = 1.15
    over_w: float = 0.0


@dataclass(frozen=True)
class Work:
    """What a scene asks of a chip. cpu_ms, gpu_ms : at reference clock and speed, of which the fixed shares do not
    scale; serial : share of the shorter of both that adds to the longer; activity : cores' worth of CPU work."""

    cpu_ms: float
    gpu_ms: float
    cpu_fixed: float
    gpu_fixed: float
    serial: float
    activity: float


@dataclass(frozen=True)
class Point:
    """Operating point at ticks, all (n,): ms, W, GHz, MHz, shares 0..1."""

    cpu_ms: Array
    gpu_ms: Array
    frame_ms: Array
    package_w: Array
    cpu_w: Array
    gpu_w: Array
    cpu_ghz: Array
    gpu_mhz: Array
    cpu_share: Array
    gpu_share: Array


def operate(chip: Chip, work: Work, knobs: Knobs, load: Array, slots: tuple[float, float] = (1.0, 1.0),
            versions: tuple[float, float] = (1.0, 1.0)) -> Point:  # fmt: skip
    """The operating point under a scene load factor (n,). slots, versions : factors on CPU and GPU time.

    With a cap the chip takes no more than brings a frame of usual load to `headroom` under the cap's interval, so that
    higher limits change nothing.
    """
    factors = (slots[knobs.slot], versions[knobs.version])
    limit = min(knobs.limit_w, wanted_w(chip, work, _without_limit(knobs), factors)) if knobs.cap_fps else knobs.limit_w
    cpu_1, gpu_1, ghz, speed_1, cpu_w, gpu_w = _clocked(chip, work, knobs, limit, factors)
    cpu_ms, gpu_ms = cpu_1 * load, gpu_1 * load
    free = np.maximum(cpu_ms, gpu_ms) + work.serial * np.minimum(cpu_ms, gpu_ms)
    frame = np.maximum(free, 1000.0 / knobs.cap_fps if knobs.cap_fps else 0.0)
    busy = free / frame
    top_speed = float(speed(chip.law, chip.bend, chip.gpu_top_w / chip.gpu_ref_w))
    n = load.size
    return Point(
        cpu_ms, gpu_ms, frame, chip.base_w + (cpu_w + gpu_w) * busy, cpu_w * busy, gpu_w * busy, np.full(n, ghz),
        np.full(n, chip.gpu_top_mhz * speed_1 / top_speed), np.minimum(cpu_ms / frame, 1.0),
        np.minimum(gpu_ms / frame, 1.0),
    )  # fmt: skip


def _clocked(chip: Chip, work: Work, knobs: Knobs, limit_w: float, factors: tuple[float, float]
             ) -> tuple[float, float, float, float, float, float]:  # fmt: skip
    """(CPU ms, GPU ms, GHz, GPU speed, CPU W, GPU W) of a busy chip that takes `limit_w`, at usual load. Edge and dent
    go by the limit that is set."""
    budget = max(limit_w + chip.over_w - chip.base_w, 0.5)
    split = chip.split if knobs.boost else chip.split_plain
    full = chip.cpu_w * work.activity
    top = min(knobs.cpu_ceiling_ghz, chip.cpu_top_ghz if knobs.boost else chip.cpu_plain_ghz)
    ghz = min(top, chip.cpu_ref_ghz * (split * budget / full) ** (1.0 / chip.cpu_power))
    cpu_w = full * (ghz / chip.cpu_ref_ghz) ** chip.cpu_power
    for_gpu = min(max(budget - cpu_w, 0.2), chip.gpu_top_w)
    top_speed = float(speed(chip.law, chip.bend, chip.gpu_top_w / chip.gpu_ref_w))
    got = float(speed(chip.law, chip.bend, for_gpu / chip.gpu_ref_w))
    got = min(got, top_speed * min(knobs.gpu_ceiling_mhz / chip.gpu_top_mhz, 1.0))
    gpu_w = float(power_share(chip.law, chip.bend, got)) * chip.gpu_ref_w
    moved = got * (chip.edge[1] if knobs.limit_w >= chip.edge[0] - 1e-9 else 1.0)
    moved *= chip.dent[2] if chip.dent[0] - 1e-9 <= knobs.limit_w < chip.dent[1] - 1e-9 else 1.0
    cpu_ms = work.cpu_ms * factors[0] * (work.cpu_fixed + (1 - work.cpu_fixed) * chip.cpu_ref_ghz / ghz)
    gpu_ms = work.gpu_ms * factors[1] * (work.gpu_fixed + (1 - work.gpu_fixed) / moved)
    return cpu_ms, gpu_ms, ghz, got, cpu_w, gpu_w


def _without_limit(knobs: Knobs) -> Knobs:
    return replace(knobs, limit_w=0.0, fan="", sync="off")


@lru_cache(maxsize=4096)
def wanted_w(chip: Chip, work: Work, knobs: Knobs, factors: tuple[float, float]) -> float:
    """Package power a capped title clocks up for, W, by bisection; whatever the limit where the chip cannot."""
    low, high = chip.base_w + 0.5, chip.base_w + chip.cpu_w * work.activity * 8.0 + chip.gpu_top_w + 10.0
    goal = 1000.0 / knobs.cap_fps / chip.headroom

    def free(limit: float) -> float:
        cpu, gpu, *_ = _clocked(chip, work, replace(knobs, limit_w=limit), limit, factors)
        return max(cpu, gpu) + work.serial * min(cpu, gpu)

    if free(high) > goal:
        return math.inf
    for _ in range(50):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if free(middle) <= goal else (middle, high)
    return high
