"""Designs, order and what a plan takes."""

from dataclasses import replace

import pytest

from hovrik.core.errors import LimitError, PlanError
from hovrik.core.facts.knob import LIMITS, Knob
from hovrik.core.facts.rig import Exclusion, OsSlot, Rig
from hovrik.core.facts.setup import Setup, static
from hovrik.core.passes.energy import Overhead
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.rehearsal import rehearsed
from hovrik.core.plan.schedule import ASSUMED, MARGIN, expected_draw_w, expected_wh, line_to_plan_with, total
from hovrik.core.plan.steps import RESTART, laid_out, passes_in

RIG = Rig("r", "R", 4.0, 30.0, battery_wh=40.0, recharge_w=40.0, valid_charge=(0.51, 1.0))
DESIGN = LadderDesign(8, 12, 1, 40.0, repeats=3)


def test_every_level_once_a_round_in_a_kept_order():
    passes = ordered_passes(DESIGN, RIG)
    assert [p.index for p in passes] == list(range(15))
    limits = [p.setup.static_limit_w for p in passes]
    for round_ in range(3):
        assert sorted(limits[5 * round_ : 5 * round_ + 5]) == [8, 9, 10, 11, 12]
    assert passes == ordered_passes(DESIGN, RIG)
    assert limits != [p.setup.static_limit_w for p in ordered_passes(replace(DESIGN, seed=2), RIG)]
    assert {p.setup["cap_fps"] for p in passes} == {40.0}
    assert {p.setup["cap_fps"] for p in ordered_passes(replace(DESIGN, cap_fps=None), RIG)} == {"none"}


def test_heat_pass_comes_first_and_does_not_shift_the_order():
    passes = ordered_passes(replace(DESIGN, heat_s=900), RIG)
    assert passes[0].purpose == "heat" and passes[0].pass_s == 900 and passes[0].setup == static(10, 40.0)
    assert [p.setup for p in passes[1:]] == [p.setup for p in ordered_passes(DESIGN, RIG)]


def test_levels_with_a_step_that_does_not_divide():
    assert LadderDesign(7, 10, 2).levels_w() == (7, 9)
    assert LadderDesign(7, 7.3, 0.1).levels_w() == (7, 7.1, 7.2, 7.3)
    assert LadderDesign(7, 7, 1).levels_w() == (7,)


@pytest.mark.parametrize(
    ("change", "error", "part"),
    [
        ({"from_w": 2.0}, LimitError, "below the allowed 4 W"), ({"to_w": 31.0}, LimitError, "Choose 4 to 30 W"),
        ({"from_w": 12.0, "to_w": 8.0}, PlanError, "Swap the two"), ({"step_w": 0.0}, PlanError, "must be over 0"),
        ({"step_w": float("nan")}, PlanError, "must be over 0"), ({"step_w": 0.001}, PlanError, "larger step"),
        ({"cap_fps": -1.0}, PlanError, "Frame cap"), ({"repeats": 0}, PlanError, "Choose 1 to 50"),
        ({"repeats": 51}, PlanError, "Choose 1 to 50"), ({"pass_s": 1.0}, PlanError, "10 to 7200"),
        ({"soak_s": -1.0}, PlanError, "Soak time"), ({"heat_s": 1e9}, PlanError, "Heat time"),
        ({"from_w": 4.0, "to_w": 30.0, "step_w": 0.3, "repeats": 50}, PlanError, "fewer repeats"),
    ],
)  # fmt: skip
def test_impossible_designs_are_refused_with_what_to_do(change, error, part):
    with pytest.raises(error, match=part):
        ordered_passes(replace(DESIGN, **change), RIG)


def test_energy_of_a_pass_by_hand():
    planned = ordered_passes(replace(DESIGN, cap_fps=None, from_w=12), RIG)[0]
    draw = 6.0 + 12 / 0.92
    assert expected_draw_w(planned) == pytest.approx(draw)
    seconds = 4 + 30 + 60 + 0.35 * 20
    assert expected_wh(planned) == pytest.approx(draw * seconds / 3600)


def test_24_passes_of_a_heavy_title_need_more_than_one_small_battery():
    """Common practice, no source: 24 passes of a heavy title."""
    passes = ordered_passes(LadderDesign(8, 30, 1, None, repeats=1, pass_s=120), RIG)
    found = total(passes, RIG)
    assert found.wh > RIG.battery_wh * (1 - 0.51) and found.recharges >= 1
    assert min(found.charge) >= 0.51 + MARGIN - 1e-9 and not found.too_long
    assert found.minutes == pytest.approx(sum(p.seconds for p in passes) / 60 + found.recharge_minutes)


