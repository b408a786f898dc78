"""What draws of a belief come to: what each candidate is worth, whether it holds, which would be stated, which promises
most. Expected improvement times feasibility, both from the same draws, for the minutes that a pass takes.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...facts.terms import HOURS, Aim
from ...model.belief import NOISE, Belief
from ...model.worth import JUDGED
from ..front import hypervolume, improvements
from .goal import Goal

Array = NDArray[np.float64]

LIKELY = 0.5  # a setup that holds with less is not what would be stated
ENOUGH = 6  # passes of its own after which a setup that is neither sure to hold nor to fail is left so
LARGEST = 0.35  # log of the largest improvement that a pass is thought worth
RIGHT = math.log(1.05)  # a pick this near the best is right
PICTURE = 0.5  # log of the best picture over the poorest, against which hours weigh a tenth


@dataclass(frozen=True)
class Found:
    """What is thought after some passes. worth : (draws, c) of the aim, logs; holds : (draws, c) whether every limit is
    met; pick : index of what would be stated, None where nothing measured is likely to hold; sure : chance that it
    meets all limits and is within 5 % of the best; next : index of what promises most, None where nothing is left;
    gain : what it promises on average (log); gains : (c,) what each would, were it known after a pass; counts : passes
    a candidate."""

    belief: Belief
    worth: Array
    holds: NDArray[np.bool_]
    pick: int | None
    sure: float
    next: int | None
    gain: float
    gains: Array
    counts: NDArray[np.int64]

    @property
    def chances(self) -> Array:
        """(c,) chance that each candidate meets all limits."""
        found: Array = self.holds.mean(axis=0)
        return found


def judged(
    belief: Belief, goal: Goal, counts: NDArray[np.int64], gone: NDArray[np.bool_] | None = None,
    minutes: Array | None = None, lean: Array | None = None, noise: Array | None = None,
    picture: Array | None = None, own: Mapping[int, float] | None = None,
) -> Found:  # fmt: skip
    """What draws of a belief come to. counts : (c,) passes a candidate; gone : not to be proposed; minutes : a pass;
    lean : by how much each is put behind others that are worth the same (log); noise : (draws, c) dB, None where
    nothing tells it; picture : (c,) how good each looks, 0 to 1; own : chances that candidates' own passes leave."""
    worth = _worth(belief, goal, picture) - (lean if lean is not None else 0.0)
    holds = np.ones(worth.shape, bool)
    figure = belief.rate if goal.figure == "mean_fps" else belief.low
    if goal.edge_fps > 0:
        holds &= figure >= math.log(goal.edge_fps)
        for at, chance in (own or {}).items():  # of the draws, those stay that lie highest
            holds[:, at] &= np.argsort(np.argsort(-figure[:, at], kind="stable")) < chance * figure.shape[0]
    within = np.ones(worth.shape, bool)  # every limit but the floor
    if math.isfinite(goal.die_limit_c):
        within &= goal.room_c + np.exp(belief.rise) <= goal.die_limit_c
    if math.isfinite(goal.draw_limit_w):
        within &= belief.draw <= math.log(goal.draw_limit_w)
    if noise is not None and math.isfinite(goal.noise_limit_db):
        within &= noise <= goal.noise_limit_db
    holds &= within
    chances = holds.mean(axis=0)
    usable = np.ones(worth.shape[1], bool) if gone is None else ~gone
    seen = np.flatnonzero((counts > 0) & usable)
    best = np.where(holds & usable, worth, -np.inf).max(axis=1)  # of each draw
    pick = _pick(seen, worth, holds, best, chances, goal.sure)
    floor = np.where(np.isfinite(best), best - LARGEST, 0.0)
    now = floor if pick is None else np.where(holds[:, pick], np.maximum(worth[:, pick], floor), floor)
    if goal.front:
        gains = _front_gains(belief.draw, figure, seen, within)
    else:
        gains = np.where(holds, np.clip(worth - now[:, None], 0.0, LARGEST), 0.0).mean(axis=0)
    raw = np.where(usable, gains, 0.0)
    anew = np.where(counts > 0, _told_anew(belief), 1.0)
    is_open = (counts > 0) & (counts < ENOUGH) & (chances > 1 - goal.sure) & (chances < goal.sure)
    gains = gains * np.where(is_open, np.maximum(anew, 1.0 / np.sqrt(np.maximum(counts, 1))), anew)
    rates = gains / (minutes if minutes is not None else 1.0)
    rates[~usable] = -1.0
    if pick is not None and not goal.front:
        rates[pick] = -1.0
    at = int(rates.argmax())
    sure = 0.0
    if pick is not None:
        sure = float((holds[:, pick] & (worth[:, pick] >= best - RIGHT)).mean())
    return Found(
        belief, worth, holds, pick, sure, at if rates[at] > 0 else None, float(gains[at]) if rates[at] > 0 else 0.0,
        raw, counts,
    )  # fmt: skip


def _front_gains(draw: Array, figure: Array, seen: NDArray[np.int64], within: NDArray[np.bool_]) -> Array:
    """(c,) by how much a pass of each is expected to widen the trade-off of hours and frames (log of its area)."""
    hours, frames = np.exp(-draw), np.exp(figure)
    reference = np.array([np.median(hours, axis=0).min(), np.median(frames, axis=0).min()])
    added = improvements(hours, frames, seen, within, reference).mean(axis=0)
    known = np.median(hours, axis=0)[seen], np.median(frames, axis=0)[seen]
    area = hypervolume(np.column_stack(known), reference) if seen.size else 0.0
    found: Array = np.log1p(added / area) if area > 0 else added / max(float(added.max()), 1e-12) * LARGEST
    return found


def _told_anew(belief: Belief) -> Array:
    """(c,) what a further pass tells of a setup that was measured: nothing where the belief is narrower than a pass
    (augmented expected improvement, Huang et al. 2006, from memory)."""
    parts = [
        1.0 - NOISE[name] / np.hypot(NOISE[name], getattr(belief, name).std(axis=0)) for name in ("low", "draw")
    ]  # fmt: skip
    found: Array = np.maximum(*parts)
    return found


def _pick(
    seen: NDArray[np.int64], worth: Array, holds: NDArray[np.bool_], best: Array, chances: Array, least: float
) -> int | None:
    """Of the measured candidates: the best of those that are sure to hold, else the likeliest to be right."""
    likely = seen[chances[seen] >= LIKELY]
    if not likely.size:
        return None
    sure = seen[chances[seen] >= least]
    if sure.size:
        return int(sure[worth[:, sure].mean(axis=0).argmax()])
    right = (holds[:, likely] & (worth[:, likely] >= best[:, None] - RIGHT)).mean(axis=0)
    return int(likely[(right + chances[likely] / 10).argmax()])


def _worth(belief: Belief, goal: Goal, picture: Array | None) -> Array:
    """(draws, c) of the aim, logs, more is better."""
    if goal.weights:
        parts = {HOURS: -belief.draw, JUDGED: belief.low, "die_c": -belief.rise}
        total: Array = sum((weight * parts[key] for key, weight in goal.weights), 0.0 * belief.draw)
        return total / max(weight for _, weight in goal.weights)
    if goal.aim is Aim.PICTURE and picture is not None:
        return PICTURE * picture + 0.1 * -belief.draw
    if goal.aim is Aim.FRAMES:
        return belief.low + 0.02 * -belief.draw
    if goal.aim is Aim.QUIET:
        return -belief.rise
    return -belief.draw
