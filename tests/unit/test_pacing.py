"""Cadence on a panel: hand-worked cases."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import record_of, trace_of

from hovrik.core.errors import InputError
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.panel import is_even
from hovrik.core.facts.setup import Setup
from hovrik.core.passes.figures import figures_of
from hovrik.core.passes.pacing import Sync, judder_ms, shown_ms


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
    assert shown_ms(t, Sync.VARIABLE, 100).tolist() == [10.0, 10.0, 37.0]  # the first waits, time is made up


def test_a_variable_panel_scans_again_below_its_range():
    """40 ms frames on 48 to 120 Hz: scanned again after 20.8 ms, free again at 29.2: shown when they are ready; one
    ready at 22 ms waits for the scan to end."""
    assert shown_ms(np.full(10, 40.0), Sync.VARIABLE, 120, 48) == pytest.approx(np.full(10, 40.0))
    late = shown_ms(np.array([22.0, 40.0]), Sync.VARIABLE, 120, 48)
    assert late[0] == pytest.approx(1000 / 48 + 1000 / 120)


@pytest.mark.parametrize("sync", list(Sync))
@pytest.mark.parametrize("mean", [4.0, 12.0, 16.0, 30.0, 90.0])
def test_shown_time_is_the_time_that_passed(sync, mean):
    rng = np.random.default_rng(3)
    t = mean * np.exp(0.3 * rng.standard_normal(500))
    shown = shown_ms(t, sync, 60, 40)
    assert 0 <= shown.sum() - t.sum() <= 1000 / 60 + 1e-6 or sync is Sync.OFF
    assert shown.size <= t.size and (sync is Sync.OFF or shown.min() > 1000 / 60 - 1e-6)


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


def test_judder_and_generated_frames_are_figures_of_a_pass():
    def figures(counts=None, **read):
        record = record_of(trace_of(np.full(600, 25.0)))
        told = {"counts": Condition(counts, Provenance.ASKED)} if counts else {}
        return figures_of(replace(record, read=Setup(read), conditions={**record.conditions, **told}), None)

    assert figures(sync="on", refresh_hz=60.0).value("judder_ms") == pytest.approx(25 / 3, rel=0.02)
    assert figures(sync="on").value("judder_ms") is None and figures().value("rendered_fps") is None
    shown = figures(frame_generation="on", generation_factor=2.0)
    assert shown.value("rendered_fps") == pytest.approx(20) and shown.value("shown_fps") == pytest.approx(40)
    rendered = figures("rendered", frame_generation="on")
    assert rendered.value("rendered_fps") == pytest.approx(40) and rendered.value("shown_fps") == pytest.approx(80)
