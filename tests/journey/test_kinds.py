"""The kinds of questions in the window: asked in the question line, planned, run on the stand-in, answered."""

import re
from dataclasses import replace

import pytest
from helpers.window import opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.bench.simulated.machine import AS_FAST, SimulatedMachine
from hovrik.bench.simulated.model import load_model
from hovrik.core.errors import PlanError
from hovrik.core.facts.place import Source
from hovrik.core.facts.setup import static
from hovrik.core.keep.profile import Profile
from hovrik.core.kinds.table import KINDS
from hovrik.core.plan.grid import LadderDesign
from hovrik.demo.scenario import RIGS
from hovrik.service import profiles, sweeps
from hovrik.service.machines import open_machine
from hovrik.service.planning import with_part
from hovrik.store.notebook import Notebook

SHORT = LadderDesign(9, 15, 1, 40.0, repeats=3, pass_s=30, soak_s=10, settle_s=2, cool_s=5, seed=2)


def ask(window, kind):
    """Choose a kind in the question line."""
    line = window.question_line
    line.kind.setCurrentIndex(line.kind.findData(kind))
    assert window.session.question.kind == kind


def run(window, qtbot):
    """Start what Plan shows and wait for its end and its answer."""
    before = len(window.session.notebook.passes())
    with qtbot.waitSignal(window.runner.ended, timeout=120_000):
        QTest.keyClick(window, Qt.Key.Key_F5)
    qtbot.wait(300)
    return len(window.session.notebook.passes()) - before


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        commands.set_design(made.session, SHORT, "all")
        yield made


def answer(window):
    return window.session.evaluation.answer


def test_now(window, qtbot):
    ask(window, "now")
    assert not window.question_line.target.isVisible() and window.stage("Plan").figures["passes"].text() == "1"
    assert run(window, qtbot) == 1
    qtbot.waitUntil(lambda: "frames a second on average" in answer(window).sentence, timeout=20_000)
    assert window.session.evaluation.question.kind == "now"


def test_a_first_look(window, qtbot):
    ask(window, "first-look")
    plan = window.stage("Plan")
    assert int(plan.figures["passes"].text()) <= 5 and "min" in plan.figures["time"].text()
    assert run(window, qtbot) <= 5
    qtbot.waitUntil(lambda: any("finer look" in text for text in answer(window).missing), timeout=20_000)


def test_the_lowest_watts_pass_by_pass(window, qtbot):
    plan = window.stage("Plan")
    window.show_stage("Plan")
    plan.knobs.how.setCurrentIndex(plan.knobs.how.findData("search"))
    assert plan.figures["passes"].text() == "1" and "more follow" in plan.note.text()
    made = run(window, qtbot)
    assert 1 <= made <= 14
    qtbot.waitUntil(lambda: answer(window).option is not None, timeout=20_000)
    assert answer(window).option.level in (12.0, 13.0, 14.0)


def test_the_best_setup_is_found_verified_and_steered(window, qtbot):
    """From the question to a verified pick; what is never to be tried is not, what is to come next comes first."""
    ask(window, "best")
    window.show_stage("Plan")
    plan = window.stage("Plan")
    plan.knobs.options.setText("boost=off,on; cap_fps=40,none")
    plan.knobs.options.editingFinished.emit()
    assert plan.figures["passes"].text() == "1" and "more follow" in plan.note.text()
    made = run(window, qtbot)
    assert 4 <= made <= 30
    qtbot.waitUntil(lambda: answer(window).option is not None and not window.evaluator.is_busy, timeout=20_000)
    assert answer(window).option.setup["sustained_limit_w"] in (11.0, 12.0, 13.0, 14.0)
    page = plan.belief
    window.show_stage("Plan")
    plan.pages.show_page("Belief")
    assert "Found so far" in page.found.text() and page.plot.data["chance"] and not page.never.isEnabled()
    believed = answer(window).believed
    assert len(believed.setups) == 7 * 2 * 2 and believed.counts[believed.pick] >= 3
    page.plot.setFocus()
    page.choose(believed.pick)
    QTest.keyClick(page.plot, Qt.Key.Key_Up)
    assert page.chosen.text() and page.never.isEnabled() and page.plot._chosen != believed.pick
    page.choose(believed.pick)
    QTest.mouseClick(page.never, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: answer(window).believed.pick != believed.pick, timeout=20_000)
    (untried, *_) = (at for at, count in enumerate(believed.counts) if not count)
    page.choose(untried)
    QTest.mouseClick(page.try_next, Qt.MouseButton.LeftButton)
    before = len(window.session.notebook.passes())
    QTest.keyClick(window, Qt.Key.Key_F5)
    qtbot.waitUntil(lambda: len(window.session.notebook.passes()) > before, timeout=60_000)
    window.stop_sweep()
    qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
    later = [one.asked for one in window.session.notebook.passes()[before:]]
    assert later[0] == believed.setups[untried] and believed.setups[believed.pick] not in later


