"""The delay that generated frames add: reckoned, and held against frames counted on slow-motion recordings.

A count runs from a press to what it changes on the panel, so that it holds the pad, the title's queue and the panel
too. What generating adds is the difference of counts with it and without, at about one rendered rate; a camera's step
is the same in both and part of their scatter. The share of the reckoning that the counts show is then applied at other
rates.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..facts.rig import DelayCount
from ..stats.estimate import Estimate, t_quantile

QUEUED = (0.0, 1.0)  # frames that wait beside the one held back
WORK_MS = 3.0  # of making a frame, from memory
LEAST = 3  # counts of each kind
ALIKE = 1.15  # of rendered rates that are put side by side
PRIOR_SD, PRIOR_DOF = 0.3, 3.0  # scatter of counts as a share of the interval, from memory; what it weighs


def added_ms(rendered_fps: float, refresh_hz: float | None = None) -> Estimate:
    """Delay that generating between two rendered frames adds, ms: the newer of them is held back for half its interval
    and the work, as many intervals more as frames are queued, and half a scan of the panel. A reckoning; queue and work
    are from memory."""
    interval = 1000.0 / rendered_fps
    scan = 500.0 / refresh_hz if refresh_hz else 0.0
    low, high = (0.5 * interval + WORK_MS + queued * interval + scan for queued in QUEUED)
    return Estimate((low + high) / 2, low, high, "ms")


@dataclass(frozen=True)
class Counted:
    """What counts say. added : by generating, ms, with its 95 % interval; share : of the middle of the reckoning at the
    counted rate; at_fps : that rate; counts : with and without."""

    added: Estimate
    share: Estimate
    at_fps: float
    counts: tuple[int, int]

    def at(self, rendered_fps: float, refresh_hz: float | None = None) -> Estimate:
        """Delay added at another rendered rate, ms."""
        middle = added_ms(rendered_fps, refresh_hz).value
        ends = [None if end is None else max(end, 0.0) * middle for end in (self.share.low, self.share.high)]
        return Estimate(self.share.value * middle, ends[0], ends[1], "ms", self.added.n)


def counted_of(rows: Sequence[DelayCount]) -> Counted | None:
    """What counts of one rig say; None under three of each kind at rates that are alike."""
    sound = [one for one in rows if min(one.rendered_fps, one.camera_fps, one.frames) > 0]
    with_ = [one for one in sound if one.generation == "on"]
    if len(with_) < LEAST:
        return None
    about = float(np.median([one.rendered_fps for one in with_]))
    near = [one for one in sound if 1 / ALIKE <= one.rendered_fps / about <= ALIKE]
    kinds = [[1000.0 * one.frames / one.camera_fps for one in near if one.generation == kind] for kind in ("on", "off")]
    on, off = (np.array(one) for one in kinds)
    if min(on.size, off.size) < LEAST:
        return None
    prior = (PRIOR_SD * 1000.0 / about) ** 2
    dofs = [one.size - 1 + PRIOR_DOF for one in (on, off)]
    variances = [((one.size - 1) * one.var(ddof=1) + PRIOR_DOF * prior) / dof for one, dof in zip((on, off), dofs)]
    parts = [variance / one.size for variance, one in zip(variances, (on, off))]
    dof = sum(parts) ** 2 / sum(part**2 / own for part, own in zip(parts, dofs))  # Welch and Satterthwaite
    value, half = float(on.mean() - off.mean()), t_quantile(0.975, dof) * math.sqrt(sum(parts))
    added = Estimate(value, value - half, value + half, "ms", on.size + off.size)
    middle = added_ms(about, next((one.refresh_hz for one in near if one.refresh_hz), None)).value
    share = Estimate(value / middle, (value - half) / middle, (value + half) / middle, "", added.n)
    return Counted(added, share, about, (on.size, off.size))
