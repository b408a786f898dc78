"""A rig run by hand: from plan to stored passes in two OS slots on the real window; the machine alone; stopping."""

import math
import re
import time
from dataclasses import replace

import numpy as np
import pytest
from helpers.build import left, trace_of, wandering
from helpers.window import click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QKeySequence
from PyQt6.QtTest import QTest
from unit.test_runner import Log

from hovrik.app.guide import Request
from hovrik.app.widgets.guide_panel import GuidePanel
from hovrik.bench.by_hand.guided import GuidedMachine, Readings
from hovrik.bench.clock import SteppedClock
from hovrik.bench.job import Control, Job
from hovrik.bench.protocol import Instruction, Need
from hovrik.bench.runner import run
from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import OsSlot, Rig
from hovrik.core.facts.title import Scene, Title
from hovrik.core.passes.figure import BY_ID
from hovrik.core.passes.hand import GaugeReading, GaugeUnit
from hovrik.core.passes.verdict import State, judge
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.core.questions.question import lowest_watts
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.store.notebook import Notebook
from hovrik.store.stills import pixels_of, stills

RIG = Rig("hearthside-9", "Hearthside 9", 5.0, 25.0, battery_wh=50.0, refresh_hz=(60.0,),
          slots=(OsSlot("moss", "Moss 4"), OsSlot("flint", "Flint 2")))  # fmt: skip
TITLE = Title("copper-ferry", "Copper Ferry", scenes=(Scene("deck", "Ferry deck", start_mark="the whistle"),))
DESIGN = LadderDesign(10, 12, 2, None, repeats=1, pass_s=20, settle_s=0, soak_s=10, cool_s=0)
QUESTION = lowest_watts(RIG.key, "moss", TITLE.key, "deck", target_fps=30.0)


class Scripted:
    """A person who does everything at once and brings a log of 35 s."""

    def __init__(self, answers=True):
        self.told, self.answers = [], answers

    def do(self, instruction):
        self.told.append(instruction.text)
        return self.answers

    def has_ended(self):
        return False

    def cut(self):
        self.told.append("withdrawn")

    def bring(self, instruction):
        self.told.append(instruction.text)
        return Readings(
            trace_of(wandering(30, 40)), GaugeReading(GaugeUnit.WH, 40.0, 39.85), die_c=61.0, seen=("stutter",)
        )


def guided(person):
    """A machine on a clock of its own."""
    return GuidedMachine(RIG, [TITLE], "moss", person, SteppedClock())


def seconds_left(panel, qtbot):
    """What the panel says is left of the measuring, s of the machine."""
    qtbot.waitUntil(lambda: panel.text.text().startswith("Measuring"), timeout=60_000)
    return int(re.search(r"(\d+) s left", panel.text.text()).group(1))


def test_instructions_readings_and_honest_provenance():
    person, log = Scripted(), Log()
    job = Job("plan", ordered_passes(DESIGN, RIG), {}, TITLE.key, "deck", RIG, "flint")
    ended = run(guided(person), job, log, Control(), log.announce)
    assert ended.done == 2 and ended.restored
    assert person.told[0] == "Restart into Flint 2."
    assert "sustained, short and peak all" in person.told[1] and "at the whistle" in person.told[2]
    assert person.told[-1].startswith("Put the limits back")
    record = log.records[0]
    assert record.trace.interval_ms().sum() == pytest.approx(20_000, rel=0.02)  # the soak is cut off by the marks
    assert record.trace.measured("battery_w").mean() == pytest.approx(0.15 / (30 / 3600), rel=0.02)
    assert record.conditions["draw_sd_w"].value == pytest.approx(
        math.hypot(0.01 / 6**0.5 * 120, 2**0.5 * 0.5 / 30 * 18, 8.0 * 0.3 / 30 * 18), rel=0.02
    )  # the step, the moments of two readings 30 s apart, the gauge's lag, at 18 W
    assert record.trace.channels["die_c"].values.tolist() == [61.0] and record.conditions["seen"].value == "stutter"
    assert all(not r.confirmed for r in guided(person).snapshot().readings.values()) and set(LIMITS) <= set(
        record.asked
    )


