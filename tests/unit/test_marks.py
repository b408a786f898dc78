"""Marks: closed forms, and kneed (LIB) for the knee of the saturating curve."""

import math

import numpy as np
import pytest
from helpers.build import QUESTION, changed, ladder_passes
from kneed import KneeLocator

from hovrik.core.read import marks, response

A, B, X0 = 62.0, 0.15, 2.0
K = 0.92  # the ladders draw 6 W and limit / K
LIMITS = range(7, 31)


def curve(w):
    """Mean rate of the test ladders."""
    return A * (1 - math.exp(-B * (w - X0)))


def read(truth, **how):
    """A ladder whose lows follow `truth`; rates lie 8 % above."""
    return response.read(ladder_passes(truth, **how), QUESTION)[0]


@pytest.fixture(scope="module")
def found():
    """Marks of a nearly noiseless ladder; rate = 1.08 x low."""
    one = read({w: curve(w) / 1.08 for w in LIMITS}, sd=0.001)
    return {mark.id: mark for mark in marks.find(one, QUESTION)}


def test_first_playable_is_the_crossing_of_held(found):
    expected = X0 - math.log(1 - 1.08 * QUESTION.floor.edge / A) / B
    mark = found["first_playable"]
    assert mark.value == pytest.approx(expected, abs=0.1) and mark.low <= mark.value <= mark.high


def test_last_paying_watt_is_where_the_slope_meets_the_price(found):
    expected = X0 + math.log(A * B * K / QUESTION.terms.price) / B
    assert found["last_paying"].value == pytest.approx(expected, abs=0.3)


def test_ceiling_is_the_lowest_within_two_percent_of_the_top(found):
    expected = X0 - math.log(1 - 0.98 * curve(30) / A) / B
    assert found["ceiling"].value == pytest.approx(expected, abs=0.3)


def test_best_per_watt_of_draw_against_a_fine_grid(found):
    grid = np.linspace(7, 30, 20_001)
    ratio = A * (1 - np.exp(-B * (grid - X0))) / (6.0 + grid / 0.92)
    mark = found["best_per_watt"]
    assert mark.value == pytest.approx(grid[ratio.argmax()], abs=0.3)
    assert "draw" in mark.label


def test_marks_carry_the_schools_of_the_knee(found):
    """The curvature knee of the field is one more school; kneed's lies between our best-per-watt and ceiling."""
    x = np.linspace(7, 30, 400)
    knee = KneeLocator(x, A * (1 - np.exp(-B * (x - X0))), curve="concave", direction="increasing").knee
    assert found["best_per_watt"].value < knee < found["ceiling"].value


def test_kneed_agrees_with_the_slope_definition():
    """On 1 - e^-x over [0, 10] kneed puts the knee at 2.3, where the normalised slope is 1: our crossing of the
    marginal gain with a price of (top / range) is the same place."""
    x = np.linspace(0, 10, 2001)
    y = 1 - np.exp(-x)
    knee = KneeLocator(x, y, curve="concave", direction="increasing").knee
    price = (y[-1] - y[0]) / 10
    assert marks.last_paying_w(x, np.exp(-x), price) == pytest.approx(knee, abs=0.05)


@pytest.mark.parametrize("step", [1, 2])
def test_marks_do_not_depend_on_the_number_of_passes(step):
    one = read({w: curve(w) / 1.08 for w in range(7, 31, step)}, sd=0.001, repeats=2)
    mark = {m.id: m for m in marks.find(one, QUESTION)}
    assert mark["last_paying"].value == pytest.approx(X0 + math.log(A * B * K) / B, abs=0.5)
    assert mark["ceiling"].value == pytest.approx(X0 - math.log(1 - 0.98 * curve(30) / A) / B, abs=0.7)


def test_intervals_cover_the_truth():
    expected = X0 + math.log(A * B * K / QUESTION.terms.price) / B
    hits = 0
    for seed in range(8):
        one = read({w: curve(w) / 1.08 for w in LIMITS}, sd=0.01, seed=seed)
        mark = next(m for m in marks.find(one, QUESTION) if m.id == "last_paying")
        hits += mark.low - 0.1 <= expected <= mark.high + 0.1
    assert hits >= 7


def test_a_mark_outside_what_was_tried_says_so():
    low = read({w: curve(w) / 1.08 for w in range(3, 9)}, sd=0.002)
    found = {m.id: m for m in marks.find(low, QUESTION)}
    assert found["first_playable"].value is None and "nothing tried holds" in found["first_playable"].words
    assert found["last_paying"].value is None and "still pays" in found["last_paying"].words
    assert "still rising" in found["ceiling"].words
    easy = read({w: 45.0 + 0.01 * w for w in range(7, 15)}, sd=0.002)
    found = {m.id: m for m in marks.find(easy, QUESTION)}
    assert "lowest limit tried already holds" in found["first_playable"].words
    assert "no watt tried" in found["last_paying"].words


@pytest.mark.parametrize("seed", range(4))
def test_a_clear_kink_is_told_to_a_watt_or_two(seed):
    """Three frames a watt of limit up to 15 W, half a frame beyond, at a price of one."""
    truth = {w: (30 + 3 * min(w - 8, 7) + 0.5 * max(w - 15, 0)) / 1.08 for w in range(8, 25)}
    mark = {m.id: m for m in marks.find(read(truth, sd=0.01, seed=seed), QUESTION)}["last_paying"]
    assert 13 <= mark.low <= 15 <= mark.high <= 17 and not mark.span


def test_a_late_gain_pays_only_where_it_makes_up_for_what_lies_before_it():
    """Levels of 1 W: a dent of three watts, then one that pays again, a little or much."""
    x = np.arange(10.0)
    slope = np.array([3, 3, 3, 0, -2, 0, 1.5, 0.2, 0.1, 0.1])
    assert 2 <= marks.last_paying_w(x, slope, 1.0) <= 3
    slope[6] = 9.0
    assert 6 <= marks.last_paying_w(x, slope, 1.0) <= 7


def test_a_curve_along_the_price_gives_a_range():
    """Frames rise by the price a watt from 10 W on: no single point can be told."""
    truth = {w: (30 + (w - 8) / K) / 1.08 for w in range(8, 24)}
    mark = {m.id: m for m in marks.find(read(truth, sd=0.01), QUESTION)}["last_paying"]
    assert mark.span or mark.value is None


def test_few_levels_give_only_what_they_carry():
    assert [m.id for m in marks.find(read({9: 30.0, 10: 36.0, 11: 41.0}, sd=0.002), QUESTION)] == ["first_playable"]


def test_per_watt_names_what_it_divides_by():
    passes = ladder_passes({w: curve(w) / 1.08 for w in LIMITS}, sd=0.002)
    without = [changed(p, without=["draw_w"]) for p in passes]
    bare = [changed(p, without=["draw_w", "package_w"]) for p in passes]
    for members, kind in ((passes, "draw"), (without, "package"), (bare, "limit")):
        labels = [m.label for m in marks.find(response.read(members, QUESTION)[0], QUESTION)]
        assert f"best frames per watt of {kind}" in labels


@pytest.mark.parametrize(("floor", "at"), [(0.5, -math.inf), (1.5, 0.5), (3.0, 2.0), (9.0, math.inf)])
def test_crossing(floor, at):
    assert marks.crossing_w(np.array([0.0, 1, 2]), np.array([1.0, 2, 3]), floor) == pytest.approx(at)