def test_whether_a_knob_pays(window, qtbot):
    ask(window, "knob")
    window.show_stage("Plan")
    plan = window.stage("Plan")
    assert "Which knob" in plan.problem.text() and not plan.start.isEnabled()
    plan.knobs.knob.setCurrentIndex(plan.knobs.knob.findData("boost"))
    assert plan.knobs.levels.text() and plan.start.isEnabled() and plan.figures["passes"].text() == "8"
    plan.knobs.levels.setFocus()
    plan.knobs.levels.setText("off")
    QTest.keyClick(plan.knobs.levels, Qt.Key.Key_Return)
    assert "one level only" in plan.problem.text()
    window.session.undo_stack.undo()
    assert plan.start.isEnabled()
    assert run(window, qtbot) == 8
    qtbot.waitUntil(lambda: bool(answer(window).contrasts), timeout=20_000)
    figures = {one.figure for one in answer(window).contrasts}
    assert {"draw_w", "package_w"} <= figures and answer(window).sentence
    said = answer(window).sentence
    assert re.search(r"[Bb]oost off: [0-9.]+ frames a second, [0-9.]+ W, .* from full; boost on: ", said), said
    assert "how far passes scatter here is known from 36 passes before these" in answer(window).reasons


def test_a_recipe_is_what_a_knob_is_asked_around(window, qtbot):
    """Typed, then taken from a profile that was kept; what is asked about stays out of it, what cannot be is said."""
    ask(window, "knob")
    window.show_stage("Plan")
    plan, session = window.stage("Plan"), window.session
    form = plan.knobs
    form.knob.setCurrentIndex(form.knob.findData("boost"))

    def setups():
        return {one.setup for one in session.planned_passes()[0]}

    def typed(text):
        form.recipe.setFocus()
        form.recipe.selectAll()
        QTest.keyClicks(form.recipe, text)
        QTest.keyClick(form.recipe, Qt.Key.Key_Return)

    typed("limit_w=11; cap_fps=30; boost=on; refresh_hz=60")
    assert {(s.static_limit_w, s["cap_fps"], s["refresh_hz"]) for s in setups()} == {(11.0, 30.0, 60.0)}
    assert {s["boost"] for s in setups()} == {"off", "on"}
    assert form.recipe.text() == "limit_w=11; cap_fps=30; refresh_hz=60"
    typed("limit_w=900")
    assert "outside this rig's range" in plan.problem.text()
    typed("warp=9")
    assert "cannot be read" in plan.problem.text() and {s.static_limit_w for s in setups()} == {11.0}
    typed(" ")
    assert "refresh_hz" not in next(iter(setups()))
    question = session.question
    body = {**{k: question.keys[k] for k in ("rig", "slot", "title", "scene")}, "source": "battery",
            "setup": static(9.0, 35.0).as_dict(), "target_fps": 35.0, "holds": 0.9, "sentence": "", "metrics": {},
            "passes": []}  # fmt: skip
    profiles.keep(session.notebook, Profile(body))
    session.question_changed.emit()
    form.profile.setCurrentIndex(form.profile.findText("9 W, cap 35"))
    assert {(s.static_limit_w, s["cap_fps"]) for s in setups()} == {(9.0, 35.0)}
    session.undo_stack.undo()
    assert {s.static_limit_w for s in setups()} != {9.0}


def test_the_slider_goes_from_minutes_to_resolution(window, qtbot):
    window.show_stage("Plan")
    plan = window.stage("Plan")
    before = plan.totals.minutes, plan.note.text()
    plan.knobs.finer.setFocus()
    QTest.keyClick(plan.knobs.finer, Qt.Key.Key_Right)
    QTest.keyClick(plan.knobs.finer, Qt.Key.Key_Right)
    assert window.session.design.repeats == plan.knobs.repeats.value() == plan.knobs.finer.value()
    assert plan.totals.minutes > before[0] and plan.note.text() != before[1]
    window.session.undo_stack.undo()
    assert plan.knobs.finer.value() == window.session.design.repeats


