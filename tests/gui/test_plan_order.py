"""The order of a plan, edited: by buttons, keys, drag in list and picture; what is stored and run is what is shown."""

from dataclasses import replace

import pytest
from helpers.window import click, opened
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.core.facts.incident import IncidentKind
from hovrik.core.plan.edited import A_CONTROL
from hovrik.core.plan.grid import LadderDesign

SMALL = LadderDesign(10, 13, 1, 40.0, repeats=2, pass_s=20, soak_s=5, settle_s=2, cool_s=5, heat_s=0.0, seed=4)


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        commands.set_design(made.session, SMALL, "all")
        made.show_stage("Plan")
        made.stage("Plan").pages.show_page("Order")
        yield made


def shown(plan):
    return [plan.order.item(row).text().split(".  ")[1] for row in range(plan.order.count())]


def test_passes_are_moved_dropped_and_repeated_by_keys_and_undone(window):
    plan, session = window.stage("Plan"), window.session
    before = shown(plan)
    assert len(before) == 8
    plan.order.setFocus()
    plan.order.setCurrentRow(2)
    QTest.keyClick(plan.order, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert shown(plan)[1] == before[2] and plan.order.currentRow() == 1
    QTest.keyClick(plan.order, Qt.Key.Key_Delete)
    assert len(shown(plan)) == 7 and plan.figures["passes"].text() == "7"
    QTest.keyClick(plan.order, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    rows = shown(plan)
    assert len(rows) == 8 and rows[1] == rows[2]
    click(plan.edits["controls"])
    assert session.order.places.count(A_CONTROL) == 3 and len(shown(plan)) == 11
    for _ in range(4):
        session.undo_stack.undo()
    assert shown(plan) == before
    click(plan.edits["as_was"])
    assert not session.order


def test_a_pinned_pass_stays_while_others_move_round_it(window):
    plan, session = window.stage("Plan"), window.session
    commands.set_design(session, replace(SMALL, pass_s=60), "all")
    before = shown(plan)
    plan.order.setFocus()
    plan.order.setCurrentRow(1)
    QTest.keyClick(plan.order, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert shown(plan)[1] == f"{before[1]}  (pinned)"
    plan.order.setCurrentRow(0)
    QTest.keyClick(plan.order, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert shown(plan)[:3] == [before[2], f"{before[1]}  (pinned)", before[0]] and plan.order.currentRow() == 2
    plan.order.setCurrentRow(1)
    click(plan.edits["earlier"])
    assert shown(plan)[0] == before[2] and "pinned" in plan.printed.text()
    plan.minutes.show_value(5)
    click(plan.edits["fit"])
    assert f"{before[1]}  (pinned)" in shown(plan) and len(shown(plan)) < 8
    for _ in range(3):
        session.undo_stack.undo()
    assert shown(plan) == before


def test_a_block_is_dragged_over_time(window):
    plan = window.stage("Plan")
    before, plot = shown(plan), plan.schedule

    def place(index, minutes=None):
        block = next(b for b in plot._blocks if b.index == index and b.kind == "measure")
        x = (block.begin + block.end) / 2 if minutes is None else minutes
        return plot.mapFromScene(plot.getPlotItem().getViewBox().mapViewToScene(QPointF(x, block.lane)))

    end = max(b.end for b in plot._blocks)
    QTest.mousePress(plot.viewport(), Qt.MouseButton.LeftButton, pos=place(0))
    QTest.mouseRelease(plot.viewport(), Qt.MouseButton.LeftButton, pos=place(0, end))
    assert shown(plan) == [*before[1:], before[0]]
    window.session.undo_stack.undo()
    assert shown(plan) == before


def test_a_plan_is_fitted_into_the_time_there_is_where_it_is_missed_least(window):
    plan = window.stage("Plan")
    commands.set_design(window.session, LadderDesign(7, 18, 1, 40.0, repeats=3, pass_s=60, heat_s=900.0, seed=1), "all")
    plan.minutes.show_value(45)
    click(plan.edits["fit"])
    passes, _ = window.session.planned_passes()
    assert sum(one.seconds for one in passes) / 60 <= 45 and "dropped" in plan.printed.text()
    left = {one.setup.static_limit_w for one in passes}
    assert {12.0, 13.0} <= left  # where it is decided
    plan.minutes.show_value(6000)
    click(plan.edits["fit"])
    assert "fits as it is" in plan.printed.text()
    click(plan.edits["as_was"])
    plan.editor.by.setCurrentIndex(plan.editor.by.findData("charge"))
    assert plan.totals.recharges >= 1
    click(plan.edits["fit"])
    assert plan.totals.recharges == 0 and plan.totals.passes > 10 and "dropped" in plan.printed.text()


def test_what_is_shown_is_what_is_stored_and_run(window, qtbot):
    plan = window.stage("Plan")
    plan.order.setCurrentRow(0)
    for _ in range(5):
        click(plan.edits["drop"])
    click(plan.edits["controls"])
    wanted = [one.setup for one in window.session.planned_passes()[0]]
    before = len(window.session.notebook.passes())
    with qtbot.waitSignal(window.runner.ended, timeout=120_000):
        QTest.keyClick(window, Qt.Key.Key_F5)
    made = window.session.notebook.passes()[before:]
    assert [record.setup for record in made] == wanted
    assert [record.purpose for record in made].count("control") == 3


def test_a_plan_of_two_hundred_passes_is_edited_like_any_other(window):
    plan = window.stage("Plan")
    commands.set_design(window.session, LadderDesign(6, 25, 1, 40.0, repeats=10, pass_s=60, seed=1), "all")
    assert plan.order.count() == 200
    before = shown(plan)
    plan.order.setCurrentRow(100)
    click(plan.edits["earlier"])
    assert shown(plan)[99] == before[100] and len(plan.schedule.data["pass"]) == 200


def test_a_plan_is_rehearsed(window):
    """By its key: nothing in the way of the demo's plan; then a limit at which something went wrong."""
    plan = window.stage("Plan")
    plan.order.setFocus()
    QTest.keyClick(plan.order, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    assert "Nothing is in its way. It asks of you:" in plan.printed.text()
    commands.note_incident(window.session, IncidentKind.CRASH, window.session.planned_passes()[0][0].setup, "", "")
    click(plan.edits["rehearse"])
    assert "1 problem" in plan.printed.text() and "something went wrong there before" in plan.printed.text()
