"""Caps predicted from passes without one: plain arithmetic, and the stand-in's own capped passes."""

import numpy as np
import pytest
from helpers.build import QUESTION, counted, of_figures, record_of, trace_of, wandering

from hovrik.bench.simulated.model import load_model
from hovrik.bench.simulated.physics import PLAIN
from hovrik.bench.simulated.physics import capped as with_cap
from hovrik.bench.simulated.truth import expectation, independent_pass
from hovrik.core.errors import InputError
from hovrik.core.facts.factor import static_limit
from hovrik.core.facts.panel import caps_of_words, even_caps
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import static
from hovrik.core.model.capped import UNKNOWN, capped, limiter_of, mean_rate
from hovrik.core.passes.figures import figures_of
from hovrik.core.passes.tail import Tail
from hovrik.core.read.answer import Context
from hovrik.core.read.cap_table import cap_table
from hovrik.core.read.group import ladder_of
from hovrik.core.read.response import read
from hovrik.demo.scenario import RIGS

LOW = "low_1pct_fps_percentile"


@pytest.mark.parametrize("cap", [30.0, 45.0, 55.0, 200.0])
def test_the_mean_rate_is_that_of_frames_that_take_the_caps_interval_at_least(cap):
    t = wandering(60, seed=3)
    plain = 1000.0 / np.maximum(t, 1000.0 / cap).mean()
    assert mean_rate(Tail.of(np.sort(t)), cap) == pytest.approx(plain, rel=0.002)


def uncapped(physics, load, limits):
    """A ladder of one pass a level of the stand-in without a cap."""
    members = []
    for number, limit in enumerate(limits):
        interval, watts = independent_pass(physics, load, limit, PLAIN, 60.0, (7, number))
        figures = figures_of(record_of(trace_of(interval, package_w=watts), limit), None)
        members.append([counted(limit, 40.0)])
        members[-1][0] = type(members[-1][0])(f"p{number}", members[-1][0].point, members[-1][0].asked, figures)
    return ladder_of(list(map(float, limits)), members, static_limit())


def test_what_is_predicted_is_what_the_stand_in_does():
    """One pass a level without a cap against 40 independent passes with one."""
    model = load_model(RIGS / "ombrel-8.toml")
    load = next(iter(model.loads.values()))
    limits = (11, 13, 15, 18)
    found = capped(uncapped(model.physics, load, limits), 40.0, 0.03, LOW)
    hits = []
    for limit, one in zip(limits, found):
        truth = expectation(model.physics, load, float(limit), with_cap(40.0), 60.0, 40.0, passes=40, seed=11)
        hits += [
            one.rate.low - 0.1 <= truth.mean_fps <= one.rate.high + 0.1,
            one.low.low - 2 * truth.low_se <= truth.low_fps <= one.low.high + 2 * truth.low_se,
            one.package.low <= truth.package_w <= one.package.high,
        ]
        assert (one.holds > 0.9) <= (truth.low_fps > 38.6) and (one.holds < 0.1) <= (truth.low_fps < 39.0)
    assert sum(hits) >= len(hits) - 1


def test_a_level_with_a_cap_says_nothing_of_higher_ones():
    members = [[counted(w, low, k, cap=40.0) for k in range(3)] for w, low in ((11, 38.0), (13, 39.3))]
    ladder = ladder_of([11.0, 13.0], members, static_limit())
    assert capped(ladder, 40.0, 0.03, LOW) == [None, None] and capped(ladder, 60.0, 0.03, LOW) == [None, None]
    assert all(one.holds > 0.9 and one.low.high <= 30.0 for one in capped(ladder, 30.0, 0.03, LOW))


@pytest.mark.parametrize(("fixed", "span", "caps"), [
    ((60.0,), None, [60, 30, 20]), ((60.0, 80.0), None, [80, 60, 40, 30, 26.667, 20]), ((), None, []),
    ((), (48.0, 60.0), [60, 55, 50, 30, 25, 20]), ((), (40.0, 120.0), [120, *range(115, 15, -5)]),
])  # fmt: skip
def test_even_caps(fixed, span, caps):
    """Whole divisions of a fixed refresh; of a variable range what lies in it, or has a multiple that does."""
    found = even_caps(fixed, span)
    assert [one.cap_fps for one in found] == caps
    for one in found:
        if span is None:
            assert one.refresh_hz / one.cap_fps == pytest.approx(one.scans, rel=1e-4)
        else:
            assert span[0] <= one.scans * one.cap_fps <= span[1]


