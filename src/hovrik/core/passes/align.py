"""Puts what a second recorder wrote on the clock of the frames: by time stamps, by the load both saw, or as told.

Every recorder has a clock of its own; two of them differ by an offset and drift apart. Knows no files.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from .trace import Channel, Stamps, Trace

CLOCK_DRIFT = 5e-4  # share: two quartz clocks differ by under 100 ppm; five times that is searched
ROWS_DRIFT = 0.03  # share: "one row a second" is a wish of the logger, not a clock
LEAST_OVERLAP_S = 20.0
_LEAST_OVERLAP = 0.75  # of the shorter recording: a scene or two of many fit somewhere by luck
_COARSE = 2048  # points of the coarse search
_SURROGATES = 32
# Nominal chance of as good a fit by luck, above which nothing is claimed. Random phases spoil the edges of scenes, so
# unrelated ones fit better than the nominal figure says: benchmarks/alignment.py tells how often this lets one through.
_CHANCE = 1e-6
_LEAST = 0.9  # correlation: what is weaker leaves a fifth of its changes unexplained; true fits are mostly over 0.95
_BLOCKS = 10
_MOST_SAMPLES = 20_000
_MOST_VALUE = 1e12
_MOST_PAIRS = 3  # of a kind
_STILL = 1e-4  # share of its mean by which a channel must vary to tell anything
_RATE = "frame rate"
_DAY_S = 86_400.0
_MOST_DAYS_S = 30 * _DAY_S  # a time of day that ran on over midnight is still under this
# channels that follow the load, the quickest first
LOADS = (
    "gpu_share",
    "package_w",
    "gpu_w",
    "cpu_share",
    "cpu_w",
    "gpu_mhz",
    "cpu_mhz",
    "battery_w",
    "input_w",
    "wall_w",
)

Values = NDArray[np.float64]
Curve = Callable[[Values], Values]
_Side = tuple[float, Values, Values, Values, Values]
Overlay = tuple[Values, Values, Values, tuple[str, str]]


class How(StrEnum):
    """What an alignment rests on."""

    STAMPS = "time stamps"
    LOAD = "load"
    GIVEN = "given"


@dataclass(frozen=True)
class ClockFit:
    """The second clock on that of the frames: t = begin_s + (1 + drift) x own time.

    begin_s : where the second recorder's first sample lies on the frames' clock, s; drift : share, 0 where none is
    told apart; sd_s, drift_sd : standard deviations, sd_s in the middle of what overlaps, None where nothing tells;
    overlap_s : recorded by both; pair : what was matched with what; correlation; chance : that unrelated recordings
    fit as well.
    """

    how: How
    begin_s: float
    drift: float = 0.0
    sd_s: float | None = None
    drift_sd: float | None = None
    overlap_s: float = 0.0
    pair: tuple[str, str] = ("", "")
    correlation: float | None = None
    chance: float | None = None

    def to_frames(self, own_ns: Stamps) -> Stamps:
        """(n,) stamps from the second recorder's first sample on, on the frames' clock (ns)."""
        return np.round(1e9 * self.at_s(own_ns / 1e9)).astype(np.int64)

    def at_s(self, own_s: Values) -> Values:
        """(n,) the same in seconds."""
        return self.begin_s + (1.0 + self.drift) * own_s


def by_stamps(trace: Trace, frames_origin_s: float | None, origin_s: float | None, length_s: float) -> ClockFit:
    """Both wrote the same clock: where each began on it is all that is needed.

    frames_origin_s, origin_s : that clock at the first frame and at the first sample, None where it was not written;
    length_s : of the second recording. Raises InputError where one has no such stamps or they do not overlap.
    """
    if frames_origin_s is None or origin_s is None:
        which = "frame log" if frames_origin_s is None else "telemetry"
        raise InputError(f"The {which} holds no time of day to align by. Align by the load, or say when it began.")
    begin = origin_s - frames_origin_s
    if abs(begin) > 2 * _MOST_DAYS_S > 2 * min(origin_s, frames_origin_s):  # a date, and a time of day alone
        begin = (begin + _DAY_S / 2) % _DAY_S - _DAY_S / 2
    overlap = _overlap_s(trace, begin, length_s)
    if overlap <= 0:
        raise InputError(
            f"By their time stamps the telemetry begins {begin:+.0f} s from the frame log and never meets it. "
            "Align by the load where the clocks were set differently."
        )
    return ClockFit(How.STAMPS, begin, overlap_s=overlap)


def as_given(trace: Trace, begin_s: float, length_s: float) -> ClockFit:
    """As a person says: telemetry begins begin_s after the first frame. Raises InputError where they never meet."""
    overlap = _overlap_s(trace, begin_s, length_s)
    if not math.isfinite(begin_s) or overlap <= 0:
        raise InputError(f"Telemetry that begins {begin_s:g} s after the frame log never meets it. Correct the figure.")
    return ClockFit(How.GIVEN, begin_s, overlap_s=overlap)


def _overlap_s(trace: Trace, begin_s: float, length_s: float) -> float:
    return min(_frames_s(trace), begin_s + length_s) - max(0.0, begin_s)


def _frames_s(trace: Trace) -> float:
    """From the first frame to the last, whatever the marks say."""
    return float(trace.frames_ns[-1] - trace.frames_ns[0]) / 1e9


@dataclass(frozen=True)
class _Pair:
    """Two series to be matched. first : of the frame log as a function of its time (s), NaN where it wrote none;
    own_s, second : (m,) of the telemetry; signed : whether only a positive correlation counts."""

    names: tuple[str, str]
    first: Curve
    own_s: Values
    second: Values
    signed: bool


def by_load(trace: Trace, channels: Mapping[str, Channel], drift: float = CLOCK_DRIFT, seed: int = 0) -> ClockFit:
    """Align by cross-correlation of the load that both recorders saw, the drift of the clocks with it.

    channels : of the second recorder, on its own clock from its first sample; drift : the largest that is searched
    (share). A quantity both wrote is matched with itself, else the frame rate with each that follows the load. How
    likely as good a fit is by chance comes from copies of the telemetry with random phases (Theiler et al. 1992), the
    standard deviations from leaving out a tenth at a time (Kuensch 1989, delete-a-block jackknife).
    Raises InputError where nothing fits better than chance, saying what to do.
    """
    frames_s = _frames_s(trace)
    pairs = _pairs(trace, channels)
    if not pairs:
        raise InputError(
            "The telemetry holds nothing that follows the load (power, utilisation or clocks that change). Align by "
            "time stamps, or say when it began."
        )
    rng = np.random.default_rng(seed)
    found = [_Search(pair, frames_s, drift) for pair in pairs]
    chances = [one.chance(_scrambled(one.y, rng) for _ in range(_SURROGATES)) for one in found]
    chance, best = min(zip(chances, found), key=lambda one: (one[0], -abs(one[1].rough.correlation)))
    if chance * len(pairs) > _CHANCE or abs(best.rough.correlation) < _LEAST:
        raise InputError(
            "The load in the two files does not fit better than chance. Begin both recordings before the scene, so "
            "that both see its start; or align by time stamps, or say when it began."
        )
    return _refined(best.pair, best.rough, chance, frames_s, drift)


def _pairs(trace: Trace, channels: Mapping[str, Channel]) -> list[_Pair]:
    origin = int(trace.frames_ns[0])
    names = [name for name in LOADS if name in channels and _varies(channels[name].values)]
    shared = [name for name in names if name in trace.channels and _varies(trace.channels[name].values)]
    pairs = [_pair(name, name, _of_channel(trace.channels[name], origin), channels[name], True) for name in shared]
    return pairs[:_MOST_PAIRS] + [
        _pair(_RATE, name, _of_rate(trace, max(_step_s(channels[name]), 0.5)), channels[name], False)
        for name in names[:_MOST_PAIRS]
    ]


def _pair(first: str, name: str, curve: Curve, channel: Channel, signed: bool) -> _Pair:
    known = _known(channel.values)
    own_s, values = channel.stamps_ns[known] / 1e9, channel.values[known]
    many = -(-own_s.size // _MOST_SAMPLES)  # means of so many, where a channel was written with every frame
    whole = own_s.size // many * many
    own_s, values = (part[:whole].reshape(-1, many).mean(axis=1) for part in (own_s, values))
    return _Pair((first, name), curve, own_s, values, signed)


def _known(values: Values) -> NDArray[np.bool_]:
    """Numbers that a sensor can have meant."""
    return np.asarray(np.abs(values) < _MOST_VALUE)


def _varies(values: Values) -> bool:
    known = values[_known(values)]
    return known.size >= LEAST_OVERLAP_S and float(known.std()) > _STILL * float(np.abs(known).mean())


def _step_s(channel: Channel) -> float:
    return float(np.median(np.diff(channel.stamps_ns))) / 1e9


def _of_rate(trace: Trace, width_s: float) -> Curve:
    """Frames a second in a window around a time, from their count: no resampling."""
    at = (trace.frames_ns - trace.frames_ns[0]) / 1e9
    count = np.arange(at.size, dtype=np.float64)

    def rate(t: Values) -> Values:
        high, low = np.interp(t + width_s / 2, at, count), np.interp(t - width_s / 2, at, count)
        inside = (t >= at[0] + width_s / 2) & (t <= at[-1] - width_s / 2)
        return np.where(inside, (high - low) / width_s, np.nan)

    return rate


def _of_channel(channel: Channel, origin_ns: int) -> Curve:
    known = _known(channel.values)
    at, values = (channel.stamps_ns[known] - origin_ns) / 1e9, channel.values[known]
    near = 3.0 * float(np.median(np.diff(at)))

    def value(t: Values) -> Values:
        after = np.clip(np.searchsorted(at, t), 1, at.size - 1)
        gap = at[after] - at[after - 1] > max(near, 2.0)
        return np.where(gap | (t < at[0]) | (t > at[-1]), np.nan, np.interp(t, at, values))

    return value


@dataclass(frozen=True)
class _Rough:
    """One fit on the grid. score : root of twice its log likelihood ratio against no relation, which weighs how much
    overlaps as well as how closely it fits; begin_s, rate : t = begin_s + rate x own time."""

    score: float = 0.0
    correlation: float = 0.0
    begin_s: float = 0.0
    rate: float = 1.0


class _Search:
    """A coarse search over all offsets and drifts: the frame log's side of it is worked out once, for the telemetry and
    for every copy of it that tells what chance does.

    y : (m,) the telemetry on a grid; rough : its fit.
    """

    def __init__(self, pair: _Pair, frames_s: float, drift: float) -> None:
        span = float(pair.own_s[-1])
        self.pair = pair
        self._dt = dt = max(float(np.median(np.diff(pair.own_s))), max(frames_s, span) / _COARSE)
        self._overlap = max(LEAST_OVERLAP_S, _LEAST_OVERLAP * min(frames_s, span)) / dt
        self._own = np.arange(0.0, span, dt)
        self.y = np.interp(self._own, pair.own_s, pair.second)
        step = dt / min(frames_s, span)
        steps = int(np.ceil(drift / step))
        rates = [1.0 + step * k for k in range(-steps, steps + 1)] if steps > 1 else [1.0]
        x = pair.first(np.arange(0.0, frames_s, dt))
        self.rough = _Rough()
        self._sides: list[_Side] = []
        if min(x.size, self.y.size) * dt < LEAST_OVERLAP_S or not np.nanstd(x) > 0:
            return
        self._size = 1 << int(np.ceil(np.log2(x.size + self.y.size * rates[-1] + 2)))
        known = np.isfinite(x)
        x = np.where(known, (x - np.nanmean(x)) / np.nanstd(x), 0.0)
        parts = (known.astype(np.float64), x, x * x)
        self._of_known, self._of_x, of_xx = (np.fft.rfft(part, self._size) for part in parts)
        self._sides = [self._side(rate, of_xx) for rate in rates]
        self.rough = self._fit(self.y)

    def _side(self, rate: float, of_xx: NDArray[np.complex128]) -> _Side:
        """A rate, the telemetry's own times at it; by lag: samples in both, the frame log's sum and spread."""
        own = np.arange(0.0, self._own[-1] * rate, self._dt) / rate
        ones = np.conj(np.fft.rfft(np.ones(own.size), self._size))
        n, sx, sxx = (np.fft.irfft(part * ones, self._size) for part in (self._of_known, self._of_x, of_xx))
        n = np.maximum(np.round(n), 1.0)
        return rate, own, n, sx, sxx - sx * sx / n

    def _fit(self, y: Values) -> _Rough:
        """The best fit of the telemetry or of a copy; correlation inside the overlap only."""
        y = (y - y.mean()) / (y.std() or 1.0)
        found = _Rough()
        for rate, own, n, sx, x_varies in self._sides:
            stretched = np.interp(own, self._own, y)
            of_y, of_yy = (np.conj(np.fft.rfft(part, self._size)) for part in (stretched, stretched**2))
            products = ((self._of_known, of_y), (self._of_x, of_y), (self._of_known, of_yy))
            sy, sxy, syy = (np.fft.irfft(one * other, self._size) for one, other in products)
            y_varies = syy - sy * sy / n
            usable = (x_varies > 1e-3 * n) & (y_varies > 1e-3 * n) & (n >= self._overlap)
            value = np.where(usable, (sxy - sx * sy / n) / np.sqrt(np.maximum(x_varies * y_varies, 1e-12)), 0.0)
            if self.pair.signed:
                value = np.maximum(value, 0.0)
            score = np.sqrt(-n * np.log1p(-np.minimum(value * value, 1 - 1e-12)))
            at = int(np.argmax(score))
            if score[at] > found.score:
                lag = at if at < self._size - own.size else at - self._size
                found = _Rough(float(score[at]), float(value[at]), lag * self._dt, rate)
        return found

    def chance(self, copies: Iterable[Values]) -> float:
        """That something without relation fits as well, by Gumbel's law of the largest of many in such copies."""
        other = np.array([self._fit(copy).score for copy in copies])
        spread = max(float(other.std(ddof=1)), 1e-9) * math.sqrt(6.0) / math.pi
        height = (self.rough.score - float(other.mean())) / spread + np.euler_gamma
        return -math.expm1(-math.exp(-min(height, 700.0)))


