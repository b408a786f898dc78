"""Where temperatures settle, from ordinary passes and without a heat pass: a network of die, sink, board and shell.

One set of conductances and capacities carries its state through soaks, passes and the rests between, driven by what was
measured (package power, what else is drawn, fan speed); with priors wide enough for any handheld or laptop it is fitted
by damped Gauss-Newton steps, residuals taken as first-order autoregressive. Settled is its fixed point at a pass's mean
power under the fan's policy. Two nodes cover 41 to 59 % on machines of other physics, three 88 to 91 %.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..passes.trace import Channel, Trace

Array = NDArray[np.float64]

_READ = ("package_w", "battery_w", "die_c", "shell_c", "fan_rpm")
BIN_S = 5
STEP_S = 1.0
GAP_STEP_S = 5.0
MOST_S = 1500.0  # of a recording, and of all together: more tells little and takes its time
SHORTEST_S = 30
FRESH_S = 600.0  # a rest over this tells nothing of the state after it
STEPS = 14
RENEWED = (4, 7, 10)  # steps at which noise and its correlation are estimated anew
LEAST_SD, FACTOR = (0.5, 1.0), 1.3  # of the network itself (die, shell), as measured on machines of other physics
POLICY_SHIFT_C = 1.5
WIDEST_C = 4.0  # half an interval over this is no figure
HALVINGS = 50
DEAREST = 1.8  # the fan's speed beyond the fastest seen, in units of the range seen
Z95, Z90 = 1.96, 1.645

# median, sd of the log: conductances W/K, capacities J/K; hot: K/W of the sensor over its die
_LOGS: dict[str, tuple[float, float]] = {
    "g1": (3.0, 0.5), "c1": (12.0, 0.7), "g2": (0.5, 0.9), "c2": (80.0, 0.8), "g3": (0.2, 0.7), "cb": (100.0, 0.9),
    "gb": (0.3, 0.8), "c3": (250.0, 0.7), "g4": (0.3, 0.7), "hot": (0.3, 0.7), "beside": (0.15, 1.2),
    "gain": (0.5, 1.0), "curve": (0.9, 0.3), "width": (3.0, 0.6), "idle": (4.0, 0.4),
}  # fmt: skip
_PLAIN: dict[str, tuple[float, float]] = {"turn": (62.0, 8.0), "room": (0.0, 1.0), "drift": (0.0, 0.7)}
_START: tuple[tuple[str, float], ...] = (("sink", 6.0), ("board", 4.0), ("shell", 4.0))
SHELL_READ_SD = 0.3


@dataclass(frozen=True)
class Warmed:
    """What was recorded without a break, at 1 s: package_w, beside_w (what else is drawn), die_c, shell_c, rpm, each
    (n,), nan where nothing was read; room_c; began_s, on the clock that all of them share."""

    began_s: float
    room_c: float
    package_w: Array
    beside_w: Array
    die_c: Array
    shell_c: Array
    rpm: Array

    @classmethod
    def of(cls, trace: Trace, room_c: float, clock_s: float = 0.0) -> Warmed | None:
        """What a pass recorded from its first sample to its end mark, the last 25 minutes of it; None where that is no
        half minute. clock_s : added to its clock."""
        die = trace.channels.get("die_c")
        if die is None or trace.channels.get("package_w") is None or die.values.size < 2:
            return None
        step = int(np.median(np.diff(die.stamps_ns)))
        began = max(int(die.stamps_ns[0]) - step, trace.end_ns - round(MOST_S * 1e9))
        n = int((trace.end_ns - began) / 1e9)
        if n < SHORTEST_S:
            return None
        rows = {name: _every_second(trace.channels.get(name), began, n) for name in _READ}
        return cls(
            clock_s + began / 1e9, room_c, rows["package_w"], rows["battery_w"] - rows["package_w"], rows["die_c"],
            rows["shell_c"], rows["fan_rpm"],
        )  # fmt: skip

    @property
    def ended_s(self) -> float:
        """Where it ends, s."""
        return self.began_s + self.die_c.size * STEP_S


@dataclass(frozen=True)
class Fixed:
    """Where a temperature settles. value_c, se_c; least_c : it settles no lower, at 95 %."""

    value_c: float
    se_c: float
    least_c: float

    @property
    def is_told(self) -> bool:
        """Whether its interval is narrow enough for a figure."""
        return Z95 * self.se_c <= WIDEST_C


@dataclass(frozen=True)
class _Chain:
    """Stretches that follow each other, with the seconds without a record before each; observed bins."""

    stretches: tuple[Warmed, ...]
    gaps: tuple[float, ...]


class Network:
    """A fitted network. Made by `fit`."""

    def __init__(self, stretches: Sequence[Warmed], room_sd: float) -> None:
        self._chains = _chains(stretches)
        speeds = np.concatenate([one.rpm for one in stretches])
        known = speeds[np.isfinite(speeds)]
        self._reads_rpm = known.size > 0.5 * speeds.size
        low = float(known.min()) if known.size else 0.0
        spread = float(np.ptp(known)) if known.size else 0.0
        self._slowest, self._range = low, spread if spread > 0.03 * max(low, 1.0) else math.inf
        self._shell = any(np.isfinite(one.shell_c).any() for one in stretches)
        self.names = [*_LOGS, *_PLAIN]
        sds = [*(sd for _, sd in _LOGS.values()), *(sd for _, sd in _PLAIN.values())]
        for at, chain in enumerate(self._chains):
            is_read = np.isfinite(chain.stretches[0].shell_c[:BIN_S]).any()
            for name, sd in _START:
                self.names.append(f"{name} {at}")
                sds.append(SHELL_READ_SD if name == "shell" and is_read else sd)
        self._sd = np.array(sds)
        self._at = {name: place for place, name in enumerate(self.names)}
        self._sd[self._at["room"]] = room_sd
        self._z = np.zeros(self._sd.size)
        self._covariance: Array = np.eye(self._sd.size)
        self._drives = [[self._drive(one) for one in chain.stretches] for chain in self._chains]
        self._span = self._spanned()
        self._policy = self._seen_policy(stretches)

    # -- parameters: (m, K) in units of their prior sd

    def _value(self, z: Array, name: str) -> Array:
        place = self._at[name]
        moved = z[..., place] * self._sd[place]
        if name in _LOGS:
            found: Array = _LOGS[name][0] * np.exp(moved)
            return found
        return moved + _PLAIN[name][0] if name in _PLAIN else moved

    def _spanned(self) -> tuple[float, float]:
        ends = [(one.began_s, one.ended_s) for chain in self._chains for one in chain.stretches]
        first = min(began for began, _ in ends)
        return first, max(max(ended for _, ended in ends) - first, 1.0)

    # -- what drives it

    def _drive(self, one: Warmed) -> tuple[Array, Array, Array]:
        """Package power, what else is drawn, what the fan goes by (its speed in the range seen, or the die), 1 s."""
        package = _held(one.package_w, 0.0)
        beside = _held(one.beside_w, 4.0)
        if self._reads_rpm:
            return package, beside, self._place_of(_held(one.rpm, self._slowest))
        smooth, kept = _held(one.die_c, 50.0), math.exp(-STEP_S / 6.0)
        for at in range(1, smooth.size):
            smooth[at] = kept * smooth[at - 1] + (1 - kept) * smooth[at]
        return package, beside, smooth

    def _place_of(self, rpm: Array) -> Array:
        return np.clip((rpm - self._slowest) / self._range, 0.0, None)

    def _fan(self, z: Array, by: float | Array) -> Array:
        gain = self._value(z, "gain")
        if self._reads_rpm:
            found: Array = 1 + gain * np.power(by, self._value(z, "curve"))
            return found
        turned: Array = 1 + gain / (1 + np.exp(-(by - self._value(z, "turn")) / self._value(z, "width")))
        return turned

    # -- forward

    def _simulated(self, z: Array) -> list[tuple[Array, Array]]:
        """(die sensor, shell) means of 5 s of every stretch, each (bins, m)."""
        g1, c1, g2, c2 = (self._value(z, name) for name in ("g1", "c1", "g2", "c2"))
        g3, cb, gb, c3, g4 = (self._value(z, name) for name in ("g3", "cb", "gb", "c3", "g4"))
        hot, beside, idle = (self._value(z, name) for name in ("hot", "beside", "idle"))
        room_off, drift = self._value(z, "room"), self._value(z, "drift")
        kept = np.exp(-g1 * STEP_S / c1)
        kept_gap = np.exp(-g1 * GAP_STEP_S / c1)
        first, span = self._span
        found = []
        for place, chain in enumerate(self._chains):
            began = chain.stretches[0]
            room = began.room_c + room_off
            power, first_die = float(_held(began.package_w, 0.0)[:3].mean()), float(_held(began.die_c, 40.0)[0])
            d = np.maximum(first_die - power * hot, room)
            s = np.maximum(first_die - power * (hot + 0.5 / g1), room) + self._value(z, f"sink {place}")
            shell_read = began.shell_c[:BIN_S][np.isfinite(began.shell_c[:BIN_S])]
            h = float(shell_read[0]) if shell_read.size else room + 0.3 * (s - room)
            h = h + self._value(z, f"shell {place}")
            b = h + 0.3 * (s - h) + self._value(z, f"board {place}")
            for one, gap, (package, other, by) in zip(chain.stretches, chain.gaps, self._drives[place]):
                room = one.room_c + room_off + drift * (2 * (one.began_s - first) / span - 1)
                still = self._fan(z, 0.0 if self._reads_rpm else 45.0)
                for _ in range(round(gap / GAP_STEP_S)):
                    d = s + idle / g1 + (d - s - idle / g1) * kept_gap
                    inner = g1 * np.maximum(d - s, 0.0)
                    s, b, h = (
                        s + GAP_STEP_S * (inner - still * g2 * (s - room) - g3 * (s - b)) / c2,
                        b + GAP_STEP_S * (g3 * (s - b) + beside * 4.0 - gb * (b - h)) / cb,
                        h + GAP_STEP_S * (gb * (b - h) - g4 * (h - room)) / c3,
                    )
                n = package.size
                dies, shells = np.empty((n, z.shape[0])), np.empty((n, z.shape[0]))
                fans = self._fan(z[None], by[:, None]) * g2
                heats = beside * other[:, None]
                for at in range(n):
                    watts = package[at]
                    settles = s + watts / g1
                    d = settles + (d - settles) * kept
                    s, b, h = (
                        s + (g1 * (d - s) - fans[at] * (s - room) - g3 * (s - b)) / c2,
                        b + (g3 * (s - b) + heats[at] - gb * (b - h)) / cb,
                        h + (gb * (b - h) - g4 * (h - room)) / c3,
                    )
                    dies[at], shells[at] = d + hot * watts, h
                found.append((_binned(dies), _binned(shells)))
        return found

    def _observed(self) -> tuple[Array, Array, Array]:
        """Bins in the order of `_flat`; whether each is of the shell; whether each begins anew."""
        values, shells, fresh = [], [], []
        for one in (one for chain in self._chains for one in chain.stretches):
            for is_shell, series in ((False, one.die_c), (True, one.shell_c)):
                binned = _binned(series[:, None])[:, 0]
                values.append(binned)
                shells.append(np.full(binned.size, is_shell))
                start = np.zeros(binned.size, bool)
                start[:1] = True
                fresh.append(start)
        return np.concatenate(values), np.concatenate(shells), np.concatenate(fresh)

    @staticmethod
    def _flat(found: Sequence[tuple[Array, Array]]) -> Array:
        return np.concatenate([part for pair in found for part in pair])

    # -- fit

    def fitted(self) -> Network:
        """The same with its parameters fitted to what was recorded."""
        observed, is_shell, fresh = self._observed()
        known = np.isfinite(observed)
        k = self._z.size
        rho, sd = {False: 0.6, True: 0.6}, {False: 0.5, True: 0.2}
        limit = np.where(np.array([name in _LOGS for name in self.names]), 0.8, 5.0) / self._sd
        step = 0.01
        after = np.zeros(observed.size, bool)
        after[1:] = known[:-1] & np.logical_not(fresh[1:])

        def whitened(rows: Array) -> Array:
            out: Array = rows.copy()
            for kind in (False, True):
                own = is_shell == kind
                late, r = after & own, rho[kind]
                out[late] = (rows[late] - r * rows[np.flatnonzero(late) - 1]) / math.sqrt(1 - r * r)
                out[own] /= sd[kind]
            return out[known]

        for turn in range(STEPS):
            probes = np.vstack((self._z, self._z + step * np.eye(k)))
            simulated = self._flat(self._simulated(probes))
            rest = np.where(known, observed - simulated[:, 0], 0.0)
            if turn in RENEWED:
                for kind in (False, True):
                    own = known & (is_shell == kind)
                    pair = np.flatnonzero(after & own)
                    if pair.size < 10:
                        continue
                    before, now = rest[pair - 1], rest[pair]
                    rho[kind] = float(np.clip(before @ now / max(before @ before, 1e-9), 0.3, 0.97))
                    white = (now - rho[kind] * before) / math.sqrt(1 - rho[kind] ** 2)
                    sd[kind] = math.sqrt(float(white @ white) / max(pair.size - k / 2, 5)) + (0.03 if kind else 0.01)
            jacobian = whitened((simulated[:, 1:] - simulated[:, :1]) / step)
            inner = jacobian.T @ jacobian + np.eye(k)
            moved = np.linalg.solve(inner, jacobian.T @ whitened(rest) - self._z)
            moved /= max(1.0, float(np.abs(moved / limit).max()))
            self._z += moved
            self._covariance = np.asarray(np.linalg.inv(inner), np.float64)
        return self

    @property
    def estimate(self) -> tuple[Array, Array]:
        """(K,) parameters in units of their prior sd, (K, K) their covariance."""
        return self._z, self._covariance

    def recall(self, z: Array, covariance: Array) -> bool:
        """Take an estimate of before; whether it is one of these stretches."""
        k = self._z.size
        if z.shape != (k,) or covariance.size != k * k or not (np.isfinite(z).all() and np.isfinite(covariance).all()):
            return False
        self._z, self._covariance = z, covariance.reshape(k, k)
        return True

    # -- settled

    def _seen_policy(self, stretches: Sequence[Warmed]) -> tuple[Array, Array] | None:
        """Fan speed in its range by die, as seen: rising means of bins of 2 C."""
        if not self._reads_rpm or math.isinf(self._range):
            return None
        die = np.concatenate([_held(one.die_c, math.nan) for one in stretches])
        speed = np.concatenate([self._place_of(_held(one.rpm, self._slowest)) for one in stretches])
        bins = np.floor(die[np.isfinite(die)] / 2.0)
        own = speed[np.isfinite(die)]
        at = np.unique(bins)
        means = np.maximum.accumulate([float(own[bins == one].mean()) for one in at])
        return 2.0 * at + 1.0, np.asarray(means)

    def _speed_at(self, die: Array) -> Array:
        if self._policy is None:
            return np.zeros_like(die)
        at, speed = self._policy
        found: Array = np.interp(die, at, speed)
        if at.size > 1:
            half = at.size // 2
            slope = (speed[-1] - speed[half]) / max(at[-1] - at[half], 2.0)
            beyond = np.minimum(speed[-1] + slope * (die - at[-1]), DEAREST)
            found = np.where(die > at[-1], beyond, found)
        return found

    def _fixed(self, z: Array, package_w: Array, beside_w: Array, room_c: Array, shift: float = 0.0) -> Array:
        """(2, p, m) settled (die sensor, shell) of p powers under m sets of parameters z (m, K)."""
        power = package_w[:, None]
        values = {name: self._value(z, name)[None, :] for name in _LOGS}
        room = room_c[:, None] + self._value(z, "room")[None, :]
        outer = values["gb"] * values["g4"] / (values["gb"] + values["g4"])
        series = values["g3"] * outer / (values["g3"] + outer)
        warm = values["beside"] * beside_w[:, None]
        back = warm * values["g3"] / (values["g3"] + outer)
        over = power * (values["hot"] + 1 / values["g1"])
        low, high = room, room + 400.0
        for _ in range(HALVINGS):
            die = (low + high) / 2
            by = self._speed_at(die - shift) if self._reads_rpm else die - shift
            sink = room + (power + back) / (values["g2"] * self._fan(z, by) + series)
            hotter = sink + over > die
            low, high = np.where(hotter, die, low), np.where(hotter, high, die)
        sink = low - over
        board = (values["g3"] * sink + warm + outer * room) / (values["g3"] + outer)
        shell = room + values["gb"] * (board - room) / (values["gb"] + values["g4"])
        return np.array([low, np.broadcast_to(shell, low.shape)])

    def settled(
        self, package_w: Sequence[float], beside_w: Sequence[float], room_c: Sequence[float]
    ) -> list[tuple[Fixed, Fixed | None]]:
        """Die (as its sensor reads) and shell at each steady power; no shell where none was read. Degrees C. Where a
        stretch began has no say in where it settles."""
        package, beside, room = (np.asarray(one, float) for one in (package_w, beside_w, room_c))
        k, step = len(_LOGS) + len(_PLAIN), 0.05
        sets = np.tile(self._z, (k + 1, 1))
        sets[np.arange(k) + 1, np.arange(k)] += step
        found = self._fixed(sets, package, beside, room)
        base, slopes = found[:, :, 0], (found[:, :, 1:] - found[:, :, :1]) / step
        shifted = self._fixed(sets[:1], package, beside, room, POLICY_SHIFT_C)[:, :, 0] - base
        variance = FACTOR**2 * np.einsum("api,ij,apj->ap", slopes, self._covariance[:k, :k], slopes)
        se = np.sqrt(variance + np.square(LEAST_SD)[:, None] + np.square(shifted))
        told = [[Fixed(float(v), float(e), float(v - Z90 * e)) for v, e in zip(base[at], se[at])] for at in (0, 1)]
        return [(die, shell if self._shell else None) for die, shell in zip(*told)]


def fit(stretches: Sequence[Warmed], room_sd: float = 1.0, known: tuple[Array, Array] | None = None) -> Network | None:
    """The network of a machine under one fan policy; None without a stretch. room_sd : of the room noted, C; known :
    what `estimate` gave of the same stretches before, which saves the fit."""
    told = sorted((one for one in stretches if np.isfinite(one.die_c).any()), key=lambda one: one.began_s)
    if not told:
        return None
    made = Network(told, room_sd)
    return made.fitted() if known is None or not made.recall(*known) else made


def _chains(stretches: Sequence[Warmed]) -> list[_Chain]:
    found: list[tuple[list[Warmed], list[float]]] = []
    for one in stretches:
        gap = one.began_s - found[-1][0][-1].ended_s if found else math.inf
        if gap > FRESH_S:
            found.append(([one], [0.0]))
        else:
            found[-1][0].append(one)
            found[-1][1].append(max(gap, 0.0))
    return [_Chain(tuple(own), tuple(gaps)) for own, gaps in found]


def _every_second(channel: Channel | None, began_ns: int, n: int) -> Array:
    """(n,) a value a second: that of the sample which covers it, nan where there is none."""
    if channel is None or not np.isfinite(channel.values).any():
        return np.full(n, math.nan)
    known = np.isfinite(channel.values)
    stamps, values = (channel.stamps_ns[known] - began_ns) / 1e9, channel.values[known]
    places = np.searchsorted(stamps, np.arange(1, n + 1) - 1e-9)
    return values[np.minimum(places, values.size - 1)]


def _held(values: Array, otherwise: float) -> Array:
    """With what is missing taken from its nearest neighbour."""
    known = np.isfinite(values)
    if not known.any():
        return np.full(values.shape, otherwise)
    places: Any = np.arange(values.size)
    return np.interp(places, places[known], values[known])


def _binned(rows: Array) -> Array:
    """(n, m) to means of 5 s (n // 5, m)."""
    whole = rows.shape[0] // BIN_S * BIN_S
    found: Array = rows[:whole].reshape(-1, BIN_S, rows.shape[1]).mean(axis=1)
    return found
