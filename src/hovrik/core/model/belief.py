"""What is believed of every setup of a search: thousands of twins weighed by the passes, and a residual that no twin
explains. Joint draws of low, rate, draw and rise, so that what is said of one setup is worth something for its
neighbours.

Weights are multivariate t likelihoods of all passes at once (one Cholesky factor for all twins); the residual is a
Matern 3/2 process on logs of the setups, its amplitude summed over a grid, drawn by Matheron's rule from random
features. Checked against scikit-learn's Gaussian process.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..facts.knob import CAP, LIMITS, NO_CAP, Level, is_number
from ..facts.setup import Setup
from .twins import EVERY, Chosen, Twins

Array = NDArray[np.float64]

DRAWS = 300
_FEATURES = 500  # random ones, of the residual's prior
_DOF = 6.0
POWER = 0.5  # of the likelihood: no twin is the machine, and each is wrong in its own way everywhere at once
AMPLITUDES = ((0.02, 0.3), (0.05, 0.45), (0.11, 0.25))  # of the residual, with what is thought of each before
NOISE = {"low": 0.025, "rate": 0.015, "draw": 0.010, "rise": 0.04}  # of one pass, logs
AT_CAP, AT_CAP_NOISE = 0.975, 0.010  # a low this near its cap varies as little as this
TIERS = (0.9, 0.5)  # chances from which a setup holds, and is likely to
_LENGTHS = {CAP: 0.8, "number": 0.6, "words": 1.2, "limit": 0.7}


def features(setups: Sequence[Setup]) -> Array:
    """(c, d): where setups stand, one length of the residual apart a unit. Numbers by their log, words a place each."""
    columns: list[Array] = []
    limits = np.array([float(one.static_limit_w or one.get(LIMITS[0]) or 1.0) for one in setups])
    columns.append(np.log(limits) / _LENGTHS["limit"])
    for key in sorted({key for one in setups for key in one} - set(LIMITS)):
        levels = [one.get(key) for one in setups]
        columns += _columns(key, levels)
    return np.column_stack(columns)


def _columns(key: str, levels: Sequence[Level | None]) -> list[Array]:
    numbers = [float(level) for level in levels if is_number(level) and level is not None]
    if key == CAP or len(numbers) == len(levels):
        top = max(numbers, default=1.0)
        values = np.array([float(v) if is_number(v) and v is not None else 1.4 * top for v in levels])
        if values.min() > 0:
            apart = [np.array([float(v == NO_CAP) for v in levels]) / _LENGTHS[CAP]] if key == CAP else []
            return [np.log(values) / _LENGTHS.get(key, _LENGTHS["number"]), *apart]
        return [(values - values.min()) / max(float(np.ptp(values)), 1e-9)]
    words = list(map(str, levels))
    others = list(dict.fromkeys(words))[1:]
    return [np.array([float(level == word) for level in words]) / _LENGTHS["words"] for word in others]


@dataclass(frozen=True)
class Measured:
    """Passes at candidates, each (n,): at (index of the candidate), logs of figures by outcome, nan where not told;
    sds : of a pass's own reading beyond NOISE (log), None where none is known; latent : whether the low is what it
    would be if no cap cut it, None where none is."""

    at: NDArray[np.int64]
    values: Mapping[str, Array]
    sds: Mapping[str, Array] | None = None
    latent: NDArray[np.bool_] | None = None


@dataclass(frozen=True)
class _Fit:
    """One outcome's passes, each (n,): at, y, noise (logs), latent; cross : (c, n) kernel of all candidates with them;
    factors, logs : Cholesky factor and (twins,) log likelihood by amplitude."""

    at: NDArray[np.int64]
    y: Array
    noise: Array
    latent: NDArray[np.bool_]
    cross: Array
    factors: tuple[Any, ...]
    logs: Array


@dataclass(frozen=True)
class Belief:
    """Joint draws, each (draws, candidates), logs; spread : how many twins carry the weight."""

    low: Array
    rate: Array
    draw: Array
    rise: Array
    spread: float


@dataclass(frozen=True)
class Believed:
    """A belief as it is shown, each (c,): chances that all limits are met, draw_w and low_fps as expected, counts of
    passes. pick, next : indices of what would be stated now and of what is measured next, None where there is none;
    sure : that the pick is right; why : the next one."""

    setups: tuple[Setup, ...]
    chances: Array
    draw_w: Array
    low_fps: Array
    counts: NDArray[np.int64]
    pick: int | None
    next: int | None
    sure: float
    why: str

    @property
    def second(self) -> int | None:
        """Of the others that were measured the one with the least draw that holds or is likely to; None without one."""
        seen = [int(at) for at in np.flatnonzero((self.counts > 0) & (self.chances >= TIERS[-1])) if at != self.pick]
        return min(seen, key=self._order, default=None)

    def over(self, one: str, other: str) -> tuple[list[Level], list[Level], list[list[int]]]:
        """(levels of one knob, of another, index of the candidate that stands for each pair, rows by the other): of
        those that share both, the one with the least draw that holds or is likely to, else the likeliest."""
        levels = [_levels_of(self.setups, key) for key in (one, other)]
        places = [{level: at for at, level in enumerate(own)} for own in levels]
        cells: list[list[int]] = [[-1] * len(levels[0]) for _ in levels[1]]
        for at, setup in enumerate(self.setups):
            x, y = places[0][setup[one]], places[1][setup[other]]
            if cells[y][x] < 0 or self._order(at) < self._order(cells[y][x]):
                cells[y][x] = at
        return levels[0], levels[1], cells

    def _order(self, at: int) -> tuple[float, float]:
        chance = float(self.chances[at])
        tier = next((tier for tier, least in enumerate(TIERS) if chance >= least), len(TIERS))
        return (float(tier), float(self.draw_w[at]) if tier < len(TIERS) else -chance)


def varied(setups: Sequence[Setup]) -> list[str]:
    """The knobs that differ among setups, the three limits as the first of them; limits and cap before all others."""
    keys = sorted(setups[0], key=lambda key: (key != LIMITS[0], key != CAP)) if setups else []
    keys = [key for key in keys if key not in LIMITS[1:]]
    return [key for key in keys if len({one[key] for one in setups}) > 1]


def _levels_of(setups: Sequence[Setup], key: str) -> list[Level]:
    found = list(dict.fromkeys(one[key] for one in setups))
    numbers = sorted((v for v in found if is_number(v)), key=lambda v: float(v))
    return [*numbers, *(v for v in found if not is_number(v))]


def matern(one: Array, other: Array) -> Array:
    """Matern 3/2 of two sets of places, (n, m)."""
    far = np.sqrt(np.maximum(((one[:, None] - other[None]) ** 2).sum(-1), 0.0)) * np.sqrt(3.0)
    found: Array = (1 + far) * np.exp(-far)
    return found


def weighed(twins: Twins, where: Array, caps: Array, measured: Measured) -> Array:
    """(twins,) weights after these passes, which add up to 1. where, caps : as in `believe`."""
    return _weights(_fits(twins, where, caps, measured), twins.size)


def believe(twins: Twins, where: Array, caps: Array, measured: Measured, seed: int = 1) -> Belief:
    """What is believed after these passes. where : (c, d) of `features`; caps : (c,) fps, inf where nothing caps."""
    rng = np.random.default_rng((seed, 11, measured.at.size))
    fits = _fits(twins, where, caps, measured)
    weights = _weights(fits, twins.size)
    places = (rng.random() + np.arange(DRAWS)) / DRAWS
    chosen = np.minimum(np.searchsorted(np.cumsum(weights), places), twins.size - 1)
    drawn = {}
    for name in NOISE:
        base = twins.of("free" if name == "low" else name, chosen).astype(float)
        drawn[name] = base + _residual(rng, where, fits.get(name), chosen, twins, name)
    edge = np.log(caps)
    low = np.minimum(drawn["low"], edge + twins.slack[chosen].astype(float))
    return Belief(
        low, np.minimum(drawn["rate"], edge), drawn["draw"], drawn["rise"], float(1.0 / (weights**2).sum()),
    )  # fmt: skip


def _fits(twins: Twins, where: Array, caps: Array, measured: Measured) -> dict[str, _Fit]:
    from scipy.linalg import solve_triangular

    fits: dict[str, _Fit] = {}
    across = matern(where, where[measured.at])
    for name in NOISE:
        own = measured.values.get(name)
        known = np.isfinite(own) if own is not None else np.zeros(0, bool)
        if own is None or not known.any():
            continue
        at, y = measured.at[known], own[known]
        is_latent = name == "low" and measured.latent is not None
        latent = measured.latent[known] if is_latent and measured.latent is not None else np.zeros(at.size, bool)
        noise = np.where(latent, NOISE[name], _noise(name, at, y, caps))
        if measured.sds is not None and name in measured.sds:
            noise = np.hypot(noise, np.nan_to_num(measured.sds[name][known]))
        off = (y[:, None] - _rows(twins, name, EVERY, at, latent).T).astype(np.float32)  # (n, twins)
        cross = across[:, known]
        kernel = cross[at]
        factors, logs = [], []
        for amplitude, prior in AMPLITUDES:
            factor = np.linalg.cholesky(amplitude**2 * kernel + np.diag(noise**2))
            white = solve_triangular(factor.astype(np.float32), off, lower=True, check_finite=False)
            quad = np.einsum("ij,ij->j", white, white).astype(float)
            like = -0.5 * (_DOF + y.size) * np.log1p(quad / _DOF) - np.log(np.diag(factor)).sum() + np.log(prior)
            factors.append(factor)
            logs.append(like)
        fits[name] = _Fit(at, y, noise, latent, cross, tuple(factors), np.array(logs))
    return fits


def _rows(twins: Twins, name: str, which: Chosen, at: NDArray[np.int64], latent: NDArray[np.bool_]) -> NDArray[Any]:
    """(twins, n) what twins say of passes."""
    found = twins.of(name, which, at)
    return np.where(latent, twins.of("free", which, at), found) if latent.any() else found


def _weights(fits: Mapping[str, _Fit], count: int) -> Array:
    total = np.zeros(count)
    for fit in fits.values():
        top = fit.logs.max(axis=0)
        total += top + np.log(np.exp(fit.logs - top).sum(axis=0))
    found: Array = np.exp(POWER * (total - total.max()))
    return np.asarray(found / found.sum())


def _noise(name: str, at: NDArray[np.int64], y: Array, caps: Array) -> Array:
    noise = np.full(at.size, NOISE[name])
    if name in ("low", "rate"):
        noise[y > np.log(caps[at]) + np.log(AT_CAP)] = AT_CAP_NOISE
    return noise


def _residual(
    rng: np.random.Generator, where: Array, fit: _Fit | None, chosen: NDArray[np.intp], twins: Twins, name: str
) -> Array:  # fmt: skip
    """(draws, c) of the residual beside each chosen twin."""
    from scipy.linalg import cho_solve

    priors = np.array([prior for _, prior in AMPLITUDES])
    if fit is None:
        of = rng.choice(len(AMPLITUDES), chosen.size, p=priors)
    else:
        logs = fit.logs[:, chosen]
        chances = np.exp(logs - logs.max(axis=0))
        chances = np.cumsum(chances / chances.sum(axis=0), axis=0)
        of = np.minimum((rng.random(chosen.size) > chances).sum(axis=0), len(AMPLITUDES) - 1)
    d = where.shape[1]
    # the spectral density of a Matern 3/2 is a multivariate t of 3 degrees of freedom
    omega = rng.standard_normal((_FEATURES, d)) / np.sqrt(rng.chisquare(3.0, (_FEATURES, 1)) / 3.0)
    phase = rng.uniform(0, 2 * np.pi, _FEATURES)
    waves = (np.sqrt(2.0 / _FEATURES) * np.cos(where @ omega.T + phase)).astype(np.float32)  # (c, f)
    prior = (rng.standard_normal((chosen.size, _FEATURES), np.float32) @ waves.T).astype(float)
    found = np.empty((chosen.size, where.shape[0]))
    for place, (amplitude, _) in enumerate(AMPLITUDES):
        own = np.flatnonzero(of == place)
        if not own.size:
            continue
        free = amplitude * prior[own]
        if fit is None:
            found[own] = free
            continue
        off = fit.y - _rows(twins, name, chosen[own], fit.at, fit.latent).astype(float) - free[:, fit.at]
        off -= fit.noise * rng.standard_normal(off.shape)
        factor = fit.factors[place]
        gain = cho_solve((factor, True), off.T, check_finite=False)
        found[own] = free + (amplitude**2 * fit.cross @ gain).T
    return found
