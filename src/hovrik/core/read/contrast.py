"""Two levels of a factor against each other, figure by figure: by how much they differ, and whether that is better,
worse, the same for a player's purpose, or not decided yet.

Passes of both levels are compared only where all else agrees (agree.py); what differs beside the factor confounds.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..facts.factor import Factor
from ..facts.knob import Knob, Level
from ..passes.figure import BY_ID, Figure
from ..stats.estimate import t_quantile
from ..stats.least_squares import PRIOR_DOF, generalised
from .agree import differences
from .group import Counted, cap_of

Array = NDArray[np.float64]

# what is no practical difference where the player names nothing: a share of log figures, else in their unit
MARGINS: Mapping[str, float] = {
    "mean_fps": 0.02, "package_w": 0.02, "draw_w": 0.02, "wall_w": 0.02, "score": 0.02, "time_s": 0.02,
    "die_c": 2.0, "shell_c": 1.5, "noise_db": 2.0, "die_end_c": 2.0, "shell_end_c": 1.5,
}  # fmt: skip
OTHER_MARGIN = 0.03
# spread of passes of a machine of which nothing is known, on the figure's own scale
UNKNOWN_SD: Mapping[str, float] = {
    "mean_fps": 0.025, "draw_w": 0.015, "package_w": 0.015, "wall_w": 0.015, "score": 0.015, "time_s": 0.015,
    "die_c": 0.8, "die_end_c": 0.8, "shell_c": 0.5, "noise_db": 1.0,
}  # fmt: skip
LOW_SD = 0.035
AT_CAP = 0.99


class Comparison(StrEnum):
    """What a contrast comes to."""

    BETTER = "better"
    WORSE = "worse"
    SAME = "same"
    UNDECIDED = "undecided"
    CONFOUNDED = "confounded"


@dataclass(frozen=True)
class Contrast:
    """One figure at two levels. difference : a minus b, in the figure's unit, with its 95 % interval; percent : the
    same in percent of b, None for figures that have no share; n : passes behind it; beside : what else differs, where
    it is confounded; delta, se : difference and its standard error on the figure's own scale; p : of no difference."""

    figure: str
    a: Level
    b: Level
    difference: float
    low: float
    high: float
    unit: str
    verdict: Comparison
    percent: tuple[float, float, float] | None = None
    n: int = 0
    beside: tuple[str, ...] = ()
    delta: float = 0.0
    se: float = 0.0
    p: float = 1.0

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        made: dict[str, Any] = {
            "figure": self.figure, "a": self.a, "b": self.b, "difference": self.difference, "low": self.low,
            "high": self.high, "unit": self.unit, "verdict": self.verdict.value,
        }  # fmt: skip
        if self.percent is not None:
            made |= {"percent": self.percent[0], "percent_low": self.percent[1], "percent_high": self.percent[2]}
        return made | {"passes": self.n, "confounded_by": list(self.beside)}


@dataclass(frozen=True)
class Side:
    """Passes of one level that agree in all but the factor with those of another. families : a number of the set of
    agreeing passes that each is of."""

    level: Level
    passes: tuple[Counted, ...]
    families: tuple[int, ...]


def sides(
    counted: Sequence[Counted], factor: Factor, a: Level, b: Level, knobs: Mapping[str, Knob] | None = None
) -> tuple[Side, Side, tuple[str, ...]]:
    """The passes at two levels, paired by what agrees, and what else differs where nothing agrees (then all passes of
    the two levels, as one family)."""
    from .response import level_of

    at_a, at_b = (
        [one for one in counted if (own := level_of(factor, one.point)) is not None and factor.same(own, level)]
        for level in (a, b)
    )
    families: list[tuple[list[Counted], list[Counted]]] = []
    for one in at_a:
        home = next((f for f in families if _agrees(one, f[0][0], factor, knobs)), None)
        if home is None:
            families.append(([one], []))
        else:
            home[0].append(one)
    for one in at_b:
        home = next((f for f in families if _agrees(one, f[0][0], factor, knobs)), None)
        if home is not None:
            home[1].append(one)
    both = [family for family in families if family[1]]
    if not both and at_a and at_b:
        beside = dict.fromkeys(
            d.label for d in differences(at_a[0].point, at_b[0].point, over=factor, knobs=knobs) if not d.is_unknown
        )
        return (
            Side(a, tuple(at_a), (0,) * len(at_a)), Side(b, tuple(at_b), (0,) * len(at_b)),
            tuple(beside) or ("conditions",),
        )  # fmt: skip
    made = []
    for at, level in ((0, a), (1, b)):
        rows = [(one, number) for number, family in enumerate(both) for one in family[at]]
        made.append(Side(level, tuple(one for one, _ in rows), tuple(number for _, number in rows)))
    return made[0], made[1], ()


def _agrees(one: Counted, other: Counted, factor: Factor, knobs: Mapping[str, Knob] | None) -> bool:
    return not any(not d.is_unknown for d in differences(one.point, other.point, over=factor, knobs=knobs))


def margin_of(figure: Figure) -> float:
    """Within this two levels count as the same where the player names nothing, in the space that is judged in."""
    return MARGINS.get(figure.id, OTHER_MARGIN if figure.log else 3 * figure.prior_sd)


def unknown_sd(figure: Figure) -> float:
    """Spread of passes of a machine of which nothing is known, on the figure's own scale."""
    return UNKNOWN_SD.get(figure.id, LOW_SD if figure.log else 1.6 * figure.prior_sd)


def thought_before(figure: Figure, usual: Mapping[str, float] | None) -> tuple[float, float]:
    """(spread of a pass, degrees of freedom that it counts for): of the machine's own history where it has one.
    usual : of that, by figure."""
    own = (usual or {}).get(figure.id)
    return (own, PRIOR_DOF) if own is not None else (unknown_sd(figure), 1.0)


