"""Plausible machines with plausible titles, thousands of them: what each would do at every setup of a search.

A twin is a handful of numbers drawn from wide priors: how much of a frame the CPU and the GPU take and how each scales
with its clock (power laws), how power rises with clock (power laws, no voltages), how a limit is shared by both, what a
frame cap saves, what else the machine draws, how warm it gets. None of it is fitted: passes weigh the twins, and what
no twin explains is left to a residual (`belief.py`). Clocks are shares of the highest, so that units do not matter.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import astuple, dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..facts.knob import CAP, Level, is_number
from ..facts.setup import Setup

Array = NDArray[np.float32]

COUNT = 3000
FREE_FPS = 1e4  # of a frame that nothing caps
_HALVINGS = 13
_SLOWEST = 0.12  # clocks that the power is not lowered under, as a share of the highest
CPU, GPU, BOOST = "cpu_ceiling_ghz", "gpu_ceiling_mhz", "boost"


@dataclass(frozen=True)
class Places:
    """Setups as twins take them, each (c,): limit_w, cap_fps (FREE_FPS where nothing caps), boost (0 or 1), cpu, gpu
    (ceilings as shares of the highest level)."""

    limit_w: tuple[float, ...]
    cap_fps: tuple[float, ...]
    boost: tuple[float, ...]
    cpu: tuple[float, ...]
    gpu: tuple[float, ...]

    @classmethod
    def of(cls, setups: Sequence[Setup], highest_w: float) -> Places:
        """Those of setups. highest_w : the limit where a setup names none."""
        tops = {key: max((_number(one.get(key), 0.0) for one in setups), default=0.0) for key in (CPU, GPU)}
        share = lambda one, key: _number(one.get(key), tops[key]) / tops[key] if tops[key] else 1.0  # noqa: E731
        return cls(
            tuple(float(one.static_limit_w or one.get("sustained_limit_w") or highest_w) for one in setups),
            tuple(_number(one.get(CAP), FREE_FPS) for one in setups),
            tuple(0.0 if str(one.get(BOOST, "on")) in ("off", "no", "false") else 1.0 for one in setups),
            tuple(share(one, CPU) for one in setups), tuple(share(one, GPU) for one in setups),
        )  # fmt: skip


def _number(value: Level | None, otherwise: float) -> float:
    return float(value) if is_number(value) and value is not None else otherwise


@dataclass(frozen=True)
class Twins:
    """What twins do, each (twins, setups), logs: low and rate (fps), draw (W), rise over room (K); free : the low that
    no cap cuts; slack : (twins, 1), how far the low stays below a cap that does."""

    low: Array
    free: Array
    slack: Array
    rate: Array
    draw: Array
    rise: Array


@lru_cache(maxsize=2)
def twins(places: Places, target_fps: float, seed: int = 1, count: int = COUNT) -> Twins:
    """The twins of a search. target_fps : that the player asks about; the title is drawn so that it is reached
    somewhere about the limits of the search, or not at all."""
    rng = np.random.default_rng((seed, 5))
    found = [_some(rng, places, target_fps, size) for size in _sizes(count)]
    return Twins(*(np.concatenate([getattr(one, name) for one in found]) for name in Twins.__dataclass_fields__))


def _sizes(count: int, each: int = 250) -> list[int]:
    return [min(each, count - at) for at in range(0, count, each)]


def _some(rng: np.random.Generator, places: Places, target_fps: float, m: int) -> Twins:
    """m twins; draws in an order of their own, so that the first are the same however many are made."""
    limits, caps, boost, cpu, gpu = (np.array(each, np.float32) for each in astuple(places))
    lowest, highest = float(limits.min()), float(limits.max())

    def lognormal(median: float, sd: float) -> Array:
        return (median * np.exp(sd * rng.standard_normal((m, 1)))).astype(np.float32)

    def between(low: float, high: float) -> Array:
        return rng.uniform(low, high, (m, 1)).astype(np.float32)

    kind = rng.choice(3, (m, 1), p=(0.55, 0.25, 0.2))  # held up by GPU, by CPU, light
    ratio = np.exp(rng.normal(np.select([kind == 0, kind == 1], [-0.7, 0.35], -0.2), 0.35)).astype(np.float32)
    chip = _Chip(
        uncore=between(0.8, 4.0), cpu_w=lognormal(0.75 * highest, 0.45), cpu_power=between(2.0, 3.4),
        gpu_w=lognormal(1.1 * highest, 0.45), gpu_power=between(1.6, 2.9), base_clock=between(0.5, 0.85),
        share=between(0.2, 1.3), share_boost=between(-0.5, 0.1), waste=between(0.0, 0.9), busy=between(0.35, 1.0),
    )  # fmt: skip
    title = _Title(
        ratio=ratio, cpu_fixed=between(0.0, 0.45), gpu_fixed=between(0.0, 0.4), sharp=between(4.0, 14.0),
        unit=np.ones((m, 1), np.float32),
    )  # fmt: skip
    tail = np.clip(lognormal(0.87, 0.07), 0.55, 0.985)
    middle = np.exp(rng.uniform(math.log(0.85 * lowest), math.log(1.25 * highest), (m, 1))).astype(np.float32)
    one = np.ones((m, 1), np.float32)
    frame, _ = _operate(chip, title, middle, one, one, one, np.full((m, 1), 1e-6, np.float32))
    title = replace(title, unit=tail / target_fps / frame)
    free, at = np.unique(np.stack([limits, boost, cpu, gpu]), axis=1, return_inverse=True)
    frame, _ = _operate(chip, title, free[0], free[1], free[2], free[3], np.full((1, 1), 1e-6, np.float32))
    rate = (1.0 / frame)[:, np.ravel(at)]
    at_least = (1.0 / caps)[None]
    _, package = _operate(chip, title, limits, boost, cpu, gpu, at_least)
    slack = between(0.975, 1.0)  # a limiter is a little off its cap
    low = np.minimum(tail * rate, slack * caps)
    mean = np.minimum(rate, caps)
    draw = lognormal(5.5, 0.35) + package / between(0.82, 0.97)
    rise = lognormal(2.2, 0.45) * np.power(package, between(0.75, 1.0)) + between(0.0, 6.0)
    return Twins(*(np.log(each).astype(np.float32) for each in (low, tail * rate, slack, mean, draw, rise)))


@dataclass(frozen=True)
class _Chip:
    """(m, 1) each. cpu_w, gpu_w : at the highest clock, busy all the time (W); cpu_power, gpu_power : exponents of the
    clock; base_clock : without boost, share of the highest; share, share_boost : how much faster the CPU's clock falls
    than the GPU's as power gets scarce, and what boost changes; waste : of a core that waits; busy : cores in use."""

    uncore: Array
    cpu_w: Array
    cpu_power: Array
    gpu_w: Array
    gpu_power: Array
    base_clock: Array
    share: Array
    share_boost: Array
    waste: Array
    busy: Array


