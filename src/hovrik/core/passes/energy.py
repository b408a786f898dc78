"""Energy, draw and hours. Wall, DC-input and battery energies are different quantities and never mixed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..facts.rig import Rig
from ..stats.estimate import t_quantile
from .trace import Channel

LOSS_PER_WATT = 0.00155  # share lost in the resistance per watt drawn, for a 40 Wh pack: fits the reference tables

# Open-circuit voltage of one cell against charge share: rounded points of a common layered-oxide cell (MEM).
_CHARGE = np.array([0.0, 0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0])
_CELL_V = np.array([2.95, 3.18, 3.33, 3.43, 3.53, 3.60, 3.65, 3.72, 3.83, 3.92, 4.00, 4.08, 4.19])


def energy_wh(channel: Channel) -> float:
    """Trapezoid of power over time, Wh; NaN samples are left out. 0 for fewer than two samples."""
    known = np.isfinite(channel.values)
    seconds = channel.stamps_ns[known].astype(np.float64) / 1e9
    return float(np.trapezoid(channel.values[known], seconds)) / 3600.0


def gauge_sd_wh(step_wh: float) -> float:
    """Standard deviation of the difference of two readings of a gauge with this step: q / sqrt(6)."""
    return step_wh / math.sqrt(6.0)


def gauge_pass_min(step_wh: float, draw_w: float, share: float) -> float:
    """Minutes a pass must last for a gauge difference to be known to `share` (one standard deviation)."""
    return 60.0 * gauge_sd_wh(step_wh) / (share * draw_w)


@dataclass(frozen=True)
class Overhead:
    """draw = base_w + k x measured package power. sd_w : residual; n : passes; base_se, k_se : standard errors, and
    their covariance."""

    base_w: float
    k: float
    sd_w: float
    n: int
    base_se: float = 0.0
    k_se: float = 0.0
    covariance: float = 0.0

    def draw_w(self, package_w: float) -> float:
        """Predicted battery draw, W."""
        return self.base_w + self.k * package_w

    def mean_se_w(self, package_w: float) -> float:
        """Standard error of the line at a package power, W."""
        variance = self.base_se**2 + 2 * package_w * self.covariance + (package_w * self.k_se) ** 2
        return math.sqrt(max(variance, 0.0))

    def interval_w(self, package_w: float) -> tuple[float, float]:
        """95 % interval of the line at a package power, W."""
        half = t_quantile(0.975, max(self.n - 2, 1)) * self.mean_se_w(package_w)
        return self.draw_w(package_w) - half, self.draw_w(package_w) + half

    def package_of(self, draw_w: float) -> tuple[float, float]:
        """Package power at a draw, W, and its standard deviation: the line's and that of a pass about it."""
        package = (draw_w - self.base_w) / self.k
        dof = max(self.n - 2, 1)
        wide = t_quantile(0.975, dof) / 1.96
        return package, wide * math.hypot(self.sd_w, self.mean_se_w(package)) / self.k

    def base_interval_w(self) -> tuple[float, float]:
        """95 % interval of what is drawn beside the package, W."""
        half = t_quantile(0.975, max(self.n - 2, 1)) * self.base_se
        return self.base_w - half, self.base_w + half


def fit_overhead(package_w: NDArray[np.float64], draw_w: NDArray[np.float64]) -> Overhead | None:
    """Least squares over passes; None under 3 passes or where package power spans less than 2 W."""
    if package_w.size < 3 or float(np.ptp(package_w)) < 2.0:
        return None
    design = np.column_stack((np.ones_like(package_w), package_w))
    solution, *_ = np.linalg.lstsq(design, draw_w, rcond=None)
    residual = draw_w - design @ solution
    sd = math.sqrt(float(residual @ residual) / max(package_w.size - 2, 1))
    spread = sd**2 * np.linalg.inv(design.T @ design)
    return Overhead(
        float(solution[0]), float(solution[1]), sd, package_w.size, math.sqrt(float(spread[0, 0])),
        math.sqrt(float(spread[1, 1])), float(spread[0, 1]),
    )  # fmt: skip


