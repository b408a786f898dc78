"""Groups: passes that are comparable at one point, with the mean and error of every figure."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..facts.factor import Factor
from ..facts.knob import CAP, Level, is_number
from ..facts.setup import Setup
from ..facts.terms import LOW, LOW_TENTH, Floor, School
from ..model import held
from ..model.held import Held, Margin
from ..model.ladder import Ladder
from ..passes.figure import BY_ID, FIGURES, Figure, floor_figure, low_id
from ..passes.figures import PassFigures
from ..passes.frames import MISSED_RATIO
from ..passes.point import Point
from ..passes.purpose import REFERENCE, SWEEP
from ..stats.estimate import Mean
from ..stats.spread import pooled

Array = NDArray[np.float64]

# share of the cap from which a figure varies by pacing, not by load
AT_CAP: Mapping[str, float] = {"mean_fps": 0.995, **{f.id: 0.97 for f in FIGURES if f.floor.startswith("low_")}}
RATE = "mean_fps"
INFERRED = "package_w"  # has an error of its own only where it was not read
# share of frames that may be slower where a low is held
LOW_SHARES: Mapping[str, float] = {LOW: 0.01, LOW_TENTH: 0.001}
PACED_NEAR = 0.015  # a frame is paced where it takes no longer than its cap's interval and this part of it
HEAT = ("die_c", "shell_c")
NOISE = "noise_db"  # reckoned of the fan's speed it has the error of its line, the same in all passes
HEAT_DOF = 60.0  # its quantile is 2: settled temperatures are given to two standard errors


@dataclass(frozen=True)
class Counted:
    """A pass that counts, with its figures. asked : the knobs it was asked for; pair : of blocks that it belongs to;
    purpose : that it was made for; round : of its run that it was made in, "" unknown."""

    id: str
    point: Point
    asked: Setup
    figures: PassFigures
    pair: str = ""
    purpose: str = SWEEP
    round: str = ""


@dataclass(frozen=True)
class Group:
    """Passes at one level of a factor. setup : what can be set of them; means : figure id to Mean; judged : mean of
    the figure that the floor names.

    missed : share of frames that the floor's own rule looks at; holds : probability that the floor is held, None where
    that cannot be judged; of_100 : how many of 100 such passes would hold it; margin : how far it lies from the edge;
    one_pass : no level has more than one pass;
    from_mean : the figure was predicted from mean rates alone; reference : a pass of it was made to compare with;
    floor_holds : probability that the floor alone is held, where bounds have a say in `holds`; why : figure id to the
    reason it is not given.
    """

    level: Level
    setup: Setup
    passes: tuple[str, ...]
    means: Mapping[str, Mean]
    judged: Mean | None = None
    missed: float | None = None
    holds: float | None = None
    of_100: float | None = None
    margin: Margin | None = None
    one_pass: bool = False
    from_mean: bool = False
    reference: bool = False
    floor_holds: float | None = None
    why: Mapping[str, str] = field(default_factory=dict)
    incidents: int = 0

    def mean(self, figure: str) -> Mean | None:
        """Mean of a figure, None where no pass carries it."""
        return self.means.get(figure)

    @property
    def at(self) -> float:
        """The level as a number, nan where it is a word."""
        return float(self.level) if is_number(self.level) else math.nan

    @property
    def rate(self) -> Mean | None:
        """Mean rate."""
        return self.means.get("mean_fps")

    @property
    def draw(self) -> Mean | None:
        """Draw."""
        return self.means.get("draw_w")

    @property
    def package(self) -> Mean | None:
        """Package power."""
        return self.means.get("package_w")


def ladder_of(levels: Sequence[Level], members: Sequence[Sequence[Counted]], factor: Factor) -> Ladder:
    """Levels and their passes as the model takes them."""
    at = np.array([float(level) if is_number(level) and level is not None else math.nan for level in levels])
    figures = tuple(tuple(one.figures for one in group) for group in members)
    ordered = factor.is_number and bool(np.isfinite(at).all())
    launches = tuple(tuple(one.point.launch for one in group) for group in members)
    rounds = tuple(tuple(one.round for one in group) for group in members)
    caps = tuple(cap_of(group) for group in members)
    return Ladder(figures, launches, at, ordered, RATE in factor.rising, caps, rounds)


def groups_of(
    ladder: Ladder, levels: Sequence[Level], members: Sequence[Sequence[Counted]], factor: Factor, floor: Floor | None,
    school: School,
) -> list[Group]:  # fmt: skip
    """A group a level, levels in the factor's order. ladder : of them."""
    means = _modelled(ladder)
    means |= {figure.id: _means(figure, members, factor) for figure in FIGURES if figure.id not in means}
    named = floor_figure(floor.figure, school) if floor is not None else None
    judged, missed = _judged(ladder, floor, named, school), _missed(members, floor)
    single = all(len(group) == 1 for group in members)
    by_mean = _from_means(ladder, floor, named, school)
    groups = []
    for at, (level, group) in enumerate(zip(levels, members)):
        own = {figure.id: mean for figure in FIGURES if (mean := means[figure.id][at]) is not None}
        why = {key: reason for one in reversed(group) for key, reason in one.figures.why.items() if key not in own}
        made = Group(
            level, setup_of(group), tuple(one.id for one in group), own, own.get(named.id) if named else None,
            missed[at], one_pass=single, why=why, reference=any(one.purpose == REFERENCE for one in group),
        )  # fmt: skip
        said = judged[at]
        if said is None and (predicted := by_mean[at]) is not None:
            said, made = predicted[1], replace(made, judged=predicted[0], from_mean=True)
        if said is not None:
            made = replace(made, holds=said.holds, of_100=said.of_100, margin=said.margin)
        groups.append(made)
    return groups


