"""Repeatability and pass length: statsmodels and SciPy (LIB), closed forms, simulation."""

import math

import numpy as np
import pytest
from helpers.build import wandering
from statsmodels.stats.power import TTestIndPower

from hovrik.core.passes.energy import gauge_pass_min
from hovrik.core.passes.warm_up import settled_after
from hovrik.core.plan import resolution as repeat
from hovrik.core.stats import power


@pytest.mark.parametrize(("d", "n"), [(0.5, 64), (1.0, 30), (2.0, 6), (2.0, 4), (3.0, 2)])
def test_power_against_statsmodels(d, n):
    expected = TTestIndPower().power(d, n, 0.05)
    assert power.power_of(d, 1.0, n) == pytest.approx(expected, abs=2e-4)


def test_two_spreads_need_six_a_side_not_four():
    """d / s = 2 at 80 % needs 6 a side (models.md); R's value for d = 1, n = 30 as carried by statsmodels' tests."""
    assert power.repeats_needed(2.0, 1.0) == 6
    assert power.power_of(1.0, 1.0, 30) == pytest.approx(0.967708258242517, abs=1e-6)
    assert power.repeats_needed(0.1, 1.0) is None and power.power_of(9.0, 1.0, 1) == 0.0


@pytest.mark.parametrize("n", [2, 3, 6, 20])
def test_detectable_is_where_the_power_is_80_percent(n):
    expected = TTestIndPower().solve_power(effect_size=None, nobs1=n, alpha=0.05, power=0.8)
    assert power.detectable(1.0, n) == pytest.approx(expected, rel=2e-3)


def test_spread_and_drift_by_hand():
    groups = [[(0, math.exp(1.0)), (4, math.exp(1.2))], [(1, math.exp(2.0)), (3, math.exp(2.2))], [(2, 5.0)]]
    found = repeat.repeatability(groups)
    assert found.sd == pytest.approx(math.sqrt(4 * 0.1**2 / 2)) and found.dof == 2 and found.passes == 4
    slope = (2 * 2 * 0.1 + 2 * 1 * 0.1) / (2 * 4 + 2 * 1)
    assert found.drift == pytest.approx(slope * 4)
    assert repeat.repeatability([[(0, 5.0)], [(1, 6.0)]]) is None


def test_false_drifts_are_rare_and_true_ones_found():
    rng = np.random.default_rng(0)

    def one(drift):
        order = rng.permutation(36)
        logs = rng.normal(0, 0.015, 36) + drift * order / 35 + np.repeat(np.arange(12), 3) * 0.1
        groups = [[(float(order[i]), math.exp(logs[i])) for i in range(3 * g, 3 * g + 3)] for g in range(12)]
        return repeat.repeatability(groups)

    assert sum(one(0.0).drifts for _ in range(200)) <= 10
    assert sum(one(0.05).drifts for _ in range(50)) >= 48


def test_gauge_joins_the_spread():
    """At the length at which a gauge alone leaves 2 %, so does the curve of a scene without spread of its own."""
    minutes = gauge_pass_min(0.4, 20.0, 0.02)
    (curve,) = repeat.resolution(1e-9, 60.0, gauge_step_wh=0.4, draw_w=20.0, repeats=(2,), lengths_s=(60 * minutes,))
    assert curve.share[0] == pytest.approx(0.02 * power.detectable(1.0, 2), rel=1e-3)
    plain = repeat.resolution(0.02, 60.0, repeats=(3,))[0]
    assert np.all(np.diff(plain.share) < 0) and np.all(np.diff(plain.minutes) > 0)


@pytest.mark.parametrize("frames", [600, 1500])
def test_warm_up_is_found_by_its_change_point(frames):
    rng = np.random.default_rng(frames)
    hits = 0
    for seed in range(20):
        interval = wandering(120, seed=seed)
        first = interval[:frames]
        first[rng.random(frames) < 0.04] += 90.0
        hits += abs(settled_after(interval) - frames) <= 240
    assert hits >= 18


def test_no_warm_up_where_there_is_none():
    assert sum(settled_after(wandering(60, seed=s)) > 0 for s in range(60)) <= 2
    assert settled_after(np.full(300, 20.0)) == 0
