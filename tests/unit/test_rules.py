"""Rules over many passes: each finds what was planted for it and is silent about a plain sweep.

Their rates of hits and false alarms on odd plants: benchmarks/findings.py.
"""

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from helpers.build import QUESTION, changed, counted, record_of, trace_of

from hovrik.core.facts.knob import named
from hovrik.core.facts.known_knobs import KNOWN
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import OsSlot, PowerMode, Rig, Version
from hovrik.core.facts.title import Scene, Title
from hovrik.core.finding import Finding
from hovrik.core.model.battery import Used
from hovrik.core.passes.figures import figures_of
from hovrik.core.passes.record import Origin
from hovrik.core.questions.question import Question
from hovrik.core.read import answer, response
from hovrik.core.read.in_the_way import with_what_is_in_the_way
from hovrik.core.read.rules import table, waits
from hovrik.core.read.rules.rule import Looked, Whole
from hovrik.core.stats.abrupt import abrupt
from hovrik.service.next_steps import asked_by, words_of

RIG = Rig("rig", "Rig", battery_wh=40.0, die_limit_c=95.0, refresh_hz=(40.0, 60.0, 80.0), memory_gb=16.0)
LEVELS = (8, 10, 12, 14, 16)


def passes(*, rate=lambda w: 20.0 + 2.0 * w, cap="none", setup=(), repeats=3, sd=0.004, levels=LEVELS, **values):
    """A ladder of passes; values : figures, as numbers or of the watts."""
    rng = np.random.default_rng(4)
    found = []
    for number in range(repeats):
        for w in levels:
            one = counted(w, rate(w) * 0.93, number, rate_fps=rate(w) * float(np.exp(rng.normal(0, sd))), cap=cap)
            own = {key: value(w) if callable(value) else value for key, value in values.items()}
            one = changed(one, **{"gpu_share": 97.0, "cpu_share": 50.0, "gpu_mhz": 100.0 * w, **own})
            knobs = dict(setup)
            point = replace(one.point, setup=one.point.setup.with_(**knobs), launch=f"l{number}")
            asked = one.asked.with_(**knobs)
            found.append(replace(one, id=f"{one.id}/{knobs}", point=point, asked=asked, round=f"plan/{number}"))
    return found


def whole(made, *, checks=(), question=QUESTION, rig=RIG, **facts):
    """What rules look at. checks : that every pass is said to have failed."""
    responses = response.read(made, question)
    looked = [
        Looked(one, frozenset(checks), plan="again" if one.id.startswith("again") else "plan", index=at)
        for at, one in enumerate(made)
    ]  # fmt: skip
    return Whole.of(responses, looked, question=question, context=answer.Context(rig, 22.0), rig=rig,
                    knobs=named(KNOWN), **facts)  # fmt: skip


def found(*args, **facts):
    """Ids of what is found, without the bottleneck, which is always told."""
    return {one.id for one in table.findings_of(whole(*args, **facts))} - {"waits"}


def told(made, **facts):
    """(what, held) of each level."""
    seen = whole(made, **facts)
    return [(one.what, one.held) for one in waits.waits_of(seen.responses[0], seen)]


def test_a_plain_sweep_has_no_findings_but_its_bottleneck():
    assert found(passes()) == set() and table.findings_of(whole([])) == ()


def test_two_runs_that_differ_by_chance_or_at_one_level_are_not_told_apart():
    one, other = passes(), again(passes(), 1.01)
    assert "runs-apart" not in found([*one, *other])
    mixed = [changed(p, mean_fps=p.figures.values["mean_fps"] * (0.85 if p.asked.static_limit_w != 8 else 1.05))
             for p in again(passes(), 1.0)]  # fmt: skip
    assert "runs-apart" not in found([*one, *mixed])


BY_GPU = {"gpu_share": 97.0, "cpu_share": 50.0}
STILL = {"gpu_mhz": 1500.0, "package_w": lambda w: min(0.99 * w, 11.0)}