def _modelled(ladder: Ladder) -> dict[str, list[Mean | None]]:
    """What the model says of rates and of lows by percentile."""
    found = {RATE: held.rates(ladder)}
    for share, part in (("1pct", 0.01), ("0_1pct", 0.001)):
        name = low_id(School.PERCENTILE, share)
        found[name] = held.lows(ladder, name, part, held.AROUND if share == "1pct" else 0)
    return found


def _judged(ladder: Ladder, floor: Floor | None, named: Figure | None, school: School) -> list[Held | None]:
    """Whether each level holds the floor; None where its passes cannot tell."""
    if floor is None:
        return [Held(1.0, 100.0, Margin(math.inf, 0.0, 0.0)) for _ in ladder.figures]
    asked = slow_asked(floor, school)
    if asked is not None:
        return held.floor_held(ladder, low_id(school) if floor.is_slow_share or named is None else named.id, *asked)
    if named is None:
        return [None] * len(ladder.figures)
    found = held.values_held(ladder, named.id, named.prior_sd, floor.edge, less=floor.less_is_better)
    if floor.figure not in LOW_SHARES:
        return found
    missed = held.shares_held(ladder, named.id, MISSED_RATIO * 1000.0 / floor.value, floor.missed_share)
    return [_both(one, other) for one, other in zip(found, missed)]


def _from_means(
    ladder: Ladder, floor: Floor | None, named: Figure | None, school: School
) -> list[tuple[Mean, Held] | None]:
    """The low that a floor names, and whether it is held, of levels that tell mean rates only."""
    if floor is None or named is None or floor.figure != LOW or school is not School.PERCENTILE:
        return [None] * len(ladder.figures)
    lows = held.lows_from_means(ladder, named.id)
    chances = held.held_from_means(lows, floor.edge)
    return [(low, chance) if low is not None and chance is not None else None for low, chance in zip(lows, chances)]


def slow_asked(floor: Floor, school: School) -> tuple[float, float] | None:
    """Interval (ms) and the share of frames that may be slower, where that is all that a floor asks."""
    if floor.is_slow_share:
        return 1000.0 / floor.edge, floor.missed_share
    if floor.figure in LOW_SHARES and school is School.PERCENTILE:
        return 1000.0 / floor.edge, LOW_SHARES[floor.figure]
    return None


def _both(one: Held | None, other: Held | None) -> Held | None:
    """A low and the missed share both hold; they are not taken to go together."""
    if one is None or other is None:
        return one
    margin = min(one, other, key=lambda held_: held_.holds).margin
    return Held(one.holds * other.holds, one.of_100 * other.of_100 / 100, margin)


def setup_of(group: Sequence[Counted]) -> Setup:
    """What can be set of some passes: the knobs that were asked for, all that were read where none was."""
    asked = dict.fromkeys(key for one in group for key in one.asked)
    merged = {key: value for one in reversed(group) for key, value in one.point.setup.items()}
    return Setup({key: merged[key] for key in asked} if asked else merged)


def own_means(name: str, members: Sequence[Sequence[Counted]], factor: Factor) -> list[Mean | None]:
    """Means of a figure from the passes of each level alone."""
    return _means(BY_ID[name], members, factor)


