"""Checks beyond the four basic ones: charge, source, panel, memory, shaders, length, other load, clocks, sleep, end.

Each takes what was recorded and gives findings with evidence, a next step and the span where it was seen. A check that
lacks its channel says nothing.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from ..facts.condition import Condition, number
from ..facts.knob import CAP, NO_CAP, REFRESH
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..plan.resolution import settled_after
from .frames import Intervals
from .pacing import is_even
from .trace import Channel, Trace

Array = NDArray[np.float64]


class State(StrEnum):
    """What a check, and a pass as a whole, comes to."""

    VALID = "valid"
    SUSPECT = "suspect"
    VOID = "void"


@dataclass(frozen=True)
class Thresholds:
    """Defaults with their reasons.

    over_share, over_w : firmware regulates within a few percent and half a watt; more means the limit is not what
    was asked. throttle_margin_c, throttle_share : sensors step by 1 degree; a spike is not throttling.
    drift_share, drift_z : a rate that moves by more than the step worth finding, and by more than chance
    (4 standard errors). gap_ms, gap_median : far longer than a stutter; lost_share : time that does not add up.
    clamp_share : a step of power smaller than a tenth is not a charge clamp; flat_share : a limit holds power
    this even.
    drain_w : less is the gauge's noise. tick_ms, tick_share : present stamps jitter by a tenth of a millisecond; frames
    nearly all on ticks are not shown at a variable rate. pool_share : within 3 % the pool is full. length_share : a
    twentieth more or less compares with nothing. other_share, other_time : background work worth naming, and for how
    long. collapse_share, collapse_s : half the usual GPU clock for two seconds is no load. held_ms, held_share : free
    frames are never this even. asleep_s : telemetry that stops this long means the machine slept.
    """

    over_share: float = 0.05
    over_w: float = 0.5
    throttle_margin_c: float = 1.0
    throttle_share: float = 0.02
    drift_share: float = 0.05
    drift_z: float = 4.0
    gap_ms: float = 1000.0
    gap_median: float = 20.0
    lost_share: float = 0.01
    clamp_share: float = 0.10
    flat_share: float = 0.03
    drain_w: float = 0.5
    tick_ms: float = 0.12
    tick_share: float = 0.9
    pool_share: float = 0.03
    length_share: float = 0.05
    other_share: float = 12.0
    other_time: float = 0.02
    collapse_share: float = 0.5
    collapse_s: float = 2.0
    held_ms: float = 0.5
    held_share: float = 0.7
    asleep_s: float = 5.0


@dataclass(frozen=True)
class Finding:
    """One check. spans_ns : where on the trace it was seen, ((start, end), ...)."""

    check: str
    state: State
    evidence: str
    next_step: str = ""
    spans_ns: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class Seen:
    """What the checks look at. knobs : asked values, read ones where nothing was asked; interval_ms : (n,), ms."""

    trace: Trace
    interval_ms: Intervals
    knobs: Setup
    conditions: Mapping[str, Condition]
    rig: Rig | None
    limits: Thresholds


def spans_of(channel: Channel, marked: NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    """Spans (ns) of consecutive marked samples."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], marked.astype(np.int8), [0]))))
    stamps = channel.stamps_ns
    return tuple((int(stamps[a]), int(stamps[b - 1])) for a, b in zip(edges[::2], edges[1::2]))


def _whole(seen: Seen) -> tuple[tuple[int, int], ...]:
    return ((seen.trace.start_ns, seen.trace.end_ns),)


def charge_window(seen: Seen) -> list[Finding]:
    """Charge outside the window in which passes count."""
    charge = seen.trace.measured("charge_share")
    if charge is None or seen.rig is None:
        return []
    low, high = (100.0 * share for share in seen.rig.valid_charge)
    outside = (charge.values < low - 1.0) | (charge.values > high + 1.0)
    if not outside.any():
        return []
    worst = float(charge.values[outside].min())
    return [
        Finding(
            "charge out of window", State.VOID, f"charge {worst:.0f} %, passes count from {low:.0f} to {high:.0f} %",
            "Recharge, unplug, and run it again: firmware cuts clocks at low charge.", spans_of(charge, outside),
        )
    ]  # fmt: skip


def clamp(seen: Seen) -> list[Finding]:
    """Power that steps down to a new flat level inside the pass: a limit other than the one that was set."""
    package = seen.trace.measured("package_w")
    if package is None or package.values.size < 40:
        return []
    seconds = (package.stamps_ns - package.stamps_ns[0]) / 1e9
    at, watts = second_means(seconds, package.values)
    n = watts.size
    if n < 12:
        return []
    sums = np.cumsum(watts)
    k = np.arange(4, n - 4)
    before, after = sums[k - 1] / k, (sums[-1] - sums[k - 1]) / (n - k)
    best = int((k * (n - k) / n * (before - after) ** 2).argmax())
    cut, high, low = int(k[best]), float(before[best]), float(after[best])
    flat = seen.limits.flat_share
    even = np.std(watts[1 : cut - 1]) < flat * high and np.std(watts[cut + 1 :]) < flat * low
    if low > (1.0 - seen.limits.clamp_share) * high or not even:
        return []
    start = int(package.stamps_ns[0] + at[cut] * 1_000_000_000)
    return [
        Finding(
            "clamp hit", State.VOID, f"package power steps from {high:.1f} to {low:.1f} W and stays there",
            "Look at charge, source and temperature at that moment; run it again inside the valid charge window.",
            ((start, seen.trace.end_ns),),
        )
    ]  # fmt: skip


