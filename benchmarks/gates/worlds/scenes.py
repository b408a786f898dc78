"""Frames of a scene: how its load wanders, how single frames scatter, hitches, limiter and panel. NumPy and SciPy.

A stream is played in stretches of any length and carries its state over; equal seeds and lengths draw equal random
numbers whatever the knobs, so that truths over a knob can share them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

from .chips import Knobs, Point

Array = NDArray[np.float64]

TICK_S = 0.1
WAITS = ("cpu", "gpu", "cap", "panel")


@dataclass(frozen=True)
class Scene:
    """How frames of a scene scatter.

    wander, wander_s : slow load (log sd, time constant); cpu_sd, gpu_sd : frame to frame (log), rho : their
    correlation from one frame to the next, tails : degrees of freedom of a t (inf: normal); hitches_per_min in clusters
    of `cluster` frames, each `hitch` times as long; profile : (scene second, factor on the load) held from there on;
    jitter_ms : of present stamps; limiter : "wait" (at least the interval) or "grid" (next frame due at the grid);
    pass_sd : log sd of a whole pass; drift : log change over a whole sweep; launch_sd, hump : log sd of a launch, and
    (share, size) of launches that fall into a second hump; regimes : free play changes among so many loads.
    """

    wander: float = 0.02
    wander_s: float = 5.0
    cpu_sd: float = 0.08
    gpu_sd: float = 0.06
    rho: float = 0.5
    tails: float = math.inf
    hitches_per_min: float = 1.0
    cluster: float = 1.0
    hitch: float = 2.5
    profile: tuple[tuple[float, float], ...] = ()
    jitter_ms: float = 0.1
    limiter: str = "wait"
    pass_sd: float = 0.008
    drift: float = 0.0
    launch_sd: float = 0.0
    hump: tuple[float, float] = (0.0, 0.0)
    regimes: int = 0

    @property
    def scatter(self) -> float:
        """Log sd of a frame about the usual one, everything counted; the profile's factor as far as it is heavier."""
        heavier = max((math.log(factor) for _, factor in self.profile), default=0.0)
        parts = (
            self.wander,
            max(self.cpu_sd, self.gpu_sd),
            self.pass_sd,
            self.launch_sd,
            self.hump[1] / 2,
            heavier / 2,
        )
        return math.hypot(*parts)

    def launch(self, rng: np.random.Generator) -> float:
        """Log factor of one launch."""
        kind, size = rng.random(), rng.standard_normal()
        return self.launch_sd * float(size) + (self.hump[1] if kind < self.hump[0] else 0.0)

    def factor_at(self, seconds: Array) -> Array:
        """Factor of the profile at scene seconds; 1 before the start mark."""
        found = np.ones_like(seconds)
        for start, factor in self.profile:
            found[seconds >= start] = factor
        return found


@dataclass(frozen=True)
class Stretch:
    """What was played. ends_s : present times from the stretch's start; waits : index into WAITS a frame; point : the
    operating point at ticks of 0.1 s."""

    ends_s: Array
    waits: NDArray[np.int8]
    point: Point