@pytest.mark.parametrize(
    ("what", "held", "made", "checks"),
    [
        ("gpu", "limit", {**BY_GPU, "package_w": lambda w: 0.99 * w}, ()),
        ("cpu", "limit", {"gpu_share": 60.0, "cpu_share": 96.0, "cpu_mhz": lambda w: 200.0 * w}, ()),
        ("gpu", "ceiling", {**BY_GPU, **STILL}, ()),
        ("gpu", "heat", BY_GPU, ("throttled",)),
        ("gpu", "clamp", BY_GPU, ("clamp-at",)),
        ("mixed", "nothing", {"gpu_share": 80.0, "cpu_share": 82.0}, ()),
        ("untold", "nothing", {"gpu_share": 60.0, "cpu_share": 20.0}, ()),  # of all threads: of no frame
        ("pool", "nothing", BY_GPU, ("memory-full",)),
        ("engine", "nothing", BY_GPU, ("dynamic-resolution",)),
        ("bandwidth", "limit", {**BY_GPU, "rate": lambda w: 50.0 + 0.01 * w}, ()),
    ],
)  # fmt: skip
def test_the_bottleneck_in_two_parts(what, held, made, checks):
    assert set(told(passes(**made), checks=checks)) == {(what, held)}


def test_frames_at_their_cap_wait_for_it():
    made = passes(rate=lambda w: min(20.0 + 2.0 * w, 40.0), cap=40.0)
    kept = [replace(one, figures=replace(one.figures, tail=replace(one.figures.tail, slower=np.where(
        np.arange(one.figures.tail.slower.size) < 0, 0, 0).astype(np.float32)))) if one.asked["cap_fps"] == 40 and
        one.figures.values["mean_fps"] > 39 else one for one in made]  # fmt: skip
    assert ("cap", "nothing") in told(kept)


def off(made):
    """The same passes with boost off: less draw, the same rate."""
    return [replace(changed(one, draw_w=0.92 * one.figures.values["draw_w"]), id=f"off/{one.id}",
                    point=replace(one.point, setup=one.point.setup.with_(boost="off")),
                    asked=one.asked.with_(boost="off")) for one in made]  # fmt: skip


def drifting(made):
    return [changed(one, draw_w=one.figures.values["draw_w"] * (1 + 0.004 * at)) for at, one in enumerate(made)]


def jerked(made):
    """The same passes with frames of 100 ms among theirs, 66 a minute."""
    found = []
    for at, one in enumerate(made):
        rate = one.figures.values["mean_fps"]
        interval = np.full(int(60 * rate), 1000.0 / rate)
        interval[np.random.default_rng(at).choice(interval.size, 66, replace=False)] = 100.0
        figures = figures_of(record_of(trace_of(interval), 12.0), None)
        own = {key: one.figures.values[key] for key in ("memory_mb", "package_w") if key in one.figures.values}
        found.append(replace(one, figures=figures.with_(**own)))
    return found


def again(made, factor):
    """Another run of the same setups, at another rate."""
    return [
        replace(changed(one, mean_fps=one.figures.values["mean_fps"] * factor), id=f"again/{one.id}") for one in made
    ]  # fmt: skip


def warm(made):
    return [changed(one, draw_w=one.figures.values["draw_w"] * (1.05 if one.round.endswith("/0") else 1.0))
            for one in made]  # fmt: skip


SYNCED = {"setup": {"sync": "on", "refresh_hz": 40.0}}
MODES = replace(RIG, modes=(PowerMode("Hush", 5.0, adapter_w=65.0),), adapter_w=45.0)
MARKET = Title("t", "T", scenes=(Scene("scene", "Path", role="typical"), Scene("m", "Market", role="heaviest")))
STEPPED = {
    "levels": range(8, 20), "rate": lambda w: 15.0 * w**0.5 * (1.12 if w > 13 else 1.0), "sd": 0.002,
    "memory_mhz": lambda w: 2750.0 if w > 13 else 1600.0,
}  # fmt: skip
BOOSTED = passes(setup={"boost": "on"})