def test_a_person_who_stops_leaves_the_offer_open():
    log = Log()
    job = Job("plan", ordered_passes(DESIGN, RIG), {}, TITLE.key, "deck", RIG)
    machine = guided(Scripted(answers=False))
    ended = run(machine, job, log, Control(), log.announce)
    assert ended.restored  # nothing had been set
    machine.person = Scripted()
    machine.needs_person(Instruction(Need.SET_BY_HAND, "set it"))
    machine.apply(ordered_passes(DESIGN, RIG)[0].setup)
    machine.person = Scripted(answers=False)
    assert run(machine, job, Log(), Control(), log.announce).restored is False


@pytest.fixture
def notebook(tmp_path):
    """A notebook with a rig that no program can drive."""
    path = tmp_path / "hand.hovrik"
    with Notebook(path) as made:
        library.save_rig(made, RIG)
        library.save_title(made, TITLE)
        made.set_state("question", QUESTION.as_dict())
        made.set_state("design", DESIGN.as_dict())
    return path


def by_hand(window, qtbot, bring, key=Qt.Key.Key_Space):
    """Follow the instructions of one run to its end, confirming by a key; bring() : files of the next pass; what was
    said."""
    panel, said = window.bench.guide, []
    window.guide.speed = 30.0  # a stall of the computer is not to be a pass of another length
    click(window.stage_buttons["Bench"])
    click(window.bench.start)
    if panel.once_area.isVisible():  # asked before the first sweep only
        said.append(panel.text.text())
        click(panel.done)
    while True:
        qtbot.waitUntil(lambda: panel.request is not None or not window.runner.is_running, timeout=60_000)
        if panel.request is None:
            return said
        said.append(panel.text.text())
        asked = panel.request
        if asked.wants_readings:
            panel.open_file(*bring())
            qtbot.waitUntil(lambda: panel.log is not None, timeout=60_000)
            panel.fields["gauge_start"].setText("40")
            panel.fields["gauge_end"].setText("39,85")
            QTest.keyClick(panel.tags["stutter"], Qt.Key.Key_Space)  # a tag, not the mark
            click(panel.done)
        else:
            QTest.keyClick(panel.done, key)
        assert panel.request is not asked  # at once


def test_from_plan_to_stored_passes_in_two_slots(notebook, tmp_path, qtbot):
    sensors, made = tmp_path / "sensors.csv", []

    def bring():
        """A log of its own for every pass, with the same telemetry beside it, now before and now after it."""
        log = tmp_path / f"log {len(made)}.csv"
        intervals = wandering(30, 40, seed=len(made))
        stamps = (f"2026-03-01 20:{4 + int(s // 60):02d}:{s % 60:06.3f}" for s in np.cumsum(intervals) / 1000)
        log.write_text("frame time ms,clock\n" + "\n".join(f"{v:.4f},{at}" for v, at in zip(intervals, stamps)))
        made.append(log)
        return (log, sensors) if len(made) % 2 else (sensors, log)

    sensors.write_text("time,shell (C)\n" + "\n".join(f"2026-03-01 20:04:{s:02d},41" for s in range(2, 28)))
    with opened(notebook, qtbot) as window:
        assert window.bench_line.machine.text() == "run by hand"
        said = by_hand(window, qtbot, bring)
        assert "asked once" in said.pop(0)
        assert said[0] == "Restart into Moss 4." and said[-1].startswith("Put the limits back")
        assert any("Set 10 W" in text for text in said)
        assert "2 of 2 passes are kept" in window.bench.state.text()
        window.session.set_question(QUESTION.with_(slot="flint"))
        window.bench.guide.mark.take(QKeySequence("F12"))
        assert window.bench.guide.done.text() == "Done (F12)"
        assert by_hand(window, qtbot, bring, Qt.Key.Key_F12)[0] == "Restart into Flint 2."
        window.bench.guide.mark.take(QKeySequence())
        records = window.session.notebook.passes()
        assert len(records) == 4 and {r.conditions["seen"].value for r in records} == {"stutter"}
        assert {r.conditions["telemetry"].value for r in records} == {"sensors.csv, by time stamps"}
        qtbot.waitUntil(lambda: len(window.session.evaluation.views) == 2, timeout=60_000)
        for (
            view
        ) in window.session.evaluation.views:  # 0.15 Wh over as long as it took, which is 30 s on an idle machine
            took_s = window.session.notebook.load(view.record.id).trace.channels["battery_w"].stamps_ns.size
            assert view.figures.value("draw_w") == pytest.approx(0.15 * 3600 / took_s, rel=0.05)
        level = window.session.evaluation.responses[0].groups[0]
        assert level.draw.se > 0.03 > BY_ID["draw_w"].prior_sd  # the readings decide what the draw is worth


