"""Batteries of odd plants: their own voltage curves, ratings and gauges. NumPy only."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Pack:
    """cells in series, each with an open-circuit voltage low_v + slope q + knee (1 - exp(-q / early)) + late q^4 at
    charge share q; ohm of the whole; cut_v of a cell; charge_ah; label_wh : what the label says; rated : "slow" or
    "fifth" (at a fifth of capacity an hour); gauge_step : share of a full charge; gauge_lag_s."""

    cells: int
    low_v: float
    slope: float
    knee: float
    early: float
    late: float
    ohm: float
    cut_v: float
    charge_ah: float
    label_wh: float
    rated: str
    gauge_step: float
    gauge_lag_s: float

    def open_v(self, charge: Array | float) -> Array:
        """Open-circuit voltage of the pack, V."""
        q = np.asarray(charge, float)
        cell = self.low_v + self.slope * q + self.knee * (1 - np.exp(-q / self.early)) + self.late * q**4
        return np.asarray(self.cells * cell)

    def volts(self, charge: Array | float, draw_w: float) -> Array:
        """Terminal voltage at a constant power; 0 where it cannot be given."""
        u = self.open_v(charge)
        inside = u * u - 4.0 * self.ohm * draw_w
        return np.where(inside > 0, 0.5 * (u + np.sqrt(np.maximum(inside, 0.0))), 0.0)

    def hours(self, draw_w: float, start: float = 1.0, reserve: float = 0.05) -> float:
        """Hours at a constant draw from a charge share to the reserve or the cut-off, by integration over charge."""
        share = np.linspace(start, reserve, 2001)
        volts = self.volts(share, draw_w)
        dead = np.flatnonzero(volts < self.cut_v * self.cells)
        if dead.size:
            share, volts = share[: dead[0]], volts[: dead[0]]
        if share.size < 2:
            return 0.0
        return float(-np.trapezoid(self.charge_ah * volts / draw_w, share))

    def drained(self, charge: float, draw_w: float, seconds: float) -> float:
        """Charge share after some seconds at a draw."""
        volts = float(self.volts(charge, draw_w)) or self.cut_v * self.cells
        return charge - draw_w / volts * seconds / 3600.0 / self.charge_ah


def drawn(rng: np.random.Generator, label_wh: float, cells: int) -> Pack:
    """A pack whose label is about right: rated slow or at a fifth an hour, its energy off by some 3 %."""
    low, slope = float(rng.uniform(2.9, 3.1)), float(rng.uniform(0.35, 0.75))
    knee, early, late = float(rng.uniform(0.3, 0.55)), float(rng.uniform(0.03, 0.09)), float(rng.uniform(0.0, 0.2))
    ohm = 0.125 * (cells / 2) ** 2 * math.sqrt(40.0 / label_wh) * math.exp(0.5 * float(rng.standard_normal()))
    rated = str(rng.choice(["slow", "fifth"]))
    raw = Pack(
        cells, low, slope, knee, early, late, ohm, float(rng.uniform(2.85, 3.1)), 1.0, label_wh, rated,
        float(rng.choice([0.001, 0.005, 0.01])), float(rng.uniform(0.0, 15.0)),
    )  # fmt: skip
    true_wh = label_wh * math.exp(0.03 * float(rng.standard_normal()))
    rate_w = 0.05 if rated == "slow" else true_wh / 5.0
    # energy given at a rate is nearly proportional to the charge: two secant steps settle it
    ah = 1.0 * true_wh / (raw.cells * 3.7)
    for _ in range(6):
        made = Pack(**{**raw.__dict__, "charge_ah": ah})
        ah *= true_wh / (made.hours(rate_w, 1.0, 0.0) * rate_w)
    return Pack(**{**raw.__dict__, "charge_ah": ah})
