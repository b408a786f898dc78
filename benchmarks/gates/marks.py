"""The four marks as they truly are, and how narrow the true family makes them. No analysis code.

first_playable : where the low crosses the floor; best_per_watt : most frames per watt of draw; last_paying : the
limit up to which all watts together bring the price a watt of draw, gains taken over one step about each (a step that
draws hardly more is held against a quarter of itself); ceiling : the lowest limit within 2 % of the
top.
"""

from __future__ import annotations

import itertools
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from .program import PRICE, Asked
from .truth import Truth

Array = NDArray[np.float64]

POINTS = 10  # a quarter step
DRAWS = 200
PRIOR = {
    "cpu": 0.5, "gpu": 0.5, "bend": 0.5, "gpu_w": 0.5, "base": 0.5, "edge": 0.2, "dent": 0.2, "low": 0.2, "board": 0.3,
}  # fmt: skip # log sd; low : of the low against the mean, board : of the draw against the package


def of_curves(limits: Array, rate: Array, low: Array, draw: Array, floor_fps: float, step: float) -> dict[str, float]:
    """Marks of curves on a fine grid (m,); NaN where one lies outside it."""
    nan = float("nan")
    found = {}
    above = np.flatnonzero(low >= floor_fps)
    found["first_playable"] = float(limits[above[0]]) if above.size and above[0] > 0 else nan
    best = int(np.argmax(rate / draw))
    found["best_per_watt"] = float(limits[best]) if 0 < best < limits.size - 1 else nan
    inner = limits[(limits >= limits[0] + step / 2 - 1e-9) & (limits <= limits[-1] - step / 2 + 1e-9)]
    gain, spent = (
        np.interp(inner + step / 2, limits, y) - np.interp(inner - step / 2, limits, y) for y in (rate, draw)
    )
    net = np.cumsum(gain - PRICE * np.maximum(spent, 0.25 * step))
    last = int(net.argmax())
    found["last_paying"] = float(inner[last]) if net[last] > 0 and last < inner.size - 1 else nan
    near = np.flatnonzero(rate >= 0.98 * rate.max())
    found["ceiling"] = float(limits[near[0]]) if near[0] > 0 else nan
    return found


def _grid(truth: Truth) -> Array:
    fine = truth.fine_w
    return np.linspace(fine[0], fine[-1], (fine.size - 1) * POINTS + 1)


def _edges(truth: Truth) -> list[float]:
    chip = getattr(truth.plant, "chip", None)
    found = [] if chip is None else [chip.edge[0], *chip.dent[:2]]
    return [w for w in found if truth.fine_w[0] < w < truth.fine_w[-1]]


def _curve(truth: Truth, values: Array) -> Array:
    """A figure over the grid, monotone between its points; jumps at edges stay jumps."""
    grid, fine = _grid(truth), truth.fine_w
    found = np.empty_like(grid)
    bounds = [fine[0], *_edges(truth), fine[-1] + 1.0]
    for low, high in itertools.pairwise(bounds):
        inside = (fine >= low - 1e-9) & (fine < high - 1e-9)
        here = (grid >= low - 1e-9) & (grid < high - 1e-9)
        if inside.sum() > 1:
            found[here] = PchipInterpolator(fine[inside], values[inside], extrapolate=True)(grid[here])
        else:
            found[here] = values[inside][0] if inside.any() else np.interp(grid[here], fine, values)
    return found


@lru_cache(maxsize=256)
def _curves(truth_key: int) -> tuple[Array, Array, Array]:
    truth = _KEPT[truth_key]
    return tuple(_curve(truth, truth.fine[name]) for name in ("mean_fps", "low_fps", "draw_w"))  # type: ignore[return-value]


_KEPT: dict[int, Truth] = {}


def _key(truth: Truth) -> int:
    _KEPT[id(truth)] = truth
    return id(truth)


def _step(truth: Truth) -> float:
    return float(truth.limits_w[1] - truth.limits_w[0])