def source_changed(seen: Seen) -> list[Finding]:
    """Adapter pulled or plugged in a pass, and a battery that drains although plugged in."""
    wall, battery = seen.trace.measured("wall_w"), seen.trace.measured("battery_w")
    if wall is None:
        return []
    on = wall.values > 1.0
    if on.any() and not on.all():
        return [
            Finding(
                "adapter changed", State.VOID, f"plugged in for {100 * on.mean():.0f} % of the pass",
                "Leave the adapter as it is for the whole pass and run it again.", spans_of(wall, ~on),
            )
        ]  # fmt: skip
    mean = battery.mean() if battery is not None else None
    if on.all() and mean is not None and mean > seen.limits.drain_w:
        return [
            Finding(
                "drain while plugged", State.SUSPECT, f"the battery gives {mean:.1f} W although plugged in",
                "A stronger adapter, or a lower limit: this does not last.", _whole(seen),
            )
        ]  # fmt: skip
    return []


def _on_ticks(interval_ms: Intervals, refresh_hz: float, within_ms: float) -> float:
    tick = 1000.0 / refresh_hz
    off = np.abs(interval_ms / tick - np.round(interval_ms / tick)) * tick
    return float(np.mean(off <= within_ms))


def variable_off(seen: Seen) -> list[Finding]:
    """Variable refresh was asked for, but frames stand on the ticks of a fixed rate."""
    refresh = seen.knobs.get(REFRESH)
    if seen.knobs.get("sync") != "variable" or not isinstance(refresh, float) or seen.interval_ms.size < 100:
        return []
    share = _on_ticks(seen.interval_ms, refresh, seen.limits.tick_ms)
    if share < seen.limits.tick_share:
        return []
    return [
        Finding(
            "variable refresh off", State.VOID, f"{100 * share:.0f} % of frames stand on the ticks of {refresh:g} Hz",
            "An overlay may have switched it off: close it, check, and run it again.", _whole(seen),
        )
    ]  # fmt: skip


def cap_against_refresh(seen: Seen) -> list[Finding]:
    """A cap that the fixed panel cannot show evenly."""
    cap, refresh = seen.knobs.get(CAP), seen.knobs.get(REFRESH)
    if seen.knobs.get("sync") != "on" or not isinstance(cap, float) or not isinstance(refresh, float):
        return []
    if is_even(cap, refresh):
        return []
    return [
        Finding(
            "cap against refresh", State.SUSPECT, f"a cap of {cap:g} on {refresh:g} Hz alternates between intervals",
            f"Choose a refresh that is a whole multiple of {cap:g}, or another cap.", _whole(seen),
        )
    ]  # fmt: skip


def memory_full(seen: Seen) -> list[Finding]:
    """The graphics memory pool is full."""
    used, pool = seen.trace.measured("memory_mb"), seen.knobs.get("memory_split_gb")
    if used is None or not isinstance(pool, float) or pool <= 0:
        return []
    most = float(np.nanmax(used.values)) / 1000.0
    if most < (1.0 - seen.limits.pool_share) * pool:
        return []
    return [
        Finding(
            "memory full", State.VOID, f"{most:.1f} of {pool:g} GB graphics memory used",
            "Lower the textures or give the GPU a larger split; more watts do not help.", _whole(seen),
        )
    ]  # fmt: skip


def compiling(seen: Seen) -> list[Finding]:
    """Long frames that become fewer inside the pass: shaders still compiling, or a warm-up."""
    frames = settled_after(seen.interval_ms)
    if frames == 0:
        return []
    until = int(seen.trace.start_ns + seen.interval_ms[:frames].sum() * 1e6)
    return [
        Finding(
            "shaders compiling", State.VOID, f"long frames become fewer after {frames} frames",
            "Play the scene once, then run it again.", ((seen.trace.start_ns, until),),
        )
    ]  # fmt: skip


def wrong_length(seen: Seen) -> list[Finding]:
    """A pass that is shorter or longer than it was to be."""
    wanted = number(seen.conditions, "planned_s")
    if wanted is None or abs(seen.trace.seconds / wanted - 1.0) <= seen.limits.length_share:
        return []
    return [
        Finding(
            "wrong length", State.VOID, f"{seen.trace.seconds:.0f} s instead of {wanted:.0f} s",
            "Set the marks right, or run it again.", _whole(seen),
        )
    ]  # fmt: skip


