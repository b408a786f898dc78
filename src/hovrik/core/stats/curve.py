"""Curves of a figure against watts: saturating exponential, segmented line, monotone steps.

The two parametric families are linear but for one parameter, so they are searched over a grid of that parameter
with the rest solved exactly (variable projection), then polished. No start value can trap them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Saturating:
    """y = a (1 - exp(-b (x - x0))). errors : standard errors of (a, b, x0), x0 last and 0 where it was fixed."""

    a: float
    b: float
    x0: float
    rss: float
    errors: tuple[float, float, float]
    restarted: bool = False

    def at(self, x: Array | float) -> Array:
        """Value at x."""
        return np.asarray(self.a * (1.0 - np.exp(-self.b * (np.asarray(x) - self.x0))))

    def slope(self, x: Array | float) -> Array:
        """dy / dx at x."""
        return np.asarray(self.a * self.b * np.exp(-self.b * (np.asarray(x) - self.x0)))


def fit_saturating(
    x: Array, y: Array, *, x0: float | None = None, start: tuple[float, float] | None = None
) -> Saturating:
    """Least squares of a saturating exponential; x, y (n,), n >= 3 (2 with `x0` fixed).

    `start` is (a, b), tried first as given. The result is compared with the best of a grid over b and the search
    restarted from there where it is worse or its covariance is not finite: a plain local search can return
    nonsense without a word (NIST BoxBOD from 1, 1). Raises InputError for too few points.
    """
    from scipy.optimize import least_squares

    free = 2 if x0 is not None else 3
    if x.size < free:
        raise InputError(f"{x.size} levels cannot carry a saturating curve. At least {free} are needed.")

    def values(p: Array) -> Array:
        shift = x0 if x0 is not None else p[2]
        return np.asarray(p[0] * (1.0 - np.exp(-p[1] * (x - shift))))

    def jacobian(p: Array) -> Array:
        shift = x0 if x0 is not None else p[2]
        decay = np.exp(-p[1] * (x - shift))
        columns = [1.0 - decay, p[0] * (x - shift) * decay]
        if x0 is None:
            columns.append(-p[0] * p[1] * decay)
        return np.column_stack(columns)

    def search(guess: Array) -> tuple[Array, float, Array]:
        found = least_squares(
            lambda p: values(p) - y, guess, jacobian, method="trf", x_scale="jac",
            xtol=1e-12, ftol=1e-14, gtol=1e-15, max_nfev=200,
        )  # fmt: skip
        return found.x, float(2 * found.cost), _errors(found.jac, float(2 * found.cost))

    grid_guess = _saturating_guess(x, y, x0)
    restarted = False
    with np.errstate(over="ignore"):
        if start is not None:
            guess = np.array([*start, float(x.min())][:free])
            best = search(guess) if np.all(np.isfinite(values(guess))) else search(grid_guess)
            again = search(grid_guess)
            if again[1] < best[1] * (1 - 1e-9) or not np.all(np.isfinite(best[2])):
                best, restarted = again, True
        else:
            best = search(grid_guess)
    p, rss, errors = best
    padded = (*errors, 0.0)[:3]
    return Saturating(p[0], p[1], x0 if x0 is not None else p[2], rss, tuple(padded), restarted)


def _saturating_guess(x: Array, y: Array, x0: float | None) -> Array:
    """Best (a, b[, x0]) over a grid of b, everything else solved exactly for each."""
    span = float(np.ptp(x)) or 1.0
    rates = np.geomspace(0.01 / span, 200.0 / span, 120)
    if x0 is not None:
        columns = 1.0 - np.exp(-rates[:, None] * (x - x0))
        power = np.maximum((columns**2).sum(axis=1), 1e-300)
        a = columns @ y / power
        best = int((y @ y - a**2 * power).argmin())
        return np.array([a[best], rates[best]])
    start = float(x.min())
    decay = np.exp(-rates[:, None] * (x - start))
    centred = decay - decay.mean(axis=1, keepdims=True)
    drop = -(centred @ y) / np.maximum((centred**2).sum(axis=1), 1e-300)
    level = y.mean() + drop * decay.mean(axis=1)
    rss = ((y - level[:, None] + drop[:, None] * decay) ** 2).sum(axis=1)
    rss[(level <= 0) | (drop <= 0)] = np.inf
    best = int(rss.argmin())
    if not math.isfinite(float(rss[best])):
        return np.array([float(y.max()), 1.0 / span, start])
    b = float(rates[best])
    return np.array([level[best], b, start + math.log(drop[best] / level[best]) / b])


def _rough_saturating(x: Array, y: Array) -> Saturating:
    """The grid's best curve without the polish: near enough to predict a level that was left out."""
    a, b, x0 = _saturating_guess(x, y, None)
    return Saturating(float(a), float(b), float(x0), math.nan, (math.nan,) * 3)


def _errors(jacobian: Array, rss: float) -> Array:
    n, k = jacobian.shape
    _, s, vt = np.linalg.svd(jacobian, full_matrices=False)
    if n <= k or s[-1] <= s[0] * 1e-14:
        return np.full(k, np.inf)
    return np.asarray(np.sqrt(np.diag((vt.T / s**2) @ vt) * rss / (n - k)))


