"""Hours on a charge: from what is stated of the battery, and from what passes drew against what its gauge went down by.

Both say by how much the pack gives more or less than a plain model of it: the stated energy and resistance with their
tolerances, and the ratio of drawn energy to charge used. They are joined by their precision.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..facts.rig import Rig
from ..passes.energy import Pack
from ..passes.figures import PassFigures
from ..stats.estimate import Estimate, Mean, t_quantile
from ..stats.process import mixture_quantiles

NAMEPLATE_SD, GAUGE_SD = 0.03, 0.015  # of a stated energy: printed on the pack, told by its own gauge
OHM, OHM_SD, MEASURED_OHM_SD = 0.125, 0.5, 0.12  # of two cells in series that hold 40 Wh (log sd)
RATED_HOURS = 5.0  # of a rating at a fifth of capacity an hour
MODEL_SD = 0.015  # of the shape of the voltage curve and the cut-off
METER_SD, BLEND_SD = 0.012, 0.005  # of a power sensor's scale; of what is left
PART_SD, WHOLE = 0.03, 0.95  # of a voltage curve of another shape, where passes saw but a part of the whole way
FINEST_STEP = 0.001
STEPS = (0.05, 0.02, 0.01, 0.005, 0.002)  # shares that gauges go by; what stands on none of them goes by Wh or mWh
OFF_STEP = 0.02  # of such a gauge at most: 0.9 Wh of 46
NODES = (-2.0, -1.4, -0.8, -0.3, 0.3, 0.8, 1.4, 2.0)  # deviates of the resistance, summed over
CUT_V = (2.9, 3.05)  # of a cell, at which the electronics end it


@dataclass(frozen=True)
class Used:
    """What passes drew against what the gauge went down by, added up.

    wh : energy drawn; share : charge used by the gauge; draw_w : mean weighted by energy; start, lowest : shares;
    stretches : how many that were read at both ends; step : of the gauge (share).
    """

    wh: float
    share: float
    draw_w: float
    start: float
    lowest: float
    stretches: int
    step: float


def used_of(figures: Sequence[PassFigures]) -> Used | None:
    """From passes on battery that know draw, charge and length; None where they used no charge."""
    rows: list[tuple[float, float, float, float]] = []
    for one in figures:
        draw, used, start = (one.value(name) for name in ("draw_w", "charge_used_share", "charge_start_share"))
        seconds = one.frames.seconds if one.frames is not None else 0.0
        if draw and used is not None and used >= 0 and start and seconds > 0:
            rows.append((draw, used, start, seconds))
    return used_in(rows)


def used_in(rows: Sequence[tuple[float, float, float, float]]) -> Used | None:
    """The same from (draw in W, share of the charge used, share at the start, s) of each pass."""
    if not rows:
        return None
    draws, shares, starts, lengths = (np.array(column, float) for column in zip(*rows))
    energies = draws * lengths / 3600.0
    if shares.sum() <= 0:
        return None
    step = _step_of(np.unique(np.concatenate((starts, starts - shares)).round(6)))
    return Used(
        float(energies.sum()), float(shares.sum()), float(energies @ draws / energies.sum()), float(starts.max()),
        float((starts - shares).min()), len(rows), step,
    )  # fmt: skip


def _step_of(readings: NDArray[np.float64]) -> float:
    """Step of the gauge by its readings, (n,) shares, ascending: the coarsest on whose multiples all of them stand. No
    two readings lie nearer than it; but how far the nearest two lie apart is no step where there are few."""
    gaps = np.diff(readings)
    nearest = float(gaps[gaps > 5e-5].min()) if (gaps > 5e-5).any() else OFF_STEP
    own = (step for step in STEPS if np.abs(readings - np.round(readings / step) * step).max() < 1e-5)
    return max(min(next(own, OFF_STEP), nearest), FINEST_STEP)


def full_of(used: Used) -> Estimate:
    """Wh of a whole charge by what passes drew and their gauge went down by, with its 95 % interval."""
    told = used.wh / used.share
    read = used.step / math.sqrt(6.0) * math.sqrt(used.stretches) / used.share
    part = PART_SD * max(1.0 - (used.start - used.lowest) / WHOLE, 0.0)
    half = 2.0 * math.hypot(read, METER_SD, part)
    return Estimate(told, told * math.exp(-half), told * math.exp(half), "Wh", used.stretches)


@dataclass(frozen=True)
class Gives:
    """What a charge gives at a draw. wh : energy, low and high : ends of its 95 % interval (Wh); learned : whether
    passes had a say in it."""

    wh: float
    low: float
    high: float
    learned: bool


def gives(rig: Rig, draw_w: float, used: Used | None = None) -> Gives | None:
    """Energy from the charge limit to the reserve at a constant draw (> 0 W); None where the battery is unknown.

    Resistance and cut-off are summed over: a pack near the most it can give is lopsided in them.
    """
    stated = rig.full_charge_wh
    if stated is None:
        return None
    cells = rig.pack_cells or 2
    ohm, spread = OHM * (cells / 2) ** 2 * 40.0 / stated, OHM_SD
    if rig.pack_ohm is not None:
        ohm, spread = rig.pack_ohm, MEASURED_OHM_SD
    own_sd = GAUGE_SD if rig.full_wh is not None else NAMEPLATE_SD
    at_a_fifth = {"slow": 0.0, "fifth_an_hour": 1.0}.get(rig.battery_rated or "", 0.5)
    centres, sds, odds = [], [], []
    for z in NODES:
        for cut in CUT_V:
            pack = Pack(stated, cells, ohm * math.exp(spread * z), cut)
            log = math.log(max(pack.delivered_wh(draw_w, rig.charge_limit, rig.reserve), 1e-3))
            lost = -math.log(max(1.0 - pack.ohm * (stated / RATED_HOURS) / float(pack.open_v(0.5)) ** 2, 0.5))
            mean = log + at_a_fifth * lost
            variance = own_sd**2 + at_a_fifth * (1 - at_a_fifth) * lost**2
            weight, found = math.exp(-0.5 * z * z), _learned(pack, log, used)
            if found is not None:
                other, other_variance = found
                both = variance + other_variance
                weight *= math.exp(-0.5 * (other - mean) ** 2 / both) / math.sqrt(both)
                mean += variance / both * (other - mean)
                variance *= other_variance / both
            centres.append(mean)
            sds.append(math.sqrt(variance + MODEL_SD**2))
            odds.append(weight)
    share = np.array(odds) / max(sum(odds), 1e-300)
    low, middle, high = np.exp(mixture_quantiles(share, np.array(centres), np.array(sds), (0.025, 0.5, 0.975)))
    return Gives(float(middle), float(low), float(high), used is not None)


def _learned(pack: Pack, log: float, used: Used | None) -> tuple[float, float] | None:
    """Log of the same energy, and its variance, from charge used against energy drawn: scaled by the pack's curve from
    where the passes were made to the whole way."""
    if used is None or used.share <= 0 or used.start - used.lowest <= 0:
        return None
    part = pack.delivered_wh(used.draw_w, used.start, used.lowest) / (used.start - used.lowest)
    if part <= 0:
        return None
    read = (used.step / math.sqrt(6.0)) ** 2 * used.stretches / used.share**2
    part_sd = PART_SD * max(1.0 - (used.start - used.lowest) / WHOLE, 0.0)
    variance = read + METER_SD**2 + part_sd**2 + BLEND_SD**2
    return math.log(used.wh / used.share) + log - math.log(part), variance


def hours(rig: Rig, draw: Mean, used: Used | None = None) -> Estimate | None:
    """Hours from the charge limit to the reserve at a measured draw, with interval; None without a battery."""
    watts = math.exp(draw.mean)
    found = gives(rig, watts, used)
    if found is None:
        return None
    own = t_quantile(0.975, draw.dof) * draw.se
    low = math.hypot(own, math.log(found.wh / found.low))
    high = math.hypot(own, math.log(found.high / found.wh))
    value = found.wh / watts
    return Estimate(value, value * math.exp(-low), value * math.exp(high), "h", draw.n)