@pytest.mark.parametrize(
    ("name", "made", "facts"),
    [
        ("cap-never-reached", passes(cap=90.0), {}),
        ("cap-uneven", passes(cap=45.0, setup={"sync": "on", "refresh_hz": 60.0}), {}),
        ("refresh-unused", passes(cap=40.0, setup={"refresh_hz": 80.0}), {}),
        ("rendered-not-shown", passes(**SYNCED), {}),
        ("sync-locked", passes(), {"slot": OsSlot("s", "Fen", sync="locked on")}),
        ("overlay-stops-variable", passes(), {"checks": ("variable-refresh-off",), "slot": OsSlot("s", "Fen")}),
        ("limit-loose", passes(package_w=lambda w: min(w, 9.0)), {}),
        ("preset", passes(), {"rig": MODES}),
        ("adapter-small", passes(), {"rig": MODES}),
        ("heat-limited", passes(), {"checks": ("throttled",)}),
        ("knob-pays", [*BOOSTED, *off(BOOSTED)], {}),
        ("drift", drifting(passes()), {}),
        ("warm-up", warm(passes()), {}),
        ("runs-apart", [*passes(), *again(passes(), 0.88)], {}),
        ("limit-exceeded", passes(), {"checks": ("limit-exceeded",)}),
        ("clock-collapse", passes(), {"checks": ("clock-collapse",)}),
        ("charge-clamps", passes(charge_start_share=0.31), {"checks": ("under-clamp",)}),
        ("memory-full", passes(setup={"memory_split_gb": 4.0}, memory_mb=3950.0), {"checks": ("memory-full",)}),
        ("scene-short", passes(), {"scene": Scene("scene", "Path", load_time_constant_s=60.0)}),
        ("scene-not-heaviest", passes(), {"title": MARKET, "scene": MARKET.scenes[0]}),
        ("stutters", jerked(passes(memory_mb=3990.0, setup={"memory_split_gb": 4.0})), {}),
        ("stutters", jerked(passes()), {"title": Title("t", "T", memory_gb=24.0)}),
        ("memory-clock", passes(**STEPPED), {}),
        ("cap-uneven", passes(cap=40.0),
         {"slot": OsSlot("s", "Fen", sync="locked on"), "rig": replace(RIG, refresh_hz=(60.0,))}),
        ("inside-noise", passes(rate=lambda w: 45.0, sd=0.01), {}),
        ("version-behind", passes(), {"rig": replace(RIG, versions=(Version("firmware", "1", "2"),))}),
    ],
)  # fmt: skip
def test_each_rule_finds_what_was_planted_and_says_so(name, made, facts):
    if "heat" in name:
        made = [changed(one, die_c=94.0, errors={"die_c": 1.0}) for one in made]
    if facts.get("rig") is MODES:
        made = [counted(w, low, n) for w, low in zip(LEVELS, (30, 36, 41, 44, 45)) for n in range(3)]
    seen = [one for one in table.findings_of(whole(made, **facts)) if one.id == name]
    assert seen, found(made, **facts)
    assert all(one.evidence and Finding.from_dict(one.as_dict()) == one for one in seen)


@pytest.mark.parametrize(("wh", "is_off"), [(9.0, True), (11.3, False), (14.0, True), (11.9, False)])
def test_gauge_draw_and_what_is_noted_are_held_against_each_other(wh, is_off):
    """40 Wh noted, 30 % of a charge used at 18 W by 20 passes: some 11.4 Wh are to be expected."""
    seen = whole(passes())
    used = Used(wh, 0.3, 18.0, 0.95, 0.6, 20, 0.001)
    seen = replace(seen, context=replace(seen.context, used=used))
    said = [one for one in table.findings_of(seen) if one.id == "gauge-off"]
    assert bool(said) is is_off and (not said or "where 3" in said[0].evidence)
    few = replace(seen, context=replace(seen.context, used=replace(used, share=0.02)))
    assert "gauge-off" not in {one.id for one in table.findings_of(few)}


