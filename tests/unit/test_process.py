"""The process along an axis: against a general library, closed forms, and repeats drawn from other laws."""

import math

import numpy as np
import pytest
from scipy import stats

from hovrik.core.stats import process

X = np.log(np.arange(8.0, 18.0))


def groups(rng, truth, sd, n=3, law=lambda rng, size: rng.standard_normal(size)):
    return [one + sd * law(rng, n) for one in truth]


def test_one_part_of_the_mixture_is_what_a_general_library_gives(monkeypatch):
    """scikit-learn's GaussianProcessRegressor with the same kernel and noise."""
    from sklearn.gaussian_process import GaussianProcessRegressor
    from sklearn.gaussian_process.kernels import ConstantKernel, DotProduct, Matern

    monkeypatch.setattr(process, "AMPLITUDES", (0.3,))
    monkeypatch.setattr(process, "LENGTHS", (0.7,))
    monkeypatch.setattr(process, "OWN", ((1e-9, 1.0),))
    monkeypatch.setattr(process, "SHARES", (0.5,))
    levels = process.levels_of(groups(np.random.default_rng(1), 3 - 2 * X, 0.2), 0.2)
    more = np.array([2.1, 2.5, 2.75])
    found = process.along(X, levels, more=more, hats=process.hats_at(X, more))
    kernel = ConstantKernel(100.0) + 64.0 * DotProduct(1e-9) + 0.09 * Matern(0.7, nu=1.5)
    noise = found.factor[0] * levels.variance
    other = GaussianProcessRegressor(kernel, alpha=noise, optimizer=None)
    other.fit((X - X.mean())[:, None], levels.mean - levels.mean.mean())
    mean, covariance = other.predict((more - X.mean())[:, None], return_cov=True)
    assert found.mean[0] == pytest.approx(mean + levels.mean.mean(), abs=1e-6)
    assert found.covariance[0] == pytest.approx(covariance, abs=1e-6)


def test_draws_have_the_mean_and_covariance_that_are_said():
    levels = process.levels_of(groups(np.random.default_rng(2), 1 - X, 0.2), 0.2)
    found = process.along(X, levels)
    draws, parts = found.draws(np.random.default_rng(3), 20_000)
    centre = found.weight @ found.mean
    spread = np.einsum("m,mpq->pq", found.weight, found.covariance) + np.cov(
        found.mean.T, aweights=found.weight, ddof=0
    )
    assert draws.mean(axis=0) == pytest.approx(centre, abs=0.01)
    assert np.cov(draws.T) == pytest.approx(spread, abs=0.003)
    assert np.bincount(parts, minlength=found.weight.size) / 20_000 == pytest.approx(found.weight, abs=0.02)
    mean, sd = found.moments(4)
    assert mean == pytest.approx(centre[4]) and sd**2 == pytest.approx(spread[4, 4])


def test_quantiles_and_chances_are_two_sides_of_one_thing():
    found = process.along(X, process.levels_of(groups(np.random.default_rng(4), 1 - X, 0.2), 0.2))
    for share, at in zip((0.025, 0.5, 0.975), found.quantiles(3, (0.025, 0.5, 0.975))):
        assert found.chance_under(3, at) == pytest.approx(share, abs=1e-6)
    assert found.chance_under(3, 99.0) == pytest.approx(1.0) and 0 < found.chance_under(3, 0.0, 1e6) < 1


def test_apart_a_single_group_is_students_t_to_the_grid_of_its_variance():
    """With the prior as four more repeats' worth of spread the mean has a t of 4 + n - 1 degrees."""
    levels = process.levels_of([np.array([0.1, -0.1, 0.05, -0.05, 0.0])], 0.1)
    found = process.apart(levels)
    t = stats.t(levels.dof, 0.0, math.sqrt(levels.variance[0]))
    for share in (0.1, 0.5, 0.9):
        assert found.quantiles(0, [share])[0] == pytest.approx(t.ppf(share), abs=0.12 * t.std())


@pytest.mark.parametrize("seed", range(3))
def test_one_bad_repeat_in_three_moves_little(seed):
    rng = np.random.default_rng(seed)
    clean = groups(rng, 1 - X, 0.15)
    bad = [group.copy() for group in clean]
    bad[4][1] += 3.0
    before, after = (process.levels_of(one, 0.2) for one in (clean, bad))
    assert abs(after.mean[4] - before.mean[4]) < 0.25 and after.weights[4][1] < 0.1
    assert after.sd < 2.0 * before.sd  # a plain pooled one would be six times as wide
    assert after.n[4] < 2.3 and before.n[4] > 2.4


def test_equal_repeats_are_no_certainty():
    levels = process.levels_of([np.full(3, 0.4), np.full(3, 0.4), np.full(3, 0.4)], 0.2)
    assert levels.sd > 0.08 and (levels.variance > 0).all()


@pytest.mark.parametrize(("law", "name"), [
    (lambda rng, size: rng.standard_normal(size), "normal"),
    (lambda rng, size: rng.standard_t(4, size) / math.sqrt(2), "long tails"),
    (lambda rng, size: rng.uniform(-math.sqrt(3), math.sqrt(3), size), "even"),
])  # fmt: skip
@pytest.mark.parametrize("n", [1, 3])
def test_intervals_hold_the_truth(law, name, n):
    """A truth that is no draw of the process: a kink and a step."""
    rng = np.random.default_rng(11)
    truth = np.minimum(2.0 - 3.0 * (X - X[0]), 0.4) - np.where(X > 2.6, 0.15, 0.0)
    hits = total = 0
    for _ in range(60):
        levels = process.levels_of(groups(rng, truth, 0.2, n, law), 0.2)
        found = process.along(X, levels)
        for at in range(X.size):
            low, high = found.quantiles(at, (0.025, 0.975))
            hits += low <= truth[at] <= high
            total += 1
    assert 0.91 <= hits / total <= 0.995, f"{name}: {hits / total:.3f}"


def test_straight_lines_between_levels():
    found = process.hats_at(np.array([1.0, 2.0, 4.0]), np.array([1.0, 1.5, 3.0, 4.0, 9.0]))
    assert found == pytest.approx(np.array([[1, 0, 0], [0.5, 0.5, 0], [0, 0.5, 0.5], [0, 0, 1], [0, 0, 1]]))
    assert process.hats_at(np.array([5.0]), np.array([1.0, 9.0])).tolist() == [[1.0], [1.0]]