def background(seen: Seen) -> list[Finding]:
    """CPU time taken by others than the title."""
    other = seen.trace.measured("other_share")
    if other is None:
        return []
    busy = other.values > seen.limits.other_share
    if busy.mean() <= seen.limits.other_time:
        return []
    return [
        Finding(
            "background load", State.SUSPECT,
            f"others took over {seen.limits.other_share:.0f} % of the CPU for {100 * busy.mean():.0f} % of the pass",
            "Wait for updates and indexing, then run it again.", spans_of(other, busy),
        )
    ]  # fmt: skip


def clock_collapse(seen: Seen) -> list[Finding]:
    """GPU clock far under its usual value for seconds, while frames suffer."""
    clock = seen.trace.measured("gpu_mhz")
    if clock is None or clock.values.size < 10:
        return []
    usual = float(np.median(clock.values))
    low = clock.values < seen.limits.collapse_share * usual
    if low.sum() < seen.limits.collapse_s:
        return []
    return [
        Finding(
            "clock collapse", State.VOID, f"GPU clock under half of its usual {usual:.0f} MHz for {low.sum():.0f} s",
            "On battery this happens at random on some machines: run it again, note it where it comes back.",
            spans_of(clock, low),
        )
    ]  # fmt: skip


def asleep(seen: Seen) -> list[Finding]:
    """Telemetry and frames stop together: the machine slept."""
    channels = [c.between(seen.trace.start_ns, seen.trace.end_ns) for c in seen.trace.channels.values()]
    if not channels:
        return []
    edges = np.array([seen.trace.start_ns, seen.trace.end_ns], np.int64)
    stamps = np.unique(np.concatenate([edges, *(c.stamps_ns for c in channels)]))
    gaps = np.flatnonzero(np.diff(stamps) > seen.limits.asleep_s * 1e9)
    if not gaps.size:
        return []
    spans = tuple((int(stamps[g]), int(stamps[g + 1])) for g in gaps)
    lost = sum(b - a for a, b in spans) / 1e9
    return [
        Finding(
            "suspended", State.VOID, f"nothing was recorded for {lost:.0f} s: suspend, or the lid",
            "Switch automatic sleep off and run it again.", spans,
        )
    ]  # fmt: skip


def ended(seen: Seen) -> list[Finding]:
    """Frames stop before the end mark and do not come back: the title crashed or hung."""
    frames = seen.trace.frames_ns
    inside = frames[(frames >= seen.trace.start_ns) & (frames <= seen.trace.end_ns)]
    last = int(inside[-1]) if inside.size else seen.trace.start_ns
    usual = float(np.median(seen.interval_ms)) if seen.interval_ms.size else 0.0
    if seen.trace.end_ns - last <= max(seen.limits.gap_ms, seen.limits.gap_median * usual) * 1e6 or asleep(seen):
        return []
    return [
        Finding(
            "title ended", State.VOID, f"no frame in the last {(seen.trace.end_ns - last) / 1e9:.1f} s of the pass",
            "Note what happened. A setup at which a title crashes is not recommended.", ((last, seen.trace.end_ns),),
        )
    ]  # fmt: skip


def scaled(seen: Seen) -> list[Finding]:
    """Frames held at one rate without a cap: the engine does it, most likely by lowering its own resolution."""
    free = seen.knobs.get(CAP) == NO_CAP and seen.knobs.get("sync", "off") == "off"
    if not free or seen.knobs.get("engine_target", "off") != "off" or seen.interval_ms.size < 100:
        return []
    middle = float(np.median(seen.interval_ms))
    share = float(np.mean(np.abs(seen.interval_ms - middle) <= seen.limits.held_ms))
    if share < seen.limits.held_share or middle < 6.0:
        return []
    return [
        Finding(
            "dynamic resolution", State.SUSPECT, f"{100 * share:.0f} % of frames take {middle:.1f} ms without a cap",
            "Turn the title's own scaling off and cap from outside: what is rendered is not what is set.", _whole(seen),
        )
    ]  # fmt: skip


def told(seen: Seen) -> list[Finding]:
    """What a person or the system said happened in the pass."""
    found = seen.conditions.get("focus_lost")
    if found is None or found.value is not True:
        return []
    return [Finding("focus lost", State.VOID, "another window was in front", "Keep out of the way and run it again.")]


def second_means(seconds: Array, values: Array) -> tuple[Array, Array]:
    """Whole seconds and the means of values (n,) in them; empty ones and NaN are left out."""
    known = np.isfinite(values)
    index = np.maximum(seconds[known], 0.0).astype(np.intp)
    counts = np.bincount(index)
    sums = np.bincount(index, weights=values[known])
    kept = np.flatnonzero(counts)
    return kept.astype(float), sums[kept] / counts[kept]


ALL = (
    charge_window, clamp, source_changed, variable_off, cap_against_refresh, memory_full, compiling, wrong_length,
    background, clock_collapse, asleep, ended, scaled, told,
)  # fmt: skip
