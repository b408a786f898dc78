"""A pass that empties the battery, read by its charge: what the machine gives at each, where that steps, how long it
took.

Seconds of a whole pass are joined into stretches of ten; where package power steps down by more than its own wander, it
does so at a charge that is known within a step of the gauge and the stretch.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..stats.changes import largest_change
from ..stats.estimate import Estimate
from .frames import stutter_list
from .trace import Channel, Trace

Array = NDArray[np.float64]

VERSION = 1
EACH_S = 10.0
LEAST = 12  # stretches on either side of a step
DROP = 0.08  # share of the power by which it has to step
FAR = 6.0  # standard errors that it lies apart
KEPT = 5.0  # stretches that count as one: neighbours are alike
COLLAPSED = 0.6  # of the usual clock
MOST_STEPS = 6
LEAST_USED = 0.2  # of a charge, from which it tells how long one lasts
PART_SD = 0.04  # of hours told from a part of a charge, of the rest: a percent is not the same energy everywhere


def hours_of_a_charge(seconds: float, used: float, span: float, gauge: float) -> Estimate:
    """Hours that a whole charge lasts, from seconds in which a share of it was used. span : from the charge limit to
    the reserve; gauge : step of the gauge (share); its reading at either end errs by up to half a step."""
    hours = seconds / 3600.0 * span / used
    half = 2.0 * math.hypot(gauge / math.sqrt(6.0) / used, PART_SD * max(1.0 - used / span, 0.0))
    return Estimate(hours, hours / (1.0 + half), hours * (1.0 + half), "h")


@dataclass(frozen=True)
class Discharge:
    """Stretches of EACH_S s, (n,) each, nan where it was not recorded: charge (share), fps, package_w, draw_w;
    stutters, collapses : events in each; gauge : step of the gauge (share); seconds : of the whole pass."""

    charge: Array
    fps: Array
    package_w: Array
    draw_w: Array
    stutters: Array
    collapses: Array
    gauge: float
    seconds: float

    @property
    def used(self) -> float:
        """Share of a full charge that it took; nan where the gauge does not tell."""
        known = self.charge[np.isfinite(self.charge)]
        return float(known[0] - known[-1]) if known.size > 1 else math.nan

    def above(self, charge: float) -> tuple[float, float]:
        """(seconds, share used) down to a charge."""
        known = np.isfinite(self.charge)
        own = np.flatnonzero(known & (self.charge >= charge))
        if own.size < 2:
            return 0.0, 0.0
        return EACH_S * (own[-1] - own[0]), float(self.charge[own[0]] - self.charge[own[-1]])

    def as_dict(self) -> dict[str, Any]:
        """Plain values, arrays among them."""
        return vars(self).copy()

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Discharge:
        """The inverse of `as_dict`."""
        arrays = {name: np.asarray(body[name], float) for name in _ARRAYS}
        return cls(**arrays, gauge=float(body["gauge"]), seconds=float(body["seconds"]))


_ARRAYS = ("charge", "fps", "package_w", "draw_w", "stutters", "collapses")


@dataclass(frozen=True)
class Stepped:
    """Power that steps down with the charge. low, high : shares between which it does; before, after : W; fps_before,
    fps_after : nan where not recorded."""

    low: float
    high: float
    before: float
    after: float
    fps_before: float
    fps_after: float


def discharge_of(trace: Trace) -> Discharge:
    """Everything of a pass by stretches."""
    n = max(int(trace.seconds // EACH_S), 1)
    edges = trace.start_ns + (np.arange(n + 1) * EACH_S * 1e9).astype(np.int64)
    intervals = trace.interval_ms()
    usable = intervals[intervals > 0]
    frames = np.histogram(trace.frames_ns, edges)[0] / EACH_S
    events = np.array([one.at_s for one in stutter_list(usable)]) if usable.size else np.zeros(0)
    stutters = np.histogram(events, np.arange(n + 1) * EACH_S)[0].astype(float)
    charge, clock = trace.measured("charge_share"), trace.measured("gpu_mhz")
    shares = _binned(charge, edges) / 100.0
    collapses = np.full(n, math.nan)
    if clock is not None and clock.values.size:
        low = clock.values < COLLAPSED * float(np.median(clock.values))
        starts = clock.stamps_ns[np.flatnonzero(np.diff(low.astype(int), prepend=0) > 0)]
        collapses = np.histogram(starts, edges)[0].astype(float)
    steps = np.abs(np.diff(np.unique(charge.values))) / 100.0 if charge is not None else np.zeros(0)
    gauge = float(np.median(steps)) if steps.size else 0.01
    return Discharge(
        shares, frames, _binned(trace.measured("package_w"), edges), _binned(trace.measured("battery_w"), edges),
        stutters, collapses, gauge, trace.seconds,
    )  # fmt: skip


def _binned(channel: Channel | None, edges: NDArray[np.int64]) -> Array:
    """Mean of a channel in each stretch, nan where it has no sample."""
    n = edges.size - 1
    if channel is None or not channel.values.size:
        return np.full(n, math.nan)
    at = np.searchsorted(edges, channel.stamps_ns, side="right") - 1
    inside = (at >= 0) & (at < n)
    counts = np.bincount(at[inside], minlength=n)
    sums = np.bincount(at[inside], channel.values[inside], minlength=n)
    found: Array = np.divide(sums, counts, out=np.full(n, math.nan), where=counts > 0)
    return found


def steps_of(one: Discharge) -> list[Stepped]:
    """Where power steps down with the charge, highest charge first; none where power or charge were not recorded."""
    known = np.flatnonzero(np.isfinite(one.package_w) & np.isfinite(one.charge))
    if known.size < 2 * LEAST:
        return []
    cuts = sorted(_cuts(one.package_w[known], 0))
    found = []
    ends = [0, *cuts, known.size]
    for number, cut in enumerate(cuts, 1):
        before, after = known[ends[number - 1] : cut], known[cut : ends[number + 1]]
        above, below = (float(np.median(one.package_w[part])) for part in (before, after))
        if below > (1.0 - DROP) * above:
            continue  # up, or a wander
        near = one.charge[known[max(cut - 1, 0) : cut + 1]]
        found.append(
            Stepped(
                float(near.min()) - one.gauge / 2, float(near.max()) + one.gauge / 2, above, below,
                float(np.median(one.fps[before])), float(np.median(one.fps[after])),
            )
        )  # fmt: skip
    return found


def _cuts(values: Array, offset: int) -> list[int]:
    """Places at which a level changes for good, by halving at the largest change."""
    n = values.size
    if n < 2 * LEAST:
        return []
    cut, before, after = largest_change(values, LEAST, n - LEAST + 1)
    parts = values[:cut], values[cut:]
    spread = [float(np.std(part)) for part in parts]
    error = math.sqrt(sum(sd**2 * KEPT / part.size for sd, part in zip(spread, parts))) + 1e-9
    apart = abs(before - after)
    if apart < FAR * error or apart < DROP * max(before, 1e-9):
        return []
    found = [*_cuts(parts[0], offset), offset + cut, *_cuts(parts[1], offset + cut)]
    return found[:MOST_STEPS]