def test_the_gauge_is_asked_at_the_start_and_goes_on_from_pass_to_pass(qtbot):
    panel = GuidePanel()
    qtbot.addWidget(panel)
    start, bring = Instruction(Need.START, "Start it."), Instruction(Need.BRING, "Bring it.")
    panel.ask(Request(Instruction(Need.SET_BY_HAND, "Set 10 W."), wants_readings=False))
    assert not panel.gauge_now.isVisible()
    panel.ask(Request(start, wants_readings=False))
    assert panel.gauge_now.isVisible() and panel.gauge_now.text() == ""
    panel.gauge_now.setText("40")
    click(panel.done)
    request = Request(bring, wants_readings=True)
    panel.ask(request)
    assert panel.fields["gauge_start"].text() == "40"
    panel.fields["gauge_end"].setText("39.8")
    panel.fields["mean_fps"].setText("41,5")
    click(panel.done)
    assert request.answer.gauge.start == 40 and request.answer.mean_fps == 41.5
    panel.ask(Request(start, wants_readings=False))
    assert panel.gauge_now.text() == "39.8", "where the last pass ended"


def test_a_mean_rate_and_temperatures_without_a_log_are_kept_and_shown(notebook, qtbot):
    with opened(notebook, qtbot) as window:
        window.session.set_design(replace(DESIGN, from_w=10, to_w=10, repeats=1))
        panel = window.bench.guide
        window.guide.speed = 400.0
        window.show_stage("Bench")
        click(window.bench.start)
        click(panel.done)
        while window.runner.is_running:
            qtbot.waitUntil(lambda: panel.request is not None or not window.runner.is_running, timeout=60_000)
            if panel.request is not None:
                if panel.request.wants_readings:
                    panel.fields["mean_fps"].setText("41.5")
                    panel.fields["die_c"].setText("61")
                click(panel.done)
        session = window.session
        qtbot.waitUntil(lambda: bool(session.evaluation is not None and session.evaluation.views), timeout=60_000)
        (view,) = window.session.evaluation.views
        assert view.record.summary["mean_fps"] == 41.5 and view.figures.value("mean_fps") == 41.5
        window.show_stage("Read")
        window.session.select_pass(view.record.id)
        assert "die 61 C at the end" in window.stage("Read").one_pass.words.text()


def test_columns_nobody_knows_can_be_said_from_the_guided_panel(notebook, qtbot, tmp_path):
    log = tmp_path / "odd.csv"
    log.write_text("thing\n" + "\n".join(f"{1000 / v:.3f}" for v in wandering(30, 40)))
    with opened(notebook, qtbot) as window:
        window.show_stage("Bench")
        panel = window.bench.guide
        panel.ask(Request(Instruction(Need.BRING, "Bring it."), wants_readings=True))
        window.bench.pages.show_page("By hand")
        panel.open_file(log)
        qtbot.waitUntil(lambda: panel.map_columns.isVisible(), timeout=60_000)
        click(panel.map_columns)
        dialog = window.import_dialog
        qtbot.waitUntil(lambda: dialog.frame_column.count() == 1, timeout=60_000)
        dialog.frame_unit.setCurrentIndex(dialog.frame_unit.findData("ms"))
        qtbot.waitUntil(dialog.accept_.isEnabled, timeout=60_000)
        assert dialog.accept_.text() == "These are its columns"
        click(dialog.accept_)
        qtbot.waitUntil(lambda: panel.log is not None, timeout=60_000)
        assert "Mean" in panel.message.text() or "mean" in panel.message.text()
        assert window.session.notebook.passes() == [], "nothing was imported by it"


