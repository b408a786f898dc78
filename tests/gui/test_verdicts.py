"""Verdicts on the window: evidence on the trace, marks that move, thresholds, incidents, making void passes again."""

import pytest
from helpers.build import DEMO_QUESTION, trace_of, wandering
from helpers.window import at_rest, click, opened, texts
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.core.facts.incident import IncidentKind
from hovrik.core.facts.setup import static
from hovrik.core.passes.guards import GuardThresholds
from hovrik.service import incidents
from hovrik.service.imports import one as imports
from hovrik.service.thresholds import thresholds_of
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook


@pytest.fixture
def spoiled(demo_copy):
    """The demo with an imported pass that has a gap of 4 s at its end and takes 17 of 15 W."""
    interval = wandering(60, 42, wander=0.01)
    interval[2300] = 4000.0
    trace = trace_of(interval, package_w=16.2)
    with Notebook(demo_copy) as notebook:
        setup = imports.setup_from({"sustained_limit_w": "15", "cap_fps": "40"})
        stated = imports.conditions_from(DEMO_QUESTION, {})
        record = imports.import_trace(notebook, DEMO_QUESTION, Imported(trace, trace.frames_ns, ()), setup, stated)
    return demo_copy, record


def view_of(window, record):
    """The newest view of a pass."""
    return next(v for v in window.session.evaluation.views if v.record.id == record.id)


def test_evidence_marks_and_thresholds(spoiled, qtbot):
    path, record = spoiled
    with opened(path, qtbot) as window:
        click(window.stage_buttons["Read"])
        read, session = window.stage("Read"), window.session
        session.select_pass(record.id)
        at_rest(read, qtbot)
        assert "limit exceeded" in read.one_pass.words.text() and "time gaps" in read.one_pass.words.text()
        assert {words for _, _, words in read.one_pass.trace.spans} == {"limit exceeded", "time gaps"}
        click(read.marks)
        at_rest(read, qtbot)
        assert read.one_pass.trace.marks == pytest.approx((0.0, record.trace.seconds))
        read.one_pass.trace.marks_moved.emit(0, 50_000_000_000)
        qtbot.waitUntil(
            lambda: [f.check for f in view_of(window, record).verdict.findings] == ["limit exceeded"], timeout=60_000
        )
        window.open_checks()
        field = window.checks_dialog.checks.form.entries["over_share"]
        field.line.setText("12")
        QTest.keyClick(field.line, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: view_of(window, record).counts, timeout=60_000)
        window.checks_dialog.close()
        session.undo_stack.undo()
        qtbot.waitUntil(lambda: not view_of(window, record).counts, timeout=60_000)
        session.undo_stack.undo()
        qtbot.waitUntil(lambda: len(view_of(window, record).verdict.findings) == 2, timeout=60_000)
        assert (session.notebook.load(record.id).trace.frames_ns == record.trace.frames_ns).all()


def test_guards_are_set_in_bench_and_pause_the_run_that_follows(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Bench"])
        click(window.bench.guards)
        page = window.checks_dialog.guards
        assert page.isVisible()
        for name, text in (("room_clear_c", "4"), ("heat_under_c", "60"), ("heat_over_c", "-60")):
            field = page.form.entries[name].line
            field.setText(text)
            QTest.keyClick(field, Qt.Key.Key_Return)
            if name == "room_clear_c":
                assert "above 3 where it trips" in page.fault.text() and page.fault.isVisible()
                assert field.text() == "2"
        window.checks_dialog.close()
        window.bench.pace.show_key("10")
        window.start_sweep()
        qtbot.waitUntil(lambda: "The die is at" in texts(window.bench), timeout=60_000)
        window.runner.stop()
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        window.session.undo_stack.undo()
        window.session.undo_stack.undo()
        notebook = window.session.notebook
        assert thresholds_of(notebook, GuardThresholds) == GuardThresholds()
        for left in ("x", {"room_trip_c": "much", "heat_hold_s": 1}, {"room_trip_c": 1.0}):  # by another program
            notebook.set_state("guards", left)
            assert thresholds_of(notebook, GuardThresholds).room_trip_c == 3.0


def test_an_incident_stops_the_run_and_speaks_against_its_setup(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.bench.pace.show_key("10")
        window.start_sweep()
        qtbot.waitUntil(lambda: window.bench.last_progress is not None, timeout=60_000)
        QTest.keyClick(window, Qt.Key.Key_F9)
        dialog = window.incident_dialog
        assert window.runner.is_running and "Noting this stops it" in dialog.run_words.text()
        dialog.kind.show_key("hang")
        dialog.limit.setValue(13.0)
        dialog.note.setText("black screen")
        click(dialog.keep_button)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        qtbot.waitUntil(lambda: window.session.evaluation.answer.option.level == 14.0, timeout=60_000)
        assert any("13 W is not recommended: 1 incident" in r for r in window.session.evaluation.answer.reasons)
        window.session.undo_stack.undo()
        qtbot.waitUntil(lambda: window.session.evaluation.answer.option.level == 13.0, timeout=60_000)


def test_incidents_are_kept_and_taken_back(demo_copy):
    with Notebook(demo_copy) as notebook:
        made = incidents.note(notebook, DEMO_QUESTION, IncidentKind.CRASH, static(9.0), phase="soak", words="x")
        assert notebook.incidents()[0].setup == static(9.0) and notebook.incidents()[0].phase == "soak"
        notebook.take_back_incident(made)
        assert notebook.incidents() == [] and len(notebook.read_rows("SELECT 1 FROM incident")) == 2


def test_void_passes_are_made_again(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        session = window.session
        views = [v for v in session.evaluation.views if v.counts][:2]
        for view in views:
            session.notebook.annotate(view.record.id, "overrule", {"state": "void", "reason": "door open"})
        session.passes_changed.emit()
        click(window.stage_buttons["Bench"])
        qtbot.waitUntil(lambda: window.bench.void_again.text() == "Run 2 void again", timeout=60_000)
        with qtbot.waitSignal(window.runner.ended, timeout=60_000):
            click(window.bench.void_again)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        made = [r.setup for r in session.notebook.passes()][-2:]
        assert sorted(map(hash, made)) == sorted(hash(v.record.setup) for v in views)


def test_a_surprising_pass_is_repeated_once_and_kept(demo_copy, qtbot):
    with Notebook(demo_copy) as notebook:
        stated = imports.conditions_from(DEMO_QUESTION, {})
        odd = imports.import_summary(
            notebook, DEMO_QUESTION, {"mean_fps": 31.0, "source": "typed"}, static(13.0, 40.0), stated
        )
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Bench"])
        assert window.bench.void_again.text() == "Run 1 surprising again"
        window.session.select_pass(odd.id)
        window.show_stage("Read")
        assert "% below the others at 13 W" in window.stage("Read").one_pass.words.text()
        window.show_stage("Bench")
        assert any("one pass stands out" in reason for reason in window.session.evaluation.answer.reasons)
        with qtbot.waitSignal(window.runner.ended, timeout=60_000):
            click(window.bench.void_again)
        qtbot.waitUntil(lambda: window.bench.void_again.text() == "Nothing to run again", timeout=60_000)
        assert view_of(window, odd).counts and window.session.notebook.passes()[-1].setup == odd.setup
