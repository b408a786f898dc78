"""A published energy measurement read as passes. STD: benchmark tables of a CPU frequency driver in the documentation
of Linux 6.12 (admin-guide/pm): MB/s and joules of four set-ups in three rounds; MB/J = 99 (MB/s) / J."""

import numpy as np
import pytest
from helpers.build import of_figures

from hovrik.core.facts.setup import Setup
from hovrik.core.passes.figure import BY_ID
from hovrik.core.passes.figures import PassFigures
from hovrik.core.read.contrast import Comparison, Side, contrast
from hovrik.core.read.rules.order import _effect
from hovrik.core.read.rules.rule import Looked

RATES = (
    (2504.05, 2243.64, 2183.88), (2136.54, 2100.56, 2084.12), (2529.9, 2249.76, 2181.46), (2137.64, 2107.05, 2085.86),
)  # fmt: skip
JOULES = (
    (1563.67, 1430.32, 1401.32), (1395.26, 1380.5, 1375.76), (1564.4, 1432.97, 1406.88), (1385.24, 1372.23, 1365.35),
)  # fmt: skip
PRINTED = (156.1268, 150.7399, 156.4741, 152.0136)


def side(number):
    """The three rounds of a set-up, its program started anew for each: rate as "mean_fps", what a joule buys as
    "score"."""
    setup = Setup({"governor": f"{number}"})
    made = [
        of_figures(f"{number}/{at}", setup, PassFigures(values={"mean_fps": rate, "score": 99.0 * rate / joules}),
                   launch=f"{number}/{at}")
        for at, (rate, joules) in enumerate(zip(RATES[number], JOULES[number]))
    ]  # fmt: skip
    return Side(f"{number}", tuple(made), (0,) * 3)


SIDES = [side(number) for number in range(4)]


def test_the_printed_means_are_ratios_of_sums():
    for rates, joules, printed in zip(RATES, JOULES, PRINTED):
        assert 99.0 * sum(rates) / sum(joules) == pytest.approx(printed, abs=5e-4)
        assert 99.0 * np.mean(np.divide(rates, joules)) != pytest.approx(printed, abs=2e-3)


@pytest.mark.parametrize(
    ("a", "b", "verdict"), [(0, 1, Comparison.BETTER), (2, 3, Comparison.UNDECIDED), (0, 2, Comparison.UNDECIDED)]
)
def test_which_differences_survive(a, b, verdict):
    assert contrast(SIDES[a], SIDES[b], BY_ID["score"], margin=0.025).verdict is verdict


def test_which_way_round():
    """The second set-up is 8.8 % slower than the first; printed is +8.8053 for -8.805."""
    found = contrast(SIDES[1], SIDES[0], BY_ID["mean_fps"])
    by_sums = 100.0 * (sum(RATES[1]) / sum(RATES[0]) - 1.0)
    assert by_sums == pytest.approx(-8.805, abs=5e-3) and found.percent[0] == pytest.approx(by_sums, abs=0.4)
    assert found.difference < 0 and found.verdict is not Comparison.BETTER


def test_the_first_round_of_the_set_ups_that_follow_the_load_is_a_warm_up():
    passes = [Looked(one, plan="p", index=at) for number in (0, 2) for at, one in enumerate(SIDES[number].passes)]
    again = [Looked(one, plan="p", index=at) for number in (0, 2) for at, one in enumerate(SIDES[number].passes)]
    first = lambda own: np.array([float(one.index == 0) for one in own])  # noqa: E731
    size, half = _effect([*passes, *again[1:3]], "mean_fps", first)
    assert size - half > 0.08  # a tenth higher, and surely so
    still = [Looked(one, plan="p", index=at) for number in (1, 3) for at, one in enumerate(SIDES[number].passes)]
    told = _effect([*still, *still[1:3]], "mean_fps", first)
    assert told is None or told[0] < 0.03
