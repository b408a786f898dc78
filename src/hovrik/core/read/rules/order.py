"""What the order of passes did: drift over a run, first passes that are not like the rest, runs that differ."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...finding import About, Finding
from ...message import Value, say
from ...passes.figure import BY_ID
from ...stats.estimate import t_quantile
from ...stats.least_squares import fitted
from ..group import RATE
from .rule import Looked, Rule, Whole, advice, finding

Array = NDArray[np.float64]

FIGURES = ((RATE, "rate"), ("draw_w", "draw"))
P = 0.002  # two-sided, of each test
LEAST_PASSES, WORTH = 8, 0.01  # passes of a run, and size from which it matters
LEAST_FIRST = 3  # launches, or levels of a first round
LEAST_BOTH, APART = 3, 0.04  # setups that two runs measured, and how far apart they have to lie at each (log)


def _runs(whole: Whole) -> Iterable[tuple[str, list[Looked]]]:
    plans: dict[str, list[Looked]] = defaultdict(list)
    for looked in whole.counted:
        if looked.plan and looked.index is not None:
            plans[looked.plan].append(looked)
    for plan, own in plans.items():
        yield plan, sorted(own, key=lambda one: one.index or 0)


def _drift(whole: Whole) -> Iterable[Finding]:
    """Passes of equal setup that change over a run."""
    for _, passes in _runs(whole):
        for key, name in FIGURES:
            found = _effect(passes, key, _run_share)
            if found is not None:
                yield finding(
                    "drift",
                    say("rule.drift", figure=name, by=_signed(found[0], found[1]), passes=len(passes)),
                    About.RESPONSE, passes[0].one.id, step=advice("drift"), worry=True, sure=1 - P,
                )  # fmt: skip


def _run_share(own: Sequence[Looked]) -> Array:
    """Place in the run, 0 to 1."""
    places = np.array([float(one.index or 0) for one in own])
    return (places - places.min()) / max(float(np.ptp(places)), 1.0)


def _warm_up(whole: Whole) -> Iterable[Finding]:
    """A first round, or the first pass of each launch, unlike the others."""
    for _, passes in _runs(whole):
        rounds = sorted({one.one.round for one in passes if one.one.round})
        first = rounds[0] if len(rounds) > 1 else ""
        launches = _firsts(passes)
        for how, marked in (("round", {one.one.id for one in passes if first and one.one.round == first}),
                            ("launch", launches)):  # fmt: skip
            others = sum(one.one.id not in marked for one in passes)
            if len(marked) < LEAST_FIRST or others < LEAST_FIRST:
                continue
            if (said := _first(passes, how, marked)) is not None:
                yield said
                break


def _first(passes: Sequence[Looked], how: str, marked: set[str]) -> Finding | None:
    for key, name in FIGURES:
        found = _effect(passes, key, partial(_whether_in, marked))
        if found is not None:
            return finding(
                "warm-up", say(f"rule.warm-up.{how}", figure=name, by=_signed(*found)), About.RESPONSE,
                passes[0].one.id, step=advice(f"warm-up.{how}"), worry=True, sure=1 - P,
            )  # fmt: skip
    return None


def _apart(whole: Whole) -> Iterable[Finding]:
    """A run that differs from those before it at every setup that both measured, the same way."""
    before: list[Looked] = []
    for _, passes in _runs(whole):
        homes = {one.one.point.setup for one in before} & {one.one.point.setup for one in passes}
        late = {one.one.id for one in passes}
        both = [one for one in (*before, *passes) if one.one.point.setup in homes]
        for key, name in FIGURES if len(homes) >= LEAST_BOTH else ():
            by_home = [_log_ratio([one for one in both if one.one.point.setup == home], late, key) for home in homes]
            if not all(by > APART / 2 for by in by_home) and not all(by < -APART / 2 for by in by_home):
                continue
            found = _effect(both, key, partial(_whether_in, late))
            if found is not None and abs(found[0]) >= APART:
                yield finding(
                    "runs-apart", say("rule.runs-apart", figure=name, by=_signed(*found), setups=len(homes)),
                    About.RESPONSE, passes[0].one.id, step=advice("runs-apart"), worry=True, sure=1 - P,
                )  # fmt: skip
                break
        before += passes


def _whether_in(ids: set[str], own: Sequence[Looked]) -> Array:
    return np.array([float(one.one.id in ids) for one in own])


def _log_ratio(own: Sequence[Looked], late: set[str], key: str) -> float:
    """Of the means of a figure, late over early; 0 where a side does not tell it."""
    sides = [
        [value for one in own if (one.one.id in late) is side and (value := one.one.figures.value(key) or 0.0) > 0]
        for side in (True, False)
    ]  # fmt: skip
    return float(np.mean(np.log(sides[0])) - np.mean(np.log(sides[1]))) if all(sides) else 0.0


def _firsts(passes: Sequence[Looked]) -> set[str]:
    """The first pass of each launch that has several."""
    launches: dict[str, list[Looked]] = defaultdict(list)
    for one in passes:
        if one.one.point.launch:
            launches[one.one.point.launch].append(one)
    return {own[0].one.id for own in launches.values() if len(own) > 1}


def _effect(
    passes: Sequence[Looked], key: str, regressor: Callable[[Sequence[Looked]], Array]
) -> tuple[float, float] | None:
    """(size, half of its 95 % interval) of a regressor on the logs, setups apart; None where chance would do."""
    own = [one for one in passes if (one.one.figures.value(key) or 0.0) > 0]
    setups = [one.one.point.setup for one in own]
    kinds = list(dict.fromkeys(setups))
    if len(own) < LEAST_PASSES or len(own) < len(kinds) + 3:
        return None
    y = np.log([one.one.figures.values[key] for one in own])
    x = regressor(own)
    homes = np.array([kinds.index(setup) for setup in setups])
    if all(float(np.ptp(x[homes == home])) == 0 for home in range(len(kinds))):
        return None
    design = np.column_stack([x, *(homes == home for home in range(len(kinds)))]).astype(float)
    found = fitted(design, y, BY_ID[key].prior_sd)
    size, se = float(found.coefficients[0]), float(found.errors[0])
    if abs(size) < WORTH or abs(size) < t_quantile(1 - P / 2, found.dof) * se:
        return None
    return size, t_quantile(0.975, found.dof) * se


def _signed(size: float, half: float) -> Value:
    middle, low, high = (100 * math.expm1(end) for end in (size, size - half, size + half))
    return Value(middle, "%", low, high)


RULES = (
    Rule("drift", "slope of log rate or draw over a run, setups apart: p under .002 and 1 % or more", _drift),
    Rule("warm-up", "first round, or first passes of launches, against the others: p under .002 and 1 % or more",
         _warm_up),
    Rule(
        "runs-apart",
        "log rate or draw of a run less that of those before, 3 setups or more: one sign, p under .002 and 4 % or more",
        _apart,
    ),
)  # fmt: skip