def test_a_knob_flipped_while_playing(window, qtbot):
    ask(window, "flip")
    window.show_stage("Plan")
    plan = window.stage("Plan")
    plan.knobs.knob.setCurrentIndex(plan.knobs.knob.findData("boost"))
    assert plan.figures["passes"].text() == "4" and "more follow" in plan.note.text()
    assert not plan.knobs.pass_s.isVisible() and plan.start.isEnabled()
    made = run(window, qtbot)
    assert made >= 4 and made % 2 == 0
    qtbot.waitUntil(lambda: "pair" in answer(window).sentence, timeout=20_000)
    records = window.session.notebook.passes()
    assert {record.purpose for record in records[-made:]} == {"flip"}
    ask(window, "lowest-watts")
    qtbot.waitUntil(lambda: window.session.evaluation.question.kind == "lowest-watts", timeout=20_000)
    qtbot.waitUntil(lambda: answer(window).option is not None, timeout=20_000)
    assert window.session.evaluation.context.counted == 36  # blocks of a flip enter no other figure


def test_options_are_typed_and_a_new_title_is_looked_at_first(window):
    ask(window, "options-cost")
    window.show_stage("Plan")
    plan = window.stage("Plan")
    assert "takes 2 to 11" in plan.problem.text()
    plan.knobs.options.setFocus()
    plan.knobs.options.setText("boost=off,on; refresh_hz=60,80")
    QTest.keyClick(plan.knobs.options, Qt.Key.Key_Return)
    assert plan.figures["passes"].text() == "36" or plan.figures["passes"].text() == "12"
    assert window.session.planned_question().parts["over"] == "boost"
    ask(window, "lowest-watts")
    line, measured = window.question_line, window.session.question.title
    other = next(at for at in range(line.scene.count()) if not str(line.scene.itemData(at)).startswith(f"{measured}/"))
    line.scene.setCurrentIndex(other)
    assert window.session.question.kind == "first-look"
    minutes = plan.figures["time"].text()
    assert "h" not in minutes and int(minutes.split()[0]) <= 10


def test_battery_and_adapter_in_one_plan_with_a_mode_beside(tmp_path):
    """A laptop that is held to 30 W on the battery: it loses there, is back on the battery, and
    every pass has the source that it was made on."""
    model = load_model(RIGS / "hollin-17.toml")
    own = SimulatedMachine(model, tmp_path / "state.json", pace=AS_FAST, seed=1)
    with Notebook(tmp_path / "n.hovrik") as notebook:
        request = sweeps.Request("plugged", knobs={"limit_w": "45"})
        found = sweeps.as_dict(sweeps.sweep(own, request, notebook))
        sources = [record.conditions["source"].value for record in notebook.passes()]
    assert "plays worse than on the adapter" in found["sentence"], found
    assert sources.count("battery") == sources.count("adapter") == 4
    assert own.source() is Source.BATTERY


def test_a_claim_is_typed_in_its_parts_tested_and_refuted(window, qtbot):
    """That a lower limit doubles the hours is not so here: 12 W against 16 W gives about a third more."""
    ask(window, "claim")
    window.show_stage("Plan")
    plan, fields = window.stage("Plan"), window.stage("Plan").knobs.claim
    assert "What does the claim set?" in plan.problem.text() and not plan.start.isEnabled()
    for field, text in ((fields.before, "limit_w=16"), (fields.after, "limit_w=12")):
        field.setFocus()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    fields.figure.setCurrentIndex(fields.figure.findData("hours"))
    fields.percent.setValue(100.0)
    assert plan.start.isEnabled() and window.session.question.parts["claim"]["percent"] == 100.0
    assert run(window, qtbot) >= 4
    qtbot.waitUntil(lambda: answer(window).sentence.startswith("Not true here: 12 W changes hours"), timeout=20_000)
    assert any("the base is 16 W" in one for one in answer(window).reasons)
    fields.percent.setValue(float(round(answer(window).says.values["by"].number)))
    qtbot.waitUntil(lambda: answer(window).sentence.startswith("Confirmed here"), timeout=20_000)


def test_a_whole_charge_is_played_and_the_prediction_is_true(window, qtbot):
    """From full to the reserve in one pass that no window of charge ends; read by its charge, and as a runtime."""
    rig = replace(window.session.rig, charge_limit=0.76, reserve=0.44)  # a third of a charge, its clamp within
    window.session.set_rig(rig)
    ask(window, "runtime-true")
    window.show_stage("Plan")
    knobs = window.stage("Plan").knobs
    assert not knobs.pass_s.isVisible()
    knobs.from_w.setValue(13.0)
    commands.set_design(window.session, replace(window.session.design, cap_fps=40.0), "cap")
    assert run(window, qtbot) == 1
    qtbot.waitUntil(lambda: "were measured" in answer(window).sentence, timeout=20_000)
    assert answer(window).sentence.startswith("The prediction is true"), answer(window).sentence
    emptied = window.session.notebook.passes()[-1]
    assert emptied.purpose == "discharge" and emptied.conditions["charge_end_share"].value <= 0.45
    ask(window, "over-charge")
    qtbot.waitUntil(lambda: bool("charge" in answer(window).sentence and answer(window).reasons), timeout=20_000)
    assert any("stutters a minute" in one for one in answer(window).reasons)
    assert "between 50 % and 49 % from 13" in answer(window).sentence, answer(window).sentence  # the stand-in's clamp
    ask(window, "lowest-watts")
    qtbot.waitUntil(lambda: window.session.evaluation.question.kind == "lowest-watts", timeout=20_000)
    qtbot.waitUntil(lambda: answer(window).option is not None, timeout=20_000)
    assert window.session.evaluation.context.counted == 36  # it enters no other figure


