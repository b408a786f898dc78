"""Checks beyond the four basic ones: charge, source, panel, memory, shaders, length, other load, clocks, sleep, end.

Each takes what was recorded and gives findings with evidence, a next step and the span where it was seen. A check that
lacks its channel says nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..facts.condition import Condition, number
from ..facts.knob import CAP, NO_CAP, REFRESH
from ..facts.panel import is_even, uneven_cap
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..finding import Finding, State
from ..message import Value, say
from ..stats.changes import largest_change
from .frames import Intervals
from .trace import Channel, Trace
from .warm_up import settled_after

Array = NDArray[np.float64]

SYNCED_LONG_LOG = 0.9  # on a panel's ticks a frame that misses one takes twice as long; longer ones are long
HALF_S = 0.5
FEWEST_SLOWER = 15  # frames that neither cap nor panel paced, to tell where they stand


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
    long. collapse_share, collapse_s : half the usual GPU clock for two seconds is no load;
    collapse_frames : of the usual frames, under which they suffer by it. held_ms, held_share,
    held_part : free frames are never this even, in ms or as a part of their interval. idle_share, idle_s : a battery
    that gives so little of what it did, for so long, is not what feeds the machine. slow_share, slow_s : frames a third
    longer than those around them for so long are none of the scene's wandering. lost_rows : share of frames from which
    a logger that leaves rows out shifts a low. asleep_s : telemetry that stops this long means the machine slept.
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
    collapse_frames: float = 0.9
    held_ms: float = 0.5
    held_share: float = 0.7
    held_part: float = 0.03
    idle_share: float = 0.15
    idle_s: float = 2.0
    slow_share: float = 0.35
    slow_s: float = 1.5
    lost_rows: float = 0.008
    asleep_s: float = 5.0


def found(
    check: str, weight: State, spans_ns: tuple[tuple[int, int], ...] = (), *, message: str = "", **values: Any
) -> Finding:
    """A finding of a check: its message is called as the check is, unless it is told, with what to do beside it."""
    named = message or check
    return Finding(check, weight, say(named, **values), say(f"{named}.do", **values), spans_ns, action="run-again")


def percent(number_: float) -> Value:
    return Value(number_, "%", digits=0)


def seconds(number_: float) -> Value:
    return Value(number_, "s", digits=0)


@dataclass(frozen=True)
class Case:
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


def _whole(seen: Case) -> tuple[tuple[int, int], ...]:
    return ((seen.trace.start_ns, seen.trace.end_ns),)


def charge_window(seen: Case) -> list[Finding]:
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
        found("charge-out-of-window", State.VOID, spans_of(charge, outside), charge=percent(worst), low=percent(low),
              high=percent(high))
    ]  # fmt: skip


def clamp(seen: Case) -> list[Finding]:
    """Power that steps down to a new flat level inside the pass: a limit other than the one that was set."""
    package = seen.trace.measured("package_w")
    if package is None or package.values.size < 40:
        return []
    seconds = (package.stamps_ns - package.stamps_ns[0]) / 1e9
    at, watts = second_means(seconds, package.values)
    n = watts.size
    if n < 12:
        return []
    cut, high, low = largest_change(watts, 4, n - 4)
    flat = seen.limits.flat_share
    even = np.std(watts[1 : cut - 1]) < flat * high and np.std(watts[cut + 1 :]) < flat * low
    if low > (1.0 - seen.limits.clamp_share) * high or not even:
        return []
    start = int(package.stamps_ns[0] + at[cut] * 1_000_000_000)
    told: dict[str, Any] = {"high": Value(high, "W", digits=1), "low": Value(low, "W", digits=1)}
    charge = seen.trace.measured("charge_share")
    if charge is not None and charge.values[-1] < charge.values[0]:
        told["charge"] = percent(float(np.interp(start, charge.stamps_ns, charge.values)))
    return [
        found("clamp-hit", State.VOID, ((start, seen.trace.end_ns),), message="clamp-at" if "charge" in told else "",
              **told)
    ]  # fmt: skip


def source_changed(seen: Case) -> list[Finding]:
    """Adapter pulled or plugged in a pass, and a battery that drains although plugged in."""
    wall, battery = seen.trace.measured("wall_w"), seen.trace.measured("battery_w")
    if wall is None:
        return _seen_in_battery(seen, battery) if battery is not None else []
    on = wall.values > 1.0
    if on.any() and not on.all():
        return [
            found("adapter-changed", State.VOID, spans_of(wall, ~on), time=float(on.mean()))
        ]  # fmt: skip
    mean = battery.mean() if battery is not None else None
    if on.all() and mean is not None and mean > seen.limits.drain_w:
        return [
            found("drain-while-plugged", State.SUSPECT, _whole(seen), watts=Value(mean, "W", digits=1))
        ]  # fmt: skip
    return []


def _seen_in_battery(seen: Case, battery: Channel) -> list[Finding]:
    """Plugged in or pulled where only the battery's power tells: for seconds it gives next to nothing, or takes."""
    known = np.isfinite(battery.values)
    values, stamps = battery.values[known], battery.stamps_ns[known]
    if values.size < 5:
        return []
    usual = float(np.quantile(values, 0.9))
    idle = values < seen.limits.idle_share * usual
    if usual <= 2 * seen.limits.drain_w or not idle.any() or idle.all():
        return []
    spans = spans_of(Channel(stamps, values), idle)
    every = float(np.median(np.diff(stamps))) / 1e9
    if max((b - a) / 1e9 + every for a, b in spans) < max(seen.limits.idle_s, 1.5 * every):
        return []
    return [found("adapter-changed", State.VOID, spans, time=float(idle.mean()))]