class Stream:
    """A scene being played. serial : share of the shorter of CPU and GPU time that adds to the longer; level : log
    factor of this pass (its own, its launch's and the drift's); most_fps : no rate of the title goes over it."""

    def __init__(
        self, scene: Scene, operate: Callable[[Knobs, Array], Point], serial: float, seed: tuple[int, ...],
        level: float = 0.0, most_fps: float = 260.0,
    ) -> None:  # fmt: skip
        self._scene, self._operate, self._serial, self._level = scene, operate, serial, level
        self._most_fps = most_fps
        self._rng = np.random.default_rng(seed)
        self._wander = float(self._rng.normal(0.0, scene.wander))
        self._before = np.zeros(2)
        self._carry_s = 0.0  # from the start of what is played next until the frame that was begun before is made
        self._begun: tuple[float, int] | None = None  # until it is shown, what it waited for; None where none was
        self._played_s = 0.0
        self._last_s = -1.0
        self._regime, self._left_s = 1.0, 0.0
        self.disturbed: Callable[[Array], Array] | None = None  # factor on frame times at seconds, for faults

    def play(self, knobs: Knobs, seconds: float, scene_s: float = 0.0, *, frames: bool = True) -> Stretch:
        """The next `seconds`; scene_s : scene time at its start (negative while it runs in); frames False: the
        operating point only."""
        scene, rng = self._scene, self._rng
        m = max(math.ceil(seconds / TICK_S - 1e-9), 1)
        ticks = (np.arange(m) + 0.5) * TICK_S
        load = np.exp(self._wandered(rng.standard_normal(m)) + self._level)
        load *= self._regimes(m) if scene.regimes else scene.factor_at(scene_s + ticks)
        point = self._operate(knobs, load)
        if not frames:
            self._carry_s, self._begun, self._played_s = 0.0, None, self._played_s + seconds
            return Stretch(np.empty(0), np.empty(0, np.int8), point)
        most = math.ceil(seconds * self._most_fps) + 8
        noise = rng.standard_normal((2, most))
        if math.isfinite(scene.tails):
            noise *= np.sqrt((scene.tails - 2.0) / rng.chisquare(scene.tails, (1, most)))
        jitter = rng.standard_normal(most)
        if scene.rho:
            kicks = noise * math.sqrt(1 - scene.rho**2)
            noise, _ = lfilter([1.0], [1.0, -scene.rho], kicks, zi=self._before[:, None] * scene.rho)
        cpu, gpu = np.exp(scene.cpu_sd * noise[0]), np.exp(scene.gpu_sd * noise[1])
        # both times grow with the load alike, so that a frame's own scatter can be joined first
        one = load[0]
        cpu *= float(point.cpu_ms[0]) / one
        gpu *= float(point.gpu_ms[0]) / one
        free = np.maximum(cpu, gpu) + self._serial * np.minimum(cpu, gpu)
        due = np.interp(np.arange(most), np.concatenate(([0.0], np.cumsum(TICK_S / (point.frame_ms / 1000)))),
                        np.arange(m + 1) * TICK_S)  # fmt: skip
        free *= self._hitches(seconds, due)
        of_cpu = cpu > gpu
        for _ in range(2):
            taken = free * load[np.minimum((due / TICK_S).astype(np.int64), m - 1)]
            if self.disturbed is not None:
                taken *= self.disturbed(scene_s + due)
            ends, waits, made = self._shown(taken, of_cpu, jitter, knobs)
            due[1:] = ends[:-1]
        self._played_s += seconds
        begun = self._begun
        if begun is not None and begun[0] >= seconds:  # one frame is longer than all of this
            self._carry_s, self._begun = self._carry_s - seconds, (begun[0] - seconds, begun[1])
            return Stretch(np.empty(0), np.empty(0, np.int8), point)
        last = int(np.searchsorted(ends, seconds))
        self._before = noise[:, min(last, most - 1)]
        self._carry_s = float(made[min(last, most - 1)] - seconds)
        self._last_s = float(ends[min(last, most - 1)] - seconds)
        self._begun = self._last_s, int(waits[min(last, most - 1)])
        ends, waits = ends[:last], waits[:last]
        if begun is not None:
            ends, waits = np.concatenate(([begun[0]], ends)), np.concatenate(([np.int8(begun[1])], waits))
        return Stretch(ends, waits, point)

    def _wandered(self, noise: Array) -> Array:
        rho = math.exp(-TICK_S / self._scene.wander_s)
        kicks = noise * self._scene.wander * math.sqrt(1 - rho * rho)
        path, _ = lfilter([1.0], [1.0, -rho], kicks, zi=[rho * self._wander])
        self._wander = float(path[-1])
        return np.asarray(path)

    def _regimes(self, m: int) -> Array:
        """Free play: a load of its own for 15 to 150 s, then another; now and then a menu."""
        found = np.empty(m)
        for tick in range(m):
            if self._left_s <= 0:
                self._left_s = float(self._rng.uniform(15.0, 150.0))
                pick = int(self._rng.integers(self._scene.regimes + 1))
                self._regime = 0.35 if pick == 0 else 0.8 + 0.5 * pick / self._scene.regimes
            self._left_s -= TICK_S
            found[tick] = self._regime
        return found

    def _hitches(self, seconds: float, due: Array) -> Array:
        """Factors on frames that are due at seconds `due`: clusters at times drawn whatever the rate."""
        scene, rng = self._scene, self._rng
        found = np.ones(due.size)
        count = int(rng.poisson(scene.hitches_per_min * seconds / 60.0))
        times, lengths = seconds * rng.random(count), rng.geometric(1.0 / scene.cluster, count)
        sizes = scene.hitch * np.exp(0.3 * rng.standard_normal(count))
        for start, length, size in zip(np.searchsorted(due, times), lengths, sizes):
            found[start : start + int(length)] *= size
        return found

    def _shown(
        self, free_ms: Array, of_cpu: NDArray[np.bool_], jitter: Array, knobs: Knobs
    ) -> tuple[Array, Array, Array]:
        """Present times (s from the stretch's start), what each frame waited for, and when it was made."""
        scene = self._scene
        waits = np.where(of_cpu, 0, 1).astype(np.int8)
        cap_ms = 1000.0 / knobs.cap_fps if knobs.cap_fps else 0.0
        if cap_ms:
            waits[free_ms < cap_ms] = 2
        if cap_ms and scene.limiter == "grid":  # late frames are made up for: end_i = max(end_(i-1) + cost_i, grid_i)
            path = np.cumsum(free_ms) / 1000.0 + self._carry_s
            grid = self._carry_s + (np.arange(free_ms.size) + 1) * cap_ms / 1000.0
            ends = path + np.maximum.accumulate(np.maximum(grid - path, 0.0))
        else:
            ends = np.cumsum(np.maximum(free_ms, cap_ms)) / 1000.0 + self._carry_s
        made = ends
        if knobs.sync == "off":
            ends = np.maximum.accumulate(ends + scene.jitter_ms / 1000.0 * np.clip(jitter, -3, 3))
        if knobs.sync == "on":
            tick = 1.0 / knobs.refresh_hz
            steps = np.arange(ends.size)
            first = math.floor((self._last_s + self._played_s) / tick + 0.5) + 1
            whole = np.ceil((ends + self._played_s) / tick - 1e-6) - steps
            shown = (np.maximum.accumulate(np.maximum(whole, first)) + steps) * tick - self._played_s
            waits[shown - ends > 0.15 * tick] = 3
            ends = shown + 0.00003 * np.clip(jitter, -3, 3)
        return ends, waits, made