def _scrambled(y: Values, rng: np.random.Generator) -> Values:
    """The same spectrum with random phases."""
    spectrum = np.fft.rfft(y - y.mean())
    phase = rng.uniform(0, 2 * np.pi, spectrum.size)
    phase[0] = 0.0
    return np.fft.irfft(spectrum * np.exp(1j * phase), y.size)


def _refined(pair: _Pair, rough: _Rough, chance: float, frames_s: float, drift: float) -> ClockFit:
    """The fit at the telemetry's own samples, with standard deviations; a drift that is not told apart is dropped.

    A sample may stand for the time before or after its stamp, or be an older value that a sensor held: up to one step
    of the telemetry either way, evenly spread.
    """
    at = rough.begin_s + rough.rate * pair.own_s
    inside = (at >= 0) & (at <= frames_s)
    own, y = pair.own_s[inside], pair.second[inside]
    middle = float(own.mean())
    length = float(own[-1] - own[0])
    sign = math.copysign(1.0, rough.correlation)
    step = max(length / own.size, 0.05)

    def fit(keep: NDArray[np.bool_], given: Sequence[float] | Values, with_drift: bool) -> Values:
        start = np.asarray(given, np.float64)

        def minus(at: Values) -> float:
            rate = 1.0 + (at if with_drift else start)[1] * step / length
            return -sign * _correlation(pair.first(at[0] * step + rate * (own[keep] - middle)), y[keep])

        return _lowest(minus, start if with_drift else start[:1])

    every = np.ones(own.size, bool)
    begin = [(rough.begin_s + rough.rate * middle) / step, (rough.rate - 1.0) * length / step]
    best = fit(every, begin, True)
    sd = _jackknife_sd([fit(keep, best, True) for keep in _without_each(own.size)]) * step
    slope, slope_sd = best[1] * step / length, sd[1] / length
    if drift <= CLOCK_DRIFT and (abs(slope) < 2.0 * slope_sd or abs(slope) > drift):
        slope, slope_sd = 0.0, 0.0
        best = np.append(fit(every, [best[0], 0.0], False), 0.0)
        sd = _jackknife_sd([fit(keep, best, False) for keep in _without_each(own.size)]) * step
    centre = float(best[0]) * step
    x = pair.first(centre + (1.0 + slope) * (own - middle))
    return ClockFit(
        How.LOAD, begin_s=centre - (1.0 + slope) * middle, drift=slope, drift_sd=slope_sd or None,
        sd_s=math.hypot(float(sd[0]), float(np.median(np.diff(pair.own_s))) / math.sqrt(3.0)),
        overlap_s=length, pair=pair.names, correlation=_correlation(x, y), chance=chance,
    )  # fmt: skip


