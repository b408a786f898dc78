"""Plausible machines with plausible titles, thousands of them: what each would do at every setup of a search.

A twin is a handful of numbers drawn from wide priors: how much of a frame the CPU and the GPU take and how each scales
with its clock (power laws), how power rises with clock (power laws, no voltages), how a limit is shared by both, what a
frame cap saves, what else the machine draws, how warm it gets. None of it is fitted: passes weigh the twins, and what
no twin explains is left to a residual (`belief.py`). Clocks are shares of the highest, so that units do not matter.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import astuple, dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from ..facts.knob import CAP, Level, is_number
from ..facts.setup import Setup

Array = NDArray[np.float32]
Half = NDArray[np.float16]
Chosen = NDArray[np.intp] | slice

COUNT = 6000
EVERY = slice(None)
FREE_FPS = 1e4  # of a frame that nothing caps
_HALVINGS = 13
_SLOWEST = 0.12  # clocks that the power is not lowered under, as a share of the highest
_EACH = 250  # twins at a time, so that work in progress stays small
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
    def of(cls, setups: Sequence[Setup], highest_w: float, tops: dict[str, float] | None = None) -> Places:
        """Those of setups. highest_w : the limit where a setup names none; tops : highest levels of the ceilings, by
        knob, where these setups do not have them all."""
        highest = {key: max((_number(one.get(key), 0.0) for one in setups), default=0.0) for key in (CPU, GPU)}
        for key, top in (tops or {}).items():
            highest[key] = max(highest[key], top)
        share = lambda one, key: _number(one.get(key), highest[key]) / highest[key] if highest[key] else 1.0  # noqa: E731
        return cls(
            tuple(float(one.static_limit_w or one.get("sustained_limit_w") or highest_w) for one in setups),
            tuple(_number(one.get(CAP), FREE_FPS) for one in setups),
            tuple(0.0 if str(one.get(BOOST, "on")) in ("off", "no", "false") else 1.0 for one in setups),
            tuple(share(one, CPU) for one in setups), tuple(share(one, GPU) for one in setups),
        )  # fmt: skip


def _number(value: Level | None, otherwise: float) -> float:
    return float(value) if is_number(value) and value is not None else otherwise


@dataclass(frozen=True)
class Rigs:
    """Machines, (m, 1) each. uncore (W); cpu_w, gpu_w : at the highest clock, busy all the time (W); cpu_power,
    gpu_power : exponents of the clock; base_clock : without boost, share of the highest; share, share_boost : how much
    faster the CPU's clock falls than the GPU's as power gets scarce, and what boost changes; waste : of a core that
    waits; busy : cores in use; base_w, loss : draw is base_w + loss x package; heat, heat_power, idle : rise over the
    room is heat x package ^ heat_power + idle (K)."""

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
    base_w: Array
    loss: Array
    heat: Array
    heat_power: Array
    idle: Array

    def only(self, chosen: Chosen) -> Rigs:
        """Some of them."""
        return Rigs(*(getattr(self, one.name)[chosen] for one in fields(self)))


def rigs_of(rng: np.random.Generator, m: int, highest_w: float) -> Rigs:
    """m machines from the prior. highest_w : the highest limit there is."""

    def lognormal(median: float, sd: float) -> Array:
        return (median * np.exp(sd * rng.standard_normal((m, 1)))).astype(np.float32)

    def between(low: float, high: float) -> Array:
        return rng.uniform(low, high, (m, 1)).astype(np.float32)

    return Rigs(
        uncore=between(0.8, 4.0), cpu_w=lognormal(0.75 * highest_w, 0.45), cpu_power=between(2.0, 3.4),
        gpu_w=lognormal(1.1 * highest_w, 0.45), gpu_power=between(1.6, 2.9), base_clock=between(0.5, 0.85),
        share=between(0.2, 1.3), share_boost=between(-0.5, 0.1), waste=between(0.0, 0.9), busy=between(0.35, 1.0),
        base_w=lognormal(5.5, 0.35), loss=(1.0 / between(0.82, 0.97)).astype(np.float32), heat=lognormal(2.2, 0.45),
        heat_power=between(0.75, 1.0), idle=between(0.0, 6.0),
    )  # fmt: skip


@dataclass(frozen=True)
class Twins:
    """What twins do at setups. free : (twins, setups), log of the low that no cap cuts, over `about`; package : log W,
    over `about_w`; caps : (setups,) log fps; tail : log of the low over the rate; slack : how far the low stays below a
    cap that cuts it (log); rigs : of each. Halves of a float hold logs to a thousandth."""

    free: Half
    package: Half
    caps: Array
    tail: Array
    slack: Array
    rigs: Rigs
    about: float = 0.0
    about_w: float = 0.0

    @property
    def size(self) -> int:
        """How many."""
        return int(self.free.shape[0])

    def of(self, name: str, which: Chosen = EVERY, at: Chosen = EVERY) -> Array:
        """Logs of an outcome, (twins, setups): "low" and "rate" (fps), "draw" (W), "rise" over the room (K), "free" the
        low that no cap cuts. which, at : some twins, some setups."""
        if name in ("low", "rate", "free"):
            free = self.free[which][:, at].astype(np.float32) + np.float32(self.about)
            if name == "free":
                return free
            caps = self.caps[at]
            return (
                np.minimum(free, self.slack[which] + caps)
                if name == "low"
                else np.minimum(free - self.tail[which], caps)
            )
        watts = np.exp(self.package[which][:, at].astype(np.float32) + np.float32(self.about_w))
        rigs = self.rigs
        if name == "draw":
            return np.asarray(np.log(rigs.base_w[which] + rigs.loss[which] * watts))
        rise = rigs.heat[which] * np.power(watts, rigs.heat_power[which]) + rigs.idle[which]
        return np.asarray(np.log(rise))


def twins(
    places: Places, target_fps: float, seed: int = 1, count: int = COUNT, rigs: Rigs | None = None,
    highest_w: float | None = None, heard: Callable[[int, int], None] = lambda done, total: None,
) -> Twins:  # fmt: skip
    """The twins of a search. target_fps : that the player asks about; the title is drawn so that it is reached
    somewhere about the limits of the search, or not at all; rigs : machines to take, of the prior where None;
    highest_w : the highest limit, of the places where None; heard : told how many there are so far, of how many."""
    rng = np.random.default_rng((seed, 5))
    highest = max(places.limit_w) if highest_w is None else highest_w
    parts: list[Twins] = []
    for at in range(0, count, _EACH):
        m = min(_EACH, count - at)
        own = rigs.only(slice(at, at + m)) if rigs is not None else rigs_of(rng, m, highest)
        parts.append(_some(rng, places, target_fps, own, highest))
        heard(at + m, count)
    every = Rigs(*(np.concatenate([getattr(one.rigs, f.name) for one in parts]) for f in fields(Rigs)))
    free, package, tail, slack = (
        np.concatenate([getattr(one, name) for one in parts]) for name in ("free", "package", "tail", "slack")
    )
    return replace(parts[0], free=free, package=package, tail=tail, slack=slack, rigs=every)


def _some(rng: np.random.Generator, places: Places, target_fps: float, rigs: Rigs, highest: float) -> Twins:
    """A title for each of some machines."""
    limits, caps, boost, cpu, gpu = (np.array(each, np.float32) for each in astuple(places))
    lowest, m = float(limits.min()), rigs.uncore.shape[0]

    def between(low: float, high: float) -> Array:
        return rng.uniform(low, high, (m, 1)).astype(np.float32)

    kind = rng.choice(3, (m, 1), p=(0.55, 0.25, 0.2))  # held up by GPU, by CPU, light
    ratio = np.exp(rng.normal(np.select([kind == 0, kind == 1], [-0.7, 0.35], -0.2), 0.35)).astype(np.float32)
    title = _Title(
        ratio=ratio, cpu_fixed=between(0.0, 0.45), gpu_fixed=between(0.0, 0.4), sharp=between(4.0, 14.0),
        unit=np.ones((m, 1), np.float32),
    )  # fmt: skip
    tail = np.clip(0.87 * np.exp(0.07 * rng.standard_normal((m, 1))), 0.55, 0.985).astype(np.float32)
    middle = np.exp(rng.uniform(math.log(0.85 * lowest), math.log(1.25 * highest), (m, 1))).astype(np.float32)
    one, never = np.ones((m, 1), np.float32), np.full((m, 1), 1e-6, np.float32)
    frame, _ = _operate(rigs, title, middle, one, one, one, never)
    title = replace(title, unit=tail / target_fps / frame)
    alike, at = np.unique(np.stack([limits, boost, cpu, gpu]), axis=1, return_inverse=True)
    frame, _ = _operate(rigs, title, alike[0], alike[1], alike[2], alike[3], never[:1])
    free = np.log(tail / frame)[:, np.ravel(at)]
    _, package = _operate(rigs, title, limits, boost, cpu, gpu, (1.0 / caps)[None])
    slack = np.log(between(0.975, 1.0))  # a limiter is a little off its cap
    about, about_w = math.log(target_fps), math.log(highest)
    return Twins(
        (free - about).astype(np.float16), (np.log(package) - about_w).astype(np.float16), np.log(caps), np.log(tail),
        slack.astype(np.float32), rigs, about, about_w,
    )  # fmt: skip


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
    rigs: Rigs, title: _Title, limit: Array, boost: Array, cpu: Array, gpu: Array, at_least: Array
) -> tuple[Array, Array]:
    """(seconds a frame, package W), (m, c): the fastest clocks that the limit allows. at_least : of a frame, s."""
    top_cpu = np.minimum(cpu, np.where(boost > 0.5, 1.0, rigs.base_clock)).astype(np.float32)
    top_gpu = np.broadcast_to(gpu, np.broadcast_shapes(np.shape(gpu), top_cpu.shape)).astype(np.float32)
    slope = np.maximum(rigs.share + rigs.share_boost * boost, 0.05).astype(np.float32)
    shape = np.broadcast_shapes(top_cpu.shape, np.shape(limit), np.shape(at_least), top_gpu.shape)
    scarce = np.zeros(shape, np.float32)  # log of how far the GPU's clock is lowered
    step = np.float32(-math.log(_SLOWEST) / 2)
    frame, package = _at(rigs, title, top_cpu, top_gpu, slope, scarce, at_least)
    over = package > limit
    scarce = np.where(over, step, np.float32(0)).astype(np.float32)
    for _ in range(_HALVINGS):
        step = np.float32(step / 2)
        frame, package = _at(rigs, title, top_cpu, top_gpu, slope, scarce, at_least)
        scarce = np.where(over, scarce + np.where(package > limit, step, -step), 0).astype(np.float32)
    return frame, package


def _at(
    rigs: Rigs, title: _Title, top_cpu: Array, top_gpu: Array, slope: Array, scarce: Array, at_least: Array
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
        rigs.uncore + rigs.busy * rigs.cpu_w * np.power(f, rigs.cpu_power) * (used + rigs.waste * (1 - used))
        + rigs.gpu_w * np.power(g, rigs.gpu_power) * of_gpu / frame
    )  # fmt: skip
    return frame, package
