"""Passes that differ in watts only, read together: level means, probability of holding, curve."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..facts.knob import CAP
from ..facts.setup import Setup
from ..passes.figures import PassFigures, low_of
from ..passes.heat import Settled
from ..questions.question import Question
from ..stats import curve as curves
from ..stats import surprise
from ..stats.spread import PRIOR_SD, Estimate, LogMean, OnePass, pooled

Array = NDArray[np.float64]

DRAWS = 4000
DENT_SE = 4.5
AT_CAP = {"rate": 0.995, "low": 0.97}  # share of the cap from which a figure varies by pacing, not by load


@dataclass(frozen=True)
class Counted:
    """A pass that counts, with its figures. spread : from inside it, given where it is the only one of its level."""

    id: str
    setup: Setup
    figures: PassFigures
    spread: OnePass | None = None


@dataclass(frozen=True)
class Level:
    """All passes at one limit. rate, low, draw, package : LogMean or None; missed : mean share and its se.

    die_c, shell_c : settled temperature estimates; holds : probability that the floor is held, None where lows
    are withheld; one_pass : its interval comes from inside a single pass.
    """

    limit_w: float
    passes: tuple[str, ...]
    rate: LogMean | None
    low: LogMean | None
    draw: LogMean | None
    package: LogMean | None
    missed: tuple[float, float] | None
    die_c: Estimate | None
    shell_c: Estimate | None
    min_fps: float | None
    holds: float | None = None
    one_pass: bool = False
    why_no_heat: str = ""
    incidents: int = 0


@dataclass(frozen=True)
class Ladder:
    """One family of setups over watts.

    family : the knobs they share; levels ascending; hold_draws : (draws, k) bool, whether each level holds in each
    draw of the joint posterior; rate_curve : the family that describes the mean rates; dents : findings by level;
    surprises : (pass id, words) of passes that stand out from those at their level and beside it.
    """

    family: Setup
    levels: tuple[Level, ...]
    hold_draws: NDArray[np.bool_] | None
    low_draws: Array | None
    rate_curve: curves.Chosen
    dents: tuple[tuple[float, str], ...] = ()
    surprises: tuple[tuple[str, str], ...] = ()

    @property
    def limits_w(self) -> Array:
        """(k,) levels, W."""
        return np.array([level.limit_w for level in self.levels])

    def level(self, limit_w: float) -> Level | None:
        """The level at a limit, or None."""
        return next((level for level in self.levels if abs(level.limit_w - limit_w) < 1e-6), None)


def read(passes: Sequence[Counted], question: Question) -> list[Ladder]:
    """Group passes into ladders by family, each over its static limits. Passes with no static limit are left out."""
    families: dict[Setup, list[Counted]] = {}
    for one in passes:
        if one.setup.static_limit_w is not None:
            families.setdefault(one.setup.family, []).append(one)
    ladders = [_read_family(family, members, question) for family, members in families.items()]
    return sorted(ladders, key=lambda ladder: -sum(len(level.passes) for level in ladder.levels))


def _read_family(family: Setup, members: Sequence[Counted], question: Question) -> Ladder:
    groups: dict[float, list[Counted]] = {}
    for one in members:
        groups.setdefault(round(one.setup.static_limit_w or 0.0, 6), []).append(one)
    limits = sorted(groups)
    ordered = [groups[limit] for limit in limits]
    cap = family.get(CAP)
    cap_fps = float(cap) if isinstance(cap, int | float) else None
    rates = _log_means(ordered, lambda f: f.mean_fps, "rate", cap_fps, AT_CAP["rate"])
    lows = _log_means(ordered, lambda f: low_of(f, question.school), "low", cap_fps, AT_CAP["low"])
    draws = _with_reading_error(_log_means(ordered, lambda f: f.draw_w, "draw"), ordered)
    packages = _log_means(ordered, lambda f: f.package_w, "draw")
    missed = _missed(ordered)
    levels = [
        _level(limit, group, rates[i], lows[i], draws[i], packages[i], missed[i])
        for i, (limit, group) in enumerate(zip(limits, ordered))
    ]
    hold_draws, low_draws = _hold_draws(levels, question)
    if hold_draws is not None:
        shares = hold_draws.mean(axis=0)
        at = iter(shares.tolist())
        levels = [replace(level, holds=next(at)) if level.low is not None else level for level in levels]
    known = [(level.limit_w, level.rate) for level in levels if level.rate is not None]
    x = np.array([limit for limit, _ in known])
    y = np.array([math.exp(rate.mean) for _, rate in known])
    chosen = curves.choose(x, y)
    return Ladder(
        family, tuple(levels), hold_draws, low_draws, chosen, _dents(known, chosen), _surprises(ordered, cap_fps)
    )


def _log_means(
    ordered: list[list[Counted]], get: Callable[[PassFigures], float | None], kind: str,
    cap_fps: float | None = None, at_cap: float = 1.0,
) -> list[LogMean | None]:  # fmt: skip
    """Level means of a figure; levels whose mean reaches `at_cap` of the cap are a regime of their own."""
    values = [np.log([v for one in group if (v := get(one.figures)) is not None and v > 0]) for group in ordered]
    present = [i for i, group in enumerate(values) if group.size]
    results: list[LogMean | None] = [None] * len(ordered)
    if not present:
        return results
    repeated = any(values[i].size > 1 for i in present)
    known = [values[i] for i in present]
    for i, mean in zip(present, pooled(known, PRIOR_SD[kind], _regimes(known, cap_fps, at_cap))):
        inside = ordered[i][0].spread
        if not repeated and inside is not None and kind != "draw":
            of_low = kind == "low"
            se, dof = (inside.low_se, inside.low_dof) if of_low else (inside.rate_se, inside.dof)
            results[i] = LogMean(mean.mean, se, dof, 1)
        else:
            results[i] = mean
    return results


def _regimes(values: Sequence[Array], cap_fps: float | None, at_cap: float) -> list[int]:
    """1 for levels whose mean reaches `at_cap` of the cap, 0 for the others."""
    edge = math.log(at_cap * cap_fps) if cap_fps else math.inf
    return [int(float(value.mean()) >= edge) for value in values]


def _with_reading_error(means: list[LogMean | None], ordered: list[list[Counted]]) -> list[LogMean | None]:
    """Draws no better known than their gauge readings allow: few repeats can agree by luck within a gauge's step."""
    found: list[LogMean | None] = []
    for mean, group in zip(means, ordered):
        shares = [share for one in group if (share := _reading_share(one.figures))]
        if mean is None or not shares:
            found.append(mean)
            continue
        own = math.sqrt(float(np.mean(np.square(shares))) / len(group))
        found.append(replace(mean, se=math.hypot(mean.se, own) if mean.n == 1 else max(mean.se, own)))
    return found


