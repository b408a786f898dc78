"""Numbers in sentences carry the digits that their interval allows, and no more."""

import pytest

from hovrik.core import words
from hovrik.core.stats.estimate import Estimate


@pytest.mark.parametrize(
    ("half", "digits"),
    [(10.0, 0), (2.0, 0), (1.0, 1), (0.5, 1), (0.15, 2), (0.04, 2), (0.001, 3), (0.0, 1), (float("inf"), 1)],
)
def test_decimals(half, digits):
    assert words.decimals(half) == digits


@pytest.mark.parametrize(
    ("estimate", "span", "number"),
    [
        (Estimate(39.34, 39.1, 39.6), "39.1 to 39.6", "39.3"), (Estimate(39.34, 30, 49), "30 to 49", "39"),
        (Estimate(39.3401, 39.34, 39.3402), "39.340", "39.340"), (Estimate(39.3456, None, None), "39.3", "39.3"),
    ],
)  # fmt: skip
def test_spans(estimate, span, number):
    assert words.span(estimate) == span and words.number(estimate) == number


def test_no_estimate_is_a_dash():
    assert words.number(None) == "–"


@pytest.mark.parametrize(
    ("hours", "text"),
    [(4.166, "4 h 10 min"), (0.5, "30 min"), (1.0, "1 h 00 min"), (0.999, "1 h 00 min"), (2.01, "2 h 01 min")],
)
def test_hours_are_h_min(hours, text):
    assert words.hours_minutes(hours) == text


def test_hours_span_in_steps_the_interval_carries():
    assert words.hours_span(Estimate(2.1, 1.9, 2.3)) == "1 h 55 min to 2 h 20 min"
    assert words.hours_span(Estimate(2.1, 2.08, 2.12)) == "2 h 05 min to 2 h 07 min"
    assert words.hours_span(Estimate(2.1, None, None)) == "2 h 05 min"
    assert words.hours_span_short(Estimate(2.1, 1.9, 2.3)) == "1 h 55 to 2 h 20"
    assert words.hours_span_short(Estimate(0.5, 0.45, 0.55)) == "27 min to 33 min"


@pytest.mark.parametrize(("share", "text"), [(1.0, "over 99 %"), (0.962, "96 %"), (0.0, "under 1 %"), (0.5, "50 %")])
def test_a_probability_is_never_certain(share, text):
    assert words.percent(share) == text


def test_plurals():
    assert [words.plural(n, "pass", "passes") for n in (0, 1, 2)] == ["0 passes", "1 pass", "2 passes"]
    assert words.plural(2, "limit") == "2 limits"


@pytest.mark.parametrize(
    ("part", "text"), [(0.2, "20 %"), (0.034, "3 %"), (0.004, "0.4 %"), (1.0, "100 %"), (0.0099, "1 %")]
)
def test_parts_of_a_whole(part, text):
    assert words.share(part) == text
