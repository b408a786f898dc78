"""Joint draws of what a ladder of watts truly does, between its levels too: what marks and curves are read from."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..stats import process
from .held import ENTERS, RATE_BIAS, RATE_LINE_SD, RATE_SCALE, RATE_SD, REMEMBERED, slow_levels
from .ladder import Ladder

Array = NDArray[np.float64]

DRAWS = 400
QUARTERS = 4  # places a step
MOST_PLACES = 240
DRAW_SD = 0.009


@dataclass(frozen=True)
class Drawn:
    """limits : (p,) W, ladder and quarter steps; rate : (draws, p) fps; watts : (draws, p) draw, else package power,
    else the limit; power : which of them, "draw_w", "package_w" or ""; over : (draws, p) by how much slow frames lie
    over what is allowed, in deviates, None where that is not judged; step : W between levels."""

    limits: Array
    rate: Array
    watts: Array
    power: str
    over: Array | None
    step: float


def places(levels: Array) -> Array:
    """(p,) quarter steps of a ladder (k,) ascending."""
    step = float(np.median(np.diff(levels)))
    count = min(round(float(np.ptp(levels)) / step * QUARTERS), MOST_PLACES)
    return np.unique(np.concatenate((np.linspace(levels[0], levels[-1], count + 1), levels)).round(9))


def drawn(ladder: Ladder, interval_ms: float | None, share: float, low: str, seed: int = 7) -> Drawn | None:
    """Draws of a ladder in watts; None where fewer than three levels carry a rate. interval_ms, share, low : of the
    floor that slow frames are held against, None where none is."""
    part, present = ladder.carrying("mean_fps")
    if len(present) < 3:
        return None
    limits = places(part.levels)
    axis = part.axis_at(limits)
    rate, watts, power = _curves(part, seed)
    rng = np.random.default_rng(seed + 1)
    over = _over(part, limits, axis, low, interval_ms, share, rng) if interval_ms is not None else None
    return Drawn(limits, rate, watts, power, over, float(np.median(np.diff(part.levels))))


@lru_cache(REMEMBERED)
def _curves(part: Ladder, seed: int) -> tuple[Array, Array, str]:
    """(draws, p) rates, and powers with which they are, of a ladder whose every level carries a rate."""
    limits = places(part.levels)
    axis, hats = part.axis_at(limits), process.hats_at(part.levels, limits)
    rng = np.random.default_rng(seed)
    whole = part.lent(same_caps=True)
    levels = process.levels_of(whole.logs("mean_fps"), RATE_SD, whole.free_shares(), whole.blocks)
    post = process.along(
        whole.axis, levels, RATE_SCALE, line_sd=RATE_LINE_SD, more=axis, hats=_padded(hats, whole),
        families=whole.numbers,
    )  # fmt: skip
    rate = np.exp(post.draws(rng, DRAWS)[0]) * RATE_BIAS
    capped = [levels.mean[i] for i, cap in enumerate(part.caps) if cap and levels.mean[i] >= math.log(0.995 * cap)]
    if capped:
        rate = np.minimum(rate, math.exp(max(capped)))
    return rate, *_watts(part, limits, axis, hats, rng)


def _padded(hats: Array, whole: Ladder) -> Array:
    """A lender's own deviations count nowhere but at its levels."""
    return np.pad(hats, ((0, 0), (0, len(whole.figures) - hats.shape[1])))


def _watts(part: Ladder, limits: Array, axis: Array, hats: Array, rng: np.random.Generator) -> tuple[Array, str]:
    for name in ("draw_w", "package_w"):
        own, present = part.carrying(name)
        if len(present) == len(part.figures):
            levels = process.levels_of(own.logs(name), DRAW_SD, blocks=own.blocks)
            post = process.along(part.axis, levels, RATE_SCALE, line_sd=RATE_LINE_SD, more=axis, hats=hats)
            return np.exp(post.draws(rng, DRAWS)[0]), name
    return np.broadcast_to(limits, (DRAWS, limits.size)), ""


def _over(
    part: Ladder, limits: Array, axis: Array, low: str, interval_ms: float, share_: float, rng: np.random.Generator
) -> Array | None:
    """Places under the level below the first that nearly holds are surely over."""
    from scipy.special import ndtri

    own, present = part.carrying(low, frames=True)
    if len(present) < len(part.figures):
        return None
    whole = own.lent()
    levels = slow_levels(whole, interval_ms)
    every = np.flatnonzero(levels.mean < ENTERS)
    inside = every[every < len(present)].tolist()
    if not inside:
        return np.full((DRAWS, limits.size), np.inf)
    if len(inside) < 2:
        return None
    some, kept = part.only(inside), levels.only(inside)
    reached = limits >= some.levels[0] - 1e-9
    hats = process.hats_at(some.levels, limits[reached])
    numbers = whole.numbers
    post = process.along(
        whole.axis[every], levels.only(every.tolist()), more=axis[reached],
        hats=_padded(hats, whole.only(every.tolist())),
        families=numbers[every] if numbers is not None else None,
    )  # fmt: skip
    values, parts = post.draws(rng, DRAWS)
    found = np.full((DRAWS, limits.size), np.inf)
    found[:, reached] = values - ndtri(share_) * np.sqrt(1.0 + (post.spread[parts, None] * (hats @ kept.scale)) ** 2)
    if inside[0]:  # between the first that nearly holds and the one below it by a straight line
        first, below = some.levels[0], part.levels[inside[0] - 1]
        between = (limits < first - 1e-9) & (limits >= below - 1e-9)
        share = ((limits[between] - below) / (first - below))[None, :]
        start = found[:, np.flatnonzero(reached)[0]][:, None]
        found[:, between] = (1 - share) * (levels.mean[inside[0] - 1] - ndtri(share_)) + share * start
    return found