def _missed(ordered: list[list[Counted]]) -> list[tuple[float, float] | None]:
    """Mean and standard error of the missed share, on the square-root scale where a share's variance is even."""
    roots = []
    for group in ordered:
        shares = [f.missed_share for one in group if (f := one.figures.frames) and f.missed_share is not None]
        roots.append(np.sqrt(np.array(shares)))
    ss = sum(float(((r - r.mean()) ** 2).sum()) for r in roots if r.size > 1)
    dof = sum(r.size - 1 for r in roots if r.size > 1)
    sd = math.sqrt((ss + 2 * 0.01**2) / (dof + 2))
    return [(float(r.mean()), sd / math.sqrt(r.size)) if r.size else None for r in roots]


def _level(
    limit: float,
    group: list[Counted],
    rate: LogMean | None,
    low: LogMean | None,
    draw: LogMean | None,
    package: LogMean | None,
    missed: tuple[float, float] | None,
) -> Level:
    dies = [one.figures.die for one in group]
    shells = [one.figures.shell for one in group]
    minima = [one.figures.min_fps for one in group if one.figures.min_fps is not None]
    why = next((s.reason for s in dies if s is not None and s.value_c is None), "no die temperature was recorded")
    return Level(
        limit,
        tuple(one.id for one in group),
        rate,
        low,
        draw,
        package,
        missed,
        _settled_mean(dies),
        _settled_mean(shells),
        min(minima) if minima else None,
        None,
        len(group) == 1 and group[0].spread is not None,
        "" if _settled_mean(dies) else why,
    )


def _settled_mean(values: Sequence[Settled | None]) -> Estimate | None:
    """Mean of settled temperatures with an interval that covers each pass's own error and their scatter."""
    known = [s for s in values if s is not None and s.value_c is not None and s.se_c is not None]
    if not known:
        return None
    numbers = np.array([s.value_c for s in known], float)
    own = math.sqrt(float(np.mean([(s.se_c or 0.0) ** 2 for s in known])) / len(known))
    scatter = float(numbers.std(ddof=1)) / math.sqrt(len(known)) if len(known) > 1 else 0.0
    half = 2.0 * max(own, scatter)
    mean = float(numbers.mean())
    return Estimate(mean, mean - half, mean + half, "C", len(known))


