"""Controls that did the wrong thing."""

from dataclasses import replace

import pytest
from helpers.window import click, opened, type_number

from hovrik.app import commands


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
    type_number(plan.to_w, text)
    assert plan.to_w.value() == 12.5 and window.session.design.to_w == 12.5
    type_number(plan.room_c, text)
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
