"""The later kinds of questions: what their arithmetic says against closed forms, and what they refuse."""

import math
from dataclasses import replace
from itertools import pairwise

import levels
import numpy as np
import pytest
from cooling import case  # benchmarks are on the path
from undervolts import walked

from hovrik.core.errors import PlanError
from hovrik.core.facts.allowed import refusals
from hovrik.core.facts.factor import factor_named, static_limit
from hovrik.core.facts.knob import Knob, Order
from hovrik.core.facts.place import Place, Source
from hovrik.core.facts.rig import Panel, Rig
from hovrik.core.facts.setup import Setup, static
from hovrik.core.facts.terms import Aim
from hovrik.core.kinds import claim, display_path, over_charge, plugged, rest_draw, stays_cool
from hovrik.core.kinds.claim import verdict_of
from hovrik.core.kinds.kind import Ask, Seen
from hovrik.core.model.cooler import Rise, cooler_of, follows_of
from hovrik.core.passes.discharge import Discharge, discharge_of, hours_of_a_charge, steps_of
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.passes.trace import Trace
from hovrik.core.plan.ahead import ahead
from hovrik.core.plan.design import Told
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.schedule import total
from hovrik.core.plan.steps import laid_out, passes_in
from hovrik.core.plan.undervolt import UndervoltDesign
from hovrik.core.questions.claim import Claim
from hovrik.core.questions.question import Question
from hovrik.core.read.answer import Context
from hovrik.core.read.group import Counted
from hovrik.core.words import render


def test_what_a_cooler_carries_by_a_law_that_is_known():
    rises = [Rise(w, 4.0 * w**0.85, 0.005) for w in (6.0, 12.0, 20.0)]
    found = cooler_of(rises, follows=False)
    truth = (50.0 / 4.0) ** (1 / 0.85)
    said = found.carries(50.0)
    assert said.low < truth < said.high and said.value == pytest.approx(truth, rel=0.03)
    assert found.carries(40.0).value < said.value < cooler_of(rises, follows=True).carries(50.0, 10.0).value
    assert found.rise_at(12.0).value == pytest.approx(4.0 * 12.0**0.85, rel=0.02)
    one = cooler_of(rises[1:2]).carries(70.0)
    assert one.high / one.low > 1.3 * said.high / said.low and cooler_of([]) is None
    assert (follows_of([1000.0, 3000.0]), follows_of([2000.0, 2020.0]), follows_of([])) == (True, False, None)


def test_what_is_stated_of_a_cooler_holds_the_truth_of_other_machines():
    """A fast case of benchmarks/cooling.py: 95 % intervals; of 72 at least 62 hold with a chance of over 99.9 %."""
    rows = [row for number in range(72) if (row := case(number, 700)) is not None]
    assert sum(row[0] for row in rows) >= 0.86 * len(rows)


def counted(setup, watts, place=0):
    figures = PassFigures(values={"draw_w": watts, "mean_fps": 40.0})
    return Counted(f"p{place}-{watts}", Point(setup=setup), setup, figures, round="plan/0")


def test_a_share_of_a_loss_regained_holds_its_truth():
    """Truth .6 of 8 frames lost, four passes a side that scatter by 1 %: 95 % intervals over 400 plays; and where there
    is no loss, no share."""
    rng, usual, mode = np.random.default_rng(11), static(12.0), static(12.0).with_(power_mode="lively")
    hits, told = 0, 0
    for loss in (8.0,) * 400 + (0.0,) * 100:
        rates = (
            (usual, Source.ADAPTER, 60.0),
            (usual, Source.BATTERY, 60.0 - loss),
            (mode, Source.BATTERY, 60.0 - 0.4 * loss),
        )
        rows = [
            Counted(f"{at}{k}", Point(setup=setup, place=Place(source=source)), setup,
                    PassFigures(values={"mean_fps": rate * math.exp(0.01 * rng.standard_normal())}))
            for at, (setup, source, rate) in enumerate(rates) for k in range(4)
        ]  # fmt: skip
        found = plugged.regained(rows)
        if loss:
            hits += found[0].low <= 0.6 <= found[0].high
            assert len(found) == 1 and found[0].setup == mode
        else:
            told += bool(found)
    assert 0.925 <= hits / 400 <= 0.995 and told <= 8
    knobs = {"power_mode": Knob("power_mode", "Mode", levels=("plain", "lively"))}
    ask = Ask(Question("plugged"), Rig("r", "R"), knobs, base=usual, varied={"power_mode": ("plain", "lively")})
    made = plugged.design(ask).ask(Told()).wanted
    cells = {(one.source, one.setup["power_mode"]) for one in made}
    assert cells == {("battery", "plain"), ("adapter", "plain"), ("battery", "lively")}
    assert made[0].source == made[-1].source == "battery" and len(made) == 12
    passes, rig = passes_in(laid_out(made)), Rig("r", "R", battery_wh=40.0)
    charge = total(passes, rig).charge
    own = [before - after for before, after in pairwise((1.0, *charge))]
    assert all((lost == 0.0) == (one.source == "adapter") for lost, one in zip(own, passes))
    line = ahead(passes, rig, total(passes, rig)).charge
    assert line[-1] == pytest.approx(charge[-1], abs=0.01)


