"""Which of two levels or twenty is better for a player: all pairs at once, a leader, the leading set, ties and trades.

One generalised least squares a figure, passes of a launch erring together; a level beats another where what counts for
the aim says so (`benchmarks/levels.py` measures how often it does where nothing differs, and where something does).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..facts.factor import Factor
from ..facts.knob import Knob, Level
from ..facts.terms import Aim
from ..passes.figure import BY_ID, Figure
from ..stats.least_squares import generalised
from .agree import clusters
from .contrast import block_of, margin_of, thought_before
from .group import Counted

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

GUARD, SAME = 0.95, 0.95  # that nothing is lost by more than its margin; that two are alike
FEWER_WATTS, MORE_FRAMES, BY_A_MARGIN = 0.98, 0.99, 0.985
ENOUGH = 0.975  # that a level loses no more than the margin
DRAWS = 400
LEAST_REACH = 0.1  # log of watts between the ends, from which a turn is looked for
BY_FRAME = 0.975  # that a frame costs less, where more frames cost more watts
WATTS, HEAT = ("draw_w", "package_w"), ("die_c", "die_end_c", "noise_db")
RATE = ("mean_fps", "score", "time_s")


@dataclass(frozen=True)
class Verdict:
    """levels; beats : (k, k) whether one is better than the other for the aim; same : (k, k) whether two are alike on
    every figure of it; gains : (k, k) whether one is better in frames or in watts, whatever the rest."""

    levels: tuple[Level, ...]
    beats: Flags
    same: Flags
    gains: Flags

    @property
    def leader(self) -> Level | None:
        """The level that alone none beats, where it beats another; None where there is none."""
        leading = self.leading
        return leading[0] if len(leading) == 1 and self.beats.any() else None

    @property
    def leading(self) -> tuple[Level, ...]:
        """Levels that none beats."""
        return tuple(level for at, level in enumerate(self.levels) if not self.beats[:, at].any())

    @property
    def is_alike(self) -> bool:
        """Whether all of those are the same for the player."""
        own = [at for at in range(len(self.levels)) if not self.beats[:, at].any()]
        return len(own) > 1 and all(self.same[a, b] for a in own for b in own if a != b)

    @property
    def is_trade(self) -> bool:
        """Whether two levels each gain something on the other, and neither is stated."""
        return bool((self.gains & self.gains.T).any()) and self.leader is None


@dataclass(frozen=True)
class Enough:
    """Of levels in an order in which more never costs frames: lowest : from which on all of them lose no more than the
    margin against the best; from_, to : levels between which that truly begins (98 %); margin : a share."""

    lowest: Level
    from_: Level
    to: Level
    margin: float


@dataclass(frozen=True)
class _Fit:
    """Of one figure, + is better: means (k,), covariance (k, k), degrees of freedom, margin."""

    means: Array
    covariance: Array
    dof: float
    margin: float

    def beyond(self, by: float) -> Array:
        """(k, k) probability that one lies over the other by more than `by` margins."""
        from scipy.special import stdtr

        apart = self.means[:, None] - self.means[None, :]
        spread = np.diag(self.covariance)
        sd = np.sqrt(np.maximum(spread[:, None] + spread[None, :] - 2 * self.covariance, 1e-18))
        return np.asarray(stdtr(self.dof, (apart - by * self.margin) / sd), np.float64)


def verdict_of(
    counted: Sequence[Counted], factor: Factor, levels: Sequence[Level], figures: Sequence[str], aim: Aim, *,
    margins: Mapping[str, float] | None = None, knobs: Mapping[str, Knob] | None = None, equal_watts: bool = False,
    usual: Mapping[str, float] | None = None,
) -> Verdict:  # fmt: skip
    """Of levels that passes were made at. figures : what is compared; margins : that is no practical difference;
    equal_watts : rates as they would be at the same measured package power; usual : spread of a pass by figure, as the
    machine's history has it."""
    homes = _homes(counted, factor, levels, knobs)
    fits = {
        name: fit for name in figures
        if (fit := _fit(homes, len(levels), BY_ID[name], (margins or {}).get(name), equal_watts, usual)) is not None
    }  # fmt: skip
    rate = next((fits[name] for name in RATE if name in fits), None)
    low = next((fit for name, fit in fits.items() if name.startswith("low_")), None)
    watts = next((fits[name] for name in WATTS if name in fits), None)
    heat = [fits[name] for name in HEAT if name in fits][:1]
    k = len(levels)
    none, every = np.zeros((k, k), bool), ~np.eye(k, dtype=bool)
    frames = [fit for fit in (rate, low) if fit is not None]
    own = frames if aim is Aim.FRAMES else [*frames, *([watts] if watts is not None else [])]
    own = [*own, *heat] if aim is Aim.QUIET or not own else own
    if not own:
        return Verdict(tuple(levels), none, none, none)
    kept = np.logical_and.reduce([fit.beyond(-1.0) >= GUARD for fit in frames] or [every])
    more = np.logical_or.reduce([fit.beyond(0.0) >= MORE_FRAMES for fit in frames] or [none])
    much = np.logical_or.reduce([fit.beyond(1.0) >= BY_A_MARGIN for fit in frames] or [none])
    less = watts.beyond(0.0) >= FEWER_WATTS if watts is not None else none
    same = np.logical_and.reduce([fit.beyond(-1.0) >= SAME for fit in own]) & every
    same &= same.T
    if aim is Aim.FRAMES:
        beats = more & kept
    elif aim is Aim.QUIET and heat:
        beats = (heat[0].beyond(0.0) >= FEWER_WATTS) & kept
    else:
        dearer = watts.beyond(1.0).T >= GUARD if watts is not None else none
        cheaper = _cheaper(rate or low, watts) if watts is not None and frames else none
        beats = (less & kept) | (much & ~much.T & (~dearer | cheaper)) | (less & cheaper & much.T)
    if not frames and watts is None:
        beats = heat[0].beyond(0.0) >= FEWER_WATTS
    beats = beats & ~beats.T & ~same & every
    return Verdict(tuple(levels), beats, same, (more | much | less) & every)