def _hold_draws(levels: list[Level], question: Question) -> tuple[NDArray[np.bool_] | None, Array | None]:
    """Joint draws of every level's true low and missed share, made monotone in watts.

    More watts cannot lower a low but for a dent, so each draw is replaced by its nearest non-decreasing steps
    (weights 1 / se^2), which lends every level its neighbours' evidence. Where a level lies more than 4.5
    standard errors off those steps the ladder has a dent, and the draws stay as they are.
    """
    known = [level for level in levels if level.low is not None]
    if not known:
        return None, None
    rng = np.random.default_rng(20_240_601)
    mean = np.array([level.low.mean for level in known if level.low])
    se = np.array([max(level.low.se, 1e-6) for level in known if level.low])
    dof = np.array([max(level.low.dof, 1.0) for level in known if level.low])
    draws = mean + se * rng.standard_t(dof, (DRAWS, mean.size))
    smooth = curves.isotonic(mean, 1 / se**2)
    if bool(np.all(np.abs(mean - smooth) <= DENT_SE * se)):
        draws = curves.isotonic(draws, 1 / se**2)
    held = draws >= math.log(question.floor_fps)
    if all(level.missed is not None for level in known):
        root = np.array([level.missed[0] for level in known if level.missed])
        root_se = np.array([max(level.missed[1], 1e-6) for level in known if level.missed])
        share = root + root_se * rng.standard_normal((DRAWS, root.size))
        share = -curves.isotonic(-share, 1 / root_se**2)
        held &= np.maximum(share, 0.0) ** 2 <= question.missed_share
    return held, np.asarray(draws)


def _surprises(ordered: list[list[Counted]], cap_fps: float | None) -> tuple[tuple[str, str], ...]:
    """Passes whose rate or draw the others did not let expect. The original is kept; a repeat is proposed."""
    found = []
    for name, get, reading_error in (
        ("rate", lambda f: f.mean_fps, lambda f: 0.0),
        ("draw", lambda f: f.draw_w, _reading_share),
    ):
        groups = [[one for one in group if (get(one.figures) or 0.0) > 0] for group in ordered]
        groups = [group for group in groups if group]
        logs = [np.log([get(one.figures) for one in group]) for group in groups]
        reading = [np.array([reading_error(one.figures) for one in group]) for group in groups]
        limits = [group[0].setup.static_limit_w or 0.0 for group in groups]
        regimes = _regimes(logs, cap_fps, AT_CAP["rate"]) if name == "rate" else None
        for at, number, off in surprise.outliers(limits, logs, reading, PRIOR_SD[name], regimes):
            words = f"at {limits[at]:g} W stands {100 * math.expm1(off):+.0f} % off the others in its {name}"
            found.append((groups[at][number].id, f"{words}: repeat it before believing it"))
    return tuple(found)


def _reading_share(figures: PassFigures) -> float:
    """Standard deviation of a draw that was read by hand, as a share of it; 0 where none was."""
    return figures.draw_sd_w / figures.draw_w if figures.draw_sd_w and figures.draw_w else 0.0


def _dents(known: list[tuple[float, LogMean]], chosen: curves.Chosen) -> tuple[tuple[float, str], ...]:
    """Levels off their curve: deeper than 4.5 standard errors is named, from 3 proposed for repeats.

    A curve that is too stiff is not a dent: the level must lie as far off the straight line between its two
    neighbours, to the same side, counting their errors too.
    """
    if chosen.curve is None:
        return ()
    found = []
    for (w0, before), (w1, here), (w2, after) in zip(known, known[1:], known[2:]):
        share = (w1 - w0) / (w2 - w0)
        between = (1 - share) * before.mean + share * after.mean
        error = math.sqrt(here.se**2 + ((1 - share) * before.se) ** 2 + (share * after.se) ** 2)
        off_curve = here.mean - math.log(max(float(chosen.curve.at(w1)), 1e-9))
        off_line = here.mean - between
        off = min(off_curve, off_line, key=abs) if off_curve * off_line > 0 else 0.0
        if error <= 0 or abs(off) <= 3.0 * error or abs(off) < 0.01:
            continue
        size = f"{100 * abs(off):.0f} % {'above' if off > 0 else 'below'} the curve and its neighbours"
        named = abs(off) > DENT_SE * error
        words = f"{size}: an edge or dent, not noise" if named else f"{size}: repeat it before believing it"
        found.append((w1, words))
    return tuple(found)
