"""How many watts a cooler carries: rises of settled passes against their package power, and where a limit is met.

The rise over the room goes as a power of the watts (`rise = c W^b`). b lies between coolers whose fan speeds up (about
0.7) and a fan that stands still (1): a normal prior of 0.88 and 0.12, from memory of such fits. Errors of
settled values are those of the heat model (`passes/heat.STRUCTURES`); beside them a spread of the law itself.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..stats.estimate import Estimate

Array = NDArray[np.float64]

POWER, POWER_SD = 0.88, 0.12
LAW_SD = 0.03  # log of the rise, of a level about the law
# by whether the fan follows the die (None: unknown): log of the watts that 10 degrees of room add at an equal rise, sd
FASTER = {True: (0.085, 0.045), False: (0.005, 0.01), None: (0.05, 0.055)}
STANDS = 1.05  # of fan speeds from the lowest to the highest pass, under which the fan does not follow
DRAWS = 4000
LEAST_W, MOST_W = 0.5, 500.0


@dataclass(frozen=True)
class Rise:
    """A settled pass. watts : of the package; rise : over the room (K); sd : of its log."""

    watts: float
    rise: float
    sd: float


@dataclass(frozen=True)
class Cooler:
    """Joint draws, each (draws,): c (log K at one watt), the power, and log of the watts that 10 degrees of room add at
    an equal rise: a fan that follows the die turns faster there."""

    c: Array
    power: Array
    faster: Array

    def carries(self, rise: float, hotter: float = 0.0) -> Estimate:
        """Watts at which a rise is reached, with a 95 % interval. hotter : than the room of the passes (K)."""
        logs = (math.log(rise) - self.c) / self.power + hotter / 10.0 * self.faster
        watts = np.clip(np.exp(logs), LEAST_W, MOST_W)
        low, middle, high = np.quantile(watts, (0.025, 0.5, 0.975))
        return Estimate(float(middle), float(low), float(high), "W")

    def rise_at(self, watts: float) -> Estimate:
        """Rise over the room at watts (K), with a 95 % interval."""
        low, middle, high = np.exp(np.quantile(self.c + self.power * math.log(watts), (0.025, 0.5, 0.975)))
        return Estimate(float(middle), float(low), float(high), "K")


def follows_of(speeds: Sequence[float]) -> bool | None:
    """Whether a fan follows the die, by its speeds in passes at several levels (rpm); None where they do not tell."""
    known = [speed for speed in speeds if speed > 0]
    return max(known) > STANDS * min(known) if len(known) > 1 else None


def cooler_of(rises: Sequence[Rise], seed: int = 1, follows: bool | None = None) -> Cooler | None:
    """From settled passes at one level or more; None without any. Least squares with the prior on the power. follows :
    whether the fan follows the die, None where that is not known."""
    rows = [one for one in rises if one.watts > 0 and one.rise > 0]
    if not rows:
        return None
    x, y = np.log([one.watts for one in rows]), np.log([one.rise for one in rows])
    noise = np.hypot([one.sd for one in rows], LAW_SD)
    middle = float(np.average(x, weights=noise**-2.0))
    design = np.column_stack((np.ones(x.size), x - middle)) / noise[:, None]
    precision = design.T @ design + np.diag([1e-6, POWER_SD**-2])
    covariance = np.linalg.inv(precision)
    mean = covariance @ (design.T @ (y / noise) + np.array([0.0, POWER / POWER_SD**2]))
    rng = np.random.default_rng((seed, 61, x.size))
    at, power = rng.multivariate_normal(mean, covariance, DRAWS).T
    power = np.maximum(power, 0.3)
    more, sd = FASTER[follows]
    return Cooler(at - power * middle, power, more + sd * rng.standard_normal(DRAWS))