def enough_of(
    counted: Sequence[Counted], factor: Factor, levels: Sequence[Level], *, margins: Mapping[str, float] | None = None,
    knobs: Mapping[str, Knob] | None = None, usual: Mapping[str, float] | None = None,
) -> Enough | None:  # fmt: skip
    """The lowest level that loses nothing that counts, of three or more in ascending order; None where it is the lowest
    that was tried, or it is not told. Draws of the level means, each made ascending (isotonic regression)."""
    from scipy.optimize import isotonic_regression

    if len(levels) < 3:
        return None
    fit = _fit(
        _homes(counted, factor, levels, knobs), len(levels), BY_ID[RATE[0]], (margins or {}).get(RATE[0]), False, usual
    )
    if fit is None:
        return None
    rng = np.random.default_rng((len(counted), len(levels), 29))
    normal = rng.multivariate_normal(np.zeros(len(levels)), fit.covariance, DRAWS)
    drawn = fit.means + normal * np.sqrt(fit.dof / rng.chisquare(fit.dof, (DRAWS, 1)))
    weights = 1.0 / np.maximum(np.diag(fit.covariance), 1e-18)
    rising = np.array([isotonic_regression(row, weights=weights).x for row in drawn])
    keeps = rising[:, -1:] - rising <= fit.margin
    sure = keeps.mean(axis=0) >= ENOUGH
    begins = keeps.argmax(axis=1)
    at = next((at for at in range(len(levels)) if sure[at:].all()), len(levels) - 1)
    if at == 0 or at == len(levels) - 1:
        return None
    low, high = np.quantile(begins, (0.01, 0.99), method="nearest")
    return Enough(levels[at], levels[int(low)], levels[int(high)], math.expm1(fit.margin))


@dataclass(frozen=True)
class Turn:
    """Two levels of which one is ahead in rate at few watts and the other at many. low, high : the one ahead at either
    end; last, first : package watts of the last rung that is decided for the one, and of the first for the other; None
    where no rung alone is."""

    low: Level
    high: Level
    last: float | None
    first: float | None


def turn_of(
    counted: Sequence[Counted], factor: Factor, levels: Sequence[Level], *, knobs: Mapping[str, Knob] | None = None,
    usual: Mapping[str, float] | None = None,
) -> Turn | None:  # fmt: skip
    """Whether which of two levels is ahead in rate turns with the watts, measured at two rungs of them or more; None
    where it does not surely. Least squares: a mean a rung, the side, and the side times the log of its watts."""
    from scipy.special import stdtr

    if len(levels) != 2:
        return None
    homes = _homes(counted, factor, levels, knobs)
    rows = [
        (math.log(rate), at, rung, math.log(watts), block_of(one, at)) for one, at, rung in homes
        if (rate := one.figures.value(RATE[0])) and (watts := one.figures.value("package_w"))
    ]  # fmt: skip
    rungs = list(dict.fromkeys(row[2] for row in rows))
    if len(rungs) < 2:
        return None
    where = {rung: float(np.mean([row[3] for row in rows if row[2] == rung])) for rung in rungs}
    if max(where.values()) - min(where.values()) < LEAST_REACH:
        return None
    centre = float(np.mean(list(where.values())))
    side = np.array([0.5 if row[1] else -0.5 for row in rows])
    along = np.array([where[row[2]] - centre for row in rows])
    means = [np.array([float(row[2] == rung) for row in rows]) for rung in rungs]
    y, blocks = np.array([row[0] for row in rows]), [row[4] for row in rows]
    sd, dof = thought_before(BY_ID[RATE[0]], usual)
    line = generalised(np.column_stack((side, side * along, *means)), y, sd, blocks, dof)

    x = np.array([[1.0, at - centre] for at in (min(where.values()), max(where.values()))])
    ahead = x @ line.coefficients[:2]
    spread = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", x, line.covariance[:2, :2], x), 1e-18))
    ends = stdtr(line.dof, ahead / spread)  # that the second level is ahead at few watts, at many
    matters = np.abs(ahead).max() >= math.log1p(margin_of(BY_ID[RATE[0]]))
    if not (matters and min(ends) <= 1 - BY_FRAME and max(ends) >= BY_FRAME):
        return None
    each = generalised(
        np.column_stack((*(side * one for one in means), *means)), y, sd, blocks, dof
    )  # fmt: skip
    k = len(rungs)
    own = stdtr(each.dof, each.coefficients[:k] / np.sqrt(np.diag(each.covariance)[:k]))
    up = ends[1] > ends[0]
    chances = {where[rung]: float(value if up else 1 - value) for rung, value in zip(rungs, own)}
    last = max((w for w, value in chances.items() if value <= 1 - BY_FRAME), default=None)
    first = min((w for w, value in chances.items() if value >= BY_FRAME), default=None)
    low, high = (levels[0], levels[1]) if up else (levels[1], levels[0])
    return Turn(low, high, math.exp(last) if last is not None else None, math.exp(first) if first is not None else None)


