"""Whether levels hold a floor, their lows and rates, from all passes of a ladder together.

What is modelled is the share of frames slower than an interval, as a normal deviate (probit): its spread between passes
is nearly the same for shares from 0.2 to 99 %, capped, synced or not, while that of a low or of a log share runs from
nothing to everything at a cap. The floor's interval lies past the cap's, so that a cap's corner is invisible to it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ..passes.tail import Tail
from ..stats import process
from ..stats.estimate import Mean, t_quantile
from ..stats.process import Levels, Posterior
from .ladder import Ladder

Array = NDArray[np.float64]
Made = TypeVar("Made")

SHARE_SD = 0.20  # of the deviate between passes of scenes measured before
RATE_SCALE, RATE_LINE_SD = 0.1, 10.0  # a log rate turns by tenths; its slope an axis unit is about one
TELLING = (-2.9, 2.9)  # deviates between which their spread is that of the scene: past them few frames decide
ENTERS = 1.0  # a level with a deviate over this (84 % slow frames) says nothing of those that nearly hold
REMEMBERED = 8  # ladders whose lows and means are kept, since a floor that moves does not change them
AROUND = 4  # levels to either side that a low leans on
MANY = 1e6  # degrees of freedom where an interval needs no t
LOW_SD = 0.001  # a low on a cap or a tick is no better known than this
RATIO, RATIO_SD, RATIO_LEAST_SD = -0.14, 0.08, 0.02  # log of the 1 % low over the mean, of scenes measured before
RATIO_DOF = 3.0  # titles that stutter lie far off
RATE_SD = 0.015
GONE, CERTAIN = 0.02, 0.9995  # chances beyond which no higher floor is looked at
HIGHER, HIGHER_STEP = 0.48, 0.012  # logs: how far over a floor higher ones are looked at, and how closely
SHARE_BIAS = 0.025  # of a middle deviate against that of the expected share, measured on other machines: it is lopsided
UNSURE = 1.15**2 - 1  # further variance of what a level's deviate is said to be, measured likewise
RATE_BIAS = 1.0007  # of a middle pass against the expectation over passes, measured on other machines
_OFFSETS = np.unique(
    np.concatenate((np.arange(-0.36, 0.361, 0.01), np.arange(-0.03, 0.0301, 0.001), np.array([0.0]))).round(6)
)


@dataclass(frozen=True)
class Margin:
    """How far a level's mean lies over its edge, in any unit: delta, sd of it; spread : of one pass."""

    delta: float
    sd: float
    spread: float


@dataclass(frozen=True)
class Held:
    """Of one level: probability that it holds, of 100 such passes how many would, and the margin."""

    holds: float
    of_100: float
    margin: Margin


def _deviate(share: float) -> float:
    from scipy.special import ndtri

    return float(ndtri(share))


def deviates(shares: Array, frames: Array | int) -> Array:
    """Normal deviates of shares of frames; none of n frames counts as half a one."""
    from scipy.special import ndtri

    return np.asarray(ndtri((shares * frames + 0.5) / (frames + 1.0)))


def slow_levels(ladder: Ladder, interval_ms: float) -> Levels:
    """Deviates of the shares of frames slower than an interval, of levels whose passes all carry frames."""
    groups = []
    for row in ladder.tails:
        frames = np.array([tail.frames for tail in row], float)
        shares = np.array([tail.slower_than(interval_ms) for tail in row])
        groups.append(deviates(shares, frames) - SHARE_BIAS)
    return process.levels_of(groups, SHARE_SD, blocks=ladder.blocks, telling=TELLING)


def _posterior(
    ladder: Ladder, levels: Levels, enters: NDArray[np.bool_], scale: float, line_sd: float
) -> list[tuple[Posterior, int]]:
    """Of each level: a posterior and its place in it. Those that do not enter, or stand in no order, are alone."""
    alone = process.apart(levels)
    found = [(alone, at) for at in range(enters.size)]
    inside = np.flatnonzero(enters)
    if not ladder.ordered or inside.size < 2:
        return found
    numbers = ladder.numbers
    families = numbers[inside] if numbers is not None else None
    if families is not None and not (families == 0).any():
        return found
    joint = process.along(ladder.axis[inside], levels.only(inside.tolist()), scale, line_sd=line_sd, families=families)
    for place, at in enumerate(inside):
        found[at] = (joint, place)
    return found


def shares_held(ladder: Ladder, low: str, interval_ms: float, share: float) -> list[Held | None]:
    """Whether the expected share of frames slower than an interval is at most `share`, a level; None where no pass of
    a level carries enough frames. low : id of the figure that tells which do."""
    part, present = ladder.carrying(low, frames=True)
    if not present:
        return [None] * len(ladder.figures)
    whole = part.lent()
    levels = slow_levels(whole, interval_ms)
    chosen = _posterior(whole, levels, levels.mean < ENTERS, 1.0, process.LINE_SD)[: len(present)]
    return _placed(ladder, present, _all_held(part, levels, chosen, _deviate(share), of_share=True))