@pytest.mark.parametrize(
    ("used", "split", "which"), [(3950.0, 4.0, "fixed"), (7000.0, 4.0, "grown"), (15900.0, 4.0, "pool")]
)
def test_which_memory_is_full(used, split, which):
    seen = whole(passes(setup={"memory_split_gb": split}, memory_mb=used), checks=("memory-full",))
    assert f"rule.memory.{which}" in {one.message.id for one in table.findings_of(seen)}


def versions(*cells, rate=1.0):
    """Passes of cells (version, fan, degrees, rpm, factor on the rate) at the same levels."""
    made = []
    for number, (version, fan, hotter, rpm, slower) in enumerate(cells):
        own = passes(setup={"fan_policy": fan}, die_end_c=lambda w, by=hotter: 40.0 + 2.0 * w + by, fan_rpm=float(rpm))
        made += [replace(changed(one, mean_fps=one.figures.values["mean_fps"] * slower), id=f"{number}/{one.id}",
                         point=replace(one.point, versions={"rig/firmware": version}, conditions={"room_c": 22.0}))
                 for one in own]  # fmt: skip
    return made


OLD, NEW = ("1", "even", 0.0, 3700, 1.0), ("2", "even", 9.0, 2000, 0.95)
OLD_FULL, NEW_FULL = ("1", "full", -8.0, 6200, 1.01), ("2", "full", -8.0, 6200, 1.01)


@pytest.mark.parametrize(
    ("cells", "says"),
    [
        ((OLD, NEW), "To tell whether heat is the cause: the old version with a full fan and the new"),
        ((OLD, NEW, NEW_FULL), "the cause: the old version with a full fan."),
        ((OLD, NEW, OLD_FULL, NEW_FULL), "old and new are the same: heat is why it is 4.5 to 5.5 % slower"),
        ((OLD, NEW, OLD_FULL, (*NEW_FULL[:4], 0.96)), "heat is not the whole of it"),
    ],
)  # fmt: skip
def test_hotter_since_a_version_and_whether_heat_is_the_cause(cells, says):
    seen = [one for one in table.findings_of(whole(versions(*cells))) if one.id in ("hotter", "heat-cause")]
    text = " ".join(f"{one.evidence} {one.advice}" for one in seen)
    assert says in text and "degrees hotter at equal setting, at equal watts" in text, text
    assert not {"hotter", "heat-cause"} & found(versions(OLD, ("2", "even", 0.3, 3700, 1.0)))


def test_a_pair_that_differs_in_a_condition_too_tells_nothing():
    noted = [replace(one, point=replace(one.point, conditions={"overlay": "on"})) for one in off(BOOSTED)]
    plain = [replace(one, point=replace(one.point, conditions={"overlay": "off"})) for one in BOOSTED]
    assert "knob-pays" not in found([*plain, *noted])


def test_what_was_updated_at_once_is_told_as_one():
    drivers = {"1": "26.2", "2": "26.3"}
    made = []
    for one in versions(OLD, NEW):
        own = one.point.versions
        both = {**own, "slot/driver": drivers[own["rig/firmware"]]}
        made.append(replace(one, point=replace(one.point, versions=both)))
    (told,) = [one.evidence for one in table.findings_of(whole(made)) if one.id == "hotter"]
    assert told.startswith("since firmware and driver 2 and 26.3 (before 1 and 26.2)")


def test_what_was_imported_is_looked_at():
    made = passes()
    seen = whole(made)
    best = [replace(one, origin=Origin.SUMMARY, summary={"best_of": 2.0, "gauge_hours": 9.0, "charge_share": 80.0})
            for one in seen.passes[:3]]  # fmt: skip
    ids = {one.id for one in table.findings_of(Whole.of(seen.responses, [*best, *seen.passes[3:]], question=QUESTION,
                                                        context=seen.context, rig=RIG))}  # fmt: skip
    assert {"best-of", "gauge-estimate", "mixed-origins"} <= ids


