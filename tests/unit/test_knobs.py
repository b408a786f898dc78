"""Knobs: one truth of labels and levels; what a rig, a slot and a title offer; narrowing; an owner's own."""

from dataclasses import replace

import pytest
from helpers.build import machine

from hovrik.core.facts.knob import Hazard, Knob, Order, Where, named
from hovrik.core.facts.knobs import infeasible, knobs_of, narrowed, own_knob
from hovrik.core.facts.known_knobs import KNOWN, known
from hovrik.core.facts.rig import Exclusion, KnobPlace, OsSlot, OwnKnob, Panel, Rig
from hovrik.core.facts.setup import Setup, describe, static
from hovrik.core.facts.sheets import own_knob_problems
from hovrik.core.facts.title import SetUp, Title

WINDOW = OwnKnob("window_mode", "Window mode", "words", ("borderless", "exclusive"), place="the title's video page")
SHARP = OwnKnob("sharpening", "Sharpening", "number", unit="%", low=0.0, high=100.0, step=10.0)
RIG = Rig(
    "r", "R", 4.0, 28.0, 1.0, boost_levels=("on", "off"), smt=True, fan_policies=("quiet", "full"), split_gb=(1.0, 4.0),
    split_where="restart", refresh_hz=(60.0, 80.0), displays=(Panel("desk", refresh_hz=(120.0,), lowest_hz=48.0),),
    own_knobs=(SHARP,), gpu_modes=("built-in",),
)  # fmt: skip
SLOT = OsSlot("s", "S", knobs=(KnobPlace("smt", "restart"), KnobPlace("boost", "not at all")), sync="locked on",
              exclusions=(Exclusion("overlay", "on", "frame_generation", "on", "two hooks"),))  # fmt: skip
TITLE = Title("t", "T", own_knobs=(WINDOW,), set_ups=(SetUp("high", "high"), SetUp("low", "low", accepted=False)))


def test_ids_are_told_once_and_every_label_with_them():
    ids = [knob.id for knob in KNOWN]
    assert len(ids) == len(set(ids)) and all(knob.label and knob.label[0].isupper() for knob in KNOWN)
    assert {k.id for k in KNOWN if k.hazard is Hazard.LIMIT} == {"sustained_limit_w", "short_limit_w", "peak_limit_w"}
    assert known("made_up_thing").label == "Made up thing"


def test_what_a_rig_a_slot_and_a_title_offer():
    on_rig, in_slot = named(knobs_of(RIG)), named(knobs_of(RIG, SLOT, TITLE))
    assert on_rig["refresh_hz"].levels == (60.0, 80.0, 120.0) and on_rig["display"].levels == ("built-in", "desk")
    assert on_rig["sync"].levels == ("off", "on", "variable") and in_slot["sync"].levels == ("on",)
    assert on_rig["memory_split_gb"].where is Where.RESTART and "gpu_mode" not in on_rig  # one level is no choice
    assert "boost" in on_rig and "boost" not in in_slot and in_slot["smt"].where is Where.RESTART
    assert in_slot["preset"].levels == ("low", "high") and "preset" not in on_rig  # least first
    assert in_slot["window_mode"].by_hand and in_slot["window_mode"].place == "the title's video page"
    assert in_slot["sharpening"].order is Order.NUMBER and in_slot["sharpening"].high == 100.0
    bare = named(knobs_of(Rig("b", "B")))
    assert set(bare) == {"cap_fps"}  # nothing is known: no limit, no range, nothing invented


def test_a_machine_narrows_and_adds_but_never_widens():
    machine_knobs = [
        replace(known("sustained_limit_w"), low=2.0, high=20.0), replace(known("boost"), levels=("on", "off", "more")),
        replace(known("fan_policy"), levels=("full", "roar")), Knob("lamp", "Lamp", levels=("a", "b")),
    ]  # fmt: skip
    found = named(narrowed(knobs_of(RIG, SLOT, TITLE, absent=True), machine_knobs))
    assert (found["sustained_limit_w"].low, found["sustained_limit_w"].high) == (4.0, 20.0)
    assert found["fan_policy"].levels == ("full",) and found["fan_policy"].label == "Fan policy"
    assert "boost" not in found  # the slot's owner says that it cannot be set there
    assert found["lamp"].levels == ("a", "b") and "smt" not in found  # the machine has none
    assert found["window_mode"].by_hand and found["sharpening"].by_hand


@pytest.mark.parametrize(
    ("setup", "words"),
    [
        (static(12.0, 40.0), "12 W, cap 40"), (static(12.0), "12 W, no cap"), (Setup(), "setup unknown"),
        (Setup(sustained_limit_w=12.0, short_limit_w=15.0), "sustained limit 12 W, short limit 15 W"),
        (static(8.5, 30.0, boost="off", smt="on", refresh_hz=60.0), "8.5 W, cap 30, boost off, refresh 60 Hz, SMT on"),
        (Setup(gpu_ceiling_mhz=900.0, fan_policy="full"), "fan full, GPU up to 900 MHz"),
        (Setup(window_mode="exclusive"), "window mode exclusive"), (Setup(unheard_of=3.0), "unheard of 3"),
    ],
)  # fmt: skip
def test_setups_in_words(setup, words):
    assert describe(setup, [own_knob(WINDOW, "the title")]) == words


@pytest.mark.parametrize(
    ("row", "words"),
    [
        (OwnKnob("boost", "B", levels=("a", "b")), "id of another knob"),
        (OwnKnob("A b", "B", levels=("a", "b")), "small letters"), (OwnKnob("one", "One", levels=("a",)), "two levels"),
        (OwnKnob("n", "N", "number", low=2.0, high=1.0), "two levels"),
    ],
)  # fmt: skip
def test_own_knobs_are_checked(row, words):
    assert any(words in text for text in own_knob_problems([row]))
    assert own_knob_problems([WINDOW, SHARP]) == []


def test_functions_that_exclude_each_other_make_a_setup_infeasible():
    (why,) = infeasible(Setup(overlay="on", frame_generation="on", cap_fps=60.0), SLOT)
    assert why == "overlay on and frame generation on exclude each other under S: two hooks."
    assert infeasible(Setup(overlay="off", frame_generation="on"), SLOT) == [] == infeasible(Setup(overlay="on"), None)


def test_the_stand_in_offers_what_its_rig_does(tmp_path):
    found = named(machine(tmp_path).describe().knobs)
    assert found["boost"].label == "CPU boost" and found["boost"].starting == "on"
    assert found["cpu_ceiling_ghz"].unit == "GHz" and found["memory_split_gb"].where is Where.SETUP_SCREEN


def test_titles_of_before_bring_their_presets_and_what_was_accepted():
    old = {
        "key": "t", "name": "T", "presets": ["ultra", "high", "low"], "lowest_preset": "high", "lowest_scale": 0.7,
        "scenes": [{"key": "s", "name": "S", "set_up": ["preset high", "scaler off", "frame generation on"]}],
    }  # fmt: skip
    found = Title.from_dict(old).set_ups
    assert [(s.name, s.accepted) for s in found] == [
        ("ultra", True), ("high", True), ("high, lowest", True), ("low", False),
    ]  # fmt: skip
    assert found[1] == SetUp("high", "high", upscaler="off", frame_generation="on") and found[2].scale == 0.7
    again = Title.from_dict(Title.from_dict(old).as_dict())
    assert again.set_ups == found
