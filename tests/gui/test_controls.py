"""Controls that did the wrong thing."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import button_named, click, opened, texts, type_number
from PyQt6.QtCore import QEvent, QItemSelectionModel, Qt
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hovrik.app import commands
from hovrik.bench.job import Phase, Progress
from hovrik.core.errors import ImportRefused
from hovrik.core.facts.setup import Setup
from hovrik.core.plan.grid import ordered_passes
from hovrik.service.gather import evaluate
from hovrik.service.scenes import study
from hovrik.store.files.write import exchange
from hovrik.store.notebook import Notebook


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        yield made


def test_plan_follows_an_edit_of_the_rig_and_the_rail_says_so(window):
    click(window.stage_buttons["Plan"])
    plan, session = window.stage("Plan"), window.session
    assert plan.start.isEnabled() and window.stage_buttons["Plan"].text() == "Plan\nready"
    commands.save_rig(session, replace(session.rig, limit_high_w=12.0, modes=()), "range")
    assert not plan.start.isEnabled() and "above the allowed 12 W" in plan.problem.text()
    assert window.stage_buttons["Plan"].text() == "Plan\nnot possible"
    assert window.stage_buttons["Bench"].text() == "Bench\nwants a plan"
    session.undo_stack.undo()
    assert plan.start.isEnabled() and window.stage_buttons["Plan"].text() == "Plan\nready"
    commands.set_design(session, replace(session.design, from_w=15.0, to_w=9.0), "range")
    assert window.stage_buttons["Plan"].text() == "Plan\nnot possible"


def test_another_rig_brings_a_slot_of_its_own_and_the_last_one_comes_back(window):
    line, session = window.question_line, window.session
    first = session.question.slot
    line.slot.setCurrentIndex(line.slot.count() - 1)
    last = session.question.slot
    assert last != first
    line.rig.setCurrentIndex(line.rig.findData("hollin-17"))
    assert session.question.rig == "hollin-17" and session.slot is not None and line.slot.key()
    line.rig.setCurrentIndex(line.rig.findData("ombrel-8"))
    assert session.question.slot == last


@pytest.mark.parametrize("text", ["12,5", "12.5"])
def test_a_decimal_comma_is_a_decimal_mark_everywhere(window, text):
    click(window.stage_buttons["Plan"])
    plan = window.stage("Plan")
    type_number(plan.knobs.to_w, text)
    assert plan.knobs.to_w.value() == 12.5 and window.session.design.to_w == 12.5
    type_number(plan.knobs.room_c, text)
    assert window.session.room_c == 12.5


def test_a_score_may_be_larger_than_any_rate(window):
    line = window.question_line
    line.floor.show_key("score")
    line.floor.currentIndexChanged.emit(0)
    type_number(line.target, "12500")
    assert window.session.question.target_fps == 12500.0 and line.target.value() == 12500.0
    window.session.undo_stack.undo()
    window.session.undo_stack.undo()
    assert line.target.maximum() == 1000


def test_what_was_refused_stays_while_other_fields_are_edited(window):
    click(window.stage_buttons["Rig"])
    rig = window.stage("Rig")
    rig.pages.show_page("Machine")
    wrong, other = rig.form.entries["limit_high_w"], rig.form.entries["name"]
    wrong.line.setText("many")
    wrong.line.editingFinished.emit()
    other.line.setText("Renamed")
    other.line.editingFinished.emit()
    assert window.session.rig.name == "Renamed"
    assert wrong.line.text() == "many" and "not a number" in wrong.problem.text()
    commands.save_rig(window.session, replace(window.session.rig, limit_high_w=27.0, modes=()), "limit")
    assert wrong.line.text() == "27" and not wrong.problem.text()


def test_undo_works_with_the_focus_in_a_field_without_edits_of_its_own(window, qtbot):
    click(window.stage_buttons["Plan"])
    plan, session = window.stage("Plan"), window.session
    before = session.design.to_w
    type_number(plan.knobs.to_w, "15")
    assert session.design.to_w == 15
    for field in (plan.knobs.to_w, plan.knobs.step_w):
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert session.design.to_w == before
        QTest.keyClick(field, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        assert session.design.to_w == 15


def test_several_passes_are_taken_out_and_brought_back_at_once(window, qtbot):
    click(window.stage_buttons["Read"])
    read, session = window.stage("Read"), window.session
    read.pages.show_page("Passes")
    table = read.table
    table.setFocus()
    table.selectRow(4)
    for row in (5, 6):
        table.selectionModel().select(
            table.model_.index(row, 0),
            QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows,
        )
    ids, after, count = table.picked_ids(), table.model_.views[7].record.id, table.model_.rowCount()
    assert len(ids) == 3 and read.take_out.text() == "Take out 3"
    table.copy_rows()
    lines = QApplication.clipboard().text().splitlines()
    assert len(lines) == 4 and lines[0].startswith("verdict\tsetup\tmean fps") and "\t" in lines[3]
    read.take_out.setFocus()
    click(read.take_out)
    qtbot.waitUntil(lambda: table.model_.rowCount() == count - 3, timeout=60_000)
    assert session.selected_pass == after and read.take_out.hasFocus(), "the next one is selected, focus stays"
    table.actions()[2].trigger()
    assert table.model_.rowCount() == count
    gone = [row for row, view in enumerate(table.model_.views) if view.deleted]
    assert len(gone) == 3 and {table.model_.views[row].record.id for row in gone} == set(ids)
    table.selectRow(gone[0])
    assert read.take_out.text() == "Bring back"
    click(read.take_out)
    qtbot.waitUntil(lambda: sum(v.deleted for v in table.model_.views) == 2, timeout=60_000)
    session.undo_stack.undo()
    session.undo_stack.undo()
    qtbot.waitUntil(lambda: not any(v.deleted for v in table.model_.views), timeout=60_000)


def test_an_overrule_without_a_reason_says_why_it_is_refused(window):
    click(window.stage_buttons["Read"])
    read = window.stage("Read")
    window.session.select_pass(window.session.evaluation.views[2].record.id)
    read.overrule_selected("void", "")
    assert "a reason is needed" in read.message.text() and window.session.undo_stack.count() == 0


def test_the_read_out_goes_with_the_pointer_and_out_of_copies(window):
    click(window.stage_buttons["Read"])
    rate = window.stage("Read").rate
    box = rate.getPlotItem().getViewBox()

    def hover():
        rate.scene().sigMouseMoved.emit(box.sceneBoundingRect().center())
        assert read_out_of(rate).isVisible()

    for leave in (
        lambda: QApplication.sendEvent(rate, QEvent(QEvent.Type.Leave)), rate.copy_image, rate.redraw,
        lambda: QApplication.sendEvent(rate, QFocusEvent(QEvent.Type.FocusOut)),
    ):  # fmt: skip
        hover()
        leave()
        assert not read_out_of(rate).isVisible()


def read_out_of(plot):
    """The item that follows the pointer."""
    return next(item for item in plot.scene().items() if item.zValue() == 50 and hasattr(item, "setAnchor"))


def test_a_skip_leaves_one_row_running_and_its_time_is_no_longer_ahead(window, qtbot):
    session, bench = window.session, window.bench
    passes = ordered_passes(session.design, session.rig)
    bench.show_queue(passes, frozenset())

    def at(index):
        return Progress(Phase.APPLY, index, len(passes), passes[index].setup, index=index)

    before = bench.minutes_left(at(0))
    bench.take(at(0))
    bench.take(at(2))  # pass 1 was skipped while it was set
    marked = [row for row in range(bench.queue.count()) if bench.queue.item(row).text().startswith("▶")]
    assert marked == [2]
    skipped = sum(p.seconds for p in passes[:2]) / 60
    assert bench.minutes_left(at(2)) == pytest.approx(before - skipped, abs=0.01)


def test_notes_of_another_set_do_not_stand_beside_the_shown_one(window, qtbot, tmp_path):
    session = window.session
    click(window.stage_buttons["Read"])
    read = window.stage("Read")
    found = session.evaluation
    other = replace(found.responses[0], family=Setup({"cap_fps": 60.0}))
    option = found.answer.option
    assert option is not None
    groups = tuple(replace(g, setup=g.setup.with_(cap_fps=60.0)) for g in other.groups)
    session.set_evaluation(replace(found, responses=(found.responses[0], replace(other, groups=groups))))
    assert any("plain division" in text for _, text in read.notes.notes)
    read.response_choice.setCurrentIndex(1)
    assert not any("plain division" in text for _, text in read.notes.notes)
    assert any("is about cap 40" in text for _, text in read.notes.notes)


def test_the_line_of_the_floor_says_what_counts_as_held(window):
    click(window.stage_buttons["Read"])
    assert "40, held at 97 %" in [words for words, _ in window.stage("Read").rate.labels.shown]


def test_the_charge_is_predicted_from_what_the_machine_has(window, qtbot):
    click(window.stage_buttons["Plan"])
    plan, session = window.stage("Plan"), window.session
    session.machine_seen = replace(session.machine_seen, charge=0.7)
    session.machine_looked.emit()
    assert plan.totals.charge[0] < 0.7 and "Charge from 70 % now" in plan.note.text()
    commands.save_rig(session, replace(session.rig, battery_wh=None, full_wh=None), "battery")
    assert plan.figures["recharges"].text() == "–" and "energy is unknown" in plan.note.text()


def test_a_stopped_sweep_goes_on_where_it_was(window, qtbot):
    session, bench = window.session, window.bench
    commands.set_design(session, replace(session.design, heat_s=0.0, repeats=1), "heat")
    click(window.stage_buttons["Bench"])
    assert not bench.go_on.isVisible(), "the demo's sweep is done"
    bench.start.setFocus()
    click(bench.start)
    qtbot.waitUntil(lambda: any(bench.queue.item(r).text().startswith("✓") for r in range(bench.queue.count())),
                    timeout=60_000)  # fmt: skip
    click(window.bench_line.stop)
    qtbot.waitUntil(lambda: not window.runner.is_running and bench.start.isEnabled(), timeout=60_000)
    assert bench.start.hasFocus(), "where the run was started"
    total, words = bench.queue.count(), bench.go_on.text()
    done = len(window.session.notebook.done_steps(window.session.notebook.plans()[0][0]))
    assert bench.go_on.isVisible() and words == f"Go on ({total - done} left)"
    click(bench.go_on)
    qtbot.waitUntil(lambda: window.runner.is_running, timeout=60_000)
    qtbot.waitUntil(lambda: not window.runner.is_running and bench.start.isEnabled(), timeout=120_000)
    assert len(window.session.notebook.done_steps(window.session.notebook.plans()[0][0])) == total
    assert not bench.go_on.isVisible()


def test_pause_is_shown_where_it_was_asked_for_and_in_the_rail(window, qtbot):
    session, bench, line = window.session, window.bench, window.bench_line
    commands.set_design(session, replace(session.design, heat_s=0.0, repeats=1, pass_s=600.0), "heat")
    bench.pace.show_key("10")
    window.start_sweep()
    qtbot.waitUntil(lambda: bench.last_progress is not None, timeout=60_000)
    assert window.stage_buttons["Bench"].text() == "Bench\nrunning" and line.pause.isVisible()
    QTest.keyClick(window, Qt.Key.Key_F6)
    assert line.pause.isChecked() and line.pause.text() == "Go on"
    assert window.stage_buttons["Bench"].text() == "Bench\npaused"
    QTest.keyClick(window, Qt.Key.Key_F6)
    assert not line.pause.isChecked() and window.stage_buttons["Bench"].text() == "Bench\nrunning"
    click(line.stop)
    qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
    assert not line.pause.isVisible()


def test_an_empty_notebook_opens_on_what_a_first_sweep_needs(tmp_path, qtbot):
    with opened(tmp_path / "new.hovrik", qtbot) as window:
        assert window.stack.currentWidget() is window.bench
        card = window.bench.needs
        for name in ("Rig", "Read", "Choose", "Bench"):
            window.show_stage(name)
            window.stage(name).pages.bar.setCurrentIndex(window.stage(name).pages.bar.count() - 1)
            QApplication.processEvents()
            assert "being read" not in texts(window) and "Reading the notebook" not in texts(window), name
        window.stage("Bench").pages.show_page("Live")
        assert card.isVisible() and not window.bench.traces.isVisible()
        assert [words for words, _, _, known in card.needs if not known] == ["A rig", "A title with a scene"]
        click(button_named(card, "A rig"))
        assert window.stack.currentWidget() is window.stage("Rig") and window.stage("Rig").pages.page == "Machine"
        window.stage("Rig").new_rig()
        window.show_stage("Bench")
        missing = [words for words, *_, known in card.needs if not known]
        assert "The range of power limits of the rig" in missing and "An OS slot of the rig" not in missing
        window.stage("Scene").new_title()
        for name, text in (("limit_low_w", "5"), ("limit_high_w", "25"), ("battery_wh", "50"), ("refresh_hz", "60")):
            field = window.stage("Rig").form.entries[name]
            field.line.setText(text)
            field.line.editingFinished.emit()
        window.show_stage("Bench")
        assert all(known for *_, known in card.needs) and not card.isVisible() and window.bench.traces.isVisible()


def test_repeatability_is_of_the_setups_in_question(demo_copy):
    with Notebook(demo_copy) as notebook:
        found = evaluate(notebook, DEMO_QUESTION)
        counted = [v for v in found.views if v.counts]
        response = replace(found.responses[0], groups=tuple(
            replace(g, passes=g.passes[:1]) for g in found.responses[0].groups))  # fmt: skip
        assert study(notebook, found).spread["rate"].passes == len(counted)
        assert study(notebook, replace(found, responses=(response,))).spread.get("rate") is None


def test_limits_and_caps_of_many_logs_at_once(window, qtbot, tmp_path):
    for name in ("a", "b", "c"):
        (tmp_path / f"{name}.csv").write_text("frame time (ms)\n" + "\n".join(f"{20 + n % 3}" for n in range(400)))
    window.open_import()
    page = window.import_dialog.batch
    window.import_dialog.tabs.setCurrentWidget(page)
    page.add_folder(tmp_path)
    qtbot.waitUntil(lambda: page.table.rowCount() == 3 and not page.is_busy, timeout=60_000)
    page.limit.setText("15")
    click(button_named(page, "Set limit"))
    click(button_named(page, "No cap"))
    assert [page.settings_of(row) for row in range(3)] == [{"sustained_limit_w": "15", "cap_fps": "none"}] * 3
    page.table.selectRow(1)
    page.limit.setText("12")
    click(button_named(page, "Set limit"))
    assert [page.settings_of(row)["sustained_limit_w"] for row in range(3)] == ["15", "12", "15"]


def test_disabled_fields_look_disabled(window):
    click(window.stage_buttons["Plan"])
    plan = window.stage("Plan")
    window.setFocus()
    enabled = plan.knobs.to_w.grab().toImage()
    plan.knobs.to_w.setEnabled(False)
    assert plan.knobs.to_w.grab().toImage() != enabled


@pytest.mark.parametrize("text", ["{", '{"a": 1,}', "[1 2]"])
def test_what_is_no_json_is_told_in_words(text):
    with pytest.raises(ImportRefused, match=r"breaks off or is mistyped at line 1"):
        exchange.parse(text, "x.json")
    with pytest.raises(ImportRefused, match=r"breaks off or is mistyped at its end"):
        exchange.parse("a = ", "x.toml")
