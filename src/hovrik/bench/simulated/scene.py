"""Plays a scene on the stand-in's physics in blocks of 2 s. Deterministic by seed, whatever the waits above it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .heat import HeatState
from .physics import BLOCK_TICKS, TICK_S, Load, Operating, Physics, Setting, first_order, operate

Array = NDArray[np.float64]

_FRAME_RHO = 0.9
_PACE_JITTER_MS = 0.18
_CROWD_S = 6.0  # how long a crowd stays
_BURST_FACTOR = 1.6
_COLLAPSE_S = 4.0
_STALL_MS = (60.0, 140.0)
BLOCK_S = BLOCK_TICKS * TICK_S


@dataclass(frozen=True)
class Surroundings:
    """What an OS slot and its state do to a running scene, beside its watts.

    stutter_share : long frames of its own; bursts_per_min : background work of 2 s; collapses_per_min : times at which
    the GPU clock falls to its floor; compiled_s : seconds of this title already played here (its shaders).
    """

    stutter_share: float = 0.0
    bursts_per_min: float = 0.0
    collapses_per_min: float = 0.0
    compiled_s: float = math.inf


QUIET = Surroundings()


@dataclass(frozen=True)
class Block:
    """2 s of a running scene. frame_ends_s : present times from the block's start; ticks (BLOCK_TICKS,)."""

    frame_ends_s: Array
    operating: Operating
    die_c: Array
    shell_c: Array
    hot_c: Array
    other_share: float = 0.0


