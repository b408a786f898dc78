"""An evening of free play read: stretches by change points, what they are like, how much of the time each takes.

Any long log will do. Nothing of it is a pass at a setup: it says what was played, not what a setup gives.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..message import Message, Value, say
from ..passes.frames import stutter_list
from ..passes.trace import Channel, Trace
from ..stats.changes import change_points, noise_of
from ..stats.counts import a_minute
from ..stats.estimate import t_quantile

Array = NDArray[np.float64]

LEAST_S = 600.0  # from which a log is an evening and no pass
SHORTEST = 12  # seconds of a stretch
PENALTY = 5.0  # for a change, times log(n), in squared noise; what is too much is taken out by `SURE`
SURE = 12.0  # standard errors of a change; set on free play of tuning plants
WANDER_S = 10  # apart which the load has wandered: noise is looked at over so many seconds
ALIKE = 0.12  # log of rate, or tenths of use, within which stretches are alike
BANDS = (1.0, 0.8, 0.6, 0.5, 0.4, 0.2, 0.0)  # of charge
TENTH = 10.0  # % of use
COLLAPSED = 0.5  # of the usual GPU clock
CHANNELS = ("gpu_share", "package_w", "battery_w", "cpu_share")


@dataclass(frozen=True)
class Played:
    """One stretch. kind : number of those that are alike, 0 the heaviest; rate : frames a second on average; draw_w,
    share : mean draw and GPU use, None where they were not recorded."""

    start_s: float
    end_s: float
    kind: int
    rate: float
    draw_w: float | None
    share: float | None

    @property
    def seconds(self) -> float:
        """How long it is."""
        return self.end_s - self.start_s


@dataclass(frozen=True)
class Sort:
    """Stretches that are alike. mix : share of the time; seconds : together; rate, draw_w : their means; start_s,
    end_s : of the longest of them."""

    kind: int
    mix: float
    seconds: float
    rate: float
    draw_w: float | None
    start_s: float
    end_s: float


@dataclass(frozen=True)
class Band:
    """A band of charge. stutters, collapses : a minute, each with its 95 % interval; minutes : played in it."""

    top: float
    bottom: float
    minutes: float
    stutters: tuple[float, float, float]
    collapses: tuple[float, float, float] | None


@dataclass(frozen=True)
class PlayedEvening:
    """seconds : of play; stretches in their order; sorts, the heaviest first; bands of charge; memory_full_min :
    minutes from its start after which memory is full at this growth, None where it does not grow; rates : frames in
    each second."""

    seconds: float
    stretches: tuple[Played, ...]
    sorts: tuple[Sort, ...]
    bands: tuple[Band, ...]
    memory_full_min: float | None
    rates: Array

    def heavier_share(self, rate: float) -> float:
        """Share of the seconds with a lower rate than a spot has at the same setup."""
        return float(np.mean(self.rates < rate)) if self.rates.size else 0.0


def read_evening(trace: Trace, pool_mb: float | None = None) -> PlayedEvening | None:
    """A log between its marks; None where it is shorter than ten minutes. pool_mb : all the memory there is."""
    if trace.seconds < LEAST_S or trace.frames_ns.size < 100:
        return None
    rates = _a_second(trace)
    n = rates.size
    columns = {"rate": np.log(np.maximum(rates, 1.0))}
    for name in CHANNELS:
        channel = trace.measured(name)
        if channel is not None and channel.values.size > n / 30:
            columns[name] = _each_second(channel, trace.start_ns, n)
    scaled = _scaled(columns)
    starts = _surely([0, *change_points(scaled, PENALTY * math.log(n), SHORTEST), n], scaled)
    draws = columns.get("battery_w", columns.get("package_w"))
    stretches = _sorted_out(starts, columns, rates, draws)
    return PlayedEvening(
        float(n), stretches, _sorts(stretches), _bands(trace, rates), _memory(trace, pool_mb), rates,
    )  # fmt: skip


def _a_second(trace: Trace) -> Array:
    """Frames in each whole second between the marks."""
    n = int(trace.seconds)
    at = ((trace.frames_ns - trace.start_ns) // 1_000_000_000).astype(np.int64)
    return np.bincount(at[(at >= 0) & (at < n)], minlength=n).astype(float)


def _each_second(channel: Channel, start_ns: int, n: int) -> Array:
    at = (channel.stamps_ns - start_ns) / 1e9
    known = np.isfinite(channel.values)
    return np.interp(np.arange(n) + 0.5, at[known], channel.values[known]) if known.any() else np.zeros(n)


def _scaled(columns: Mapping[str, Array]) -> Array:
    """Columns in units of the noise that they have about a stretch's own mean; those that say nothing left out. Their
    squares are shared out, so that five channels of one load weigh as one and a half."""
    kept = []
    for name, values in columns.items():
        noise = max(noise_of(values, WANDER_S), 0.02 if name == "rate" else 1e-3 * float(np.ptp(values)) + 1e-9)
        if float(np.ptp(values)) > 4.0 * noise:
            kept.append(values / noise)
    if not kept:
        kept = [columns["rate"] / 0.02]
    return np.column_stack(kept) * math.sqrt(1.5 / max(len(kept), 1.5))


def _surely(starts: list[int], scaled: Array) -> list[int]:
    """Without the changes that the load's wandering would make by itself, the least sure first: means of both sides are
    held against what seconds that hang together leave of their number."""
    rest = np.concatenate([scaled[a:b] - scaled[a:b].mean(axis=0) for a, b in pairwise(starts)])
    square = (rest**2).sum(axis=0)
    rho = np.clip((rest[1:] * rest[:-1]).sum(axis=0) / np.maximum(square, 1e-9), 0.0, 0.95)
    spread = square / rest.shape[0] * (1 + rho) / (1 - rho)  # of a mean, times seconds
    kept = list(starts)
    while len(kept) > 2:
        sure = []
        for before, at, after in zip(kept, kept[1:], kept[2:]):
            off = scaled[at:after].mean(axis=0) - scaled[before:at].mean(axis=0)
            sure.append(float(np.max(np.abs(off) / np.sqrt(spread * (1 / (at - before) + 1 / (after - at))))))
        least = int(np.argmin(sure))
        if sure[least] >= SURE:
            break
        del kept[least + 1]
    return kept


def _sorted_out(
    starts: Sequence[int], columns: Mapping[str, Array], rates: Array, draws: Array | None
) -> tuple[Played, ...]:
    spans = list(pairwise(starts))
    use = columns.get("gpu_share")
    features = np.array([
        (math.log(max(float(rates[a:b].mean()), 1.0)), float(use[a:b].mean()) / TENTH * ALIKE if use is not None else 0)
        for a, b in spans
    ])  # fmt: skip
    kinds = _alike(features, np.array([b - a for a, b in spans], float))
    weights = {kind: sum(b - a for (a, b), own in zip(spans, kinds) if own == kind) for kind in set(kinds)}
    heavy = {
        kind: sum(_heaviness(rates, draws, a, b) * (b - a) for (a, b), own in zip(spans, kinds) if own == kind) / weight
        for kind, weight in weights.items()
    }
    order = {kind: at for at, kind in enumerate(sorted(heavy, key=lambda one: -heavy[one]))}
    return tuple(
        Played(float(a), float(b), order[kind], float(rates[a:b].mean()),
               float(draws[a:b].mean()) if draws is not None else None,
               float(use[a:b].mean()) if use is not None else None)
        for (a, b), kind in zip(spans, kinds)
    )  # fmt: skip


def _heaviness(rates: Array, draws: Array | None, a: int, b: int) -> float:
    """Fewer frames are heavier; a menu that is capped by itself draws less."""
    return (float(draws[a:b].mean()) if draws is not None else 1.0) / max(float(rates[a:b].mean()), 1.0)


def _alike(features: Array, weights: Array) -> list[int]:
    """Stretches whose features lie within `ALIKE` of their group's mean, greedily by the longest."""
    kinds = [-1] * len(features)
    centres: list[Array] = []
    total: list[float] = []
    for at in np.argsort(-weights).tolist():
        off = [float(np.abs(features[at] - centre).max()) for centre in centres]
        near = int(np.argmin(off)) if off else -1
        if near >= 0 and off[near] <= ALIKE:
            share = weights[at] / (total[near] + weights[at])
            centres[near] = centres[near] + share * (features[at] - centres[near])
            total[near] += float(weights[at])
            kinds[at] = near
        else:
            kinds[at] = len(centres)
            centres.append(features[at].copy())
            total.append(float(weights[at]))
    return kinds


