"""The journey on the real window: plan, run, read, answer, keep, reopen. Another: stop half way and continue."""

import json

import pytest
from helpers.build import left
from helpers.window import at_rest, button_named, click, opened, texts, type_number
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service.machines import open_machine
from hovrik.service.profiles import sound_ones
from hovrik.store.files.write import profile as profile_file
from hovrik.store.notebook import Notebook


def knobs(path):
    """What the stand-in is set to."""
    with Notebook(path, read_only=True) as notebook:
        return open_machine(library.address_of(notebook, "ombrel-8")).read_back().readings


def test_plan_run_read_answer_keep_reopen(empty_demo, qtbot, tmp_path):
    before = knobs(empty_demo)
    with opened(empty_demo, qtbot) as window:
        assert "No passes answer this yet" in window.answer_panel.sentence.text()
        click(window.stage_buttons["Plan"])
        plan = window.stage("Plan")
        form = plan.knobs
        for field, text in ((form.from_w, "11"), (form.to_w, "15"), (form.step_w, "1"), (form.repeats, "3"),
                            (form.pass_s, "30"), (form.soak_s, "20")):  # fmt: skip
            type_number(field, text)
        plan.knobs.has_heat.setChecked(False)
        assert plan.figures["passes"].text() == "15" and plan.order.count() == 15
        assert "min" in plan.figures["time"].text() and plan.figures["recharges"].text() == "0"
        assert len({plan.order.item(n).text().split(".  ")[1] for n in range(5)}) == 5
        window.session.undo_stack.undo()
        assert plan.knobs.has_heat.isChecked()
        window.session.undo_stack.redo()
        with qtbot.waitSignal(window.runner.ended, timeout=60_000):
            click(plan.start)
            assert window.stack.currentWidget() is window.bench and window.bench_line.stop.isEnabled()
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        assert "15 of 15 passes are kept" in window.bench.state.text() and "back as it was" in window.bench.state.text()
        assert all(window.bench.queue.item(n).text().startswith("✓") for n in range(15))
        qtbot.waitUntil(lambda: len(window.session.evaluation.views) == 15, timeout=60_000)
        assert sum(view.counts for view in window.session.evaluation.views) >= 14
        sentence = window.answer_panel.sentence.text()
        assert sentence.startswith(("13 W, cap 40: holds 40", "14 W, cap 40: holds 40")) and "from full" in sentence
        click(window.stage_buttons["Read"])
        read = window.stage("Read")
        assert len(read.rate.data["limit_w"]) == 5 and read.table.model_.rowCount() == 15
        assert read.worth.data["gain_fps_per_w"] and any("first playable" in text for _, text in read.notes.notes)
        read.table.setFocus()
        QTest.keyClick(read.table, Qt.Key.Key_Down)
        QTest.keyClick(read.table, Qt.Key.Key_Down)
        at_rest(read, qtbot)
        assert window.session.selected_pass and len(read.one_pass.trace.data["interval_ms"]) > 200
        assert sum(read.one_pass.distribution.data["share_percent"]) == pytest.approx(100, abs=0.1)
        click(window.stage_buttons["Choose"])
        window.stage("Choose").pages.show_page("Options")
        assert "The answer" in texts(window.stage("Choose")) and "One step less" in texts(window.stage("Choose"))
        click(button_named(window.stage("Choose"), "Keep this"))
        keep = window.stage("Keep")
        qtbot.waitUntil(lambda: "Saltmarsh Couriers" in texts(keep), timeout=60_000)
        profile, *_ = sound_ones(window.session.notebook)
        keep.export_to(tmp_path / "profile.json", profile)
        keep.export_to(tmp_path / "profile.toml", profile)
        assert profile_file.read(tmp_path / "profile.toml").setup == profile.setup
        keep.export_all_to(tmp_path / "profiles.csv")
        assert (tmp_path / "profiles.csv").read_text().count(profile.sentence) == 1
        keep.export_all_to(tmp_path / "none" / "profiles.csv")
        assert "Choose another folder" in keep.message.text()
        assert json.loads((tmp_path / "profile.json").read_text())["schema"] == "hovrik-profile"
    assert knobs(empty_demo) == before
    with opened(empty_demo, qtbot) as window:
        assert window.answer_panel.sentence.text() == sentence
        assert window.stack.currentWidget() is window.stage("Keep")  # where it was left
        qtbot.waitUntil(lambda: "Saltmarsh Couriers" in texts(window.stage("Keep")), timeout=20_000)
        click(window.stage_buttons["Plan"])
        assert window.stage("Plan").knobs.from_w.value() == 11
        window.stage("Keep").import_from(tmp_path / "profile.json")
        assert "Imported profile.json" in window.stage("Keep").message.text()


def test_stop_and_continue_by_keyboard(empty_demo, qtbot):
    before = knobs(empty_demo)
    with opened(empty_demo, qtbot) as window:
        window.activateWindow()
        QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
        assert window.stack.currentWidget() is window.bench
        window.bench.pace.show_key("10")
        QTest.keyClick(window, Qt.Key.Key_F5)
        qtbot.waitUntil(lambda: window.runner.is_running, timeout=60_000)
        qtbot.waitUntil(lambda: "interval" in window.bench.traces.interval.data, timeout=60_000)
        qtbot.waitUntil(lambda: "left" in window.bench_line.left.text(), timeout=60_000)
        QTest.keyClick(window, Qt.Key.Key_F8)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        assert "Stopped. The machine is back as it was." in window.bench.state.text()
        assert not window.bench_line.stop.isEnabled() and window.bench.start.isEnabled()
    assert knobs(empty_demo) == before


def test_closing_the_window_stops_and_puts_back(empty_demo, qtbot):
    before = knobs(empty_demo)
    with opened(empty_demo, qtbot) as window:
        window.bench.pace.show_key("10")
        window.start_sweep()
        qtbot.waitUntil(lambda: window.runner.is_running and window.bench_line.progress.isVisible(), timeout=60_000)
    assert knobs(empty_demo) == before


def test_an_interrupted_sweep_is_offered(empty_demo, qtbot):
    """As after a kill: the journal holds a snapshot and the machine stands at a sweep's limits."""
    from hovrik.core.facts.setup import static
    from hovrik.service import run as sweep

    with Notebook(empty_demo) as notebook:
        address = library.address_of(notebook, "ombrel-8")
        machine = open_machine(address)
        plan = sweep.keep_plan(notebook, scenario.question(), scenario.design())
        notebook.begin_run(plan, address, left(machine.snapshot()))
        before = machine.read_back().readings
        machine.apply(static(5.0, 30.0))
        machine.close()
    with opened(empty_demo, qtbot) as window:
        assert window.banner.isVisible() and "cut short after 0 of 37" in window.banner.text.text()
        assert [b.text() for b in window.banner.buttons] == ["Put it back", "Continue the sweep", "Leave it as it is"]
        click(window.banner.buttons[0])
        qtbot.waitUntil(lambda: "back as it was" in window.banner.text.text(), timeout=60_000)
    assert knobs(empty_demo) == before
