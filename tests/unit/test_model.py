"""The model over a ladder's passes, against simulated passes of known truth and closed forms."""

import math

import numpy as np
import pytest
from helpers.build import QUESTION, changed, figures_of, ladder_passes, of_figures, record_of, trace_of
from helpers.scattered import passes_of, tail_of, true_low
from scipy.special import ndtr, ndtri

from hovrik.core.facts.setup import static
from hovrik.core.facts.terms import School
from hovrik.core.model import held
from hovrik.core.passes.figure import low_id
from hovrik.core.passes.tail import Tail
from hovrik.core.read import response
from hovrik.core.stats import process


def test_deviates_of_shares_and_of_none():
    tail = Tail.of(np.linspace(10.0, 20.0, 1000))
    assert held.deviates(tail.slower_at(np.array([15.0])), tail.frames)[0] == pytest.approx(ndtri(0.5), abs=0.01)
    assert held.deviates(tail.slower_at(np.array([99.0])), tail.frames)[0] == pytest.approx(ndtri(0.5 / 1001))
    assert tail.slower_at(np.array([15.0, 19.9])) == pytest.approx([tail.slower_than(15.0), tail.slower_than(19.9)])


def test_lows_cover_the_rate_with_one_percent_of_slower_frames():
    rng = np.random.default_rng(3)
    levels = {w: math.log(1000.0 / (60 * (1 - math.exp(-0.16 * (w - 2))))) for w in range(8, 16)}
    hits = total = 0
    for _ in range(12):
        for group in response.read(passes_of(levels, rng), QUESTION)[0].groups:
            found, true = group.judged.estimate(), true_low(levels[int(group.level)])
            hits += found.low <= true <= found.high
            total += 1
    assert 0.9 <= hits / total <= 1.0, hits / total


def test_a_level_at_the_floor_is_seldom_sure():
    """Floors moved to the very low of a level: 95 % is said in few of many ladders."""
    rng = np.random.default_rng(5)
    levels = {w: math.log(1000.0 / (60 * (1 - math.exp(-0.16 * (w - 2))))) for w in range(8, 16)}
    question = QUESTION.with_(target_fps=true_low(levels[11]) / 0.97)
    said = [response.read(passes_of(levels, rng, repeats=n), question)[0].group(11.0).holds for n in (1, 2, 3) * 8]
    assert np.mean(np.array(said) >= 0.95) <= 0.09 and 0.2 < np.mean(said) < 0.65


def test_a_cap_does_not_make_a_level_sure_that_does_not_hold():
    """Half the frames stand at the cap, 2 % are slower than its tolerance; and the low of a level well held is the
    cap's own, to a tenth of a percent."""
    rng = np.random.default_rng(7)
    slow = math.log(25.0) + 0.0305 - 2.054 * 0.1  # 2 % over 1.031 x 25 ms
    levels = {10: slow + 0.1, 11: slow, 12: slow - 0.12, 13: slow - 0.3, 14: slow - 0.4}
    found = response.read(passes_of(levels, rng, cap_fps=40.0), QUESTION)[0]
    assert found.group(11.0).holds < 0.5 and found.group(14.0).holds > 0.99
    low = found.group(14.0).judged.estimate()
    assert low.low < 40.0 <= low.high * 1.001 and low.high - low.low < 0.2


@pytest.mark.parametrize("tick_ms", [0.05, 0.1, 0.5, 1.0])
@pytest.mark.parametrize("cap", [30.0, 60.0, 90.0])
def test_a_low_on_the_ticks_of_a_clock_is_that_of_the_frames(cap, tick_ms):
    """Frames of a held cap, stamped in ticks: 97 of 100 take the longer of two lengths, so that is the low. Its curve
    is a stair with one step; between two values of it lies nothing."""
    rng = np.random.default_rng(21)
    longer = math.ceil(1000.0 / cap / tick_ms) * tick_ms
    made = []
    for number in range(3):
        intervals = np.where(rng.random(3600) < 0.97, longer, longer - tick_ms)
        figures = figures_of(record_of(trace_of(intervals, package_w=9.0), 12.0, cap), None)
        made.append(of_figures(str(number), static(12.0, cap), figures))
    low = response.read(made, QUESTION.with_(target_fps=cap / 2))[0].groups[0].judged.estimate()
    assert low.value == pytest.approx(1000.0 / longer, rel=0.002) and low.low <= 1000.0 / longer <= low.high


