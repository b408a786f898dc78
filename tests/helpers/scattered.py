"""Passes whose frames are log-normal about levels of known truth."""

import math

import numpy as np

from hovrik.core.passes.tail import Tail

from .build import changed, counted


def tail_of(rng, level, *, cap_ms=0.0, n=2400):
    """A pass whose frames are log-normal about a level (log ms), none shorter than the cap's interval."""
    frames = np.exp(level + 0.1 * rng.standard_normal(n))
    return Tail.of(np.sort(np.maximum(frames, cap_ms)))


def passes_of(levels, rng, *, repeats=3, spread=0.02, cap_fps=0.0):
    """Counted passes over {limit: log ms}."""
    found = []
    for limit, level in levels.items():
        for k in range(repeats):
            tail = tail_of(rng, level + spread * rng.standard_normal(), cap_ms=1000.0 / cap_fps if cap_fps else 0.0)
            one = counted(limit, 40.0, k, cap=cap_fps or "none")
            low = 1000.0 / float(np.quantile(tail.slowest_ms, 0.8))
            rate = 1000.0 * math.exp(-level)
            made = changed(one, low_1pct_fps_percentile=low, mean_fps=min(rate, cap_fps) if cap_fps else rate)
            found.append(type(made)(made.id, made.point, made.asked, type(made.figures)(
                made.figures.frames, tail, made.figures.values, made.figures.errors, made.figures.why)))  # fmt: skip
    return found


def true_low(level, spread=0.02):
    """Rate at which the expected share of slower frames is 1 %: the two scatters join."""
    return 1000.0 * math.exp(-level - 2.3263 * math.hypot(0.1, spread))