def test_a_log_from_a_watched_folder_is_that_of_the_pass(tmp_path, qtbot):
    panel = GuidePanel()
    qtbot.addWidget(panel)
    panel.watch.watch(tmp_path)
    (tmp_path / "pass.csv").write_text("frame time ms\n" + "\n".join(f"{v:.4f}" for v in wandering(30, 40)))
    panel.watch.look()
    panel.watch.look()  # whole before the person is asked
    panel.ask(Request(Instruction(Need.SET_BY_HAND, "Bring it."), wants_readings=True))
    qtbot.waitUntil(lambda: panel.message.text().startswith("pass.csv: 30 s"), timeout=60_000)
    panel.fields["gauge_start"].setText("39")
    panel.fields["gauge_end"].setText("40")
    click(panel.done)
    assert "from 39 to 40 Wh" in panel.message.text() and panel.isVisible()
    panel.watch.watch(tmp_path / "none")
    assert "cannot be read" in panel.message.text()


def test_stop_withdraws_the_instruction(notebook, qtbot):
    with opened(notebook, qtbot) as window:
        click(window.stage_buttons["Bench"])
        panel = window.bench.guide
        click(window.bench.start)
        qtbot.waitUntil(lambda: panel.isVisible(), timeout=60_000)
        click(panel.done)  # everything stays unknown
        qtbot.waitUntil(lambda: panel.request is not None, timeout=60_000)
        click(window.bench_line.stop)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        assert not panel.isVisible()


def test_skip_leaves_one_pass_and_asks_for_the_next(notebook, qtbot):
    """Skipped while an instruction waits, and while the readings do; the sweep goes on and stores nothing for them."""
    with opened(notebook, qtbot) as window:
        window.session.set_design(replace(DESIGN, from_w=10, to_w=14, repeats=1))
        click(window.stage_buttons["Bench"])
        panel = window.bench.guide
        window.guide.speed = 400.0
        click(window.bench.start)
        qtbot.waitUntil(lambda: panel.isVisible(), timeout=60_000)
        click(panel.done)  # everything stays unknown
        texts = []

        def asked(start):
            qtbot.waitUntil(lambda: panel.request is not None and panel.text.text().startswith(start), timeout=60_000)
            texts.append(panel.text.text())

        asked("Restart into ")
        click(panel.done)
        asked("Set ")
        click(window.bench.skip)
        qtbot.waitUntil(lambda: panel.request is not None and panel.text.text() != texts[1], timeout=60_000)
        asked("Set ")  # the next pass, not the end
        assert window.runner.is_running and texts[1] != texts[2]
        click(panel.done)
        asked("Start ")
        click(panel.done)
        asked("The time is up")
        click(window.bench.skip)
        asked("Set ")
        click(panel.done)
        asked("Start ")
        click(panel.done)
        asked("The time is up")
        panel.fields["gauge_start"].setText("40")
        panel.fields["gauge_end"].setText("39.8")
        click(panel.done)
        asked("Put the limits back")
        click(panel.done)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        assert len(window.session.notebook.passes()) == 1
        assert "1 of 3 passes are kept" in window.bench.state.text()


def test_the_mark_key_at_once_leaves_no_valid_pass(tmp_path):
    """The end is marked before the scene has begun in earnest: what was brought lies outside the marks."""

    class Hasty(Scripted):
        def has_ended(self):
            return True

        def bring(self, instruction):
            return Readings()

    log = Log()
    run(guided(Hasty()), Job("plan", ordered_passes(DESIGN, RIG), {}, TITLE.key, "deck", RIG), log, Control(),
        log.announce)  # fmt: skip
    assert log.records and all(judge(record, RIG).state is State.VOID for record in log.records)