def _on_ticks(interval_ms: Intervals, refresh_hz: float, within_ms: float) -> float:
    tick = 1000.0 / refresh_hz
    off = np.abs(interval_ms / tick - np.round(interval_ms / tick)) * tick
    return float(np.mean(off <= within_ms))


def variable_off(seen: Case) -> list[Finding]:
    """Variable refresh was asked for, but frames stand on the ticks of a fixed rate."""
    refresh = seen.knobs.get(REFRESH)
    if seen.knobs.get("sync") != "variable" or not isinstance(refresh, float) or seen.interval_ms.size < 100:
        return []
    cap = seen.knobs.get(CAP)
    paced = cap if isinstance(cap, float) and is_even(cap, refresh) else refresh  # what stands on ticks anyway
    slower = seen.interval_ms[seen.interval_ms > 1000.0 / paced + 3 * seen.limits.tick_ms]
    if slower.size < FEWEST_SLOWER:
        return []
    share = _on_ticks(slower, refresh, seen.limits.tick_ms)
    if share < seen.limits.tick_share:
        return []
    return [
        found("variable-refresh-off", State.VOID, _whole(seen), frames=share, refresh=Value(refresh, "Hz"))
    ]  # fmt: skip


def cap_against_refresh(seen: Case) -> list[Finding]:
    """A cap that the fixed panel cannot show evenly."""
    uneven = uneven_cap(seen.knobs)
    if uneven is None:
        return []
    cap, refresh = uneven
    return [
        found("cap-against-refresh", State.SUSPECT, _whole(seen), cap=cap, refresh=Value(refresh, "Hz"))
    ]  # fmt: skip


def memory_full(seen: Case) -> list[Finding]:
    """The graphics memory pool is full."""
    used, pool = seen.trace.measured("memory_mb"), seen.knobs.get("memory_split_gb")
    if used is None or not isinstance(pool, float) or pool <= 0:
        return []
    most = float(np.nanmax(used.values)) / 1000.0
    if most < (1.0 - seen.limits.pool_share) * pool:
        return []
    return [
        found("memory-full", State.VOID, _whole(seen), used=Value(most, digits=1), pool=Value(pool, "GB"))
    ]  # fmt: skip


def compiling(seen: Case) -> list[Finding]:
    """Long frames that become fewer inside the pass: shaders still compiling, or a warm-up."""
    refresh = seen.knobs.get(REFRESH)
    synced = isinstance(refresh, float) and _on_ticks(seen.interval_ms, refresh, seen.limits.tick_ms) > 0.8
    frames = settled_after(seen.interval_ms, long_log=SYNCED_LONG_LOG if synced else None)
    if frames == 0:
        return []
    until = int(seen.trace.start_ns + seen.interval_ms[:frames].sum() * 1e6)
    return [
        found("shaders-compiling", State.VOID, ((seen.trace.start_ns, until),), frames=frames)
    ]  # fmt: skip


