"""Contrasts of two levels: against least squares (statsmodels, LIB), simulated truth and the rules of verdicts."""

import math
from dataclasses import replace

import numpy as np
import pytest
import statsmodels.api as sm
from helpers.build import counted
from levels import NAMES, SPREADS, answered, ceiling, null, plays, power, turn  # benchmarks are on the path

from hovrik.core.facts.factor import of_knob
from hovrik.core.facts.known_knobs import known
from hovrik.core.facts.setup import Setup
from hovrik.core.facts.terms import Aim
from hovrik.core.passes.figure import BY_ID
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.read import contrast
from hovrik.core.read.contrast import Comparison, Side
from hovrik.core.read.group import Counted
from hovrik.core.read.history import history_of

BOOST = of_knob(known("boost"))


def made(boost, number=0, limit=12.0, cap="none", **values):
    """A pass with these figures, of a launch of its own."""
    setup = Setup(boost=boost, sustained_limit_w=limit, cap_fps=cap)
    point = Point(setup, launch=f"{boost}{number}")
    return Counted(f"{boost}{limit}{number}", point, setup, PassFigures(values=values))


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


def test_passes_of_a_launch_err_together_as_in_generalised_least_squares():
    """Against statsmodels' GLS with the same covariance; launches that nobody told count as one a level."""
    rng = np.random.default_rng(4)
    off, on = (level * np.exp(0.01 * rng.standard_normal(40)) for level in (44.0, 43.0))
    one, other = sides(off, on)
    launched = [
        replace(side, passes=tuple(
            replace(p, point=replace(p.point, launch=launch(k))) for k, p in enumerate(side.passes)
        )) for side, launch in ((one, lambda k: f"r{k // 4}"), (other, lambda k: f"r{k // 4}"))
    ]  # fmt: skip
    found = contrast.contrast(*launched, BY_ID["mean_fps"])
    blocks = np.r_[np.arange(40) // 4, np.arange(40) // 4]
    sigma = 0.3 * (blocks[:, None] == blocks[None, :]) + 0.7 * np.eye(80)
    side = np.r_[np.ones(40), np.zeros(40)]
    fitted = sm.GLS(np.log(np.r_[off, on]), sm.add_constant(side), sigma=sigma).fit()
    assert found.delta == pytest.approx(fitted.params[1]) and found.se == pytest.approx(fitted.bse[1], rel=0.06)
    untold = [replace(side, passes=tuple(replace(p, point=replace(p.point, launch="")) for p in side.passes))
              for side in (one, other)]  # fmt: skip
    assert contrast.contrast(*untold, BY_ID["mean_fps"]).se > 3 * found.se
    run = [replace(side, passes=tuple(replace(p, round="plan/0") for p in side.passes)) for side in untold]
    apart = contrast.contrast(one, other, BY_ID["mean_fps"])
    assert contrast.contrast(*run, BY_ID["mean_fps"]).se == pytest.approx(apart.se, rel=0.02)  # of one run: as if apart


@pytest.mark.parametrize(("levels", "launched", "known_"), [(2, "level", True), (3, "round", False), (5, "", True)])
def test_where_nothing_differs_nothing_is_called_better(levels, launched, known_):
    cells = [(levels, 4, spread, launched, known_, aim) for spread in SPREADS for aim in ("hours", "frames")]
    assert sum(null(cell, case) for cell in cells for case in range(10)) <= 3


@pytest.mark.parametrize("levels", [2, 3, 5])
def test_the_best_of_several_is_stated_and_never_the_last_that_beats_the_first(levels):
    found = [power(levels, 6, "middle", case) for case in range(10)]
    assert sum(good for good, _ in found) >= 8 and not any(wrong for _, wrong in found)


def test_a_history_tells_how_far_passes_scatter_and_decides_sooner():
    rng = np.random.default_rng(8)
    found = history_of(plays(5, 6, "low", "round", True, 0.0, rng))
    assert found.passes == 30 and found.spreads["mean_fps"] == pytest.approx(SPREADS["low"][0], rel=0.4)
    assert found.spreads["low_1pct_fps_percentile"] > found.spreads["draw_w"]
    assert history_of(plays(2, 4, "low", "round", True, 0.0, rng)).spreads == {}  # six repeats are no history
    told = [sum(power(3, 4, "low", case, before)[0] for case in range(16)) for before in (False, True)]
    assert told[1] >= told[0] + 3 and not any(power(3, 4, "low", case, True)[1] for case in range(16))
    cells = [(3, 4, spread, "round", True, aim) for spread in SPREADS for aim in ("hours", "frames")]
    assert sum(null(cell, case, True) for cell in cells for case in range(8)) <= 3


@pytest.mark.parametrize(("shape", "said"), [("knee", 9), ("late", 0)])
def test_from_where_on_a_ceiling_brings_nothing(shape, said):
    """Never from where it still loses; not where the last step alone is worth something."""
    found = [ceiling(shape, 6, "low", case) for case in range(10)]
    assert sum(one for one, _, _ in found) >= said and not any(wrong for _, wrong, _ in found)
    assert sum(near for _, _, near in found) >= said and (said or not any(one for one, _, _ in found))


@pytest.mark.parametrize(("size", "least"), [(0.0, 0), (0.08, 8)])
def test_where_it_depends_on_the_watts_that_is_the_verdict(size, least):
    found = [turn(size, 2, "low", case) for case in range(8)]
    assert sum(said for said, _ in found) == least and not any(wrong for _, wrong in found)
    assert not any(turn(0.006, 6, "low", case)[0] for case in range(4))  # no difference that matters anywhere


def test_what_leads_and_what_is_alike_is_said_of_several():
    rng = np.random.default_rng(6)

    def passes(*rates):
        return [
            Counted(f"{name}{k}", Point(setup, launch=f"r{k}"), setup, PassFigures(values={
                "mean_fps": rate * math.exp(0.002 * rng.standard_normal()),
                "low_1pct_fps_percentile": 0.85 * rate * math.exp(0.002 * rng.standard_normal())}))
            for name, rate in zip(NAMES, rates) for k in range(6) for setup in (Setup(mode=name),)
        ]  # fmt: skip

    assert answered(passes(60.0, 60.1, 45.0), Aim.FRAMES).sentence == (
        "Mode a and mode b are the same for your purpose, and better than mode c."
    )
    assert (
        answered(passes(60.0, 60.0, 60.1), Aim.FRAMES).sentence
        == "Mode a, mode b and mode c are the same for your purpose."
    )
    assert answered(passes(50.0, 60.0, 45.0), Aim.FRAMES).sentence == "Mode b is better than mode a and mode c."
    apart = answered(passes(60.0, 61.0, 45.0, 50.0), Aim.FRAMES)
    assert apart.sentence == "Mode b is better than mode a, mode c and mode d."


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