def test_a_log_that_was_brought_before_is_not_taken_again(tmp_path, qtbot):
    path = tmp_path / "pass.csv"
    path.write_text("frame time ms\n" + "\n".join(f"{v:.4f}" for v in wandering(30, 40)))
    known = set()
    panel = GuidePanel(known_logs=lambda: known)
    qtbot.addWidget(panel)
    panel.ask(Request(Instruction(Need.BRING, "Bring it."), wants_readings=True))
    panel.open_file(path)
    qtbot.waitUntil(lambda: panel.log is not None, timeout=60_000)
    known.add(panel.log.conditions["log_part"].value)
    panel.open_file(path)
    qtbot.waitUntil(lambda: "in the notebook already" in panel.message.text(), timeout=60_000)
    assert panel.log is None


def test_a_sweep_by_hand_that_was_cut_short_is_offered(notebook):
    with Notebook(notebook) as opened_:
        plan = sweep.keep_plan(opened_, QUESTION, DESIGN)
        opened_.begin_run(plan, {"kind": "by hand", "rig": RIG.key}, left(guided(Scripted()).snapshot(), LIMITS))
        ((entry, done, planned),) = sweep.unfinished(opened_)
        assert "Put back what you set by hand" in sweep.describe_run(entry, done, planned)
        for is_done in (None, lambda words: False):  # a click that says nothing was done closes nothing
            back = sweep.put_back(opened_, entry, is_done=is_done)
            assert "only who set it" in back.words and len(sweep.unfinished(opened_)) == 1
        assert sweep.put_back(opened_, entry, is_done=lambda words: True).is_whole and sweep.unfinished(opened_) == []


def say_it_is_back(window, qtbot):
    """What a stopped run asks for last, and believes by a yes only."""
    panel = window.bench.guide

    def is_asked():
        return panel.request is not None and panel.request.instruction.need is Need.PUT_BACK

    qtbot.waitUntil(is_asked, timeout=60_000)
    click(panel.done)
    qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
    assert window.session.notebook.open_runs() == []


def test_the_end_of_the_scene_by_its_own_key(notebook, qtbot):
    """A scene ends when it ends: the end key cuts the time short, and the pass is not called too short for it."""
    with opened(notebook, qtbot) as window:
        window.session.set_design(replace(DESIGN, to_w=10, pass_s=900))
        click(window.stage_buttons["Bench"])
        click(window.bench.start)
        panel = window.bench.guide
        click(panel.done)
        window.guide.speed = 20.0
        while not panel.is_timing:
            qtbot.waitUntil(lambda: panel.request is not None, timeout=60_000)
            QTest.keyClick(panel.done, Qt.Key.Key_Space)
        assert not panel.end.isEnabled()  # the soak has no end to mark
        qtbot.waitUntil(lambda: panel.end.isEnabled(), timeout=60_000)
        assert "s left" in panel.text.text() and panel.text.text().startswith("Measuring")
        panel.end_mark.take(QKeySequence("F11"))
        assert "is the key for Full screen" in panel.end_mark.edit.toolTip()
        panel.end_mark.take(QKeySequence("F7"))
        left = seconds_left(panel, qtbot)
        qtbot.waitUntil(lambda: seconds_left(panel, qtbot) <= left - 8, timeout=60_000)
        QTest.keyClick(panel.done, Qt.Key.Key_F7)
        qtbot.waitUntil(lambda: panel.readings.isVisible(), timeout=60_000)
        assert panel.text.text().startswith("It is over")
        panel.end_mark.take(QKeySequence())
        click(panel.done)
        qtbot.waitUntil(lambda: bool(window.session.notebook.passes()), timeout=60_000)
        (record,) = window.session.notebook.passes()
        assert 5 < record.conditions["planned_s"].value < 200
        assert record.conditions["planned_s"].provenance.value == "asked"
        qtbot.waitUntil(lambda: len(window.session.evaluation.views) == 1, timeout=60_000)
        findings = {f.check for f in window.session.evaluation.views[0].verdict.findings}
        assert "wrong length" not in findings
        click(window.bench_line.stop)
        say_it_is_back(window, qtbot)


