"""The stand-in's own battery, so that hours reckoned from its draw are not checked against themselves.

A rest voltage by formula and a resistance that rises towards empty. Shares nothing with the analysis.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...core.facts.rig import Rig

# Rest voltage of one cell at charge share s: E - K / s + A exp(-B (1 - s)). The form is that of Shepherd (1965, "Design
# of primary and secondary cells", J. Electrochem. Soc. 112, 657), named from memory; the constants are from memory too,
# set so that a cell rests at 4.19 V full and near 3.1 V at 2 %.
_E, _K, _A, _B = 3.652, 0.012, 0.55, 2.6
_LEAST = 0.015  # share under which the form falls off a cliff
_RISE, _AT = 0.6, 12.0  # resistance at empty over that at full, less one, and how fast it fades with charge
OHM_PER_CELL = 0.055  # from memory, of a small pack


@dataclass(frozen=True)
class Battery:
    """full_wh : energy at a vanishing load; cells in series; ohm : resistance of the whole when full."""

    full_wh: float
    cells: int
    ohm: float

    @classmethod
    def of(cls, rig: Rig) -> Battery | None:
        """The battery of a rig, None where its energy is unknown."""
        full = rig.full_charge_wh
        cells = rig.pack_cells or 2
        return None if full is None else cls(full, cells, rig.pack_ohm or cells * OHM_PER_CELL)

    def open_v(self, charge: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """Rest voltage at a charge share, V."""
        share = np.maximum(charge, _LEAST)
        return np.asarray(self.cells * (_E - _K / share + _A * np.exp(-_B * (1.0 - share))))

    def ohm_at(self, charge: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """Resistance at a charge share, ohm."""
        return np.asarray(self.ohm * (1.0 + _RISE * np.exp(-_AT * np.asarray(charge))))

    @property
    def charge_ah(self) -> float:
        """Charge that gives `full_wh` at a vanishing load, Ah."""
        flat = _LEAST * (_E - _K / _LEAST + _A * math.exp(-_B * (1.0 - _LEAST)))
        tail = _A / _B * (1.0 - math.exp(-_B * (1.0 - _LEAST)))
        mean_v = flat + _E * (1.0 - _LEAST) + _K * math.log(_LEAST) + tail  # the integral of the form over charge
        return self.full_wh / (self.cells * mean_v)

    def current_a(self, charge: float, draw_w: float) -> float:
        """What it gives at a constant power, A (negative while charging); at most what it can."""
        rest, ohm = float(self.open_v(charge)), float(self.ohm_at(charge))
        return (rest - math.sqrt(max(rest * rest - 4.0 * ohm * draw_w, 0.0))) / (2.0 * ohm)

    def terminal_v(self, charge: float, draw_w: float) -> float:
        """Voltage at its terminals under a power, V."""
        return float(self.open_v(charge)) - float(self.ohm_at(charge)) * self.current_a(charge, draw_w)

    def hours(self, draw_w: float, start: float, end: float) -> float:
        """Hours that a constant draw lasts between two charge shares."""
        share = np.linspace(start, end, 4001)
        rest, ohm = self.open_v(share), self.ohm_at(share)
        amps = (rest - np.sqrt(np.maximum(rest * rest - 4.0 * ohm * draw_w, 0.0))) / (2.0 * ohm)
        return float(-np.trapezoid(self.charge_ah / amps, share))
