"""Sections of a scene: the same figures, of a part of each pass."""

import numpy as np
import pytest
from helpers.build import record_of, trace_of, wandering

from hovrik.core.facts.title import Section
from hovrik.core.passes.figures import figures_of
from hovrik.core.passes.sections import section_figures, section_of

RECORD = record_of(trace_of([20.0] * 1000 + [40.0] * 500, package_w=np.r_[np.full(20, 10.0), np.full(21, 14.0)]))


def test_a_section_has_the_figures_of_its_part():
    early, late = (section_figures(RECORD, Section("s", *ends)) for ends in ((0, 20), (20, 40)))
    assert early.value("mean_fps") == pytest.approx(50.0) and late.value("mean_fps") == pytest.approx(25.0)
    assert early.value("package_w") == pytest.approx(10.0, abs=0.15)
    assert late.value("package_w") == pytest.approx(14.0, abs=0.15)
    assert early.tail.frames == 1000 and late.tail.missed(60.0) == 1.0
    whole = section_figures(RECORD, Section("s", 0, 40))
    assert whole.value("mean_fps") == pytest.approx(figures_of(RECORD, None).value("mean_fps"))


def test_a_section_follows_the_marks_and_copies_nothing():
    part = section_of(RECORD, Section("s", 5, 10))
    assert (part.trace.start_ns, part.trace.end_ns) == (5 * 10**9, 10 * 10**9)
    assert part.trace.frames_ns is RECORD.trace.frames_ns


def test_a_pass_that_ends_before_the_section_says_nothing():
    found = section_figures(RECORD, Section("s", 30, 50))
    assert found.values == {} and "ends before" in found.why["die_c"]
    assert section_figures(RECORD, Section("s", 30, 40.4)).values  # half a second may be missing


def test_temperatures_do_not_settle_in_a_part():
    record = record_of(trace_of(wandering(60), die_c=60.0, shell_c=30.0))
    found = section_figures(record, Section("s", 0, 30))
    assert "die_c" not in found.values and "too short to settle" in found.why["die_c"]
