"""What must agree for passes to be pooled, and responses along any factor: limits, caps, words, places."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import QUESTION, changed, counted, of_figures

from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.factor import factor_named, of_knob, static_limit
from hovrik.core.facts.knob import Knob, Order
from hovrik.core.facts.place import Place, Source
from hovrik.core.facts.setup import Setup, static
from hovrik.core.facts.terms import Floor
from hovrik.core.passes.point import Point, point_of
from hovrik.core.read import answer, marks, response
from hovrik.core.read.agree import agree, clusters, differences
from hovrik.core.read.answer import Context
from hovrik.core.read.group import Counted

HERE = Place("rig", "rig/moss", "title", "title/deck", Source.BATTERY)
VERSIONS = {"rig/firmware": "1.4", "slot/system": "7"}


def at(point, low=41.0, number=0, asked=None):
    """A counted pass at a point."""
    one = counted(12, low, number)
    return Counted(f"{one.id}/{point.setup}/{number}", point, asked or static(12), one.figures)


def point(setup=None, place=HERE, versions=VERSIONS, **conditions):
    """A point at 12 W with more read back than was asked."""
    return Point(Setup({**static(12), **(setup or {})}), place=place, versions=versions, conditions=conditions)


OTHERS = {
    "boost": (point({"boost": "on"}), point({"boost": "off"})),
    "fan": (point({"fan_policy": "even"}), point({"fan_policy": "full"})),
    "refresh": (point({"refresh_hz": 60.0}), point({"refresh_hz": 80.0})),
    "display": (point({"display": "built-in"}), point({"display": "outside"})),
    "brightness": (point({"brightness_percent": 40.0}), point({"brightness_percent": 80.0})),
    "cap": (point({"cap_fps": 40.0}), point({"cap_fps": 30.0})),
    "version": (point(), point(versions={**VERSIONS, "slot/system": "8"})),
    "room": (point(room_c=20.0), point(room_c=26.0)),
    "source": (point(), point(place=replace(HERE, source=Source.ADAPTER))),
    "title's set-up": (point(set_up="low"), point(set_up="high")),
    "overlay": (point(overlay="on"), point(overlay="off")),
}


@pytest.mark.parametrize("name", OTHERS)
def test_passes_that_differ_are_kept_apart_with_a_word(name):
    """Each of these came out as one ladder before."""
    one, other = OTHERS[name]
    assert not agree(one, other) and agree(one, one)
    found = response.read([at(one, 41.0), at(other, 36.0, 1)], QUESTION)
    assert [len(each.groups[0].passes) for each in found] == [1, 1]
    if name != "cap":  # that one is in the setup that was asked for as well
        assert all(any("kept apart" in f.evidence for f in each.findings) for each in found)
    names = {(each.family, each.apart) for each in found}
    assert len(names) == 2


def test_what_one_side_does_not_tell_is_pooled_with_a_finding():
    known, silent = point({"boost": "on"}), point()
    (found,) = response.read([at(known), at(silent, number=1)], QUESTION)
    assert [f.evidence for f in found.findings] == ["CPU boost: not told by 1 pass, taken to be the same"]
    said = answer.build([found], QUESTION, Context())
    assert any("CPU boost: not told by 1 pass" in text for text in said.reasons)


def test_what_is_unknown_joins_no_two_that_differ():
    points = [point({"boost": "on"}), point(), point({"boost": "off"})]
    homes = clusters(points)
    assert sorted(map(len, homes)) == [1, 2] and not any({0, 2} <= set(home) for home in homes)


@pytest.mark.parametrize(("read", "pooled"), [(12.1, True), (11.8, True), (12.25, False), (12.6, False)])
def test_limits_agree_within_half_a_step(read, pooled):
    """Nothing is grouped by equality of floats: the machine reads its limits back in steps of its own."""
    one, other = at(point()), at(Point(static(read), place=HERE, versions=VERSIONS), number=1)
    (found,) = response.read([one, other], QUESTION, static_limit(0.5))
    assert (len(found.groups) == 1) is pooled


def test_rooms_agree_within_three_degrees_over_the_whole_group():
    homes = clusters([point(room_c=c) for c in (20.0, 22.0, 23.0, 24.5)])
    assert [len(home) for home in homes] == [3, 1]


def test_a_point_is_what_was_read_and_asked_only_where_nothing_was():
    made = point_of(static(12, 40), Setup({"sustained_limit_w": 12.0, "boost": "off"}), HERE, VERSIONS, {})
    assert made.setup["boost"] == "off" and made.setup["cap_fps"] == 40.0
    assert made.asked_only == {"short_limit_w", "peak_limit_w", "cap_fps"}


def test_a_note_that_contradicts_the_machine_stays_beside_it():
    read, noted = Setup({"fan_policy": "even"}), {"fan_policy": Condition("full", Provenance.ASKED)}
    made = point_of(static(12), read, HERE, VERSIONS, noted)
    assert made.setup["fan_policy"] == "even" and made.conditions["fan_policy_noted"] == "full"
    (found,) = response.read([at(made), at(point({"fan_policy": "even"}), number=1)], QUESTION)
    assert any("fan policy as noted" in f.evidence for f in found.findings)


def test_differences_name_key_and_both_sides():
    (off,) = differences(point({"boost": "on"}), point({"boost": "off"}))
    assert (off.key, off.one, off.other, off.is_unknown) == ("boost", "on", "off", False)


# -- along other factors


def along(factor, levels, lows, *, draws=None, repeats=3, question=QUESTION, **how):
    """Responses to passes at levels of a factor."""
    passes, rng = [], np.random.default_rng(1)
    for number, (level, low) in enumerate(zip(levels, lows, strict=True)):
        for k in range(repeats):
            one = counted(12, low * float(np.exp(rng.normal(0, 0.004))), 10 * number + k)
            one = changed(one, draw_w=(draws or [20.0] * len(levels))[number])
            setup = static(12, "none").with_(**{factor.id: level}) if factor.knobs else static(12, "none")
            place = replace(HERE, **{factor.place: level}) if factor.place else HERE
            passes.append(of_figures(one.id, setup, one.figures, place=place))
    return response.read(passes, question, factor, **how)


def test_a_response_over_caps_has_numbers_and_no_marks_of_watts():
    (found,) = along(factor_named("cap_fps"), [30.0, 40.0, 50.0], [29.5, 39.6, 42.0], draws=[14.0, 17.0, 19.0])
    assert [g.level for g in found.groups] == [30.0, 40.0, 50.0] and marks.find(found, QUESTION) == ()
    said = answer.build([found], QUESTION, Context())
    assert said.option.setup["cap_fps"] == 40.0 and "10 fps less (cap 30) falls short" in said.sentence


def test_a_response_over_an_owners_words_has_no_curve_and_no_neighbours():
    knob = Knob("window_mode", "Window mode", levels=("windowed", "whole screen"), order=Order.WORDS)
    (found,) = along(of_knob(knob), ["whole screen", "windowed"], [43.0, 36.0])
    assert found.curve is None and found.dents == () and found.places.tolist() == [0.0, 1.0]
    said = answer.build([found], QUESTION, Context())
    assert said.option.setup["window_mode"] == "whole screen"
    assert said.sentence.endswith("Window mode windowed falls short (36 to 36.2).") or "windowed falls" in said.sentence
    assert any("at 2 levels of window mode" in text for text in said.reasons)


def test_words_that_rise_by_chance_lend_each_other_nothing():
    """Along a factor that says nothing of the low, a lower level that measured higher stays as it is."""
    (found,) = along(factor_named("fan_policy"), ["even", "full", "quiet"], [41.0, 36.0, 41.5])
    assert [g.holds > 0.9 for g in found.groups] == [True, False, True]


def test_a_response_over_slots_ignores_their_own_versions():
    slots = factor_named("slot")
    passes = []
    for key, low in (("rig/moss", 41.5), ("rig/flint", 43.5)):
        where, versions = replace(HERE, slot=key), {"slot/driver": key}
        passes += [at(point(place=where, versions=versions), low * f, n) for n, f in enumerate((0.998, 1.0, 1.002))]
    (found,) = response.read(passes, QUESTION, replace(slots, names={"rig/moss": "Moss 4", "rig/flint": "Flint 2"}))
    assert [g.level for g in found.groups] == ["rig/flint", "rig/moss"]
    said = answer.build([found], QUESTION, Context())
    assert said.sentence.startswith("Flint 2: 12 W") and "Moss 4" in said.sentence


@pytest.mark.parametrize("name", ["limit_w", "version", "version:system", "room", "day", "slot", "boost", "cap_fps"])
def test_factors_have_names(name):
    assert factor_named(name).label


def test_nothing_else_is_a_factor():
    assert factor_named("colour of the case") is None


# -- floors that name another figure


@pytest.mark.parametrize(("figure", "value", "held"), [
    ("mean", 46.0, [False, True, True]), ("score", 1000.0, [False, True, True]), ("time", 95.0, [False, True, True]),
    ("low_0_1pct", 40.0, [False, True, True]),
])  # fmt: skip
def test_the_floor_names_its_figure(figure, value, held):
    """Rates, scores and times are judged alike, each in its direction."""
    rows = [(43.0, 900.0, 110.0, 30.0), (47.5, 1040.0, 91.0, 50.0), (50.0, 1100.0, 88.0, 60.0)]
    passes = []
    for limit, (rate, score, seconds, low) in zip((10, 11, 12), rows, strict=True):
        for k, f in enumerate((0.996, 0.998, 1.0, 1.002, 1.004)):
            values = {"mean_fps": rate * f, "score": score * f, "time_s": seconds * f, "draw_w": 20.0}
            one = changed(counted(limit, low * f, k), **values)
            passes.append(one)
    question = QUESTION.with_(figure=figure, target_fps=value, tolerance=0.0)
    (found,) = response.read(passes, question)
    assert [g.holds > 0.95 for g in found.groups] == held
    assert answer.build([found], question, Context()).option.level == [10.0, 11.0, 12.0][held.index(True)]


def test_a_floor_of_slow_frames_asks_for_their_share():
    question = QUESTION.with_(figure="slow_share", target_fps=40.0, missed_share=0.05)
    (found,) = response.read([counted(w, low, k) for w, low in ((10, 37.0), (12, 45.0)) for k in range(3)], question)
    assert found.groups[1].holds > 0.95 and found.groups[0].holds is not None
    said = answer.build([found], question, Context())
    assert "of frames fall short" in said.sentence


def test_without_a_floor_the_lowest_level_is_chosen_and_no_probability_is_said():
    question = replace(QUESTION, terms=replace(QUESTION.terms, floor=None))
    said = answer.build(response.read([counted(w, 30.0, k) for w in (9, 12) for k in range(3)], question), question,
                        Context())  # fmt: skip
    assert said.option.level == 9.0 and "no floor is asked for" in said.sentence and "sure" not in said.sentence


def test_a_floor_knows_its_edge():
    assert Floor("time", 100.0, 0.03).edge == pytest.approx(103.0) and Floor(value=40.0).edge == pytest.approx(38.8)
