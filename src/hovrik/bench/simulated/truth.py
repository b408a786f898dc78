"""The stand-in's truth, for tests and benchmarks of judgement: many independent passes straight from the physics.

Uses none of the analysis code; gives raw intervals, from which the asker takes plain NumPy expectations.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .heat import HeatState
from .physics import Load, Physics, Setting
from .scene import BLOCK_S, QUIET, ScenePlayer, Surroundings

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Truth:
    """Expectations over independent passes and their standard errors. low_fps : 1000 / 99th percentile of intervals."""

    mean_fps: float
    low_fps: float
    low_se: float
    missed_share: float
    missed_se: float
    package_w: float


def independent_pass(
    physics: Physics, load: Load, limit_w: float, setting: Setting, seconds: float, seed: tuple[int, ...],
    soak_s: float = 30.0, room_c: float = 22.0, start: HeatState | None = None, around: Surroundings = QUIET,
    policy: str | None = None,
) -> tuple[Array, float]:  # fmt: skip
    """Intervals (ms) of one pass after a soak from the temperatures `start`, and its mean package power (W)."""
    player = ScenePlayer(physics, load, seed, around, room_c)
    heat = HeatState(start.die_c, start.shell_c) if start else HeatState(45.0, 37.0)
    for _ in range(round(soak_s / BLOCK_S)):
        player.play(limit_w, setting, heat, policy)
    ends, watts = [], []
    for block in range(round(seconds / BLOCK_S)):
        played = player.play(limit_w, setting, heat, policy)
        ends.append(played.frame_ends_s + block * BLOCK_S)
        watts.append(float(played.operating.package_w.mean()))
    return np.diff(np.concatenate(ends)) * 1000.0, float(np.mean(watts))


def expectation(
    physics: Physics, load: Load, limit_w: float, setting: Setting, seconds: float, target_fps: float,
    passes: int, seed: int, soak_s: float = 30.0, start: HeatState | None = None,
) -> Truth:  # fmt: skip
    """Truth of a setup from `passes` independent passes of `seconds` after a soak."""
    low, mean, missed, watts = (np.empty(passes) for _ in range(4))
    for index in range(passes):
        interval_ms, watts[index] = independent_pass(
            physics, load, limit_w, setting, seconds, (seed, index), soak_s, start=start
        )
        low[index] = 1000.0 / np.quantile(interval_ms, 0.99)
        mean[index] = 1000.0 / interval_ms.mean()
        missed[index] = np.mean(interval_ms > 1500.0 / target_fps)
    root = np.sqrt(passes)
    return Truth(
        float(mean.mean()), float(low.mean()), float(low.std(ddof=1) / root),
        float(missed.mean()), float(missed.std(ddof=1) / root), float(watts.mean()),
    )  # fmt: skip