def block_of(one: Counted, level: float) -> str:
    """What passes share that err together: their launch; untold, that of their run, which starts nothing anew that it
    does not tell; else their level's, as it is with logs that were brought one by one."""
    run = one.round.rpartition("/")[0]
    return one.point.launch or (f"run {run}" if run else f"level {level:g}")


def contrast(
    one: Side, other: Side, figure: Figure, *, margin: float | None = None, beside: tuple[str, ...] = (),
    equal_watts: bool = False, usual: Mapping[str, float] | None = None,
) -> Contrast | None:  # fmt: skip
    """One figure at two levels; None where a side does not carry it.

    margin : that is no practical difference, a share for log figures; equal_watts : rates as they would be at the same
    measured package power; usual : spread of a pass by figure, as the machine's history has it. Least squares of the
    side over passes, families apart, passes of one launch erring together; where nobody told launches, passes of a run
    are taken to be of one, else those of a level.
    """
    rows = [
        (value, at, family, counted.figures.value("package_w") or 0.0, block_of(counted, at))
        for at, side in ((1.0, one), (0.0, other))
        for counted, family in zip(side.passes, side.families)
        if (value := counted.figures.value(figure.id)) is not None and (not figure.log or value > 0)
    ]
    if not any(row[1] for row in rows) or all(row[1] for row in rows):
        return None
    y = np.array([math.log(row[0]) if figure.log else row[0] for row in rows])
    columns = [np.array([row[1] for row in rows])]
    columns += [np.array([float(row[2] == family) for row in rows]) for family in dict.fromkeys(r[2] for r in rows)]
    if equal_watts and all(row[3] for row in rows):
        watts = np.log([row[3] for row in rows])
        if np.ptp(watts) > 0.01 and len(rows) > len(columns) + 1:
            columns.append(watts - watts.mean())
    design = np.column_stack(columns)
    sd, dof = thought_before(figure, usual)
    found = generalised(design, y, sd, [row[4] for row in rows], dof)
    own_se, base = math.sqrt(float(found.covariance[0, 0])), y[design[:, 0] == 0.0]
    se = math.hypot(own_se, _reading(one, other, figure))
    return _made(one, other, figure, float(found.coefficients[0]), se, found.dof, margin, beside, len(rows), base)


def _reading(one: Side, other: Side, figure: Figure) -> float:
    """Error of the readings themselves that repeats do not average out, on the figure's own scale."""
    found = []
    for side in (one, other):
        errors = [
            error / value if figure.log else error
            for counted in side.passes
            if (error := counted.figures.errors.get(figure.id)) and (value := counted.figures.value(figure.id))
        ]
        found.append(math.sqrt(float(np.mean(np.square(errors))) / (len(errors) if figure.log else 1)) if errors else 0)
    return math.hypot(*found)


def _made(
    one: Side, other: Side, figure: Figure, delta: float, se: float, dof: float, margin: float | None,
    beside: tuple[str, ...], n: int, base: Array,
) -> Contrast:  # fmt: skip
    half95, half90 = t_quantile(0.975, dof) * se, t_quantile(0.95, dof) * se
    wide = margin if margin is not None else margin_of(figure)
    edge = (math.log1p(-wide), math.log1p(wide)) if figure.log else (-wide, wide)
    verdict = Comparison.UNDECIDED
    if beside:
        verdict = Comparison.CONFOUNDED
    elif edge[0] <= delta - half90 and delta + half90 <= edge[1]:
        verdict = Comparison.SAME
    elif delta - half95 > 0 or delta + half95 < 0:
        verdict = Comparison.BETTER if (delta > 0) != figure.less_is_better else Comparison.WORSE
    ends, percent = (delta, delta - half95, delta + half95), None
    if figure.log:
        level = math.exp(float(base.mean()))
        shares = [math.expm1(value) for value in ends]
        percent = (100 * shares[0], 100 * shares[1], 100 * shares[2])
        ends = (level * shares[0], level * shares[1], level * shares[2])
    from scipy.special import stdtr

    p = 2.0 * float(stdtr(dof, -abs(delta) / se)) if se > 0 else float(delta == 0)
    return Contrast(figure.id, one.level, other.level, *ends, figure.unit, verdict, percent, n, beside, delta, se, p)


def contrasts(
    counted: Sequence[Counted], factor: Factor, a: Level, b: Level, figures: Sequence[str], *,
    margins: Mapping[str, float] | None = None, knobs: Mapping[str, Knob] | None = None, equal_watts: bool = False,
    usual: Mapping[str, float] | None = None,
) -> list[Contrast]:  # fmt: skip
    """Every figure that both levels carry. Where both sides stand at a cap that they reach, rates say nothing and are
    left out."""
    one, other, beside = sides(counted, factor, a, b, knobs)
    if not one.passes or not other.passes:
        return []
    capped = all(_at_cap(side) for side in (one, other)) and factor.id != "cap_fps"
    found = []
    for name in figures:
        if capped and name == "mean_fps":
            continue
        rate = equal_watts and BY_ID[name].unit == "fps"
        made = contrast(
            one,
            other,
            BY_ID[name],
            margin=(margins or {}).get(name),
            beside=beside,
            usual=usual,
            equal_watts=rate and not capped,
        )
        if made is not None:
            found.append(made)
    return found


def _at_cap(side: Side) -> bool:
    rates = [one.figures.value("mean_fps") for one in side.passes]
    cap = cap_of(side.passes)
    return cap is not None and bool(rates) and all(rate is not None and rate >= AT_CAP * cap for rate in rates)