def _correlation(x: Values, y: Values) -> float:
    known = np.isfinite(x)
    if known.sum() < 3:
        return 0.0
    x, y = x[known] - x[known].mean(), y[known] - y[known].mean()
    below = math.sqrt(float(x @ x) * float(y @ y))
    return float(x @ y) / below if below > 0 else 0.0


def _without_each(count: int) -> list[NDArray[np.bool_]]:
    """Masks of `count` samples, each without one block in a row."""
    block = np.arange(count) * _BLOCKS // count
    return [block != number for number in range(_BLOCKS)]


def _jackknife_sd(without: Sequence[Values]) -> Values:
    """(k,) standard deviations from k estimates with each block left out in turn."""
    left = np.array(without)
    return np.sqrt((len(left) - 1) / len(left) * ((left - left.mean(axis=0)) ** 2).sum(axis=0))


def _lowest(function: Callable[[Values], float], start: Values) -> Values:
    from scipy.optimize import minimize  # loaded late: half a second

    simplex = np.vstack([start, *(start + row for row in np.eye(start.size))])
    found = minimize(
        function, start, method="Nelder-Mead",
        options={"xatol": 1e-3, "fatol": 1e-10, "maxiter": 400, "initial_simplex": simplex},
    )  # fmt: skip
    return np.asarray(found.x, np.float64)