def floor_held(ladder: Ladder, low: str, interval_ms: float, share: float) -> list[Held | None]:
    """The same, no less likely than that a higher floor is held: what holds more holds less. Where no frame is slow any
    more, passes say little of how far away the edge is, and the chance by them alone falls on the way down. Between two
    steps it lies between what holds at either, so that no floor a little higher is likelier to be held."""
    found = shares_held(ladder, low, interval_ms, share)
    last = math.floor(math.log(interval_ms) / HIGHER_STEP)
    least, gone = [0.0] * len(found), [0] * len(found)
    for at in range(last, math.ceil((math.log(interval_ms) - HIGHER) / HIGHER_STEP) - 1, -1):
        higher = _remembered(ladder, low, math.exp(at * HIGHER_STEP), share)
        least = [max(chance, one.holds) if one else chance for chance, one in zip(least, higher)]
        gone = [many + 1 if one is None or one.holds < GONE else 0 for many, one in zip(gone, higher)]
        if all(chance > CERTAIN or many > 1 for chance, many in zip(least, gone)):
            break
    lower = _remembered(ladder, low, math.exp((last + 1) * HIGHER_STEP), share)
    return [
        replace(one, holds=max(chance, min(one.holds, other.holds))) if one and other else one
        for one, chance, other in zip(found, least, lower)
    ]


@lru_cache(REMEMBERED * 16)
def _remembered(ladder: Ladder, low: str, interval_ms: float, share: float) -> list[Held | None]:
    return shares_held(ladder, low, interval_ms, share)


def values_held(ladder: Ladder, name: str, prior_sd: float, least: float, *, less: bool) -> list[Held | None]:
    """Whether the mean of a figure's logs is at least that of a value (at most, where less is wanted)."""
    part, present = ladder.carrying(name)
    if not present:
        return [None] * len(ladder.figures)
    sign = 1.0 if less else -1.0
    scale = part.free_shares() if name == "mean_fps" else None
    levels = process.levels_of([sign * row for row in part.logs(name)], prior_sd, scale, part.blocks)
    chosen = _posterior(part, levels, np.ones(len(present), bool), RATE_SCALE, RATE_LINE_SD)
    return _placed(ladder, present, _all_held(part, levels, chosen, sign * math.log(least), of_share=False))


def _placed(ladder: Ladder, present: Sequence[int], found: Sequence[Made]) -> list[Made | None]:
    """What was found of some levels, with None for the others."""
    every: list[Made | None] = [None] * len(ladder.figures)
    for at, one in zip(present, found):
        every[at] = one
    return every


def _all_held(
    part: Ladder, levels: Levels, chosen: Sequence[tuple[Posterior, int]], edge: float, *, of_share: bool
) -> list[Held]:
    """Whether each level lies under an edge. One that lies over its lower neighbour where it could only be under it has
    a dent, or luck: its neighbours may not lift it."""
    alone, found = process.apart(levels), []
    for at, (post, place) in enumerate(chosen):
        scale = float(levels.scale[at])
        made = _held(post, place, edge, scale, of_share=of_share)
        if part.rising and at and levels.mean[at] > levels.mean[at - 1]:
            own = _held(alone, at, edge, scale, of_share=of_share)
            made = min(made, own, key=lambda one: one.holds)
        found.append(made)
    return found


def _held(post: Posterior, place: int, edge: float, scale: float, *, of_share: bool) -> Held:
    """of_share : the edge is of the expected share, E Phi(z + s e) = Phi(z / sqrt(1 + s^2))."""
    spread = scale * post.spread
    of_mean = edge * np.sqrt(1.0 + spread**2) if of_share else edge
    delta, sd = post.moments(place, of_mean)
    more: Array | float = UNSURE * post.covariance[:, place, place] if of_share else 0.0
    sd *= math.sqrt(1 + UNSURE) if of_share else 1.0
    return Held(
        post.chance_under(place, of_mean, more), 100 * post.chance_under(place, edge, spread**2),
        Margin(delta, sd, scale * post.sd),
    )  # fmt: skip


def more_to_settle(margin: Margin, sure: float, most: int = 20) -> int | None:
    """Further passes at a level after which it would be settled, either way, in four of five futures drawn from what is
    known; None where more than `most` would be needed."""
    from scipy.special import ndtr

    need = -_deviate(1 - sure)
    before = margin.sd**2
    for more in range(1, most + 1):
        after = 1.0 / (1.0 / before + more / margin.spread**2)
        moves = math.sqrt(max(before - after, 1e-18))
        left = need * math.sqrt(after)
        chance = float(ndtr((-left - margin.delta) / moves) + ndtr((margin.delta - left) / moves))
        if chance >= 0.8:
            return more
    return None


