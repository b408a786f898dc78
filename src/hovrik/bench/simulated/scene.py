"""Plays a scene on the stand-in's physics in blocks of 2 s. Deterministic by seed, whatever the waits above it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .physics import BLOCK_TICKS, TICK_S, HeatState, Load, Operating, Physics, first_order, operate

Array = NDArray[np.float64]

_FRAME_RHO = 0.9
_PACE_JITTER_MS = 0.18
BLOCK_S = BLOCK_TICKS * TICK_S


@dataclass(frozen=True)
class Block:
    """2 s of a running scene. frame_ends_s : present times from the block's start; ticks (BLOCK_TICKS,)."""

    frame_ends_s: Array
    operating: Operating
    die_c: Array
    shell_c: Array
    hot_c: Array


class ScenePlayer:
    """State of a running scene: where its load has wandered, the frame that crosses into the next block."""

    def __init__(self, physics: Physics, load: Load, seed: tuple[int, ...]) -> None:
        self._physics, self._load = physics, load
        self._rng = np.random.default_rng(seed)
        self._wander = float(self._rng.normal(0.0, load.wander))
        self._cpu, self._gpu = self._rng.normal(0.0, (load.cpu_sd, load.gpu_sd)).tolist()
        self._carry_s = 0.0
        self._point: tuple[float, float] | None = None
        self._key: tuple[float, float | None] | None = None

    def play(self, limit_w: float, cap_fps: float | None, heat: HeatState, room_c: float) -> Block:
        """The next 2 s under a limit (W) and a cap (fps, None for none); heats `heat`."""
        load, rng = self._load, self._rng
        rho = float(np.exp(-TICK_S / load.wander_s))
        noise = rng.normal(0.0, load.wander * np.sqrt(1 - rho * rho), BLOCK_TICKS)
        wander = first_order(noise, rho, self._wander)
        self._wander = float(wander[-1])
        cap_ms = 1000.0 / cap_fps if cap_fps else 0.0
        if self._key != (limit_w, cap_fps):
            self._key, self._point = (limit_w, cap_fps), None
        found = operate(self._physics, load, limit_w, cap_ms, heat.die_c, np.exp(wander), self._point)
        self._point = float(found.activity.mean()), float(found.gpu_share.mean())
        die_c, shell_c = heat.advance(self._physics.heat, found.package_w, room_c, TICK_S)
        hot = die_c + self._physics.heat.hot_cpu * found.cpu_w + self._physics.heat.hot_gpu * found.gpu_w
        return Block(self._frames(found, cap_ms), found, die_c, shell_c, hot)

    def _frames(self, found: Operating, cap_ms: float) -> Array:
        load, rng = self._load, self._rng
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