@pytest.mark.parametrize(("share", "says"), [(0.94, "plugged.charging"), (1.0, "plugged.charging-same")])
def test_what_charging_takes_is_told_by_the_charge_that_rose(share, says):
    """Six passes of the adapter a side that scatter by half a percent; a pass that charges has no draw of its own."""
    rng, setup, rows = np.random.default_rng(21), static(12.0), []
    for k in range(18):
        source = Source.BATTERY if k >= 12 else Source.ADAPTER
        used, level = (-0.02, share) if k < 6 else (0.0, 1.0) if k < 12 else (0.02, 0.9)
        rate = 60.0 * level * math.exp(0.005 * rng.standard_normal())
        values = {"mean_fps": rate, "low_time_fps": 0.8 * rate, "charge_used_share": used}
        rows.append(Counted(str(k), Point(setup=setup, place=Place(source=source)), setup, PassFigures(values=values)))
    factor = factor_named("source")
    assert factor is not None
    said = plugged.answer(Seen((), rows, Question("plugged"), Context(), factor)).because
    one = next(one for one in said if one.id.startswith("plugged.charging"))
    assert one.id == says and (says != "plugged.charging" or one.values["by"].low < -6.0 < one.values["by"].high)


def test_what_each_thing_draws_is_told_apart():
    rng, base = np.random.default_rng(4), static(8.0)
    rows = []
    for light, bright in [("off", 10.0)] * 3 + [("on", 10.0)] * 3 + [("off", 100.0)] * 3:
        watts = 9.0 + 0.7 * (light == "on") + 1.9 * (bright == 100.0) + 0.03 * rng.standard_normal()
        rows.append(counted(base.with_(lighting=light, brightness_percent=bright), watts, len(rows)))
    parts, least = rest_draw.parts_of(rows)
    told = {one.name: one for one in parts}
    assert told["lighting"].levels == ("off", "on") and told["brightness_percent"].levels == (10.0, 100.0)
    for name, truth in (("lighting", 0.7), ("brightness_percent", 1.9)):
        assert told[name].watts.low < truth < told[name].watts.high
    assert least.low < 9.0 < least.high and rest_draw.parts_of(rows[:3]) == ([], None)


BEFORE, AFTER = {"boost": "on"}, {"boost": "off"}


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ({}, "What does the claim set"), ({"before": BEFORE, "after": BEFORE, "percent": 20}, "the same"),
        ({"before": BEFORE, "after": {}, "percent": 20}, "one side only"),
        ({"before": BEFORE, "after": AFTER, "percent": 0.0}, "cannot be tested"),
        ({"before": BEFORE, "after": AFTER, "percent": math.nan}, "cannot be tested"),
        ({"before": BEFORE, "after": AFTER, "percent": "plenty"}, "cannot be tested"),
        ({"before": BEFORE, "after": AFTER, "percent": 20, "figure": "luck"}, "no figure"),
    ],
)  # fmt: skip
def test_a_claim_that_cannot_be_tested_says_why(parts, words):
    with pytest.raises(PlanError, match=words):
        Claim.of({"claim": parts})


@pytest.mark.parametrize(
    ("claimed", "change", "half", "verdict"),
    [
        (0.3, 0.3, 0.05, "confirmed"), (0.3, 0.05, 0.03, "refuted"), (0.3, 0.25, 0.2, "open"),
        (0.3, 0.6, 0.1, "larger"), (-0.3, -0.3, 0.05, "confirmed"), (-0.3, 0.3, 0.05, "refuted"),
        (-0.3, -0.7, 0.1, "larger"), (0.3, 0.0, 0.9, "open"),
    ],
)  # fmt: skip
def test_the_verdict_on_a_claim(claimed, change, half, verdict):
    assert verdict_of(claimed, change, half) == verdict


