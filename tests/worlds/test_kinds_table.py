"""Twenty small cases of the table of kinds that are right, and its arithmetic."""

import math

import pytest
from kinds import cases, program, table
from kinds.program import Row

RIGHT = (
    ("now", "tails", 0), ("limits-it", "warm", 9), ("knob", "hill", 4), ("display-path", "power", 3),
    ("plugged", "warm", 6), ("rest-draw", "launches", 7), ("use-lasts", "spread", 1), ("options-cost", "wander", 0),
    ("claim", "tails", 6), ("stays-cool", "launches", 7), ("over-charge", "power", 0), ("runtime-true", "power", 4),
    ("triage", "launches", 6), ("undervolt", "dent", 4), ("feels", "power", 4), ("flip", "hill", 6),
    ("lowest-watts", "hill", 2), ("first-look", "power", 9), ("title-setup", "hill", 8), ("caps", "flat", 9),
)  # fmt: skip


@pytest.mark.parametrize("place", RIGHT, ids=lambda place: place[0])
def test_what_is_right_stays_right(place):
    row = program.asked(place)
    assert row.outcome == cases.RIGHT, row.says


def test_a_prediction_of_30_to_80_minutes_is_not_called_true():
    """The battery gives a quarter less than its label says, and the prediction is too wide to show it."""
    row = program.asked(("runtime-true", "power", 8))
    assert row.outcome == cases.WITHHELD and row.says.startswith("Nothing speaks against"), row.says


def test_the_table_counts_what_was_said():
    rows = [Row("knob", "hill", at, False, True, "wrong" if at < 6 else "right") for at in range(120)]
    assert table.verdict_of(rows) == "wrong too often" and table.verdict_of(rows[:39]) == "too few"
    assert table.verdict_of(rows[1:]) == "wrong too often" and table.verdict_of(rows[2:]) == "passed"
    told = [Row("knob", "hill", at, False, True, "withheld" if at < 30 else "right") for at in range(120)]
    assert table.verdict_of(told) == "withholds" and len(table.lines_of(rows)) == 4 + len(cases.MAKERS)
    for low, high, minutes, covered in (
        (10.0, 20.0, 15.0, True), (10.0, 20.0, 25.0, False), (10.0, 21.0, 15.0, False), (10.0, None, 15.0, False),
        (10.0, 20.0, math.nan, False),
    ):  # fmt: skip
        row = Row("knob", "hill", 1, False, True, "right", minutes=minutes, low_min=low, high_min=high)
        assert table.priced(row) is covered
    assert table.size() == len(cases.places(list(cases.MAKERS))) == 2400
    assert all(sum(cases.is_null(one, seed) for seed in range(10)) in (3, 4) for one in cases.FAMILIES)
