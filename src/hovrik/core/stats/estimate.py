"""A value with what is known of it: estimates with intervals, means of groups."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..message import Value


@dataclass(frozen=True)
class Estimate:
    """A figure with its 95 % interval. n : passes behind it; one_pass : interval from inside a single pass."""

    value: float
    low: float | None
    high: float | None
    unit: str = ""
    n: int = 0
    one_pass: bool = False

    @property
    def ends(self) -> tuple[float, float]:
        """Of its interval; the value itself where an end is not known."""
        return (self.value if self.low is None else self.low, self.value if self.high is None else self.high)

    def through(self, change: Callable[[float], float]) -> Estimate:
        """The same in another unit. change : rises with its number."""
        ends = [None if end is None else change(end) for end in (self.low, self.high)]
        return replace(self, value=change(self.value), low=ends[0], high=ends[1])

    def as_value(self) -> Value:
        """What a message says of it."""
        return Value(self.value, self.unit, self.low, self.high)

    def as_dict(self) -> dict[str, float | str | int | bool | None]:
        """Plain values for JSON."""
        return {"value": self.value, "low": self.low, "high": self.high, "unit": self.unit}


@dataclass(frozen=True)
class Mean:
    """Mean of a figure in a group, on the log scale where `log`. se : standard error on that scale; dof : its degrees
    of freedom; n passes; ends : of its 95 % interval on that scale, where that is no t interval; possible : ends of
    what it can be at all, on the natural scale."""

    mean: float
    se: float
    dof: float
    n: int
    log: bool = True
    ends: tuple[float, float] | None = None
    possible: tuple[float, float] = (-math.inf, math.inf)

    @property
    def value(self) -> float:
        """The mean on the natural scale."""
        return math.exp(self.mean) if self.log else self.mean

    @property
    def value_se(self) -> float:
        """The standard error on the natural scale."""
        return self.se * self.value if self.log else self.se

    def estimate(self, unit: str = "") -> Estimate:
        """On the natural scale with its interval."""
        low, high = self.ends or self._t_ends()
        if self.log:
            low, high = math.exp(low), math.exp(high)
        least, most = self.possible
        low, high = (min(max(end, least), most) for end in (low, high))
        return Estimate(self.value, low, high, unit, self.n)

    def _t_ends(self) -> tuple[float, float]:
        half = t_quantile(0.975, self.dof) * self.se
        return self.mean - half, self.mean + half


def half_width(values: NDArray[np.float64]) -> float:
    """Half of the 95 % interval of the mean of (n,) values, n > 1, by Student's t."""
    return t_quantile(0.975, values.size - 1) * float(values.std(ddof=1)) / math.sqrt(values.size)


def t_quantile(share: float, dof: float) -> float:
    """Student's t quantile; the normal one for dof over 200. `dof` > 0, need not be whole."""
    from scipy.special import ndtri, stdtrit

    return float(ndtri(share) if dof > 200 else stdtrit(dof, share))
