"""A quantity along an axis from repeated, noisy values of it: a process whose smoothness is not chosen but summed over.

The value is a line, a smooth deviation from it (Matern 3/2) and a deviation of each level of its own, with normal
priors; the spread between repeats is one for all levels, learned by Student t weights, so that one bad value in three
does not decide, and its uncertainty is summed over too. What is not known well stays wide; no spread falls to nothing.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

AMPLITUDES = (0.03, 0.1, 0.3, 0.8, 2.0)  # of the smooth deviation, in units of the scale
LENGTHS = (0.12, 0.3, 0.7, 1.6)  # over which it turns, in units of the axis
OWN = ((0.01, 0.5), (0.06, 0.3), (0.2, 0.2))  # of a level's own deviation, with prior weights
SHARES = (0.1, 0.3, 0.5, 0.7, 0.9)  # quantiles at which the spread's factor is summed
LEAST_WEIGHT = 1e-3
MEAN_SD, LINE_SD = 10.0, 8.0
PRIOR_DOF = 4.0
T_DOF = 4.0
USUAL_SHARE = 0.15  # of the variance that lies between blocks
USUAL_BLOCKS = (6, 2)  # how many blocks that is worth, of launches and of rounds
MOST_SHARE = 0.9
FAMILY_SDS = (0.1, 0.4, 1.5)  # by how much ladders that lend to each other differ, in units of the scale
FAMILY_SLOPE = 3.0  # and by how much more an axis unit
_PER_VARIANCE = 1.35  # variance of a t of 4 degrees whose scale is 1, as its weights estimate it from normal values
MOST_LEVELS = 60  # past it the smoothness is summed over every second entry


@dataclass(frozen=True)
class Levels:
    """What repeats say of each level. mean : (k,); noise : (k, k) covariance of the means' errors; n : (k,) repeats
    that count; sd : of one repeat, times `scale` (k,) at a level; dof : degrees of freedom behind it; weights : a
    (n_i,) array a level, 1 at its middle, less far off."""

    mean: Array
    noise: Array
    n: Array
    sd: float
    scale: Array
    dof: float
    weights: tuple[Array, ...]

    def only(self, chosen: Sequence[int]) -> Levels:
        """Some of the levels, with the spread of all."""
        pick = list(chosen)
        parts = tuple(self.weights[i] for i in pick)
        noise = self.noise[np.ix_(pick, pick)]
        return Levels(self.mean[pick], noise, self.n[pick], self.sd, self.scale[pick], self.dof, parts)

    @property
    def variance(self) -> Array:
        """(k,) of the means."""
        return np.diagonal(self.noise)


def levels_of(
    groups: Sequence[Array], prior_sd: float, scale: Array | None = None,
    blocks: Sequence[Sequence[Sequence[str]]] = (), telling: tuple[float, float] | None = None,
) -> Levels:  # fmt: skip
    """Means of groups of repeats, (n_i,) each, n_i >= 1, with one spread for all.

    prior_sd : spread seen elsewhere, which counts as 4 degrees of freedom; scale : (k,) how much a level's repeats
    spread in units of the common one; blocks : what each repeat was made in, once by launch and once by round, ""
    unknown: those of one block err together, by a share that is learned; telling : levels whose middle lies outside
    say nothing of the spread, and one whose own repeats spread more than all do is given that, as far as they carry
    it. Lange, Little and Taylor (1989), t of 4 degrees, by iterated weights.
    """
    own_scale = np.ones(len(groups)) if scale is None else scale
    sizes = np.array([group.size for group in groups], float)
    owner = np.repeat(np.arange(len(groups)), sizes.astype(int))
    y = np.concatenate(groups)
    middle = np.array([statistics.median(group.tolist()) for group in groups])
    tells = np.ones(len(groups), bool) if telling is None else (middle > telling[0]) & (middle < telling[1])
    dof = PRIOR_DOF + float((sizes - 1)[tells].sum())
    counts = tells[owner]
    found = _weighted(y, owner, middle, own_scale, prior_sd, dof, counts)
    if telling is not None:
        square = _PER_VARIANCE * found[1]
        plain = np.bincount(owner, y) / sizes
        own = np.bincount(owner, (y - plain[owner]) ** 2)
        own_scale = np.sqrt(np.maximum((PRIOR_DOF + own / square) / (PRIOR_DOF + sizes - 1), 1.0))
        found = _weighted(y, owner, middle, own_scale, prior_sd, dof, counts)
    mean, square, weight = found
    weight = np.where(sizes[owner] == 1, 1.0, weight)
    variance = _PER_VARIANCE * square
    total, squared = np.bincount(owner, weight), np.bincount(owner, weight**2)
    counted = np.minimum(total**2 / squared, sizes)
    parts = tuple(np.split(weight, np.cumsum(sizes.astype(int))[:-1]))
    noise = np.diag(own_scale**2 * variance / counted)
    named = [np.array([block for row in rows for block in row]) for rows in blocks]
    rest = (y - mean[owner]) / own_scale[owner]
    shares = [_together(rest, owner, of, sizes, variance, usual) for of, usual in zip(named, USUAL_BLOCKS)]
    most = max(sum(shares) / MOST_SHARE, 1.0)
    alone, left, parts_of = noise, 1.0, 0.0
    for of, share in zip(named, (share / most for share in shares)):
        noise = noise + share * (variance * _shared(weight / total[owner] * own_scale[owner], owner, of) - alone)
        left -= share
        parts_of += share**2 / (PRIOR_DOF + np.unique(of).size - 1)  # few blocks tell little of what they share
    dof = min(dof, 1.0 / (parts_of + left**2 / dof))
    return Levels(mean, noise, counted, math.sqrt(variance), own_scale, dof, parts)


def _weighted(
    y: Array, owner: NDArray[np.intp], mean: Array, scale: Array, prior_sd: float, dof: float, counts: NDArray[np.bool_]
) -> tuple[Array, float, Array]:
    """Means (k,), squared scale of the t, weights (n,) of repeats; counts : (n,) which say something of the spread."""
    square, own = prior_sd**2 / _PER_VARIANCE, scale[owner] ** 2
    weight = np.ones(y.size)
    for _ in range(25):
        weight = (T_DOF + 1) / (T_DOF + (y - mean[owner]) ** 2 / (own * square))
        mean = np.bincount(owner, weight * y) / np.bincount(owner, weight)
        rest = float((weight * (y - mean[owner]) ** 2 / own)[counts].sum())
        square = (PRIOR_DOF * prior_sd**2 / _PER_VARIANCE + rest) / dof
    return mean, square, weight


def _together(
    rest: Array, owner: NDArray[np.intp], of: NDArray[np.str_], sizes: Array, variance: float, usual: int
) -> float:
    """Share of the variance that repeats of one block have in common, from pairs of them at different levels; drawn
    towards what is usual by as much as so many blocks would. Nothing where no block is known."""
    if not of.any():
        return 0.0
    found, blocks = 0.0, 0
    repeated = sizes[owner] > 1
    for block in np.unique(of[repeated]):
        mine = repeated & (of == block)
        if not block or np.unique(owner[mine]).size < 2:
            continue
        own = np.clip(rest[mine] / (1 - 1 / sizes[owner[mine]]), -3 * math.sqrt(variance), 3 * math.sqrt(variance))
        pairs = own.size * (own.size - 1)
        found += (own.sum() ** 2 - float(own @ own)) / pairs / variance
        blocks += 1
    return float(np.clip((found + usual * USUAL_SHARE) / (blocks + usual), 0.02, MOST_SHARE))


def _shared(part: Array, owner: NDArray[np.intp], of: NDArray[np.str_]) -> Array:
    """(k, k) what levels have in common by their blocks; part : (n,) weight of a repeat in its level's mean. A block
    that is not known is one for itself."""
    named, block = np.unique(of, return_inverse=True)
    alone = np.flatnonzero(of == "")
    block = block.copy()
    block[alone] = named.size + np.arange(alone.size)
    held = np.zeros((int(owner.max()) + 1, int(block.max()) + 1))
    np.add.at(held, (owner, block), part)
    return np.asarray(held @ held.T)


def mixture_quantiles(weight: Array, mean: Array, sd: Array, shares: Sequence[float]) -> Array:
    """Quantiles of a mixture of normals: weight (m,) that adds up to 1, mean, sd (m,)."""
    from scipy.special import ndtr

    wanted = np.asarray(shares)
    a = np.full(wanted.size, float((mean - 6 * sd).min()))
    b = np.full(wanted.size, float((mean + 6 * sd).max()))
    for _ in range(36):
        middle = 0.5 * (a + b)
        under = ndtr((middle[:, None] - mean) / sd) @ weight < wanted
        a, b = np.where(under, middle, a), np.where(under, b, middle)
    return np.asarray(0.5 * (a + b))


@dataclass(frozen=True)
class Posterior:
    """What is known of the values at (p,) places: a weighted mixture of normals. weight : (m,); factor : (m,) by which
    the variance between repeats may be off; mean : (m, p); covariance : (m, p, p); sd : of one repeat."""

    weight: Array
    factor: Array
    mean: Array
    covariance: Array
    sd: float

    @property
    def spread(self) -> Array:
        """(m,) standard deviation of one repeat."""
        return self.sd * np.sqrt(self.factor)

    def sd_at(self, place: int) -> Array:
        """(m,) standard deviations of the value at a place."""
        return np.sqrt(np.maximum(self.covariance[:, place, place], 1e-18))

    def chance_under(self, place: int, edge: Array | float, more: Array | float = 0.0) -> float:
        """Probability that the value at a place lies under an edge, (m,) or one; more : (m,) variance to add."""
        from scipy.special import ndtr

        sd = np.sqrt(np.maximum(self.covariance[:, place, place], 1e-18) + more)
        return float(self.weight @ ndtr((edge - self.mean[:, place]) / sd))

    def quantiles(self, place: int, shares: Sequence[float], offset: Array | float = 0.0) -> Array:
        """Quantiles of the value at a place, less an offset (m,)."""
        return mixture_quantiles(self.weight, self.mean[:, place] - offset, self.sd_at(place), shares)

    def moments(self, place: int, offset: Array | float = 0.0) -> tuple[float, float]:
        """Mean and standard deviation of the value at a place, less an offset (m,)."""
        mean = self.mean[:, place] - offset
        centre = float(self.weight @ mean)
        variance = float(self.weight @ (self.covariance[:, place, place] + (mean - centre) ** 2))
        return centre, math.sqrt(max(variance, 1e-18))

    def draws(self, rng: np.random.Generator, count: int) -> tuple[Array, NDArray[np.intp]]:
        """(count, p) joint draws of the values, and which part of the mixture each is of."""
        parts = np.sort(rng.choice(self.weight.size, count, p=self.weight))
        found = np.empty((count, self.mean.shape[1]))
        for part in np.unique(parts):
            mine = parts == part
            root = _root(self.covariance[part])
            found[mine] = self.mean[part] + rng.standard_normal((int(mine.sum()), root.shape[0])) @ root.T
        order = rng.permutation(count)
        return found[order], parts[order]


def _root(covariance: Array) -> Array:
    size = float(np.abs(np.diagonal(covariance)).max())
    try:
        return np.asarray(np.linalg.cholesky(covariance + (1e-8 * size + 1e-14) * np.eye(covariance.shape[0])))
    except np.linalg.LinAlgError:
        values, vectors = np.linalg.eigh(covariance)
        return np.asarray(vectors * np.sqrt(np.maximum(values, 0.0)))


def apart(levels: Levels) -> Posterior:
    """Of levels that stand in no order: each from its own repeats, with the spread of all."""
    lam, weight = _factors(levels.dof), np.full(len(SHARES), 1.0 / len(SHARES))
    covariance = np.stack([one * levels.noise for one in lam])
    return Posterior(weight, lam, np.repeat(levels.mean[None], lam.size, axis=0), covariance, levels.sd)


def along(
    x: Array, levels: Levels, scale: float = 1.0, *, line_sd: float = LINE_SD, more: Array | None = None,
    hats: Array | None = None, families: Array | None = None,
) -> Posterior:  # fmt: skip
    """Of levels along an axis x (k,): at the levels, or at further places of the axis `more` (p,).

    scale : of the quantity; line_sd : prior of its slope an axis unit, in units of the scale; hats : (p, k) how much
    each level's own deviation counts at a further place; families : (k,) number of the ladder that each level is of,
    which differ by a line of their own; further places are of number 0. Rasmussen and Williams (2006), chapter 2; the
    smoothness is summed over a grid with its evidence.
    """
    k = x.size
    centre, level = float(x.mean()), float(levels.mean.mean())
    places = x - centre if more is None else np.concatenate((x, more)) - centre
    own = np.eye(k) if hats is None else np.concatenate((np.eye(k), hats))
    apart_ = np.abs(places[:, None] - places[None, :])
    base = (MEAN_SD * scale) ** 2 + (line_sd * scale) ** 2 * np.outer(places, places)
    shares = own @ own.T
    amplitudes = AMPLITUDES if k <= MOST_LEVELS else AMPLITUDES[1::2]
    grid = [(a, length) for a in amplitudes for length in LENGTHS]
    smooth = np.stack([(scale * a) ** 2 * _matern(apart_ / length) for a, length in grid])
    differ = _differences(families, places)
    prior = np.stack(
        [base + s + (scale * r) ** 2 * shares + scale**2 * d for s in smooth for r, _ in OWN for d in differ]
    )
    odds = np.log(np.tile(np.repeat([w / len(differ) for _, w in OWN], len(differ)), len(grid)))
    lam = _factors(levels.dof)
    here = prior[:, :k, :k]
    total = here[:, None] + lam[:, None, None] * levels.noise  # (grid, lam, k, k)
    root = np.linalg.cholesky(total)
    y = levels.mean - level
    half = np.linalg.solve(root, np.broadcast_to(y[:, None], (*root.shape[:2], k, 1)))[..., 0]
    fit = -0.5 * (half**2).sum(-1) - np.log(np.diagonal(root, axis1=-2, axis2=-1)).sum(-1) + odds[:, None]
    weight = np.exp(fit - fit.max())
    at = np.argwhere(weight >= LEAST_WEIGHT * weight.max())
    chosen = weight[at[:, 0], at[:, 1]]
    part, cross = prior[at[:, 0]], root[at[:, 0], at[:, 1]]
    spread = np.linalg.solve(cross, part[:, :k, :])  # L^-1 S
    mean = level + np.einsum("mkp,mk->mp", spread, half[at[:, 0], at[:, 1]])
    covariance = part - np.einsum("mkp,mkq->mpq", spread, spread)
    if more is not None:
        mean, covariance = mean[:, k:], covariance[:, k:, k:]
    return Posterior(chosen / chosen.sum(), lam[at[:, 1]], mean, covariance, levels.sd)


def _differences(families: Array | None, places: Array) -> Sequence[Array | float]:
    """Covariances by which places of different ladders differ, one a size of it."""
    if families is None:
        return (0.0,)
    of = np.concatenate((families, np.zeros(places.size - families.size)))
    same = (of[:, None] == of) * (1.0 + FAMILY_SLOPE**2 * np.outer(places, places))
    return [sd**2 * same for sd in FAMILY_SDS]


def _matern(distance: Array) -> Array:
    scaled = math.sqrt(3.0) * distance
    return np.asarray((1.0 + scaled) * np.exp(-scaled))


def _factors(dof: float) -> Array:
    """By how much the variance between repeats is off, at `SHARES` of what is known of it."""
    from scipy.special import gammaincinv

    return np.asarray(dof / (2.0 * gammaincinv(dof / 2.0, np.array(SHARES))))


def hats_at(levels: Array, places: Array) -> Array:
    """(p, k) weights of straight lines between levels (k,) ascending at places (p,)."""
    k = levels.size
    if k == 1:
        return np.ones((places.size, 1))
    right = np.clip(np.searchsorted(levels, places, side="right"), 1, k - 1)
    share = np.clip((places - levels[right - 1]) / (levels[right] - levels[right - 1]), 0.0, 1.0)
    found = np.zeros((places.size, k))
    rows = np.arange(places.size)
    found[rows, right - 1], found[rows, right] = 1 - share, share
    return found