class ScenePlayer:
    """State of a running scene: where its load has wandered, the frame that crosses into the next block.

    Rare events draw from a stream of their own, so that switching them off leaves everything else as it was.
    """

    def __init__(
        self, physics: Physics, load: Load, seed: tuple[int, ...], around: Surroundings = QUIET, room_c: float = 22.0
    ) -> None:
        self._physics, self._load, self._around = physics, load, around
        self.room_c = room_c
        self._rng = np.random.default_rng(seed)
        self._events = np.random.default_rng((*seed, 31))
        self._quiet = np.random.default_rng((*seed, 32))
        self._other = 0.0
        self.happened = {"bursts": 0, "collapses": 0}  # truth, for tests of judgement only
        self._wander = float(self._rng.normal(0.0, load.wander))
        self._cpu, self._gpu = self._rng.normal(0.0, (load.cpu_sd, load.gpu_sd)).tolist()
        self._carry_s = 0.0
        self._clock_s = 0.0
        self._last_shown_s = -1.0
        self._last_rendered_s: float | None = None
        self._in_crowd = False
        self._collapsed_s = 0.0
        self._point: tuple[float, float] | None = None
        self._key: tuple[float, Setting] | None = None

    @property
    def played_s(self) -> float:
        """Seconds played."""
        return self._clock_s

    def play(self, limit_w: float, setting: Setting, heat: HeatState, policy: str | None = None) -> Block:
        """The next 2 s under a limit (W) and what the knobs come to; heats `heat` under a fan policy."""
        load, rng = self._load, self._rng
        rho = float(np.exp(-TICK_S / load.wander_s))
        noise = rng.normal(0.0, load.wander * np.sqrt(1 - rho * rho), BLOCK_TICKS)
        wander = first_order(noise, rho, self._wander)
        self._wander = float(wander[-1])
        crowd = self._crowd()
        now = self._disturbed(setting)
        if self._key != (limit_w, now):
            self._key, self._point = (limit_w, now), None
        found = operate(self._physics, load, limit_w, now, heat.die_c, np.exp(wander), self._point, crowd)
        self._point = float(found.activity.mean()), float(found.gpu_share.mean())
        path = self._physics.heat
        die_c, shell_c = heat.advance(path, found.package_w + found.outside_w, self.room_c, TICK_S, policy)
        hot = die_c + path.hot_cpu * found.cpu_w + path.hot_gpu * found.gpu_w
        rendered = self._frames(found, now)
        shown = self._on_panel(self._generated(rendered, now), now)
        self._clock_s += BLOCK_S
        return Block(shown, found, die_c, shell_c, hot, self._other)

    # -- what goes on around it

    def _crowd(self) -> float:
        share = self._load.crowd_share
        if share <= 0:
            return 1.0
        leave = BLOCK_S / _CROWD_S
        enter = leave * share / (1.0 - share)
        self._in_crowd = self._events.random() < (1.0 - leave if self._in_crowd else enter)
        return self._load.crowd_factor if self._in_crowd else 1.0

    def _disturbed(self, setting: Setting) -> Setting:
        around = self._around
        self._other = 1.0 + 2.0 * self._quiet.random()
        if around.bursts_per_min > 0 and self._events.random() < around.bursts_per_min * BLOCK_S / 60.0:
            setting = replace(setting, cpu_factor=setting.cpu_factor * _BURST_FACTOR)
            self.happened["bursts"] += 1
            self._other = 100.0 * (1.0 - 1.0 / _BURST_FACTOR) * (0.8 + 0.4 * self._events.random())
        if around.collapses_per_min > 0:
            if self._collapsed_s > 0:
                self._collapsed_s -= BLOCK_S
            elif self._events.random() < around.collapses_per_min * BLOCK_S / 60.0:
                self._collapsed_s = _COLLAPSE_S
                self.happened["collapses"] += 1
            if self._collapsed_s > 0:
                setting = replace(setting, gpu_ceiling_ghz=0.0)
        return setting

    def _stalls_ms(self, count: int, found: Operating, tick: NDArray[np.intp], setting: Setting) -> Array | float:
        """Long frames that are not the scene's own: memory overflow, shader compilation, a starved CPU, the slot."""
        share = self._around.stutter_share
        overflow_gb = max(self._load.memory_gb - setting.pool_gb, 0.0)
        share += min(0.03 * overflow_gb, 0.15)
        if self._load.compile_s > 0 and math.isfinite(self._around.compiled_s):
            played = self._around.compiled_s + self._clock_s
            share += 0.03 * math.exp(-played / self._load.compile_s)
        starved = found.starved[tick]
        if share <= 0 and not starved.any():
            return 0.0
        chance = self._events.random((2, count))
        low, high = _STALL_MS
        hit = chance[0] < share + 0.03 * starved
        return np.where(hit, low + (high - low) * chance[1], 0.0)

    # -- frames

    def _frames(self, found: Operating, setting: Setting) -> Array:
        load, rng, cap_ms = self._load, self._rng, _cap_ms(setting)
        shortest = max(float(np.minimum(found.frame_ms, np.maximum(found.cpu_ms, cap_ms)).min()) * 0.6, 0.5)
        count = int(BLOCK_S * 1000.0 / shortest) + 8
        spread = np.sqrt(1 - _FRAME_RHO**2)
        cpu_x = first_order(rng.standard_normal(count) * (load.cpu_sd * spread), _FRAME_RHO, self._cpu)
        gpu_x = first_order(rng.standard_normal(count) * (load.gpu_sd * spread), _FRAME_RHO, self._gpu)
        late = rng.random(count)
        extra = np.where(late < load.stutter_share, load.stutter_ms * (0.5 + late / max(load.stutter_share, 1e-9)), 0.0)
        jitter = rng.standard_normal(count) * _PACE_JITTER_MS
        cpu_x, gpu_x = np.exp(cpu_x), np.exp(gpu_x)
        tick = np.minimum((np.arange(count) * (float(found.frame_ms.mean()) / 100.0)).astype(np.intp), BLOCK_TICKS - 1)
        extra = extra + self._stalls_ms(count, found, tick, setting)
        for _ in range(2):  # where a frame lies in time depends on the frames before it: one correction is enough
            render = np.maximum(found.cpu_ms[tick] * cpu_x + extra, found.gpu_ms[tick] * gpu_x)
            frame_ms = np.where(render < cap_ms, cap_ms + jitter, render) if cap_ms else render
            ends = self._carry_s + np.cumsum(frame_ms) / 1000.0
            tick = np.minimum((ends / TICK_S).astype(np.intp), BLOCK_TICKS - 1)
        inside = int(np.searchsorted(ends, BLOCK_S, side="right"))
        last = min(inside, count - 1)  # the frame in flight at the block's end is shown in the next one
        self._cpu, self._gpu = float(np.log(cpu_x[last])), float(np.log(gpu_x[last]))
        self._carry_s = float(ends[last]) - BLOCK_S
        shown = ends[: last + 1]
        return np.asarray(shown)

    def _generated(self, ends_s: Array, setting: Setting) -> Array:
        """With frame generation a frame in the middle of every two rendered ones, but for fast motion."""
        if not setting.frame_generation or ends_s.size == 0:
            return ends_s
        before = self._last_rendered_s
        self._last_rendered_s = self._clock_s + float(ends_s[-1])
        if self._events.random() < self._load.motion:
            return ends_s
        first = ends_s[0] if before is None else before - self._clock_s
        middle = 0.5 * (np.concatenate(([first], ends_s[:-1])) + ends_s)
        both = np.empty(2 * ends_s.size)
        both[0::2], both[1::2] = middle, ends_s
        return both[1:] if before is None else both

    def _on_panel(self, ends_s: Array, setting: Setting) -> Array:
        """Present times: as rendered (sync off), at ticks of the panel (on), not faster than it (variable)."""
        if setting.sync == "off" or setting.refresh_hz <= 0 or ends_s.size == 0:
            return ends_s
        tick = 1.0 / setting.refresh_hz
        steps = np.arange(ends_s.size)
        absolute = ends_s + self._clock_s
        if setting.sync == "on":
            ticks = np.ceil(absolute / tick - 1e-6) - steps
            first = round(self._last_shown_s / tick) + 1
            shown = (np.maximum.accumulate(np.maximum(ticks, first)) + steps) * tick
        else:
            earliest = self._last_shown_s + tick
            shown = np.maximum.accumulate(np.maximum(absolute - steps * tick, earliest)) + steps * tick
        self._last_shown_s = float(shown[-1])
        return np.asarray(shown - self._clock_s)


def _cap_ms(setting: Setting) -> float:
    """Least frame time that the cap or the engine's own target asks for; 0 for none."""
    return max(setting.cap_ms, 1000.0 / setting.engine_fps if setting.engine_fps else 0.0)