def _cheaper(frames: _Fit | None, watts: _Fit) -> Flags:
    """(k, k) whether a frame costs less watts at one than at the other; their errors are taken to be apart."""
    if frames is None:
        return np.zeros(watts.covariance.shape, bool)
    both = _Fit(frames.means + watts.means, frames.covariance + watts.covariance, min(frames.dof, watts.dof), 0.0)
    return both.beyond(0.0) >= BY_FRAME


def _homes(
    counted: Sequence[Counted], factor: Factor, levels: Sequence[Level], knobs: Mapping[str, Knob] | None
) -> list[tuple[Counted, int, int]]:
    """(pass, place of its level, number of the set of passes that agree beside the factor), of sets with two levels."""
    from .response import level_of

    found: list[tuple[Counted, int, int]] = []
    for number, places in enumerate(clusters([one.point for one in counted], over=factor, knobs=knobs)):
        own = [
            (counted[place], at, number) for place in places
            for at, level in enumerate(levels)
            if (made := level_of(factor, counted[place].point)) is not None and factor.same(made, level)
        ]  # fmt: skip
        if len({at for _, at, _ in own}) > 1:
            found += own
    return found


def _fit(
    homes: Sequence[tuple[Counted, int, int]], k: int, figure: Figure, margin: float | None, equal_watts: bool,
    usual: Mapping[str, float] | None,
) -> _Fit | None:  # fmt: skip
    """One figure at every level; None where a level does not tell it."""
    sign = -1.0 if figure.less_is_better else 1.0
    rows = [
        (sign * (math.log(value) if figure.log else value), at, family, one) for one, at, family in homes
        if (value := one.figures.value(figure.id)) is not None and (not figure.log or value > 0)
    ]  # fmt: skip
    if len({at for _, at, _, _ in rows}) < k:
        return None
    families = list(dict.fromkeys(family for _, _, family, _ in rows))
    columns = [[float(row[1] == at) for row in rows] for at in range(k)]
    columns += [[float(row[2] == family) for row in rows] for family in families[1:]]
    watts = [row[3].figures.value("package_w") or 0.0 for row in rows]
    if equal_watts and figure.unit == "fps" and all(watts):
        logs = np.log(watts)
        if np.ptp(logs) > 0.01 and len(rows) > len(columns) + 1:
            columns.append((logs - logs.mean()).tolist())
    blocks = [block_of(row[3], row[1]) for row in rows]
    sd, dof = thought_before(figure, usual)
    made = generalised(np.column_stack(columns), np.array([row[0] for row in rows]), sd, blocks, dof)
    wide = margin if margin is not None else margin_of(figure)
    covariance = made.covariance[:k, :k] + np.diag(_readings(rows, k, figure))
    return _Fit(made.coefficients[:k], covariance, made.dof, math.log1p(wide) if figure.log else wide)


def _readings(rows: Sequence[tuple[float, int, int, Counted]], k: int, figure: Figure) -> Array:
    """(k,) variance of readings themselves, which repeats average out for figures on a log scale only."""
    found = np.zeros(k)
    for at in range(k):
        errors = [
            error / value if figure.log else error for _, own, _, one in rows
            if own == at and (error := one.figures.errors.get(figure.id)) and (value := one.figures.value(figure.id))
        ]  # fmt: skip
        if errors:
            found[at] = float(np.mean(np.square(errors))) / (len(errors) if figure.log else 1)
    return found