def test_where_the_limit_does_not_bind_levels_are_one():
    """A light title takes 10 W whatever is allowed: its levels stand at one place of the axis, and lend evidence."""
    rng = np.random.default_rng(9)
    levels = dict.fromkeys((12, 14, 16, 18), math.log(22.0))
    passes = passes_of(levels, rng, repeats=2)
    bound = response.read([changed(p, package_w=float(p.point.setup.static_limit_w)) for p in passes], QUESTION)[0]
    light = response.read([changed(p, package_w=10.0) for p in passes], QUESTION)[0]
    width = [
        sum(math.log(g.judged.estimate().high / g.judged.estimate().low) for g in one.groups) for one in (bound, light)
    ]
    assert width[1] < 0.9 * width[0]


def test_repeats_of_one_launch_err_together():
    rng = np.random.default_rng(11)
    blocks = [[f"{n}" for n in range(4)] for _ in range(6)]
    common = 0.3 * rng.standard_normal(4)
    groups = [common + 0.05 * rng.standard_normal(4) for _ in range(6)]
    joint = process.levels_of(groups, 0.2, blocks=(blocks,))
    alone = process.levels_of(groups, 0.2)
    assert joint.noise[0, 1] > 0.5 * joint.noise[0, 0]
    assert alone.noise[0, 1] == 0.0 and joint.variance == pytest.approx(alone.variance, rel=0.15)
    free = process.levels_of([0.3 * rng.standard_normal(4) for _ in range(6)], 0.2, blocks=(blocks,))
    assert free.noise[0, 1] < 0.35 * free.noise[0, 0]
    unknown = process.levels_of(groups, 0.2, blocks=([[""] * 4] * 6,))
    assert np.count_nonzero(unknown.noise - np.diag(unknown.variance)) == 0


def test_expected_share_joins_the_spread_between_passes():
    """E Phi(z + s e) = Phi(z / sqrt(1 + s^2)), by simulation."""
    z = -2.4 + 0.5 * np.random.default_rng(1).standard_normal(200_000)
    assert np.mean(ndtr(z)) == pytest.approx(ndtr(-2.4 / math.sqrt(1.25)), rel=0.02)


def test_of_100_is_of_single_passes():
    rng = np.random.default_rng(13)
    levels = {w: math.log(1000.0 / (60 * (1 - math.exp(-0.16 * (w - 2))))) for w in range(8, 16)}
    question = QUESTION.with_(target_fps=true_low(levels[12]) / 0.97)
    group = response.read(passes_of(levels, rng, repeats=6), question)[0].group(12.0)
    edge = 1000.0 / question.floor.edge
    true = np.mean(
        [tail_of(rng, levels[12] + 0.02 * rng.standard_normal()).slower_than(edge) <= 0.01 for _ in range(400)]
    )
    assert group.of_100 == pytest.approx(100 * true, abs=22)
    assert static(12).static_limit_w == group.level


@pytest.mark.parametrize("seed", range(1, 5))
def test_a_higher_floor_is_no_likelier_to_be_held(seed):
    """Ladders of six levels, floors from 28 to 50: chances only go down, but for what lies between the floors that are
    looked at."""
    truth = {w: 62 * (1 - math.exp(-0.15 * (w - 2))) / 1.08 for w in range(8, 20, 2)}
    ladder = response.read(ladder_passes(truth, sd=0.02, seed=seed, repeats=2), QUESTION)[0].ladder
    chances = [
        [one.holds for one in held.floor_held(ladder, low_id(School.PERCENTILE), 1000 / floor, 0.01)]
        for floor in np.linspace(28, 50, 45)
    ]
    assert np.diff(chances, axis=0).max() <= 0.1