def test_a_pass_no_charge_can_carry_is_named():
    passes = ordered_passes(LadderDesign(28, 30, 2, None, repeats=1, pass_s=7200), RIG)
    assert total(passes, RIG).too_long == (0, 1)


def test_unknown_battery_plans_no_recharge():
    rig = replace(RIG, battery_wh=None)
    found = total(ordered_passes(DESIGN, rig), rig)
    assert found.recharges == 0 and found.charge == () and found.wh > 0


def test_charge_limit_is_respected():
    rig = replace(RIG, charge_limit=0.8)
    assert max(total(ordered_passes(DESIGN, rig), rig).charge) < 0.8


def test_design_round_trip_ignores_what_it_does_not_know():
    assert LadderDesign.from_dict({**DESIGN.as_dict(), "added_later": 1}) == DESIGN


def test_assumed_overhead_is_marked_as_having_no_passes():
    assert ASSUMED.n == 0


def test_no_pass_ends_under_the_window_where_a_recharge_could_have_come_first():
    passes = ordered_passes(replace(DESIGN, from_w=20, to_w=28, step_w=2, repeats=4, pass_s=240), RIG)
    found = total(passes, RIG)
    assert found.recharges >= 2 and min(found.charge) >= RIG.valid_charge[0] + MARGIN
    before = [1.0, *found.charge]
    jumps = [i for i, (a, b) in enumerate(zip(before, found.charge)) if b > a]
    assert all(before[i] - expected_wh(passes[i]) / 40.0 < RIG.valid_charge[0] + MARGIN for i in jumps)


def test_charge_is_predicted_by_the_fitted_line():
    """A machine that draws 12 W beside its package: a plan by the assumed line would end in the clamp."""
    passes = ordered_passes(LadderDesign(10, 14, 1, None, repeats=2, pass_s=600, soak_s=60), RIG)
    assumed = total(passes, RIG)
    fitted = line_to_plan_with(Overhead(12.0, 1.1, 0.2, 30))
    assert fitted.base_w == pytest.approx(12.4)
    found = total(passes, RIG, overhead=fitted)
    assert found.wh > 1.2 * assumed.wh and found.recharges > assumed.recharges
    one = passes[0]
    draw = 12.4 + 1.1 * one.setup.static_limit_w
    assert expected_wh(one, fitted) == pytest.approx((664 * draw + one.cool_s * 0.35 * draw) / 3600)


@pytest.mark.parametrize(
    "line", [None, Overhead(6.0, 1.1, 0.2, 5), Overhead(-1.0, 1.1, 0.2, 30), Overhead(6.0, 0.4, 0.2, 30)]
)
def test_a_line_that_cannot_be_is_not_planned_with(line):
    assert line_to_plan_with(line) == ASSUMED


def test_a_rehearsal_says_what_is_in_the_way_and_what_it_asks():
    slot = OsSlot("one", "One", exclusions=(Exclusion("boost", "off", "cap_fps", "40", "they share a timer"),))
    rig = Rig("r", "R", 5.0, 20.0, battery_wh=40.0, slots=(slot, OsSlot("two", "Two")))
    knobs = [*(Knob(key, key, "W", low=5.0, high=20.0) for key in LIMITS), Knob("boost", "Boost", levels=("off", "on")),
             Knob("cap_fps", "Cap", "fps", ("none",), 15.0, 240.0)]  # fmt: skip
    like = Lengths(pass_s=60)
    fine = [replace(like.wanted(static(w, 40.0)), slot=slot) for w, slot in ((9.0, "one"), (12.0, "two"), (9.0, "one"))]
    found = rehearsed(passes_in(laid_out(fine, 0, "one")), rig, knobs, "one", ASSUMED)
    assert found.problems == () and found.hands == ((RESTART, 2),) and found.hands_min == 6.0
    assert found.words.startswith("Nothing is in its way. It asks of you: 2 restarts (6 of")
    wrong = [like.wanted(one) for one in (
        static(30.0), Setup(boost="off", cap_fps=40.0), Setup(fan_policy="cold"), static(12.0, 40.0))]  # fmt: skip
    found = rehearsed(passes_in(laid_out(wrong)), rig, knobs, "one", ASSUMED, charge=0.2, now=static(10.0, 40.0),
                      incidents=[static(12.0, 40.0)])  # fmt: skip
    for part in (
        "30",
        "they share a timer",
        "no knob 'fan_policy'",
        "went wrong there before",
        "could not be put back",
    ):
        assert any(part in one for one in found.problems), part
    assert rehearsed((), rig, knobs, "three", ASSUMED).problems == ()