def test_an_undervolt_is_asked_about_by_itself_and_with_a_caution(window, qtbot):
    window.show_stage("Plan")
    plan = window.stage("Plan")
    ask(window, "knob")
    assert not any("offset" in str(plan.knobs.knob.itemData(at)) for at in range(plan.knobs.knob.count()))
    ask(window, "undervolt")
    assert plan.knobs.caution.isVisible() and "never raised" in plan.knobs.caution.text()
    (first,), whole = window.session.planned_passes()
    assert first.setup["cpu_offset_mv"] == first.setup["gpu_offset_mv"] == 0.0 and not whole and plan.start.isEnabled()
    with pytest.raises(PlanError, match="cannot set cpu_offset_mv"):
        sweeps.prepared(open_machine(window.session.address), sweeps.Request("best", knobs={"cpu_offset_mv": "-10,0"}))


def test_an_undervolt_on_a_hidden_margin_notes_its_faults_and_backs_off(window, qtbot):
    """Nothing at or under a fault is tried again, each is an incident, and what is kept lies above both margins."""
    physics = load_model(RIGS / "ombrel-8.toml").physics
    ask(window, "undervolt")
    short = replace(SHORT, soak_s=120.0, pass_s=20.0)
    commands.set_design(window.session, short, "short")
    before = len(window.session.notebook.passes())
    run(window, qtbot)
    qtbot.waitUntil(lambda: "under load" in answer(window).sentence, timeout=20_000)
    notebook = window.session.notebook
    made = [(one.asked["cpu_offset_mv"], one.asked["gpu_offset_mv"]) for one in notebook.passes()[before:]]
    faults = [(one.setup["cpu_offset_mv"], one.setup["gpu_offset_mv"]) for one in notebook.incidents()]

    def told():
        return [one for one in answer(window).reasons if "a fault at" in one]

    qtbot.waitUntil(lambda: len(set(told())) == len(set(faults)), timeout=30_000)  # the last pass is read, too
    assert faults and len(told()) == len(set(told()))
    for fault in faults:
        first = made.index(fault)
        assert not any(cpu <= fault[0] and gpu <= fault[1] for cpu, gpu in made[first + 1 :])
    kept = {word: float(mv) for word, mv in re.findall(r"(CPU|GPU) (-\d+) mV", answer(window).sentence)}
    assert kept and kept.get("CPU", 0.0) > -physics.undervolt_margin_mv
    assert kept.get("GPU", 0.0) > -physics.undervolt_gpu_margin_mv and answer(window).option is None
    assert all(-100 <= value <= 0 for pair in made for value in pair)
    assert open_machine(window.session.address).snapshot().as_setup()["cpu_offset_mv"] == 0.0


def test_another_question_is_read_along_what_it_is_about(window, qtbot):
    session, read = window.session, window.stage("Read")
    window.show_stage("Read")
    session.read_along("slot")
    qtbot.waitUntil(lambda: session.evaluation.factor.id == "slot", timeout=20_000)
    ask(window, "knob")
    commands.set_question(session, with_part(session.question, over="boost", levels={"boost": ["off", "on"]}))
    assert session.over == ""
    qtbot.waitUntil(lambda: session.evaluation.factor.id == "boost", timeout=20_000)
    read.session.read_along("limit_w")
    qtbot.waitUntil(lambda: session.evaluation.factor.id == "limit_w", timeout=20_000)


def test_no_kind_minds_a_ladder_that_ends_below_its_start(window):
    """Found by the monkey: levels that are not there were counted on."""
    window.show_stage("Plan")
    commands.set_design(window.session, LadderDesign(15, 9, 1, 40.0), "upside down")
    for kind in sorted(KINDS):
        ask(window, kind)
        plan = window.stage("Plan")
        assert not plan.start.isEnabled() and "below its start" in plan.problem.text(), kind