@pytest.mark.parametrize("kind", levels.OTHERS)
def test_wrong_verdicts_are_seldom_where_nothing_differs_or_all_is_as_claimed(kind):
    """A fast case of benchmarks/levels.py: launches over a round, over a level, each pass its own; where
    6.5 % are wrong 17 of 120 are passed by chance once in a thousand."""
    cells = [(4, "middle", launched, True) for launched in ("round", "level", "")]
    cells = [one for one in cells if kind != "options" or one[2] != "level"]
    wrong = [levels.other_null(kind, cell, case) for cell in cells for case in range(120 // len(cells))]
    assert sum(wrong) <= 17


def test_outside_meters_and_the_energy_of_a_job_are_figures_of_a_verdict():
    """Seven per cent less at the wall and of a job, of which the battery tells nothing."""
    rows = levels.plays(2, 6, "low", "", True, 0.0, np.random.default_rng(3))
    more = {"wall_w": 40.0, "input_w": 36.0, "energy_wh": 1.2, "min_fps": 30.0}
    told = []
    for one in rows:
        less = 0.93 if one.asked["mode"] == "b" else 1.0
        values = {**one.figures.values, **{k: v * (less if k != "min_fps" else 1.0) for k, v in more.items()}}
        told.append(replace(one, figures=PassFigures(values=values)))
    said = [one for one in levels.answered(told, Aim.FRAMES).reasons if ": " in one]
    for name in ("wall power", "DC input power", "energy of the job"):
        assert any(name.lower() in one.lower() and one.endswith(": better") for one in said), said


def test_no_offset_where_coolness_is_asked():
    knobs = {"cpu_offset_mv": Knob("cpu_offset_mv", "Offset", "mV", low=-50.0, high=0.0, order=Order.NUMBER)}
    asked = Ask(Question("stays-cool"), Rig("r", "R"), knobs, base=Setup({"cpu_offset_mv": -20.0}))
    with pytest.raises(PlanError, match="No voltage offset"):
        stays_cool.design(asked)


def test_what_a_picture_takes_of_a_link():
    assert display_path.gbit_s(1920, 1080, 60.0) == pytest.approx(1920 * 1080 * 60 * 24 * 1.25 / 1e9)
    panel = Panel("desk", 3840, 2160, (60.0, 120.0))
    assert "more than the link's 20 Gbit/s" in render(display_path._link(Rig("r", "R", link_gbit_s=20.0), panel))
    assert "uncompressed" in render(display_path._link(Rig("r", "R"), panel))
    with pytest.raises(PlanError, match="No external display"):
        display_path.design(Ask(Question("display-path"), Rig("r", "R"), {}))


def emptied(rng, clamps, gauge=0.01, minutes=100.0):
    """A discharge whose power steps down at charges, with noise and a slow wander."""
    n = int(minutes * 6)
    charge = np.linspace(1.0, 0.05, n)
    watts = np.full(n, 15.0)
    for at, share in clamps:
        watts[charge < at] *= share
    wander = np.cumsum(0.003 * rng.standard_normal(n))
    watts = watts * (1.0 + 0.01 * rng.standard_normal(n) + 0.01 * np.tanh(wander))
    read = np.round(charge / gauge) * gauge
    nothing = np.zeros(n)
    return Discharge(read, 3.0 * watts, watts, watts + 6.0, nothing, nothing, gauge, n * 10.0)


def test_clamps_are_found_where_they_are_and_nowhere_else():
    """200 discharges with one or two clamps of 10 to 50 %, and 200 without: located within a gauge's step and 1 %."""
    rng, found, right, false = np.random.default_rng(6), 0, 0, 0
    for _ in range(200):
        gauge = float(rng.choice([0.01, 0.02, 0.05]))
        clamps = [(float(rng.uniform(0.2, 0.8)), float(rng.uniform(0.5, 0.9)))]
        if rng.random() < 0.5:
            clamps.append((clamps[0][0] - float(rng.uniform(0.1, 0.15)), float(rng.uniform(0.5, 0.9))))
        steps = steps_of(emptied(rng, clamps, gauge))
        found += len(steps) == len(clamps)
        near = [min(abs((one.low + one.high) / 2 - at) for at, _ in clamps) for one in steps]
        right += all(off <= gauge + 0.01 for off in near)
        false += bool(steps_of(emptied(rng, [], gauge)))
    assert found >= 190 and right >= 190 and false <= 4


def test_measured_hours_of_a_whole_charge():
    said = hours_of_a_charge(7200.0, 0.9, 0.95, 0.01)
    assert said.value == pytest.approx(2.0 * 0.95 / 0.9) and said.low < said.value < said.high
    assert said.high / said.low < 1.05 < (lambda o: o.high / o.low)(hours_of_a_charge(3600.0, 0.3, 0.95, 0.05))
    assert Discharge.from_dict(emptied(np.random.default_rng(1), []).as_dict()).used == pytest.approx(0.95)
    assert steps_of(discharge_of(Trace(np.empty(0, np.int64)))) == []


def test_bands_of_charge_are_cut_at_a_clamp_and_a_whole_charge_says_how_long_it_lasts():
    """Rate and draw are means of the same seconds: three frames a watt here, six watts beside them."""
    emptied_ = emptied(np.random.default_rng(2), [(0.5, 0.6)])
    seen = Seen([], [], Question("over-charge"), Context(Rig("r", "R", reserve=0.05)), static_limit(),
                discharges=[emptied_])  # fmt: skip
    found = over_charge.answer(seen)
    bands = [one.values for one in found.because if one.id == "charge.band"]
    assert len(bands) == 6 and any(abs(one["bottom"].number - 0.5) < 0.02 for one in bands)
    for one in bands:
        assert one["fps"].number == pytest.approx(3.0 * (one["draw"].number - 6.0), rel=0.002)
    assert "it lasts 1 h 3" in render(found.because[0]) and "to 1 h 4" in render(found.because[0])
    moves = np.where(np.arange(emptied_.draw_w.size) // 60 % 2, 9.0, 18.0)  # ten minutes each: stands, moves
    swung = over_charge.answer(replace(seen, discharges=[replace(emptied_, draw_w=moves)]))
    took, says = (swung.because[at].values[name] for at, name in ((0, "took"), (1, "low")))
    assert (says.low, says.high) == pytest.approx((took.number * 13.5 / 18.0, took.number * 13.5 / 9.0), rel=0.02)


def test_an_undervolt_never_lies_past_a_hidden_margin():
    """A fast case of benchmarks/undervolts.py: three laws of faults, none of the rules broken, most gain something."""
    rows = [walked(seed) for seed in range(60)]
    assert all(v + m > 0 for chip, kept, *_ in rows for v, m in zip(kept, chip.margins))
    assert sum(row[4] for row in rows) == 0 and sum(any(row[1]) for row in rows) >= 48
    assert all(low >= -20.0 for _, kept, *_ in [walked(7, -20.0)] for low in kept)


def test_a_walk_is_not_ended_by_the_noise_of_a_pass():
    """Two steps buy 1.2 %, passes scatter by 1.5 %: walks go down to 100 mV; where steps buy nothing at all and passes
    scatter by .1 %, one does not."""
    design = UndervoltDesign(("cpu_offset_mv",), (-100.0,), static(15.0), Lengths())

    def lowest(seed, gain, sd):
        rng, passes = np.random.default_rng(seed), []
        while (at := design.walk(passes, ()).at) is not None and not design.walk(passes, ()).soak:
            rate = 40.0 * math.exp(-gain * at[0] + sd * rng.standard_normal())
            setup = design.setup(at)
            figures = PassFigures(values={"mean_fps": rate})
            passes.append(Counted(str(len(passes)), Point(setup=setup), setup, figures))
        return min(design.offsets(one.asked)[0] for one in passes)

    assert sum(lowest(seed, 0.0006, 0.015) == -100.0 for seed in range(20)) >= 18
    assert lowest(1, 0.0, 0.001) > -100.0


@pytest.mark.parametrize(
    ("value", "words"),
    [(5.0, "never set"), (-101.0, "outside what the maker allows"), ("plenty", "not a number"), (True, "not a number"),
     (math.nan, "not a number"), (-50.0, ""), (0.0, "")],
)  # fmt: skip
def test_an_offset_over_zero_or_past_the_maker_is_refused(value, words):
    rig = Rig("r", "R", cpu_offset_low_mv=-100.0)
    found = refusals(Setup({"cpu_offset_mv": value}), rig)
    assert (words in found[0]) if words else not found
    assert refusals(Setup({"cpu_offset_mv": -5.0}), Rig("r", "R")) and not refusals(Setup({"gpu_offset_mv": 0.0}), rig)


def test_a_recipe_is_pruned_to_what_buys_something():
    """Boost off makes 17 %, a fan policy nothing: the second can be left out, and the shorter one is missing."""
    rng, rows = np.random.default_rng(9), []
    before, after = {"boost": "on", "fan_policy": "even"}, {"boost": "off", "fan_policy": "full"}
    told = {"before": before, "after": after, "figure": "draw_w", "percent": -17.0}
    asked = Claim.of({"claim": told})
    assert claim.units_of(asked) == [("boost",), ("fan_policy",)]
    for setup in (before, after, *(claim.without(asked, unit) for unit in claim.units_of(asked))):
        for number in range(6):
            watts = (12.0 if setup["boost"] == "on" else 10.0) * math.exp(0.006 * rng.standard_normal())
            rows.append(counted(static(15.0).with_(**setup), watts, 10 * len(rows) + number))
    question = Question("claim", parts={"claim": told})
    seen = Seen([], rows, question, Context(None, None, 0, 0, None), static_limit())
    found = claim.answer(seen)
    assert found.sentence.startswith("Confirmed here: boost off, fan full changes draw by")
    assert any(one.startswith("of that boost off makes -1") for one in found.reasons)
    assert any(one.startswith("fan full makes") and one.endswith("left out") for one in found.reasons)
    assert found.missing == ("passes of the shorter recipe, boost off",)