def _sorts(stretches: Sequence[Played]) -> tuple[Sort, ...]:
    whole = sum(one.seconds for one in stretches)
    found = []
    for kind in sorted({one.kind for one in stretches}):
        own = [one for one in stretches if one.kind == kind]
        seconds = sum(one.seconds for one in own)
        draws = [one.draw_w for one in own if one.draw_w is not None]
        longest = max(own, key=lambda one: one.seconds)
        draw = sum(one.draw_w * one.seconds for one in own if one.draw_w is not None) / seconds if draws else None
        rate = sum(one.rate * one.seconds for one in own) / seconds
        found.append(Sort(kind, seconds / whole, seconds, rate, draw, longest.start_s, longest.end_s))
    return tuple(found)


def _bands(trace: Trace, rates: Array) -> tuple[Band, ...]:
    """Stutters and clock collapses a minute by charge; one band for all of it where no charge was recorded."""
    n = rates.size
    charge = trace.measured("charge_share")
    level = _each_second(charge, trace.start_ns, n) / 100.0 if charge is not None else np.ones(n)
    events = np.zeros(n)
    for one in stutter_list(trace.interval_ms()[trace.interval_ms() > 0]):
        events[min(int(one.at_s), n - 1)] += 1
    clock = trace.measured("gpu_mhz")
    collapses = None
    if clock is not None:
        values = _each_second(clock, trace.start_ns, n)
        low = values < COLLAPSED * float(np.median(values))
        collapses = np.diff(low.astype(int), prepend=0) > 0
    found = []
    for top, bottom in pairwise(BANDS):
        inside = (level <= top) & ((level > bottom) | (bottom == 0.0) & (level >= 0.0))
        minutes = float(inside.sum()) / 60.0
        if minutes >= 1.0:
            of_clock = a_minute(int(collapses[inside].sum()), minutes) if collapses is not None else None
            found.append(Band(top, bottom, minutes, a_minute(int(events[inside].sum()), minutes), of_clock))
    return tuple(found)