def true_marks(truth: Truth, asked: Asked) -> dict[str, float | None]:
    """True marks, W of limit; None where a mark lies outside the ladder."""
    rate, low, draw = _curves(_key(truth))
    found = of_curves(_grid(truth), rate, low, draw, asked.floor_fps, _step(truth))
    return {name: None if np.isnan(value) else value for name, value in found.items()}


def family_widths(truth: Truth, asked: Asked, n: int) -> dict[str, float]:
    """95 % widths of the marks (W) when the plant's own family is fitted to n passes a level with known spreads; marks
    that lie outside the ladder in over a fifth of the draws are left out."""
    factors, curves = _family(_key(truth), n)
    grid, step = _grid(truth), _step(truth)
    rows = [of_curves(grid, rate, low, draw, asked.floor_fps, step) for rate, low, draw in curves]
    found = {}
    for name in rows[0]:
        values = np.array([row[name] for row in rows])
        inside = np.isfinite(values)
        if inside.mean() > 0.8 and factors:
            found[name] = max(float(np.ptp(np.quantile(values[inside], (0.025, 0.975)))), step / 20)
    return found


@lru_cache(maxsize=512)
def _family(truth_key: int, n: int) -> tuple[tuple[str, ...], list[tuple[Array, Array, Array]]]:
    truth = _KEPT[truth_key]
    plant, limits = truth.plant, truth.limits_w
    names = [name for name in PRIOR if name in ("low", "board") or _moves(plant, limits, name)]
    base = _figures(truth, limits, {})
    jacobian = np.empty((base.size, len(names)))
    for column, name in enumerate(names):
        jacobian[:, column] = (_figures(truth, limits, {name: np.exp(0.02)}) - base) / 0.02
    sds = np.concatenate([truth.sds[k] for k in ("mean_fps", "low_fps", "draw_w")])
    weight = n / np.maximum(sds, 3e-4) ** 2
    lows = truth.means["low_fps"]
    if plant.cap_fps:  # a low that its cap holds down tells nothing of what the chip could do
        weight[limits.size : 2 * limits.size][lows > 0.985 * lows.max()] = 0.0
    prior = np.array([1.0 / PRIOR[name] ** 2 for name in names])
    covariance = np.linalg.inv(jacobian.T @ (weight[:, None] * jacobian) + np.diag(prior))
    rng = np.random.default_rng(5)
    draws = rng.multivariate_normal(np.zeros(len(names)), covariance, DRAWS)
    curves = []
    for draw in draws:
        moved = _figures(truth, limits, dict(zip(names, np.exp(draw).tolist()))) - base
        parts = [np.exp(np.interp(truth.fine_w, limits, part)) for part in np.split(moved, 3)]
        lows = truth.fine["low_fps"]
        low = np.minimum(lows * parts[1], lows.max()) if plant.cap_fps else lows * parts[1]  # a cap holds it down
        moved_to = (truth.fine["mean_fps"] * parts[0], low, truth.fine["draw_w"] * parts[2])
        curves.append(tuple(_curve(truth, values) for values in moved_to))
    return tuple(names), curves  # type: ignore[return-value]


def _moves(plant: Any, limits: Array, name: str) -> bool:
    one, other = plant.typical(float(limits[3]), {}), plant.typical(float(limits[3]), {name: 1.05})
    high, far = plant.typical(float(limits[-2]), {}), plant.typical(float(limits[-2]), {name: 1.05})
    return one != other or high != far


def _figures(truth: Truth, limits: Array, factors: dict[str, float]) -> Array:
    """(3 k,) log rate, log low and log draw at limits, without noise. The low moves as an uncapped rate would."""
    pairs = [truth.plant.typical(float(w), factors) for w in limits]
    rate = np.log([rate for rate, _ in pairs])
    free = (
        np.log([truth.plant.typical(float(w), factors, free=True)[0] for w in limits]) if truth.plant.cap_fps else rate
    )
    draw = np.log([float(truth.plant.draw_w(package)) for _, package in pairs])
    low, board = np.log(factors.get("low", 1.0)), np.log(factors.get("board", 1.0))
    return np.concatenate([rate, free + low, draw + board])