def test_passes_without_a_log_are_shown_for_what_they_are(notebook, qtbot):
    """Only a gauge was read: no rate, no low, nothing to draw, and a table that says so."""
    with Notebook(notebook) as opened_:
        plan = sweep.keep_plan(opened_, QUESTION, DESIGN)
        person = Scripted()
        person.bring = lambda _: Readings(gauge=GaugeReading(GaugeUnit.WH, 40.0, 39.85))
        ended = sweep.run_plan(opened_, plan, guided(person), {"kind": "by hand", "rig": RIG.key}, Control(), print)
        assert ended.done == 2
    with opened(notebook, qtbot) as window:
        click(window.stage_buttons["Read"])
        read = window.stage("Read")
        qtbot.waitUntil(lambda: read.table.model_.rowCount() == 2, timeout=60_000)
        assert not window.session.evaluation.views[0].figures.frames
        for stage in ("Choose", "Scene", "Rig", "Keep", "Bench"):
            click(window.stage_buttons[stage])
        assert read.rate.data == {}
    assert Source.BATTERY is QUESTION.source


def test_questions_once_ticks_a_meter_and_a_still_with_a_pass(notebook, tmp_path, qtbot):
    """Asked before the first pass, carried to every one; the gauge timed by the mark key; powers kept by place."""
    still = tmp_path / "low.png"
    pixels = QImage(64, 40, QImage.Format.Format_RGB32)
    pixels.fill(0x336699)
    assert pixels.save(str(still))
    with opened(notebook, qtbot) as window:
        window.session.set_design(replace(DESIGN, to_w=10, pass_s=40))
        click(window.stage_buttons["Bench"])
        click(window.bench.start)
        panel = window.bench.guide
        assert panel.once_area.isVisible() and "asked once" in panel.text.text()
        room = panel.once.fields["room_c"]
        room.setFocus()
        QTest.keyClicks(room, "23")
        click(panel.done)
        window.guide.speed, pressed_s = 10.0, []
        while not panel.readings.isVisible():
            qtbot.waitUntil(lambda: panel.isVisible() and panel.request is not None, timeout=60_000)
            if panel.request.wants_readings:
                break
            QTest.keyClick(panel.done, Qt.Key.Key_Space)
            if panel.is_timing:
                for ticks in range(1, 5):
                    left = seconds_left(panel, qtbot)  # a step of the gauge in three seconds of the machine
                    qtbot.waitUntil(lambda left=left: seconds_left(panel, qtbot) <= left - 3, timeout=60_000)
                    QTest.keyClick(panel.done, Qt.Key.Key_Space)
                    pressed_s.append(window.guide.speed * time.monotonic())
                    assert panel.ticks == ticks
        assert panel.message.text().startswith("4 gauge ticks timed")
        panel.fields["step_wh"].setText("0.02")
        panel.form.scales.meter.setCurrentIndex(panel.form.scales.meter.findData("at the wall/w"))
        panel.fields["meter"].setText("31.5")
        panel.take_stills([still])
        click(panel.done)
        qtbot.waitUntil(lambda: bool(window.session.notebook.passes()), timeout=60_000)
        (record,) = window.session.notebook.passes()
        said = {name: one.value for name, one in record.conditions.items()}
        assert said["room_c"] == 23.0 and said["draw_read_from"] == "4 gauge ticks"
        assert said["wall_read_from"] == "meter at the wall"
        trace = window.session.notebook.load(record.id).trace
        assert trace.measured("battery_w").mean() == pytest.approx(72 / np.polyfit(range(4), pressed_s, 1)[0], rel=0.1)
        assert trace.measured("wall_w").mean() == 31.5
        qtbot.waitUntil(lambda: len(stills(window.session.notebook)) == 1, timeout=60_000)
        assert pixels_of(window.session.notebook, stills(window.session.notebook)[0].id) == still.read_bytes()
        click(window.bench_line.stop)
        say_it_is_back(window, qtbot)
        click(window.bench.start)  # nothing is asked a second time
        qtbot.waitUntil(lambda: panel.request is not None, timeout=60_000)
        assert not panel.once_area.isVisible()
        click(window.bench_line.stop)  # nothing was set yet: nothing is to be put back
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        panel.form.scales.meter.setCurrentIndex(0)