def _memory(trace: Trace, pool_mb: float | None) -> float | None:
    """Minutes from the start to a full pool, where memory surely grows."""
    used = trace.measured("memory_mb")
    if used is None or pool_mb is None or used.values.size < 20:
        return None
    minutes, values = (used.stamps_ns - trace.start_ns) / 6e10, used.values
    slope, level = np.polyfit(minutes, values, 1)
    rest = values - (level + slope * minutes)
    blocks = max(minutes.size // 20, 3)  # what is used hangs together over minutes
    se = float(rest.std(ddof=2)) / (float(minutes.std()) * math.sqrt(blocks))
    if slope < 1.0 or slope < t_quantile(0.975, blocks) * se or values.max() >= pool_mb:
        return None
    return float((pool_mb - level) / slope)


def said_of(evening: PlayedEvening, spot_fps: float | None = None) -> list[Message]:
    """What an evening says, heaviest first. spot_fps : rate of the measured spot at the same setup."""
    heavy = evening.sorts[0]
    said = [
        say(
            "evening.mix",
            minutes=Value(evening.seconds / 60.0, "min", digits=0),
            sorts=len(evening.sorts),
            mix=tuple(say("evening.sort", share=one.mix, rate=Value(one.rate, digits=0)) for one in evening.sorts),
        )
    ]
    if len(evening.sorts) > 1:
        said.append(say("evening.heaviest", rate=Value(heavy.rate, digits=0), share=heavy.mix,
                        start=Value(heavy.start_s / 60.0, "min", digits=0)))  # fmt: skip
    if spot_fps is not None:
        share = evening.heavier_share(spot_fps)
        said.append(say("evening.spot-light" if share >= 0.9 else "evening.spot", share=share))
    if evening.memory_full_min is not None:
        said.append(say("evening.memory", full=Value(evening.memory_full_min, "min", digits=0)))
    for band in evening.bands if len(evening.bands) > 1 else ():
        value = Value(band.stutters[0], "", band.stutters[1], band.stutters[2])
        said.append(say("evening.band", top=band.top, bottom=band.bottom, stutters=value))
        if band.collapses is not None and band.collapses[0] > 0:
            clocks = Value(band.collapses[0], "", band.collapses[1], band.collapses[2])
            said.append(say("evening.collapses", top=band.top, bottom=band.bottom, collapses=clocks))
    return said
