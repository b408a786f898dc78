"""Pinning package power: where a machine takes other watts than it is asked for, what is asked is adjusted until the
measured ones agree. What was found is kept, so that the next pass begins with it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ..core.facts.knob import LIMITS
from ..core.facts.setup import Setup
from .protocol import Sample

TRIES = 4
SETTLE_S, READ_S = 3.0, 6.0  # after a change, and over which power is read
NEAR_W, NEAR_SHARE = 0.25, 0.02  # apart by less, watts are the same
LEAST_SLOPE, MOST_SLOPE = 0.4, 2.5  # watts measured a watt asked: outside, the limit is not what decides
Key = tuple[str, float]  # OS slot, watts wanted


@dataclass
class Pin:
    """The pinning of one pass. wanted_w; asked_w : what is asked now; step_w : of the knob; tried : (asked, measured)
    so far."""

    wanted_w: float
    asked_w: float
    step_w: float
    tried: list[tuple[float, float]] = field(default_factory=list)

    @property
    def is_there(self) -> bool:
        """Whether the watts measured last are those wanted, as near as the limit's steps allow."""
        near = max(NEAR_W, NEAR_SHARE * self.wanted_w, 0.5 * self.step_w)
        return bool(self.tried) and abs(self.tried[-1][1] - self.wanted_w) <= near

    def measured(self, watts: float) -> bool:
        """Take a reading at what is asked; whether another one is worth asking for, then `asked_w` is it."""
        self.tried.append((self.asked_w, watts))
        if self.is_there or len(self.tried) >= TRIES:
            return False
        slope = 1.0
        if len(self.tried) > 1:
            (x0, y0), (x1, y1) = self.tried[-2:]
            slope = (y1 - y0) / (x1 - x0)
            if not LEAST_SLOPE <= slope <= MOST_SLOPE:
                return False
        moved = self.asked_w + (self.wanted_w - watts) / slope
        found = round(round(moved / self.step_w) * self.step_w, 6)
        if any(abs(found - asked) < 1e-9 for asked, _ in self.tried):
            return False
        self.asked_w = found
        return True


def pinned(
    pin: Pin, setup: Setup, apply: Callable[[Setup], bool], spend: Callable[[float], list[Sample] | None]
) -> bool | None:
    """Adjust until the watts agree; whether they do, None where the pass was left. apply : sets a setup, False where it
    is refused; spend : lets seconds pass and gives what was sampled, None where the pass was left."""
    while True:
        if spend(SETTLE_S) is None:
            return None
        samples = spend(READ_S)
        if samples is None:
            return None
        watts = package_w(samples)
        if watts is None or not pin.measured(watts):
            return pin.is_there
        if not apply(with_limit(setup, pin.asked_w)):
            return False


def package_w(samples: list[Sample]) -> float | None:
    """Mean package power of samples, None where it is not read."""
    parts = [one.channels["package_w"].values for one in samples if "package_w" in one.channels]
    known = np.concatenate(parts) if parts else np.empty(0)
    known = known[np.isfinite(known)]
    return float(known.mean()) if known.size and math.isfinite(float(known.mean())) else None


def with_limit(setup: Setup, watts: float) -> Setup:
    """A setup with its power limits moved."""
    return setup.with_(**{key: watts for key in LIMITS if key in setup})