@dataclass(frozen=True)
class Pack:
    """A battery: charge-dependent open-circuit voltage behind a series resistance.

    full_wh : energy it gives at a vanishing load; cells in series; ohm : resistance of the whole pack;
    empty_v : terminal voltage of a cell at which the maker's electronics cut off.
    """

    full_wh: float
    cells: int = 2
    ohm: float = 0.17
    empty_v: float = 3.0

    @classmethod
    def of(cls, rig: Rig) -> Pack | None:
        """The pack of a rig, or None where its energy is unknown. An unknown resistance is assumed from the
        reference tables: a loss of 0.155 % per watt for 40 Wh, in proportion."""
        full = rig.full_charge_wh
        if full is None:
            return None
        cells = rig.pack_cells or 2
        nominal = cells * float(np.interp(0.5, _CHARGE, _CELL_V))
        ohm = rig.pack_ohm if rig.pack_ohm is not None else LOSS_PER_WATT * nominal**2 * 40.0 / full
        return cls(full, cells, ohm)

    def open_v(self, charge: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """Open-circuit voltage of the pack at a charge share, V."""
        return np.asarray(self.cells * np.interp(charge, _CHARGE, _CELL_V))

    @property
    def charge_ah(self) -> float:
        """Charge that gives `full_wh` at a vanishing load, Ah."""
        mean_v = float(np.trapezoid(_CELL_V, _CHARGE))
        return self.full_wh / (self.cells * mean_v)

    def terminal_v(self, charge: NDArray[np.float64] | float, draw_w: float) -> NDArray[np.float64]:
        """(U + sqrt(U^2 - 4 R P)) / 2; NaN where the pack cannot give `draw_w`."""
        u = self.open_v(charge)
        inside = u * u - 4.0 * self.ohm * draw_w
        return np.where(inside >= 0, 0.5 * (u + np.sqrt(np.maximum(inside, 0.0))), np.nan)

    def current_a(self, charge: float, draw_w: float) -> float:
        """(U - sqrt(U^2 - 4 R P)) / 2R: what the pack gives at a constant power, A (negative while charging)."""
        u = float(self.open_v(charge))
        return (u - math.sqrt(max(u * u - 4.0 * self.ohm * draw_w, 0.0))) / (2.0 * self.ohm)

    def delivered_wh(self, draw_w: float, start: float = 1.0, reserve: float = 0.0) -> float:
        """Energy given at a constant `draw_w` (> 0) from charge share `start` to `reserve`, Wh.

        Integral of terminal voltage over charge, ended early where a cell falls to `empty_v`.
        """
        if draw_w <= 0:
            raise InputError(f"Draw {draw_w:g} W gives no runtime. A draw over 0 W is needed.")
        share = np.linspace(start, reserve, 400)
        volts = np.nan_to_num(self.terminal_v(share, draw_w), nan=0.0)
        floor = self.empty_v * self.cells
        dead = np.flatnonzero(volts < floor)
        if dead.size:
            at = int(dead[0])
            if at == 0:
                return 0.0
            part = (volts[at - 1] - floor) / (volts[at - 1] - volts[at])
            share = np.append(share[:at], share[at - 1] + part * (share[at] - share[at - 1]))
            volts = np.append(volts[:at], floor)
        return float(-np.trapezoid(volts, share)) * self.charge_ah


def plain_hours(full_wh: float, draw_w: float) -> float:
    """The plain division people do by hand; shown as such, since a pack gives less the harder it is drawn on."""
    return full_wh / draw_w


def is_practical(hours_a: float, hours_b: float, least_share: float = 0.05, least_min: float = 10.0) -> bool:
    """Whether two runtimes differ by more than the larger of 5 % of the shorter and 10 min."""
    least = max(least_share * min(hours_a, hours_b), least_min / 60.0)
    return abs(hours_a - hours_b) > least


@dataclass(frozen=True)
class WattFlow:
    """One part of where the watts go. parent : the part it is taken from, "" for the source; measured : read in passes,
    else assumed or left over, as `how` says."""

    id: str
    label: str
    parent: str
    watts: float
    measured: bool
    how: str


def where_watts_go(
    draw_w: float | None, package_w: float | None, line: Overhead | None, cpu_w: float | None = None,
    gpu_w: float | None = None, wall_w: float | None = None,
) -> tuple[WattFlow, ...]:  # fmt: skip
    """The way from battery or wall to CPU and GPU, W, as far as passes and the overhead line carry it.

    Without a draw (plugged in) the whole machine is taken from the line where there is one. What is neither measured
    nor fitted is left out, never guessed; parts of one parent add up to it.
    """
    if package_w is None or (draw_w is None and wall_w is None):
        return ()
    found = []
    whole = draw_w if draw_w is not None else line.draw_w(package_w) if line is not None else None
    if wall_w is not None and (whole is None or wall_w > whole):
        found.append(WattFlow("wall", "Wall", "", wall_w, True, "wall power of the passes"))
        left = wall_w - (whole if whole is not None else package_w)
        words = "Adapter loss and charging" if whole is not None else "Charging, loss, screen, board"
        found.append(WattFlow("charging", words, "wall", max(left, 0.0), False, "what is left over"))
    source = "wall" if found else ""
    if whole is not None:
        how = "draw of the passes" if draw_w is not None else "line over passes on battery"
        found.append(WattFlow("draw", "Whole machine", source, whole, draw_w is not None, how))
        found += _beside_package(whole, package_w, line)
        source = "draw"
    found.append(WattFlow("package", "Package", source, package_w, True, "package power of the passes"))
    if cpu_w is not None and gpu_w is not None and cpu_w + gpu_w <= package_w * 1.02:
        found.append(WattFlow("cpu", "CPU", "package", cpu_w, True, "CPU power of the passes"))
        found.append(WattFlow("gpu", "GPU", "package", gpu_w, True, "GPU power of the passes"))
        left = max(package_w - cpu_w - gpu_w, 0.0)
        found.append(WattFlow("uncore", "Rest of the package", "package", left, False, "what is left over"))
    return tuple(found)


def _beside_package(whole_w: float, package_w: float, line: Overhead | None) -> list[WattFlow]:
    rest = whole_w - package_w
    if line is not None and 0 < line.base_w < rest:
        base = WattFlow(
            "base", "Screen, board, radio, storage", "draw", line.base_w, False, f"line over {line.n} passes"
        )
        return [base, WattFlow("loss", "Conversion loss", "draw", rest - line.base_w, False, "what the line leaves")]
    return (
        [WattFlow("base", "Everything beside the package", "draw", rest, True, "draw less package")] if rest > 0 else []
    )
