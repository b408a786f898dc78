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
from ..facts.terms import Floor, School
from ..passes.figure import FIGURES, Figure, floor_figure
from ..passes.figures import PassFigures
from ..passes.inside import Inside
from ..passes.point import Point
from ..stats.estimate import Mean
from ..stats.spread import pooled

Array = NDArray[np.float64]

# share of the cap from which a figure varies by pacing, not by load
AT_CAP: Mapping[str, float] = {"mean_fps": 0.995, **{f.id: 0.97 for f in FIGURES if f.floor.startswith("low_")}}
HEAT = ("die_c", "shell_c")
HEAT_DOF = 60.0  # its quantile is 2: settled temperatures are given to two standard errors


@dataclass(frozen=True)
class Counted:
    """A pass that counts, with its figures. asked : the knobs it was asked for; spread : from inside it, given where
    it is the only one of its level."""

    id: str
    point: Point
    asked: Setup
    figures: PassFigures
    spread: Inside | None = None


@dataclass(frozen=True)
class Group:
    """Passes at one level of a factor. setup : what can be set of them; means : figure id to Mean; judged : mean of
    the figure that the floor names.

    missed : mean and error of the root of the share that the floor's own rule looks at; holds : probability that the
    floor is held, None where that cannot be judged; one_pass : its interval comes from inside a single pass; why :
    figure id to the reason it is not given.
    """

    level: Level
    setup: Setup
    passes: tuple[str, ...]
    means: Mapping[str, Mean]
    judged: Mean | None = None
    missed: tuple[float, float] | None = None
    holds: float | None = None
    one_pass: bool = False
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


def groups_of(
    levels: Sequence[Level], members: Sequence[Sequence[Counted]], factor: Factor, floor: Floor | None, school: School
) -> list[Group]:
    """A group a level, levels in the factor's order."""
    means = [_means(figure, members, factor) for figure in FIGURES]
    named = floor_figure(floor.figure, school) if floor is not None else None
    missed = _missed(members, floor)
    groups = []
    for at, (level, group) in enumerate(zip(levels, members)):
        own = {figure.id: mean for figure, row in zip(FIGURES, means) if (mean := row[at]) is not None}
        why = {key: reason for one in reversed(group) for key, reason in one.figures.why.items() if key not in own}
        groups.append(
            Group(
                level, setup_of(group), tuple(one.id for one in group), own, own.get(named.id) if named else None,
                missed[at], None, len(group) == 1 and group[0].spread is not None, why,
            )
        )  # fmt: skip
    return groups


def setup_of(group: Sequence[Counted]) -> Setup:
    """What can be set of some passes: the knobs that were asked for, all that were read where none was."""
    asked = dict.fromkeys(key for one in group for key in one.asked)
    merged = {key: value for one in reversed(group) for key, value in one.point.setup.items()}
    return Setup({key: merged[key] for key in asked} if asked else merged)


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
    repeated = any(group.size > 1 for group in known)
    for at, mean in zip(present, means):
        own = mean
        if figure.id in HEAT:
            own = _settled(values[at], members[at], figure.id)
        elif not repeated:
            own = _from_inside(mean, members[at][0], figure)
        found[at] = _with_reading_error(own, members[at], figure)
    return found


def _values(figure: Figure, group: Sequence[Counted]) -> Array:
    known = [v for one in group if (v := one.figures.value(figure.id)) is not None]
    return np.log([v for v in known if v > 0]) if figure.log else np.array(known, float)


def cap_of(group: Sequence[Counted]) -> float | None:
    """The cap of a group, fps; None without one."""
    cap = group[0].point.setup.get(CAP)
    return float(cap) if is_number(cap) and cap is not None else None


def regimes(values: Sequence[Array], caps: Sequence[float | None], figure: str) -> list[int]:
    """1 for levels whose mean of a figure (logs) reaches its share of the cap, 0 for the others."""
    share = AT_CAP.get(figure)
    if share is None:
        return [0] * len(values)
    return [
        int(bool(cap) and float(value.mean()) >= math.log(share * (cap or 1.0))) for value, cap in zip(values, caps)
    ]


def _from_inside(mean: Mean, one: Counted, figure: Figure) -> Mean:
    """The interval of a level with one pass, where no level has more, from inside that pass."""
    inside = one.spread
    if inside is None or figure.id not in AT_CAP:
        return mean
    of_low = figure.id != "mean_fps"
    se, dof = (inside.low_se, inside.low_dof) if of_low else (inside.rate_se, inside.dof)
    return Mean(mean.mean, se, dof, 1)


def reading_share(figures: PassFigures, figure: str) -> float:
    """Standard deviation of a figure's own reading, as a share of it; 0 where it is not known."""
    value, error = figures.value(figure), figures.errors.get(figure)
    return error / value if value and error else 0.0


def _with_reading_error(mean: Mean, group: Sequence[Counted], figure: Figure) -> Mean:
    """No better known than the readings allow: few repeats can agree by luck within a gauge's step."""
    shares = [share for one in group if (share := reading_share(one.figures, figure.id))] if figure.log else []
    if not shares:
        return mean
    own = math.sqrt(float(np.mean(np.square(shares))) / len(group))
    return replace(mean, se=math.hypot(mean.se, own) if mean.n == 1 else max(mean.se, own))


def _settled(values: Array, group: Sequence[Counted], figure: str) -> Mean:
    """Mean of settled temperatures; its error covers each pass's own and their scatter."""
    errors = [one.figures.errors.get(figure, 0.0) for one in group if one.figures.value(figure) is not None]
    own = math.sqrt(float(np.mean(np.square(errors))) / len(errors))
    scatter = float(values.std(ddof=1)) / math.sqrt(values.size) if values.size > 1 else 0.0
    return Mean(float(values.mean()), max(own, scatter), HEAT_DOF, values.size, log=False)


def _missed(members: Sequence[Sequence[Counted]], floor: Floor | None) -> list[tuple[float, float] | None]:
    """Mean and standard error of the share of frames that a floor's rule looks at, on the square-root scale where a
    share's variance is even: over 1.5 x the target interval for a low, slower than the floor for slow frames."""
    if floor is None or not floor.looks_at_shares:
        return [None] * len(members)
    roots = []
    for group in members:
        tails = [tail for one in group if (tail := one.figures.tail) is not None]
        shares = [tail.slow(floor.edge) if floor.is_slow_share else tail.missed(floor.value) for tail in tails]
        roots.append(np.sqrt(np.array(shares)))
    ss = sum(float(((r - r.mean()) ** 2).sum()) for r in roots if r.size > 1)
    dof = sum(r.size - 1 for r in roots if r.size > 1)
    sd = math.sqrt((ss + 2 * 0.01**2) / (dof + 2))
    return [(float(r.mean()), sd / math.sqrt(r.size)) if r.size else None for r in roots]
