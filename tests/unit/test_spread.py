"""Uncertainty: SciPy (LIB) for t, arch (LIB) for block length, simulation for coverage."""

import math

import numpy as np
import pytest
from arch.bootstrap import StationaryBootstrap, optimal_block_length
from helpers.build import wandering
from scipy import stats

from hovrik.core.passes import frames
from hovrik.core.passes.inside import load_time_constant_s, within_pass
from hovrik.core.stats.estimate import Mean, t_quantile
from hovrik.core.stats.spread import pooled


@pytest.mark.parametrize("dof", [2.0, 5.5, 30.0, 1000.0])
def test_t_quantile_against_scipy(dof):
    assert t_quantile(0.975, dof) == pytest.approx(stats.t.ppf(0.975, dof), rel=2e-3)


def test_pooling_of_equal_levels_is_the_pooled_sd():
    rng = np.random.default_rng(1)
    groups = [rng.normal(3, 0.02, 3) for _ in range(2)]
    both = [0.5 * ((g - g.mean()) ** 2).sum() for g in groups]
    weighted = (2 * both[0] + both[1]) / (2 + 1)  # its own with weight 1, the neighbour's with a half
    first = pooled(groups, 0.02)[0]
    assert first.se == pytest.approx(math.sqrt(weighted / 3))
    assert first.dof == pytest.approx((2 + 1) ** 2 / (2 + 0.5))


def test_regimes_do_not_mix():
    groups = [np.array([1.0, 1.1, 0.9]), np.array([2.0, 2.001, 1.999])]
    quiet = pooled(groups, 0.02, [0, 1])[1]
    assert quiet.se == pytest.approx(0.001 / math.sqrt(3), rel=1e-6) and quiet.dof == 2
    assert pooled(groups, 0.02)[1].se > 10 * quiet.se


def test_one_pass_a_level_leans_on_the_prior():
    found = pooled([np.array([1.0]), np.array([1.2])], 0.02)
    assert [f.se for f in found] == pytest.approx([0.02, 0.02]) and found[0].dof == 4


def test_estimate_is_a_t_interval():
    e = Mean(math.log(40), 0.01, 8.0, 3).estimate("fps")
    half = stats.t.ppf(0.975, 8) * 0.01
    assert (e.low, e.high) == pytest.approx((40 * math.exp(-half), 40 * math.exp(half)), rel=1e-6)


@pytest.mark.parametrize("tau", [2.0, 6.0])
def test_load_time_constant_is_found(tau):
    found = [load_time_constant_s(wandering(180, tau_s=tau, wander=0.06, noise=0.03, seed=s)) for s in range(12)]
    assert 0.6 * tau < np.median(found) < 1.6 * tau


def test_constant_series_has_a_short_time_constant():
    assert load_time_constant_s(np.full(5000, 20.0)) == 0.25


def test_interval_of_one_pass_covers_the_truth():
    """Simulation: 95 % intervals of 30 passes of 60 s with a load that wanders over 5 s. The truth is the mean of
    150 other passes."""
    others = [wandering(60, seed=5000 + s) for s in range(150)]
    true_rate = np.mean([frames.mean_fps(t) for t in others])
    true_low = np.mean([1000 / np.quantile(t, 0.99) for t in others])
    hits = np.zeros(2)
    for seed in range(30):
        t = wandering(60, seed=seed)
        inside = within_pass(t, resamples=100, seed=seed)
        rate = inside.rate_interval(frames.mean_fps(t))
        low = inside.low_interval(1000 / np.quantile(t, 0.99))
        hits += (rate[0] <= true_rate <= rate[1], low[0] <= true_low <= low[1])
    assert hits[0] / 30 >= 0.83 and hits[1] / 30 >= 0.83, hits / 30


def test_blocks_are_longer_than_a_general_rule_would_take():
    """arch's rule aims at the mean's variance from one series; ours must be no shorter, and its standard error of
    the mean agree with arch's stationary bootstrap at our block length but for the stated correction."""
    t = wandering(120, seed=8)
    inside = within_pass(t, resamples=400)
    rule = float(optimal_block_length(t)["stationary"].iloc[0])
    assert inside.block_frames > 0.5 * rule
    other = StationaryBootstrap(inside.block_frames, t, seed=1).apply(lambda x: np.log(x.mean()), 300).std()
    assert 0.8 < inside.rate_se / other < 2.2


def test_too_short_for_an_interval():
    assert within_pass(np.full(50, 20.0)) is None
    assert within_pass(np.full(150, 5.0)) is None
    assert within_pass(wandering(20), resamples=20).low_interval(None) is None


def test_frames_longer_than_a_bin():
    """A slide show of 25 s a frame, and a first frame of a second: nothing divides by an empty bin."""
    assert load_time_constant_s(wandering(60, 42) * 1000) > 0
    assert load_time_constant_s(np.concatenate(([1000.0], wandering(60, seed=3)))) > 0


@pytest.mark.parametrize(("load_s", "dof"), [(5.0, 5.0), (2.5, 11.0), (7.5, 3.0)])
def test_one_pass_has_a_degree_of_freedom_for_every_two_time_constants(load_s, dof):
    t = wandering(60, seed=1)
    found = within_pass(t, load_s=load_s, resamples=20)
    assert found.dof == pytest.approx(dof, rel=0.02) and found.low_dof == pytest.approx(dof - 1, rel=0.03)


def test_the_time_constant_of_a_load_is_found_without_bias():
    """Twelve long series with a load of 4 s: the mean of what is found."""
    found = [load_time_constant_s(wandering(600, tau_s=4.0, wander=0.08, seed=s)) for s in range(12)]
    assert np.mean(found) == pytest.approx(4.0, rel=0.25)
