"""How loud a fan is at a speed, from a few readings of a meter: a + 50 log10 of the speed, with errors.

Fifty a decade is the fan laws' (sound power goes with the fifth power of the speed; from memory), believed to 5. What a
meter reads is off by 1.4 dB in all readings alike (class 2 of IEC 61672, from memory) and by 1 dB from reading to
reading; a level that is noted without a meter by 3 dB.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..facts.rig import NoiseReading, Rig

Array = NDArray[np.float64]

SLOPE, SLOPE_SD = 50.0, 5.0  # dB a decade of speed
METER_SD, READING_SD, NOTED_SD = 1.4, 1.0, 3.0  # dB
LEAST_LEVELS, LEAST_SPAN_C = 3, 3.0  # of a fan that follows the die
ODD = 3.0  # spreads off the line, from which readings do not go with the speed


@dataclass(frozen=True)
class Noise:
    """A line over the log10 of the speed. about : speed (rpm, log10) at which `level` (dB) is best known; covariance :
    (2, 2) of level and slope; common : error of all of it (dB); readings : that it goes by; off : most that one of them
    lies off it, in its own spreads."""

    about: float
    level: float
    slope: float
    covariance: Array
    common: float
    readings: int
    off: float

    def at(self, rpm: float) -> tuple[float, float]:
        """Sound level at a speed > 0, and its standard deviation, dB."""
        x = np.array([1.0, math.log10(rpm) - self.about])
        return self.level + self.slope * float(x[1]), math.hypot(self.common, math.sqrt(float(x @ self.covariance @ x)))


def noise_of(rig: Rig) -> Noise | None:
    """The line of a rig; None where neither readings nor a level are noted."""
    readings = [one for one in rig.noise_readings if one.rpm > 0 and math.isfinite(one.rpm + one.db)]
    if readings:
        return fitted(readings)
    if rig.noise_db is None or rig.noise_rpm is None or rig.noise_rpm <= 0:
        return None
    return fitted((NoiseReading(rig.noise_rpm, rig.noise_db),), NOTED_SD)


def fitted(readings: Sequence[NoiseReading], common: float = METER_SD) -> Noise:
    """By least squares with the belief about the slope. readings : one or more; common : error of all of them, dB."""
    logs, levels = (np.array([getattr(one, name) for one in readings], float) for name in ("rpm", "db"))
    logs = np.log10(logs)
    about = float(logs.mean())
    x = np.column_stack((np.ones(logs.size), logs - about)) / READING_SD
    covariance = np.asarray(np.linalg.inv(x.T @ x + np.diag([0.0, SLOPE_SD**-2])), np.float64)
    level, slope = covariance @ (x.T @ (levels / READING_SD) + np.array([0.0, SLOPE / SLOPE_SD**2]))
    off = np.abs(levels - level - slope * (logs - about)) / READING_SD
    return Noise(about, float(level), float(slope), covariance, common, logs.size, float(off.max()))


def follows_die(rpm: Sequence[float], die_c: Sequence[float]) -> float:
    """By how much a fan speeds up a degree of its die (log of the speed): a line through settled levels, 0 where it
    stands or where fewer than three tell. rpm, die_c : (n,) of levels with one fan policy."""
    if len(rpm) < LEAST_LEVELS or max(die_c) - min(die_c) < LEAST_SPAN_C:
        return 0.0
    return max(float(np.polyfit(np.asarray(die_c), np.log(np.asarray(rpm)), 1)[0]), 0.0)


def louder_by(log_faster: Array) -> Array:
    """Decibels that a fan gains where the log of its speed does so much."""
    found: Array = SLOPE * log_faster / math.log(10.0)
    return found