def _means(figure: Figure, members: Sequence[Sequence[Counted]], factor: Factor) -> list[Mean | None]:
    """Means of a figure; levels whose mean reaches the cap are a regime of their own."""
    values = [_values(figure, group) for group in members]
    present = [at for at, group in enumerate(values) if group.size]
    found: list[Mean | None] = [None] * len(members)
    if not present:
        return found
    known = [values[at] for at in present]
    caps = [cap_of(members[at]) for at in present]
    fading = 0.5 if factor.is_number else 1.0
    means = pooled(known, figure.prior_sd, regimes(known, caps, figure.id), fading=fading, log=figure.log)
    for at, mean in zip(present, means):
        own = mean
        if figure.id in HEAT or (figure.id == NOISE and any(NOISE in one.figures.errors for one in members[at])):
            own = _settled(values[at], members[at], figure.id)
        found[at] = replace(_with_reading_error(own, members[at], figure), possible=figure.possible)
    return found


def _values(figure: Figure, group: Sequence[Counted]) -> Array:
    known = [v for one in group if (v := one.figures.value(figure.id)) is not None]
    return np.log([v for v in known if v > 0]) if figure.log else np.array(known, float)


def cap_of(group: Sequence[Counted]) -> float | None:
    """The cap of a group, fps; None without one."""
    cap = group[0].point.setup.get(CAP)
    return float(cap) if is_number(cap) and cap is not None else None


def paced_share(members: Sequence[Counted]) -> float:
    """Share of frames that their cap paced: no slower than its interval; 0 without a cap."""
    cap = cap_of(members)
    tails = [tail for one in members if (tail := one.figures.tail) is not None]
    if not cap or not tails:
        return 0.0
    return float(np.mean([1.0 - tail.slower_than((1 + PACED_NEAR) * 1000.0 / cap) for tail in tails]))


def regimes(values: Sequence[Array], caps: Sequence[float | None], figure: str) -> list[int]:
    """1 for levels whose mean of a figure (logs) reaches its share of the cap, 0 for the others."""
    share = AT_CAP.get(figure)
    if share is None:
        return [0] * len(values)
    return [
        int(bool(cap) and float(value.mean()) >= math.log(share * (cap or 1.0))) for value, cap in zip(values, caps)
    ]


def reading_share(figures: PassFigures, figure: str) -> float:
    """Standard deviation of a figure's own reading, as a share of it; 0 where it is not known."""
    value, error = figures.value(figure), figures.errors.get(figure)
    return error / value if value and error else 0.0


def _with_reading_error(mean: Mean, group: Sequence[Counted], figure: Figure) -> Mean:
    """No better known than the readings allow: few repeats can agree by luck within a gauge's step."""
    shares = [share for one in group if (share := reading_share(one.figures, figure.id))] if figure.log else []
    if not shares:
        return mean
    independent = 1 if figure.id == INFERRED else len(group)  # the line that it comes from is one for all of them
    own = math.sqrt(float(np.mean(np.square(shares))) / independent)
    se = math.hypot(mean.se, own) if mean.n == 1 else max(mean.se, own)
    ends = None
    if mean.ends is not None:
        low, high = (mean.mean + (end - mean.mean) * se / mean.se for end in mean.ends)
        ends = (low, high)
    return replace(mean, se=se, ends=ends)


def _settled(values: Array, group: Sequence[Counted], figure: str) -> Mean:
    """Mean of settled temperatures, or of noise that is reckoned. Its error covers their scatter and each pass's own,
    most of which is the model's and the same in all of them."""
    errors = [one.figures.errors.get(figure, 0.0) for one in group if one.figures.value(figure) is not None]
    own = math.sqrt(float(np.mean(np.square(errors))))
    scatter = float(values.std(ddof=1)) / math.sqrt(values.size) if values.size > 1 else 0.0
    return Mean(float(values.mean()), max(own, scatter), HEAT_DOF, values.size, log=False)


def _missed(members: Sequence[Sequence[Counted]], floor: Floor | None) -> list[float | None]:
    """Mean share of frames that a floor's rule looks at: over 1.5 x the target interval for a low, slower than the
    floor for slow frames."""
    if floor is None or not floor.looks_at_shares:
        return [None] * len(members)
    tails = [[tail for one in group if (tail := one.figures.tail) is not None] for group in members]
    rule = (lambda tail: tail.slow(floor.edge)) if floor.is_slow_share else (lambda tail: tail.missed(floor.value))
    return [float(np.mean([rule(tail) for tail in group])) if group else None for group in tails]