def jittered(cap, sd_ms, seed=1):
    """A pass that a limiter paces with its own jitter."""
    rng = np.random.default_rng(seed)
    return figures_of(record_of(trace_of(1000.0 / cap + sd_ms * rng.standard_normal(int(60 * cap))), 13.0, cap), None)


@pytest.mark.parametrize("sd_ms", [0.05, 0.3, 0.5])
def test_a_limiters_lateness_is_read_of_a_pass_at_a_cap(sd_ms):
    """Of a normal jitter 1 % are later than 2.326 of its deviations, at any cap."""
    passes = [of_figures(f"p{cap}", static(13, cap), jittered(cap, sd_ms)) for cap in (30.0, 40.0)]
    told = limiter_of([ladder_of([13.0], [[one]], static_limit()) for one in passes])
    assert told.late_ms == pytest.approx(2.326 * sd_ms, abs=0.05) and told.is_known
    assert (told.keeps(60.0, 0.03) > 0.95) is (sd_ms == 0.05) and (told.keeps(60.0, 0.03) < 0.05) is (sd_ms > 0.05)


def test_without_a_pass_at_a_cap_a_limiter_is_not_taken_to_be_good():
    assert limiter_of([ladder_of([13.0], [[counted(13, 62.0)]], static_limit())]) == UNKNOWN
    chances = [UNKNOWN.keeps(cap, 0.03) for cap in (30.0, 60.0, 120.0)]
    assert 0.95 > chances[0] > chances[1] > chances[2] > 0.05


def test_every_set_up_with_every_cap():
    """Measured where a cap was, else predicted; what nothing is known of stays empty; a sibling's caps are its own."""
    free = [counted(w, low, k) for w, low in ((9, 33.0), (13, 47.0)) for k in range(3)]
    at_40 = [of_figures(f"c{k}", static(13, 40.0), jittered(40.0, 0.1, k)) for k in range(3)]
    context = Context(None, 23.0)
    own = cap_table(read([*free, *at_40], QUESTION), even_caps((60.0, 80.0), None), QUESTION, context)
    assert [one.cap_fps for one in own.caps] == [60, 40, 30, 26.667, 20]
    by = {row.setup.static_limit_w: row for row in own.rows}
    assert [bool(cell.passes) for cell in by[13.0].cells] == [False, True, False, False, False]
    assert [cell.passes for cell in by[9.0].cells] == [0] * 5
    assert by[9.0].cells[0].holds < 0.05 and by[9.0].locked(0.95) == 2 and by[13.0].locked(0.95) == 1
    assert own.lock is not None and own.rows[own.lock[0]] is by[13.0] and own.says.id == "caps.lock"
    alone = cap_table(read(free, QUESTION), even_caps((60.0, 80.0), None), QUESTION, context)
    assert alone.says.id == "caps.untried" and alone.says.values["cap"].number == 40.0
    nothing = cap_table([], even_caps((60.0,), None), QUESTION, context)
    assert nothing.says.id == "caps.nothing" and nothing.rows == () and nothing.lock is None


@pytest.mark.parametrize(("text", "caps"), [
    ("60, 90", [90, 60, 45, 30, 22.5, 20]), ("48-60", [60, 55, 50, 30, 25, 20]),
    ("48 to 60 Hz", [60, 55, 50, 30, 25, 20]),
    ("OMBREL 8", [80, 60, 40, 30, 26.667, 20]),
])  # fmt: skip
def test_a_panel_by_its_name_or_rates(text, caps):
    rig = Rig("ombrel-8", "Ombrel 8", refresh_hz=(60.0, 80.0))
    assert [one.cap_fps for one in caps_of_words(text, [rig])] == caps


@pytest.mark.parametrize("text", ["", "x", "60-48", "nan", "inf", "-60", "0", "1e9", "60 " * 17, "48-48", "Ombrel"])
def test_what_is_no_panel_is_told_with_what_is(text):
    with pytest.raises(InputError, match="Give"):
        caps_of_words(text, [Rig("ombrel-8", "Ombrel 8")])


def test_the_question_has_a_floor_to_hold():
    assert QUESTION.terms.floor.tolerance == 0.03