@lru_cache(REMEMBERED)
def rates(ladder: Ladder) -> list[Mean | None]:
    """Mean rate of each level with its 95 % interval, logs; None where no pass tells it."""
    part, present = ladder.carrying("mean_fps")
    if not present:
        return [None] * len(ladder.figures)
    whole = part.lent(same_caps=True)
    free = whole.free_shares()
    levels = process.levels_of(whole.logs("mean_fps"), RATE_SD, free, whole.blocks)
    chosen = _posterior(whole, levels, np.ones(len(whole.figures), bool), RATE_SCALE, RATE_LINE_SD)
    found = []
    for at, (post, place) in enumerate(chosen[: len(present)]):
        low, middle, high = post.quantiles(place, (0.025, 0.5, 0.975)) + math.log(RATE_BIAS) * free[at]
        found.append(_mean(middle, low, high, len(part.figures[at])))
    return _placed(ladder, present, found)


def _mean(middle: float, low: float, high: float, n: int) -> Mean:
    return Mean(float(middle), float(high - low) / (2 * 1.96), MANY, n, ends=(float(low), float(high)))


@lru_cache(REMEMBERED)
def lows(ladder: Ladder, low: str, share: float, around: int = AROUND) -> list[Mean | None]:
    """The low of each level with its 95 % interval, logs of fps: the rate at which the expected share of slower frames
    is `share`. None where no pass of a level carries it. around : levels to either side that lend evidence."""
    part, present = ladder.carrying(low, frames=True)
    found = []
    for at in range(len(present)):
        near = range(max(at - around, 0), min(at + around + 1, len(present)))
        found.append(_low(part.among(near, len(near) if around else 0), at - near[0], share))
    return _placed(ladder, present, found)


def _low(ladder: Ladder, at: int, share: float) -> Mean:
    """Fitted at the level's own interval; the posterior then shifts its mean curve until it crosses the edge."""
    own, edge = ladder.tails[at], _deviate(share)
    centre = float(np.mean([math.log(_slow_interval(tail, share)) for tail in own]))
    intervals = np.exp(centre + _OFFSETS)
    curves = np.stack([deviates(tail.slower_at(intervals), tail.frames) for tail in own])
    middle = int(np.flatnonzero(_OFFSETS == 0.0)[0])
    weight = process.levels_of([curves[:, middle]], SHARE_SD, telling=TELLING).weights[0]
    curve = weight @ curves / weight.sum()
    place = float(np.interp(-edge * math.sqrt(1 + SHARE_SD**2), -curve, _OFFSETS))
    # read at the place itself: a curve of a clock's ticks is a stair, on which no value lies between two steps
    at_place = np.exp([centre + place])
    here = weight @ [deviates(tail.slower_at(at_place), tail.frames)[0] for tail in own] / weight.sum()
    whole = ladder.lent()
    levels = slow_levels(whole, math.exp(centre + place))
    post, where = _posterior(whole, levels, levels.mean < ENTERS, 1.0, process.LINE_SD)[at]
    spread = float(levels.scale[at]) * post.spread
    over = post.quantiles(where, (0.975, 0.5, 0.025), edge * np.sqrt(1.0 + spread**2))
    crossed = np.interp(-(here - over), -curve, _OFFSETS)
    worst, typical, best = math.log(1000.0) - centre - crossed
    return _mean(typical, worst - LOW_SD, best + LOW_SD, len(own))


def lows_from_means(ladder: Ladder, low: str) -> list[Mean | None]:
    """The low of levels whose passes tell a mean rate and no frames, logs of fps: by the ratio of low to mean of the
    levels that carry both, else by that of scenes measured before; None for the others. At most the level's cap."""
    known = [row for row in ladder.figures if any(one.value(low) for one in row)]
    pairs = [(one.value(low), one.value("mean_fps")) for row in known for one in row]
    ratios = [math.log(slow / mean) for slow, mean in pairs if slow and mean]
    ratio, sd, dof = RATIO, RATIO_SD, RATIO_DOF + len(ratios)
    if ratios:
        own = float(np.var(ratios, ddof=1)) if len(ratios) > 1 else RATIO_SD**2
        ratio, sd = float(np.mean(ratios)), math.sqrt(own + RATIO_LEAST_SD**2 + own / len(ratios))
    found: list[Mean | None] = []
    for row, rate, cap in zip(ladder.figures, rates(ladder), ladder.caps):
        if rate is None or any(one.tail is not None or one.value(low) for one in row):
            found.append(None)
            continue
        middle, all_sd = rate.mean + ratio, math.hypot(rate.se, sd)
        if cap is not None:
            middle = min(middle, math.log(cap))
        half = t_quantile(0.975, dof) * all_sd
        found.append(Mean(middle, all_sd, dof, len(row), ends=(middle - half, middle + half)))
    return found


def held_from_means(predicted: Sequence[Mean | None], least: float) -> list[Held | None]:
    """Whether predicted lows are at least `least` (fps)."""
    from scipy.special import stdtr

    found: list[Held | None] = []
    for low in predicted:
        if low is None:
            found.append(None)
            continue
        delta = math.log(least) - low.mean
        chance = float(stdtr(low.dof, -delta / low.se))
        found.append(Held(chance, 100 * chance, Margin(delta, low.se, low.se)))
    return found


def _slow_interval(tail: Tail, share: float) -> float:
    """Interval that `share` of the frames are slower than, ms."""
    kept = tail.slowest_ms
    return float(kept[max(len(kept) - 1 - int(share * tail.frames), 0)])
