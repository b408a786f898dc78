"""Setups, knobs, snapshots, conditions, rigs, titles, questions and the error messages about them."""

from dataclasses import replace

import pytest

from hovrik.core.errors import ImportRefused, LimitError, PlanError, Problem
from hovrik.core.facts.condition import UNKNOWN, Condition, Provenance, from_plain, to_plain
from hovrik.core.facts.knob import LIMITS, Knob
from hovrik.core.facts.known_knobs import known
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import OsSlot, Rig, Version
from hovrik.core.facts.setup import Reading, Setup, Snapshot, describe, static
from hovrik.core.facts.terms import Floor, School
from hovrik.core.facts.title import Scene, Title
from hovrik.core.questions.question import Question, lowest_watts
from hovrik.core.read.answer import Context, build


def test_unknown_is_not_a_default():
    """A knob added to the program later leaves setups stored before it equal to themselves and to each other."""
    old = Setup({"sustained_limit_w": 12, "cap_fps": 40})
    assert old == Setup(cap_fps=40.0, sustained_limit_w=12.0)
    assert old != old.with_(smt="on") and old.get("smt") is None
    assert old.with_(smt="on").without("smt") == old
    assert hash(old) == hash(Setup(old.as_dict()))
    assert Setup({"smt": None}) == Setup()


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        (dict.fromkeys(LIMITS, 12), 12.0), ({"sustained_limit_w": 12}, 12.0),
        ({"sustained_limit_w": 12, "peak_limit_w": 15}, None), ({"short_limit_w": 12}, None), ({}, None),
    ],
)  # fmt: skip
def test_static_limit(values, expected):
    assert Setup(values).static_limit_w == expected


def test_family_is_everything_but_the_limits():
    assert static(9, 40).family == static(20, 40).family != static(9).family
    assert static(9, None).family == Setup()


@pytest.mark.parametrize(
    ("setup", "words"),
    [
        (static(12, 40), "12 W, cap 40"), (static(12), "12 W, no cap"), (static(7.5, None), "7.5 W"),
        (Setup(sustained_limit_w=12, peak_limit_w=20), "sustained limit 12 W, peak limit 20 W"),
        (static(12, 40, refresh_hz=80), "12 W, cap 40, refresh 80 Hz"),
        (static(12, 40, fan_policy="even"), "12 W, cap 40, fan even"), (Setup(), "setup unknown"),
    ],
)  # fmt: skip
def test_describe(setup, words):
    assert describe(setup) == words


def test_only_confirmed_values_are_restorable():
    snapshot = Snapshot({"sustained_limit_w": Reading(15.0, True), "refresh_hz": Reading(60.0, False)}, 7)
    assert snapshot.restorable() == Setup(sustained_limit_w=15)
    assert snapshot.as_setup() == Setup(sustained_limit_w=15, refresh_hz=60)
    assert Snapshot.from_dict(snapshot.as_dict()) == snapshot


@pytest.mark.parametrize(
    ("value", "part"),
    [
        (12, None), (4, None), (28, None), (28.5, "Choose 4 to 28 W"), (3, "outside this rig's range"),
        ("x", "numbers only"),
    ],
)  # fmt: skip
def test_knob_refusals_say_what_is_allowed(value, part):
    refusal = Knob("sustained_limit_w", "Sustained limit", "W", low=4, high=28).refusal(value)
    assert refusal is None if part is None else part in refusal


def test_knob_with_levels():
    knob = Knob("mode", "Mode", levels=("hybrid", "built-in"))
    assert knob.refusal("hybrid") is None and "hybrid, built-in" in knob.refusal("other")


def test_conditions_survive_the_round_trip():
    found = {"room_c": Condition(22.0, Provenance.ASKED, 5), "fan_policy": UNKNOWN}
    assert from_plain(to_plain(found)) == found


def test_rig_survives_the_round_trip_and_ignores_what_it_does_not_know():
    slot = OsSlot("a", "A", (Version("graphics driver", "1"),))
    rig = Rig("r", "R", 4, 28, slots=(slot,), refresh_hz=(40.0, 60.0), resolution=(1280, 800))
    body = {**rig.as_dict(), "added_later": 1}
    body["slots"] = [{**body["slots"][0], "added_later": 2}]
    assert Rig.from_dict(body) == rig
    assert rig.slot("a").version("graphics driver") == "1"
    with pytest.raises(PlanError, match="It has: a"):
        rig.slot("b")


