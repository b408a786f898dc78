"""Cadence on a panel: hand-worked cases."""

import numpy as np
import pytest

from hovrik.core.errors import InputError
from hovrik.core.passes.pacing import Sync, is_even, judder_ms, shown_ms


def test_40_on_60_alternates():
    shown = shown_ms(np.full(200, 25.0), Sync.ON, 60)
    assert set(np.round(shown, 1)) == {16.7, 33.3}
    assert np.all(np.abs(np.diff(shown)[2:]) > 16)
    assert judder_ms(shown) == pytest.approx(25 / 3, rel=0.01)


def test_40_on_80_is_even():
    shown = shown_ms(np.full(100, 25.0), Sync.ON, 80)
    assert judder_ms(shown) == pytest.approx(0, abs=1e-9)


def test_off_and_variable():
    t = np.array([5.0, 12.0, 40.0])
    assert np.array_equal(shown_ms(t, Sync.OFF, 60), t)
    assert shown_ms(t, Sync.VARIABLE, 100).tolist() == [10.0, 12.0, 40.0]


def test_faster_than_the_panel_shows_one_frame_a_tick():
    assert np.allclose(shown_ms(np.full(50, 4.0), Sync.ON, 60), 1000 / 60)


@pytest.mark.parametrize(
    ("cap", "hz", "even"), [(40, 80, True), (40, 60, False), (45, 90, True), (30, 60, True), (60, 40, False)]
)
def test_caps_that_divide(cap, hz, even):
    assert is_even(cap, hz) is even


def test_no_refresh_is_refused():
    with pytest.raises(InputError):
        shown_ms(np.ones(3), Sync.ON, 0)