@dataclass(frozen=True)
class Segmented:
    """Two joined lines: y = c0 + c1 x + c2 max(0, x - knot)."""

    c0: float
    c1: float
    c2: float
    knot: float
    rss: float

    def at(self, x: Array | float) -> Array:
        """Value at x."""
        return np.asarray(self.c0 + self.c1 * np.asarray(x) + self.c2 * np.maximum(0.0, np.asarray(x) - self.knot))

    def slope(self, x: Array | float) -> Array:
        """dy / dx at x (the right-hand one at the knot)."""
        return np.asarray(self.c1 + self.c2 * (np.asarray(x) >= self.knot))


def fit_segmented(x: Array, y: Array, *, between: bool = True) -> Segmented:
    """Least squares of two joined lines; n >= 4 distinct x. Exact: between two neighbouring levels the best knot
    is where the lines through either side meet, or at a level. `between` False tries the levels only, which is
    rougher and much faster. Raises InputError for too few points."""
    levels = np.unique(x)
    if levels.size < 4:
        raise InputError(f"{levels.size} levels cannot carry a segmented line. At least 4 are needed.")
    best: Segmented | None = None
    knots = [*levels[1:-1], *(_meeting_points(x, y, levels) if between else ())]
    for knot in knots:
        design = np.column_stack((np.ones_like(x), x, np.maximum(0.0, x - knot)))
        c, *_ = np.linalg.lstsq(design, y, rcond=None)
        rss = float(((y - design @ c) ** 2).sum())
        if best is None or rss < best.rss:
            best = Segmented(float(c[0]), float(c[1]), float(c[2]), float(knot), rss)
    assert best is not None  # four levels give two knots
    return best


def _meeting_points(x: Array, y: Array, levels: Array) -> list[float]:
    found = []
    for low, high in pairwise(levels[1:-1]):
        left, right = x <= low, x >= high
        (s1, i1), (s2, i2) = np.polyfit(x[left], y[left], 1), np.polyfit(x[right], y[right], 1)
        if abs(s1 - s2) > 1e-12 and low < (at := (i2 - i1) / (s1 - s2)) < high:
            found.append(float(at))
    return found


def isotonic(y: Array, weight: Array) -> Array:
    """Non-decreasing least-squares steps by min-max of weighted means. y (..., k), weight (k,) > 0; (..., k)."""
    k = y.shape[-1]
    zero = np.zeros((*y.shape[:-1], 1))
    sums = np.concatenate((zero, np.cumsum(y * weight, axis=-1)), axis=-1)
    mass = np.concatenate(([0.0], np.cumsum(weight)))
    steps = np.full(y.shape, -np.inf)
    for low in range(k):
        # the least mean of any stretch that starts at `low` and ends at or after each level; the largest over
        # all starts is the fitted step
        means = (sums[..., low + 1 :] - sums[..., low : low + 1]) / (mass[low + 1 :] - mass[low])
        least = np.minimum.accumulate(means[..., ::-1], axis=-1)[..., ::-1]
        steps[..., low:] = np.maximum(steps[..., low:], least)
    return steps


def corrected_aic(rss: float, n: int, parameters: int) -> float:
    """Corrected Akaike criterion of a least-squares fit; `parameters` counts the variance. inf where n <= k + 1."""
    if n <= parameters + 1:
        return math.inf
    k = parameters
    return n * math.log(max(rss, 1e-300) / n) + 2 * k + 2 * k * (k + 1) / (n - k - 1)


Parametric = Saturating | Segmented


@dataclass(frozen=True)
class Chosen:
    """The parametric curve that describes the levels best, and how a monotone one compares.

    errors : leave-one-level-out root mean square error by family; family : "saturating", "segmented" or "monotone",
    the last where steps predict a left-out level better than the parametric winner.
    """

    curve: Parametric | None
    family: str
    errors: dict[str, float]


def choose(x: Array, y: Array) -> Chosen:
    """Pick a family for levels x (k,) ascending with means y (k,)."""
    fits: dict[str, tuple[float, Callable[[Array, Array], Parametric]]] = {}
    if x.size >= 3:
        fits["saturating"] = (corrected_aic(fit_saturating(x, y).rss, x.size, 4), fit_saturating)
    if x.size >= 4:
        fits["segmented"] = (corrected_aic(fit_segmented(x, y).rss, x.size, 5), fit_segmented)
    usable = {name: fit for name, fit in fits.items() if math.isfinite(fit[0])}
    if not usable:
        return Chosen(None, "monotone", {})
    family = min(usable, key=lambda name: usable[name][0])
    fit = usable[family][1]
    errors = {family: _left_out(x, y, lambda a, b, c: _ROUGH[family](a, b).at(c)), "monotone": _left_out(x, y, _steps)}
    name = "monotone" if errors["monotone"] < errors[family] else family
    return Chosen(fit(x, y), name, errors)


# fits near enough to predict a level that was left out
_ROUGH: dict[str, Callable[[Array, Array], Parametric]] = {
    "saturating": _rough_saturating,
    "segmented": lambda x, y: fit_segmented(x, y, between=False),
}


def _steps(x: Array, y: Array, at: Array) -> Array:
    return np.asarray(np.interp(at, x, isotonic(y, np.ones_like(y))))


def _left_out(x: Array, y: Array, predict: Callable[[Array, Array, Array], Array]) -> float:
    errors = []
    for index in range(1, x.size - 1):
        keep = np.arange(x.size) != index
        if np.unique(x[keep]).size < 4:
            return math.inf
        errors.append(float(predict(x[keep], y[keep], x[index : index + 1])[0] - y[index]))
    return math.sqrt(float(np.mean(np.square(errors)))) if errors else math.inf