def test_charge_that_cuts_power_has_a_button_that_counts_from_above():
    made = passes(charge_start_share=0.31)
    (said,) = [one for one in table.findings_of(whole(made, checks=("under-clamp",))) if one.id == "charge-clamps"]
    assert said.action == "remedy/charge/0.33" and words_of(said.action) == "Count from 33 % of charge"


@pytest.mark.parametrize(("made", "says", "tries"), [
    (passes(gpu_mhz=1600.0), "frames wait for the GPU, held down by its own highest clock, and not by watts.", False),
    (passes(), "frames wait for the GPU, held down by the power limit.", True),
    (passes(gpu_share=60.0, cpu_share=50.0), "", True),
])  # fmt: skip
def test_where_nothing_holds_what_is_in_the_way_is_named_before_more_watts_are_advised(made, says, tries):
    made = [changed(one, package_w=float(one.asked.static_limit_w)) for one in made]
    seen = whole(made, question=QUESTION.with_(target_fps=120.0), rig=replace(RIG, limit_low_w=5.0, limit_high_w=30.0))
    found = with_what_is_in_the_way(answer.build(seen.responses, seen.question, seen.context), seen)
    assert found.sentence.startswith("Nothing tried holds 120: the best, 16 W, has a")
    assert found.sentence.endswith(
        "Try limits above 16 W (the rig allows 30 W), or a lower floor." if tries else says
    ), found.sentence
    assert (found.reasons[0] == f"In the way: at 16 W {says}") is bool(says)
    assert any("limits" in one for one in found.missing) is tries


def test_a_refresh_is_left_high_on_the_adapter():
    asked = QUESTION.with_(source=Source.ADAPTER)
    assert "refresh-unused" not in found(passes(cap=40.0, setup={"refresh_hz": 80.0}), question=asked)


def test_what_to_do_is_a_question_of_its_own():
    assert asked_by("ask/caps", QUESTION).kind == "caps" and asked_by("", QUESTION) is None
    knob = asked_by("ask/knob/boost", QUESTION)
    assert (knob.kind, knob.parts["over"]) == ("knob", "boost") and isinstance(knob, Question)
    assert asked_by("scene/m", QUESTION).scene == "m" and words_of("scene/m") and words_of("ask/none") == ""


@pytest.mark.parametrize(("shape", "place"), [("step", (5, 11)), ("dent", (4, 5))])
def test_steps_and_dents_are_told_from_a_smooth_rise(shape, place):
    """Six and a half standard errors deep; smooth ladders show one in 5 % at most (200 of each)."""
    x, se = np.log(np.arange(8.0, 20.0)), np.full(12, 0.006)
    smooth = 0.9 * x - 0.12 * x**2
    rng = np.random.default_rng(1)
    moved = np.zeros(12)
    moved[place[0] : place[1] + 1] = 0.055 if shape == "step" else -0.055
    hits = sum(abrupt(x, smooth + moved + rng.normal(0, se), se).errors > response.DENT_SE for _ in range(200))
    false = sum(abrupt(x, smooth + rng.normal(0, se), se).errors > response.DENT_SE for _ in range(200))
    assert hits >= 180 and false <= 10
    sure = abrupt(x, smooth + moved, se)
    assert (sure.is_step, sure.first) == (shape == "step", place[0]) and abrupt(x[:5], x[:5], se[:5]) is None


def test_a_small_case_of_the_benchmark():
    sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
    try:
        import findings

        rows = findings._played(0, 1, 3)
    finally:
        sys.path.pop(0)
    sure = [(real, said) for part, real, said in rows if part in ("waits", "held") and real]
    assert len(sure) > 10 and sum(real == said for real, said in sure) >= 0.9 * len(sure)
    assert ("planted drift", "planted", "found") in rows
