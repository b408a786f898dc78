"""Contrasts of two levels: against least squares (statsmodels, LIB), simulated truth and the rules of verdicts."""

import math

import numpy as np
import pytest
import statsmodels.api as sm
from helpers.build import counted

from hovrik.core.facts.factor import of_knob
from hovrik.core.facts.known_knobs import known
from hovrik.core.facts.setup import Setup
from hovrik.core.passes.figure import BY_ID
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.read import contrast
from hovrik.core.read.contrast import Comparison, Side
from hovrik.core.read.group import Counted

BOOST = of_knob(known("boost"))


def made(boost, number=0, limit=12.0, cap="none", **values):
    """A pass with these figures."""
    setup = Setup(boost=boost, sustained_limit_w=limit, cap_fps=cap)
    return Counted(f"{boost}{limit}{number}", Point(setup), setup, PassFigures(values=values))


def sides(off, on, figure="mean_fps"):
    one = Side("off", tuple(made("off", k, **{figure: v}) for k, v in enumerate(off)), (0,) * len(off))
    return one, Side("on", tuple(made("on", k, **{figure: v}) for k, v in enumerate(on)), (0,) * len(on))


def test_many_passes_give_what_least_squares_gives():
    rng = np.random.default_rng(1)
    off, on = (level * np.exp(0.015 * rng.standard_normal(60)) for level in (44.0, 42.0))
    found = contrast.contrast(*sides(off, on), BY_ID["mean_fps"])
    side = np.r_[np.ones(60), np.zeros(60)]
    fitted = sm.OLS(np.log(np.r_[off, on]), sm.add_constant(side)).fit()
    low, high = 100 * np.expm1(fitted.conf_int()[1])
    assert found.percent == pytest.approx((100 * math.expm1(fitted.params[1]), low, high), rel=0.03)
    assert found.verdict is Comparison.BETTER and found.difference == pytest.approx(2.0, abs=0.4)


def test_rates_are_compared_at_the_watts_that_each_took():
    """A side that takes a tenth more watts and gains by their slope only is no better."""
    rng = np.random.default_rng(2)

    def passes(boost, factor):
        return tuple(
            made(boost, k, limit, mean_fps=4.0 * (factor * limit) ** 0.6 * math.exp(0.003 * rng.standard_normal()),
                 package_w=factor * limit)
            for k, limit in enumerate((10.0, 12.0, 14.0) * 4)
        )  # fmt: skip

    one, other = (
        Side(b, rows, tuple(range(3)) * 4) for b, rows in (("off", passes("off", 1.1)), ("on", passes("on", 1.0)))
    )
    plain = contrast.contrast(one, other, BY_ID["mean_fps"])
    equal = contrast.contrast(
        Side("off", one.passes, (0,) * 12), Side("on", other.passes, (0,) * 12), BY_ID["mean_fps"], equal_watts=True
    )
    assert plain.verdict is Comparison.BETTER and equal.verdict is Comparison.SAME


@pytest.mark.parametrize(("off", "verdict"), [
    (42.0, Comparison.SAME), (42.25, Comparison.SAME), (45.0, Comparison.BETTER), (39.0, Comparison.WORSE),
])  # fmt: skip
def test_verdicts(off, verdict):
    """The margin of a rate is 2 %: 0.6 % with an interval that excludes 0 is the same for a player's purpose."""
    rng = np.random.default_rng(3)
    spread = np.exp(0.004 * rng.standard_normal(24))
    found = contrast.contrast(*sides(off * spread, 42.0 * spread[::-1]), BY_ID["mean_fps"])
    assert found.verdict is verdict
    draw = contrast.contrast(*sides(off * spread, 42.0 * spread[::-1], "draw_w"), BY_ID["draw_w"])
    turned = {Comparison.BETTER: Comparison.WORSE, Comparison.WORSE: Comparison.BETTER}
    assert draw.verdict is turned.get(verdict, verdict)


def test_few_noisy_passes_decide_nothing():
    assert contrast.contrast(*sides([42.0], [43.0]), BY_ID["mean_fps"]).verdict is Comparison.UNDECIDED


def test_intervals_cover_the_truth():
    rng, hits = np.random.default_rng(5), 0
    for _ in range(400):
        off, on = (level * np.exp(0.02 * rng.standard_normal(4)) for level in (43.0, 42.0))
        found = contrast.contrast(*sides(off, on), BY_ID["mean_fps"])
        hits += found.percent[1] <= 100 * (43 / 42 - 1) <= found.percent[2]
    assert 0.9 <= hits / 400 <= 0.985


def test_what_differs_beside_the_factor_confounds():
    passes = [made("off", k, 12.0, mean_fps=44.0) for k in range(3)] + [
        made("on", k, 15.0, mean_fps=48.0) for k in range(3)
    ]
    (found,) = contrast.contrasts(passes, BOOST, "off", "on", ("mean_fps",))
    assert found.verdict is Comparison.CONFOUNDED and found.beside == ("sustained limit",)
    passes += [made("on", k + 9, 12.0, mean_fps=42.0 + 0.01 * k) for k in range(3)]
    (found,) = contrast.contrasts(passes, BOOST, "off", "on", ("mean_fps",))
    assert found.verdict is Comparison.BETTER and found.n == 6


def test_at_a_cap_that_both_reach_rates_are_not_compared():
    passes = [
        made(b, k, 15.0, 40.0, mean_fps=39.95, draw_w=w) for b, w in (("off", 17.0), ("on", 18.5)) for k in range(3)
    ]
    found = contrast.contrasts(passes, BOOST, "off", "on", ("mean_fps", "draw_w"))
    assert [one.figure for one in found] == ["draw_w"] and found[0].verdict is Comparison.BETTER


def test_nothing_is_said_of_figures_that_a_side_does_not_carry():
    one, other = sides([42.0, 42.1], [43.0, 43.1])
    assert contrast.contrast(one, other, BY_ID["die_c"]) is None
    assert contrast.contrasts([counted(12, 40.0)], BOOST, "off", "on", ("mean_fps",)) == []
