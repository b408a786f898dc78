"""The window: every part by keyboard, named, in sight at 1280x800; undo; second instance; light and dark."""

from dataclasses import replace

import pytest
from helpers.window import button_named, click, opened, texts, type_number
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLineEdit,
    QTableView,
    QTableWidget,
    QWidget,
)
from pytestqt.exceptions import capture_exceptions

from hovrik.app.main_window import STAGES
from hovrik.core.facts.place import Source
from hovrik.core.facts.terms import School
from hovrik.core.plan.grid import ordered_passes
from hovrik.service import library
from hovrik.store.files.write.run_sheet import run_sheet
from hovrik.store.notebook import Notebook

CONTROLS = (QAbstractButton, QComboBox, QLineEdit, QTableView)


def shown_controls(window):
    """Controls that a person can see."""
    return [
        w for kind in CONTROLS for w in window.findChildren(kind)
        if w.isVisible() and not w.objectName().startswith("qt_") and not isinstance(w.parent(), QTableView)
        and type(w.parent()).__name__ not in ("NumberField", "QHeaderView", "Choice", "QAbstractSpinBox")
    ]  # fmt: skip


def test_every_control_is_named_and_large_enough_to_touch(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        for name in STAGES:
            window.show_stage(name)
            QApplication.processEvents()
            for control in shown_controls(window):
                words = control.accessibleName() or getattr(control, "text", str)()
                assert words, (name, type(control).__name__)
                if isinstance(control, QAbstractButton | QComboBox) and control.focusPolicy() != Qt.FocusPolicy.NoFocus:
                    assert control.height() >= 36, (name, words, control.height())


def test_stages_by_keyboard_and_tab_reaches_every_control(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.activateWindow()
        for number, name in enumerate(STAGES, 1):
            QTest.keyClick(window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.ControlModifier)
            assert window.stack.currentWidget() is window.stage(name)
            wanted = {w for w in shown_controls(window) if w.isEnabled() and w.focusPolicy() & Qt.FocusPolicy.TabFocus}
            reached = set()
            window.question_line.rig.setFocus()
            for _ in range(160):
                focus = window.focusWidget()
                reached.add(focus)
                reached.add(focus.parent() if focus else None)
                QTest.keyClick(focus or window, Qt.Key.Key_Tab)
            missed = {w.accessibleName() or type(w).__name__ for w in wanted - reached}
            assert not missed, (name, missed)


def test_question_parts_are_edits_that_can_be_undone(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        line, session = window.question_line, window.session
        first = session.question
        type_number(line.target, "30")
        line.floor.setCurrentIndex(line.floor.findData("low_1pct/slowest_mean"))
        line.source.setCurrentIndex(line.source.findData(Source.ADAPTER.value))
        assert session.question == first.with_(target_fps=30.0, school=School.SLOWEST_MEAN, source=Source.ADAPTER)
        qtbot.waitUntil(lambda: "No passes answer this yet" in window.answer_panel.sentence.text(), timeout=60_000)
        for _ in range(3):
            QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert session.question == first and line.target.value() == 40
        qtbot.waitUntil(lambda: "13 W, cap 40" in window.answer_panel.sentence.text(), timeout=60_000)
        assert window.session.notebook.get_state("question") == first.as_dict()


def test_another_floor_changes_the_answer(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        type_number(window.question_line.target, "30")
        qtbot.waitUntil(lambda: "holds 30" in window.answer_panel.sentence.text(), timeout=60_000)
        assert window.session.evaluation.answer.option.level < 13


def test_plan_refuses_what_the_rig_does_not_allow(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Plan"])
        plan = window.stage("Plan")
        type_number(plan.knobs.to_w, "45")
        assert "above the allowed 28 W. Choose 4 to 28 W." in plan.problem.text() and plan.problem.isVisible()
        assert not plan.start.isEnabled() and plan.figures["passes"].text() == "–"
        window.start_sweep()
        assert "Choose 4 to 28 W" in window.banner.text.text() and not window.runner.is_running
        window.session.undo_stack.undo()
        assert plan.start.isEnabled() and not plan.problem.isVisible()


def test_second_instance_says_so(demo_copy, qtbot):
    with Notebook(demo_copy), opened(demo_copy, qtbot) as window:
        assert "Open for reading only. Another Hovrik window" in window.banner.text.text()
        for name, part in (("Bench", "start"), ("Keep", "keep"), ("Keep", "import_"), ("Read", "take_out")):
            window.show_stage(name)
            assert not getattr(window.stage(name), part).isEnabled()
        assert "13 W" in window.answer_panel.sentence.text()
        window.open_import()
        assert not window.import_dialog.accept_.isEnabled()
        window.import_dialog.close()


def test_take_out_and_overrule_are_undone(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Read"])
        read, session = window.stage("Read"), window.session
        chosen = next(v for v in session.evaluation.views if v.counts)
        session.select_pass(chosen.record.id)

        def counted(number):
            qtbot.waitUntil(lambda: sum(v.counts for v in session.evaluation.views) == number, timeout=60_000)

        counted(36)
        click(read.take_out)
        counted(35)
        session.undo_stack.undo()
        counted(36)
        session.select_pass(chosen.record.id)
        read.overrule_selected("void", "the door was open")
        counted(35)
        assert "overruled: the door was open" in read.one_pass.words.text()
        session.undo_stack.undo()
        counted(36)
        session.undo_stack.redo()
        counted(35)


def test_table_sorts_by_any_column_and_keeps_the_selection(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Read")
        table = window.stage("Read").table
        chosen = table.model_.views[10].record.id
        window.session.select_pass(chosen)
        for column in range(table.model_.columnCount()):
            table.sortByColumn(column, Qt.SortOrder.DescendingOrder)
            assert window.session.selected_pass == chosen
            assert table.model_.views[table.currentIndex().row()].record.id == chosen
        table.sortByColumn(2, Qt.SortOrder.AscendingOrder)
        rates = [float(table.model_.index(row, 2).data()) for row in range(37)]
        assert rates == sorted(rates)


def test_clicking_a_limit_in_the_plot_walks_through_its_passes(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Read")
        read = window.stage("Read")
        seen = []
        for _ in range(4):
            read.rate.level_chosen.emit(12.0)
            seen.append(window.session.selected_pass)
        assert len(set(seen)) == 3 and seen[0] == seen[3]
        assert "12 W, cap 40" in read.one_pass.words.text()


def test_empty_notebook_says_what_to_do(tmp_path, qtbot):
    with opened(tmp_path / "new.hovrik", qtbot) as window:
        qtbot.waitUntil(lambda: "notebook is empty" in window.answer_panel.sentence.text(), timeout=60_000)
        for name in STAGES:
            click(window.stage_buttons[name])
        click(window.stage_buttons["Rig"])
        assert "knows no rig yet" in texts(window.stage("Rig"))
        assert window.stage_buttons["Read"].text() == "Read\nwants passes"
        QTest.keyClick(window, Qt.Key.Key_F5)
        assert "nothing to run yet" in window.banner.text.text()
        click(window.banner.buttons[0])
        assert not window.banner.isVisible()
        window.open_import()
        window.import_dialog.tabs.setCurrentWidget(window.import_dialog.summary_page)
        click(window.import_dialog.accept_)
        assert "question line first" in window.import_dialog.message.text()
        window.import_dialog.close()


def test_keep_replace_undo_remove(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Keep"])
        keep, notebook = window.stage("Keep"), window.session.notebook
        assert "No profile is kept yet" in texts(keep)
        click(keep.keep)
        click(keep.keep)
        assert len(notebook.profiles()) == 1
        window.session.undo_stack.undo()
        assert len(notebook.profiles()) == 1  # the first one is back
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        QApplication.processEvents()
        click(button_named(keep, "Remove"))
        assert notebook.profiles() == [] and window.stage_buttons["Keep"].text() == "Keep\nnothing kept"
        window.session.undo_stack.undo()
        assert len(notebook.profiles()) == 1


def test_a_spoiled_profile_is_told_with_its_problems(demo_copy, tmp_path, qtbot):
    path = tmp_path / "p.json"
    path.write_text('{"schema": "hovrik-profile", "version": 1}')
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Keep")
        window.stage("Keep").import_from(path)
        assert '"rig" must be text' in window.stage("Keep").message.text()
        assert window.session.notebook.profiles() == []


def test_a_machine_that_is_gone_is_told(demo_copy, qtbot):
    with Notebook(demo_copy) as notebook:
        gone = {"kind": "simulated", "machine": "0b0c7f5c-0000-4000-8000-000000000000"}
        library.keep_address(notebook, "ombrel-8", gone)
    with opened(demo_copy, qtbot) as window:
        qtbot.waitUntil(lambda: "not on this computer" in window.bench_line.machine.text(), timeout=60_000)
        window.start_sweep()
        qtbot.waitUntil(lambda: "not on this computer" in window.banner.text.text(), timeout=60_000)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)


def test_the_window_opens_no_window_and_takes_no_focus_during_a_run(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.bench.pace.show_key("10")
        window.start_sweep()
        before = set(QApplication.topLevelWidgets())
        qtbot.waitUntil(lambda: window.bench.state.text().startswith("Running"), timeout=60_000)
        new = [w for w in set(QApplication.topLevelWidgets()) - before if isinstance(w, QWidget) and w.isVisible()]
        assert new == []
        window.runner.stop()
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)


def test_run_sheet_holds_every_pass_and_refuses_a_bad_folder(demo_copy, tmp_path, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Plan"])
        plan, session = window.stage("Plan"), window.session
        plan.print_to(tmp_path / "none" / "sheet.pdf")
        assert "cannot be written" in plan.printed.text()
        plan.print_to(tmp_path / "sheet.pdf")
        assert plan.printed.text().endswith("is written to sheet.pdf. Type it in under Import passes in Bench.")
        assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF") and len(list(tmp_path.glob("*.pdf"))) == 1
        passes = ordered_passes(session.design, session.rig)
        sheet = run_sheet(session.question, replace(session.rig, name="<b>A & B"), None, session.design, passes, None)
        assert sheet.count("<tr>") == len(passes) + 1 and "&lt;b&gt;A &amp; B" in sheet and "______ C" in sheet
        assert f"<td>{passes[-1].index + 1}</td><td>{passes[-1].setup.static_limit_w:g}</td><td>40</td>" in sheet


@pytest.mark.parametrize(
    ("stage", "page", "pick", "typed", "kept"),
    [
        ("Plan", None, lambda s: s.knobs.to_w, "17", lambda w: w.session.design.to_w == 17),
        (
            "Rig",
            "Machine",
            lambda s: s.form.entries["name"].line,
            "Borrowed",
            lambda w: w.session.rig.name == "Borrowed",
        ),
        (
            "Scene",
            "Set-ups",
            lambda s: s.set_ups.table,
            "renamed",
            lambda w: w.session.title.set_ups[0].name == "renamed",
        ),
    ],
)
def test_what_is_being_typed_when_the_window_closes_is_kept(stage, page, pick, typed, kept, demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage(stage)
        shown = window.stage(stage)
        if page is not None:
            shown.pages.show_page(page)
        field = pick(shown)
        field.setFocus()
        if isinstance(field, QTableWidget):
            field.editItem(field.item(0, 0))
            field = field.viewport().findChild(QLineEdit)
        field.selectAll()
        QTest.keyClicks(field, typed)
    with opened(demo_copy, qtbot) as window:
        assert kept(window)


def test_closing_in_the_middle_of_a_run_leaves_nothing_to_fail_afterwards(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.bench.pace.show_key("10")
        window.start_sweep()
        qtbot.waitUntil(lambda: window.bench.last_progress is not None, timeout=60_000)
        with capture_exceptions() as caught:
            window.close()
            for _ in range(5):
                QApplication.processEvents()
        assert not window.runner.is_running and not caught
    with Notebook(demo_copy) as notebook:
        assert notebook.open_runs() == [], "the machine was put back"