def wrong_length(seen: Case) -> list[Finding]:
    """A pass that is shorter or longer than it was to be."""
    wanted = number(seen.conditions, "planned_s")
    if wanted is None or abs(seen.trace.seconds / wanted - 1.0) <= seen.limits.length_share:
        return []
    return [
        found("wrong-length", State.VOID, _whole(seen), seconds=seconds(seen.trace.seconds), wanted=seconds(wanted))
    ]  # fmt: skip


def background(seen: Case) -> list[Finding]:
    """CPU time taken by others than the title."""
    other = seen.trace.measured("other_share")
    if other is None:
        return []
    busy = other.values > seen.limits.other_share
    if busy.mean() <= seen.limits.other_time:
        return []
    return [
        found("background-load", State.SUSPECT, spans_of(other, busy), percent=percent(seen.limits.other_share),
              time=float(busy.mean()))
    ]  # fmt: skip


def clock_collapse(seen: Case) -> list[Finding]:
    """GPU clock far under its usual value for seconds, while frames suffer."""
    clock = seen.trace.measured("gpu_mhz")
    if clock is None or clock.values.size < 10:
        return []
    usual = float(np.median(clock.values))
    low = clock.values < seen.limits.collapse_share * usual
    every = float(np.median(np.diff(clock.stamps_ns))) / 1e9
    if low.sum() * every < seen.limits.collapse_s or not _suffer(seen, clock, low, every):
        return []
    return [
        found("clock-collapse", State.VOID, spans_of(clock, low), usual=Value(usual, "MHz", digits=0),
              seconds=seconds(float(low.sum()) * every))
    ]  # fmt: skip


def _suffer(seen: Case, clock: Channel, low: NDArray[np.bool_], every_s: float) -> bool:
    """Whether fewer frames come while a clock is low than else: a light title lets it idle, and loses nothing."""
    ends = clock.stamps_ns
    starts = ends - int(every_s * 1e9)
    counts = np.searchsorted(seen.trace.frames_ns, ends) - np.searchsorted(seen.trace.frames_ns, starts)
    usual = counts[~low]
    return not usual.size or float(counts[low].mean()) < seen.limits.collapse_frames * float(usual.mean())


def asleep(seen: Case) -> list[Finding]:
    """Telemetry and frames stop together: the machine slept. Telemetry may be as rare as it likes while frames come."""
    channels = [c.between(seen.trace.start_ns, seen.trace.end_ns) for c in seen.trace.channels.values()]
    if not channels:
        return []
    edges = np.array([seen.trace.start_ns, seen.trace.end_ns], np.int64)
    frames = seen.trace.frames_ns
    inside = frames[(frames >= edges[0]) & (frames <= edges[1])]
    stamps = np.unique(np.concatenate([edges, inside, *(c.stamps_ns for c in channels)]))
    gaps = np.flatnonzero(np.diff(stamps) > seen.limits.asleep_s * 1e9)
    if not gaps.size:
        return []
    spans = tuple((int(stamps[g]), int(stamps[g + 1])) for g in gaps)
    lost = sum(b - a for a, b in spans) / 1e9
    return [
        found("suspended", State.VOID, spans, seconds=seconds(lost))
    ]  # fmt: skip


def ended(seen: Case) -> list[Finding]:
    """Frames stop before the end mark and do not come back: the title crashed or hung."""
    frames = seen.trace.frames_ns
    inside = frames[(frames >= seen.trace.start_ns) & (frames <= seen.trace.end_ns)]
    last = int(inside[-1]) if inside.size else seen.trace.start_ns
    usual = float(np.median(seen.interval_ms)) if seen.interval_ms.size else 0.0
    if seen.trace.end_ns - last <= max(seen.limits.gap_ms, seen.limits.gap_median * usual) * 1e6 or asleep(seen):
        return []
    return [
        found("title-ended", State.VOID, ((last, seen.trace.end_ns),),
              seconds=Value((seen.trace.end_ns - last) / 1e9, "s", digits=1))
    ]  # fmt: skip