def test_title_survives_the_round_trip():
    title = Title("t", "T", scenes=(Scene("s", "S", 60.0),), targets_fps=(30.0, 60.0))
    assert Title.from_dict({**title.as_dict(), "added_later": 1}) == title
    assert title.scene("s").length_s == 60.0
    with pytest.raises(KeyError):
        title.scene("other")


def test_question_survives_the_round_trip():
    question = lowest_watts("r", "s", "t", "c", Source.ADAPTER, target_fps=45.0, school=School.TIME_WEIGHTED)
    assert Question.from_dict({**question.as_dict(), "added_later": 1}) == question
    assert question.floor.edge == pytest.approx(43.65)


def test_a_question_of_a_newer_kind_is_kept_and_said_never_read_as_another():
    body = {"kind": "best-route", "version": 4, "terms": {"sure": 0.9}, "place": {"rigs": ["r"]}, "parts": {"legs": 3}}
    question = Question.from_dict(body)
    assert question.as_dict() == body and not question.is_known
    said = build([], question, Context())
    assert "does not know (best-route)" in said.sentence and said.option is None
    edited = question.with_(target_fps=30.0)
    assert edited.is_known and edited.rig == "r" and edited.target_fps == 30.0


def test_a_question_of_before_there_were_kinds_asks_for_the_lowest_watts():
    former = {
        "rig": "r", "slot": "s", "title": "t", "scene": "c", "source": "adapter", "target_fps": 50.0,
        "school": "slowest_mean", "tolerance": 0.02, "missed_share": 0.02, "sure": 0.9, "price_fps_per_w": 2.0,
    }  # fmt: skip
    question = Question.from_dict(former)
    assert (question.rig, question.slot, question.title, question.scene) == ("r", "s", "t", "c")
    assert question.floor == Floor("low_1pct", 50.0, 0.02, 0.02) and question.terms.price == 2.0
    assert (question.source, question.school, question.terms.sure) == (Source.ADAPTER, School.SLOWEST_MEAN, 0.9)


def test_39_2_at_a_cap_of_40_holds_40():
    assert lowest_watts("r", "s", "t", "c", target_fps=40).floor.edge < 39.2


def test_limit_error_reads_as_the_house_style_wants():
    fault = LimitError("Sustained limit", 45, 4, 30, "W")
    assert str(fault) == "Sustained limit 45 W is above the allowed 30 W. Choose 4 to 30 W."
    assert (fault.key, fault.value, fault.low, fault.high, fault.unit) == ("Sustained limit", 45, 4, 30, "W")
    assert "below the allowed 4 W" in str(LimitError("Sustained limit", 2, 4, 30, "W"))


def test_import_refused_lists_the_first_problems_and_keeps_all():
    problems = tuple(Problem(n, "odd", f"thing {n}") for n in range(1, 9))
    fault = ImportRefused("Nothing usable.", problems)
    assert fault.problems == problems and "line 5: thing 5 (and 3 more)" in str(fault)
    assert str(Problem(None, "odd", "thing")) == "file: thing"


@pytest.mark.parametrize(
    ("key", "asked", "read", "step", "same"),
    [("sustained_limit_w", 12.0, 12.5, None, True), ("sustained_limit_w", 12.0, 12.7, None, False),
     ("sustained_limit_w", 12.0, 12.3, 0.5, False), ("cap_fps", 40.0, 40.4, None, True),
     ("cap_fps", "none", 40.0, None, False), ("boost", "on", "off", None, False), ("boost", "on", "on", None, True),
     ("own_knob", 100.0, 100.9, None, True), ("own_knob", 100.0, 101.5, None, False)],
)  # fmt: skip
def test_a_reading_agrees_within_half_a_step(key, asked, read, step, same):
    knob = known(key) if step is None else replace(known(key), step=step)
    assert knob.agrees(asked, read) is same