def joined(trace: Trace, channels: Mapping[str, Channel], fit: ClockFit) -> Trace:
    """A trace with what the second recorder wrote between its marks, on its clock. A channel that the trace has
    already stays as it is."""
    found = dict(trace.channels)
    for name, channel in channels.items():
        part = Channel(fit.to_frames(channel.stamps_ns) + trace.frames_ns[0], channel.values)
        part = part.between(trace.start_ns, trace.end_ns)
        if name not in found and part.values.size:
            found[name] = part
    return replace(trace, channels=found)


def overlay(trace: Trace, channels: Mapping[str, Channel], fit: ClockFit) -> Overlay:
    """What an alignment looks like: (n,) time on the frames' clock (s), the frame log's load and the telemetry's, both
    in their own standard deviations, and the names of the two. Empty where the telemetry has no channel."""
    names = [name for name in (fit.pair[1], *LOADS, *channels) if name in channels]
    if not names:
        return np.empty(0), np.empty(0), np.empty(0), ("", "")
    channel = channels[names[0]]
    at = fit.at_s(channel.stamps_ns / 1e9)
    same = fit.pair[0] == fit.pair[1] == names[0]
    first = _of_channel(trace.channels[names[0]], int(trace.frames_ns[0])) if same else _of_rate(trace, 1.0)
    inside = (at >= 0) & (at <= _frames_s(trace))
    at, x, y = at[inside], first(at[inside]), channel.values[inside]
    return at, _standard(x), _standard(y), (names[0] if same else _RATE, names[0])


def _standard(values: Values) -> Values:
    known = values[_known(values)]
    spread = float(known.std()) if known.size else 0.0
    return (values - known.mean()) / spread if spread > 0 else np.zeros_like(values)