def scaled(seen: Case) -> list[Finding]:
    """Frames held at one rate without a cap: the engine does it, most likely by lowering its own resolution."""
    free = seen.knobs.get(CAP) == NO_CAP and seen.knobs.get("sync") == "off"
    if not free or seen.knobs.get("engine_target", "off") != "off" or seen.interval_ms.size < 100:
        return []
    middle = float(np.median(seen.interval_ms))
    near = min(seen.limits.held_ms, seen.limits.held_part * middle)
    share = float(np.mean(np.abs(seen.interval_ms - middle) <= near))
    if share < seen.limits.held_share or middle < 6.0:
        return []
    return [
        found("dynamic-resolution", State.SUSPECT, _whole(seen), frames=share,
              interval=Value(middle, "ms", digits=1))
    ]  # fmt: skip


def slow_stretches(seen: Case) -> list[Finding]:
    """Seconds in which frames take a third longer or more than those around them, from one moment to the next: another
    program, a clock that falls. In half seconds, against the median of 20 s about them."""
    ends_s = np.cumsum(seen.interval_ms) / 1000.0
    count = int(ends_s[-1] / HALF_S) if ends_s.size else 0
    if count < 24:
        return []
    index = np.minimum((ends_s / HALF_S).astype(np.intp), count - 1)
    frames = np.bincount(index, minlength=count)
    if frames.min() == 0:
        return []
    logs = np.log(np.bincount(index, weights=seen.interval_ms, minlength=count) / frames)
    around = np.array([np.median(logs[max(at - 20, 0) : at + 21]) for at in range(count)])
    spread = 1.4826 * float(np.median(np.abs(logs - around)))
    slow = logs - around > max(math.log1p(seen.limits.slow_share), 5.0 * spread)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], slow.astype(np.int8), [0]))))
    runs = [(a, b) for a, b in zip(edges[::2], edges[1::2]) if (b - a) * HALF_S >= seen.limits.slow_s]
    if not runs:
        return []
    begin = seen.trace.start_ns
    spans = tuple((int(begin + a * HALF_S * 1e9), int(begin + b * HALF_S * 1e9)) for a, b in runs)
    longer = math.exp(float(max(logs[a:b].mean() - around[a:b].mean() for a, b in runs)))
    whole = sum(b - a for a, b in runs) * HALF_S
    return [
        found("slow-stretches", State.SUSPECT, spans, seconds=seconds(whole), longer=Value(longer, digits=1),
              at=seconds(float(runs[0][0] * HALF_S)))
    ]  # fmt: skip


def lost_rows(seen: Case) -> list[Finding]:
    """Intervals of just two of those around them, and few a little shorter or longer: rows a logger left out. Where
    frames wait for a panel's ticks nothing can be told."""
    interval = seen.interval_ms
    refresh = seen.knobs.get(REFRESH)
    if interval.size < 600 or seen.knobs.get("sync") != "off":
        return []
    if isinstance(refresh, float) and _on_ticks(interval, refresh, seen.limits.tick_ms) > 0.8:
        return []
    windows = np.lib.stride_tricks.sliding_window_view(interval, 9)
    ratio = interval[4:-4] / np.median(windows, axis=1)
    twice = int(np.count_nonzero((ratio > 1.8) & (ratio < 2.2)))
    beside = int(np.count_nonzero(((ratio > 1.4) & (ratio <= 1.7)) | ((ratio >= 2.3) & (ratio < 2.6))))
    if twice < max(seen.limits.lost_rows * interval.size, 8) or twice < 2.5 * beside + 6:
        return []
    return [found("frames-lost", State.SUSPECT, _whole(seen), frames=twice, share=twice / interval.size)]


def told(seen: Case) -> list[Finding]:
    """What a person or the system said happened in the pass."""
    said = seen.conditions.get("focus_lost")
    return [found("focus-lost", State.VOID)] if said is not None and said.value is True else []


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
    background, clock_collapse, asleep, ended, scaled, slow_stretches,
    lost_rows, told,
)  # fmt: skip
