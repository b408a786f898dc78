"""Frame figures against NumPy (LIB), hand-worked cases and a slow reference."""

import numpy as np
import pytest
from helpers.build import wandering

from hovrik.core.errors import InputError
from hovrik.core.facts.terms import School
from hovrik.core.passes import frames


@pytest.fixture(scope="module")
def series():
    return wandering(60, seed=3)


def test_hand_worked_case():
    # 99 intervals of 10 ms and one of 50 ms: total 1.04 s
    t = np.array([10.0] * 99 + [50.0])
    found = frames.figures(t)
    assert found.frames == 100 and found.seconds == pytest.approx(1.04)
    assert found.mean_fps == pytest.approx(100 / 1.04)
    assert found.min_fps == pytest.approx(20.0)
    # quantile .99 of 100 values lies at index 98.01: 10 + .01 * 40
    assert found.low_1pct.percentile == pytest.approx(1000 / 10.4)
    assert found.low_1pct.slowest_mean == pytest.approx(20.0)  # ceil(.01 * 100) = 1 frame
    assert found.low_1pct.time_weighted == pytest.approx(20.0)  # 50 ms is over 1 % of 1040 ms
    assert found.low_0_1pct == frames.Lows(None, None, None)  # fewer than 1000 frames


def test_against_numpy(series):
    found = frames.figures(series)
    assert found.low_1pct.percentile == pytest.approx(1000 / np.quantile(series, 0.99), rel=1e-12)
    assert found.low_0_1pct.percentile == pytest.approx(1000 / np.quantile(series, 0.999), rel=1e-12)
    slowest = np.sort(series)[::-1][: int(np.ceil(0.01 * series.size))]
    assert found.low_1pct.slowest_mean == pytest.approx(1000 / slowest.mean(), rel=1e-12)
    assert (found.median_ms, found.p95_ms, found.p99_ms) == pytest.approx(
        tuple(np.quantile(series, (0.5, 0.95, 0.99))), rel=1e-12
    )


def test_time_weighted_low_by_definition(series):
    total, cumulated = series.sum(), 0.0
    for value in sorted(series, reverse=True):
        cumulated += value
        if cumulated >= 0.01 * total:
            break
    assert frames.figures(series).low_1pct.time_weighted == pytest.approx(1000 / value, rel=1e-12)


def test_mean_rate_is_not_the_mean_of_rates(series):
    assert (1000 / series).mean() > frames.mean_fps(series)  # Jensen
    assert frames.mean_fps(series) == pytest.approx(series.size / (series.sum() / 1000))


def test_schools_are_told_apart(series):
    lows = frames.figures(series).low_1pct
    assert {s: lows.by(s) for s in School} == {
        School.PERCENTILE: lows.percentile,
        School.SLOWEST_MEAN: lows.slowest_mean,
        School.TIME_WEIGHTED: lows.time_weighted,
    }
    assert lows.slowest_mean < lows.percentile


@pytest.mark.parametrize(
    ("n", "one", "tenth"), [(99, False, False), (100, True, False), (999, True, False), (1000, True, True)]
)
def test_lows_need_enough_frames(n, one, tenth):
    found = frames.figures(np.full(n, 20.0))
    assert (found.low_1pct.percentile is not None) is one
    assert (found.low_0_1pct.percentile is not None) is tenth


@pytest.mark.parametrize("bad", [[], [10.0, 0.0], [10.0, -1.0], [10.0, np.nan], [np.inf]])
def test_bad_intervals_are_refused(bad):
    with pytest.raises(InputError):
        frames.figures(np.array(bad))


def test_shares_against_a_target():
    t = np.array([25.0, 27.0, 27.6, 22.4, 40.0, 37.5, 37.6])
    assert frames.steady_share(t, 40) == pytest.approx(2 / 7)
    assert frames.missed_share(t, 40) == pytest.approx(2 / 7)  # over 37.5, not at it
    assert frames.steady_share(np.array([3.9, 5.1]), 200) == 1 / 2  # at least 1 ms on either side
    found = frames.figures(t)
    assert found.steady_share is None and found.missed_share is None


def slow_stutters(t):
    """The definition, one interval at a time."""
    ends = np.cumsum(t)
    starts = ends - t
    hit, excess = [], 0.0
    for i in range(t.size):
        around = t[(ends >= starts[i] - 500) & (ends <= ends[i] + 500)]
        median = np.median(around)
        if t[i] > 2.5 * median and t[i] > median + 8:
            hit.append(i)
            excess += t[i] - median
    runs = sum(1 for k, i in enumerate(hit) if k == 0 or i != hit[k - 1] + 1)
    return runs, excess / 1000


@pytest.mark.parametrize("seed", range(8))
def test_stutters_against_the_definition(seed):
    rng = np.random.default_rng(seed)
    t = wandering(20, fps=[12, 40, 90, 250][seed % 4], seed=seed, wander=0.2)
    spikes = rng.integers(0, t.size, 30)
    t[spikes] *= rng.uniform(1.5, 12, spikes.size)
    t[spikes[:5] - 1] *= 8
    t[rng.integers(0, t.size, 20)] *= 0.1  # quick catch-up frames
    found, (runs, seconds) = frames.stutters(t), slow_stutters(t)
    assert found.count == runs > 0
    assert found.seconds == pytest.approx(seconds)


def test_a_rate_step_is_no_stutter():
    assert frames.stutters(np.array([10.0] * 500 + [24.0] * 200)).count == 0
    assert frames.stutters(np.array([2.0] * 300 + [9.0] + [2.0] * 300)).count == 0  # under 8 ms over the median


def test_effective_frames_of_runs():
    t = np.full(1000, 10.0)
    t[100:110] = 30.0  # ten slow frames in one run
    assert frames.effective_frames(t, 20.0) == pytest.approx(100)
    assert frames.effective_frames(t, 40.0) == 1000


def test_figures_survive_plain_values(series):
    found = frames.figures(series, 40)
    assert frames.FrameFigures.from_dict(found.as_dict()) == found


@pytest.mark.parametrize(("apart", "runs"), [(4, 1), (5, 10), (7, 10)])
def test_slow_frames_under_five_apart_are_one_run(apart, runs):
    """The runs estimator: ten slow frames, so many apart, among a thousand."""
    interval = np.full(1000, 10.0)
    interval[100 : 100 + 10 * apart : apart] = 30.0
    assert frames.effective_frames(interval, 20.0) == 1000 * runs / 10