@dataclass(frozen=True)
class _Title:
    """(m, 1) each. ratio : the CPU's part of a frame over the GPU's, both at the highest clock; cpu_fixed, gpu_fixed :
    what does not scale with the clock; sharp : how little the two overlap; unit : seconds of the GPU's part."""

    ratio: Array
    cpu_fixed: Array
    gpu_fixed: Array
    sharp: Array
    unit: Array


def _operate(
    chip: _Chip, title: _Title, limit: Array, boost: Array, cpu: Array, gpu: Array, at_least: Array
) -> tuple[Array, Array]:
    """(seconds a frame, package W), (m, c): the fastest clocks that the limit allows. at_least : of a frame, s."""
    top_cpu = np.minimum(cpu, np.where(boost > 0.5, 1.0, chip.base_clock)).astype(np.float32)
    top_gpu = np.broadcast_to(gpu, np.broadcast_shapes(np.shape(gpu), top_cpu.shape)).astype(np.float32)
    slope = np.maximum(chip.share + chip.share_boost * boost, 0.05).astype(np.float32)
    shape = np.broadcast_shapes(top_cpu.shape, np.shape(limit), np.shape(at_least), top_gpu.shape)
    scarce = np.zeros(shape, np.float32)  # log of how far the GPU's clock is lowered
    step = np.float32(-math.log(_SLOWEST) / 2)
    frame, package = _at(chip, title, top_cpu, top_gpu, slope, scarce, at_least)
    over = package > limit
    scarce = np.where(over, step, np.float32(0)).astype(np.float32)
    for _ in range(_HALVINGS):
        step = np.float32(step / 2)
        frame, package = _at(chip, title, top_cpu, top_gpu, slope, scarce, at_least)
        scarce = np.where(over, scarce + np.where(package > limit, step, -step), 0).astype(np.float32)
    return frame, package


def _at(
    chip: _Chip, title: _Title, top_cpu: Array, top_gpu: Array, slope: Array, scarce: Array, at_least: Array
) -> tuple[Array, Array]:
    f = np.maximum(top_cpu * np.exp(-slope * scarce), _SLOWEST)
    g = np.maximum(top_gpu * np.exp(-scarce), _SLOWEST)
    of_cpu = title.unit * title.ratio * (title.cpu_fixed + (1 - title.cpu_fixed) / f)
    of_gpu = title.unit * (title.gpu_fixed + (1 - title.gpu_fixed) / g)
    longer = np.maximum(of_cpu, of_gpu)
    free = longer * np.power(1 + np.power(np.minimum(of_cpu, of_gpu) / longer, title.sharp), 1 / title.sharp)
    frame = np.maximum(free, at_least)
    used = of_cpu / frame
    package = (
        chip.uncore + chip.busy * chip.cpu_w * np.power(f, chip.cpu_power) * (used + chip.waste * (1 - used))
        + chip.gpu_w * np.power(g, chip.gpu_power) * of_gpu / frame
    )  # fmt: skip
    return frame, package
