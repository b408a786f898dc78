"""How repeatable a scene is, and from that how long a pass must be and how many are needed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..passes.energy import gauge_sd_wh
from ..stats.power import detectable

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Repeatability:
    """Spread of one figure between passes of equal setup, log scale. sd; dof : degrees of freedom; drift, drift_se :
    change from the first pass to the last (share) and its standard error; passes : how many stand behind it."""

    sd: float
    dof: int
    drift: float
    drift_se: float
    passes: int

    @property
    def drifts(self) -> bool:
        """Whether the drift is more than chance (2.5 standard errors)."""
        return abs(self.drift) > 2.5 * self.drift_se


def repeatability(groups: Sequence[Sequence[tuple[float, float]]]) -> Repeatability | None:
    """From (order, figure > 0) of passes grouped by setup; None where no setup was repeated.

    The spread is pooled over groups; the drift is the common slope over order within groups.
    """
    order, logs = [], []
    for group in groups:
        if len(group) < 2:
            continue
        x = np.array([at for at, _ in group])
        y = np.log([figure for _, figure in group])
        order.append(x - x.mean())
        logs.append(y - y.mean())
    if not logs:
        return None
    x, y = np.concatenate(order), np.concatenate(logs)
    dof = y.size - len(logs)
    power, span = float(x @ x), float(max(at for g in groups for at, _ in g) - min(at for g in groups for at, _ in g))
    slope = float(x @ y) / power if power > 0 else 0.0
    sd = math.sqrt(float(y @ y) / dof)
    rest = y - slope * x
    slope_se = math.sqrt(float(rest @ rest) / max(dof - 1, 1) / power) if power > 0 and dof > 1 else math.inf
    return Repeatability(sd, dof, slope * span, slope_se * span, y.size)


def sd_at_length(sd: float, measured_s: float, length_s: float) -> float:
    """Spread of passes of another length: it falls with the root of the length while the load wanders much faster."""
    return sd * math.sqrt(measured_s / length_s)


@dataclass(frozen=True)
class Curve:
    """What can be told apart against minutes. repeats : passes a setup; minutes, share : (n,) for two setups in all."""

    repeats: int
    minutes: Array
    share: Array


def resolution(
    sd: float, measured_s: float, *, gauge_step_wh: float | None = None, draw_w: float | None = None,
    around_s: float = 54.0, repeats: Sequence[int] = (2, 3, 5, 8), lengths_s: Sequence[float] = (),
) -> tuple[Curve, ...]:  # fmt: skip
    """Curves of the smallest difference (share) that two setups show, against minutes for both.

    sd : spread of the log figure between passes of `measured_s`; with a gauge step and a draw the figure is an energy,
    and the gauge's own error joins; around_s : settle, soak and rest of each pass.
    """
    lengths = np.asarray(lengths_s or np.geomspace(20.0, 1800.0, 24))
    found = []
    for count in repeats:
        unit = detectable(1.0, count)
        spread = sd * np.sqrt(measured_s / lengths)
        if gauge_step_wh is not None and draw_w is not None:
            spread = np.hypot(spread, gauge_sd_wh(gauge_step_wh) / (draw_w * lengths / 3600.0))
        found.append(Curve(count, 2 * count * (lengths + around_s) / 60.0, unit * spread))
    return tuple(found)
