"""What counts beside the floor, entered in Plan: the answer follows, and undo takes it back."""

import pytest
from helpers.window import opened, texts

from hovrik.core.facts.terms import HOURS, Aim


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        made.show_stage("Plan")
        made.stage("Plan").pages.show_page("Terms")
        qtbot.waitUntil(lambda: made.session.evaluation is not None, timeout=20_000)
        yield made


def answered(window, qtbot, holds):
    """Wait for an answer of which this is true."""
    qtbot.waitUntil(lambda: holds(window.session.evaluation.answer), timeout=20_000)


def test_bounds_change_the_answer_and_are_undone(window, qtbot):
    terms, session = window.stage("Plan").terms, window.session
    answered(window, qtbot, lambda answer: answer.option is not None)
    terms.die.setValue(30.0)
    answered(window, qtbot, lambda answer: answer.option is None and "30 C" in f"{answer.sentence} {answer.reasons}")
    session.undo_stack.undo()
    answered(window, qtbot, lambda answer: answer.option is not None)
    assert terms.die.text() == "no limit"
    terms.hours.setValue(2.0)
    answered(window, qtbot, lambda answer: any("hours" in one and "at least 2 h" in one for one in answer.reasons))
    assert session.evaluation.answer.option is not None
    terms.hours.setValue(9.0)
    answered(window, qtbot, lambda answer: answer.option is None)
    terms.hours.setValue(0.0)
    answered(window, qtbot, lambda answer: answer.option is not None)
    assert session.question.terms.limits == ()


def test_every_term_reaches_the_question(window):
    page, session = window.stage("Plan").terms, window.session
    page.aim.setCurrentIndex(page.aim.findData(Aim.FRAMES.value))
    page.sure.setValue(90.0)
    page.tolerance.setValue(5.0)
    page.price.setValue(2.5)
    page.room.setValue(31.0)
    page.noise.setValue(35.0)
    terms = session.question.terms
    assert (terms.aim, terms.sure, terms.tolerance, terms.price, terms.room_c) == (Aim.FRAMES, 0.9, 0.05, 2.5, 31.0)
    assert [(one.figure, one.at_most) for one in terms.limits] == [("noise_db", 35.0)]
    page.hours.setValue(1.5)
    assert {one.figure for one in session.question.terms.limits} == {"noise_db", HOURS}
    for _ in range(7):
        session.undo_stack.undo()
    assert session.question.terms.limits == () and page.sure.value() == 95.0 and page.room.text() == "as measured"


def test_weights_choose_among_what_holds_and_say_where_it_flips(window, qtbot):
    page, session = window.stage("Plan").terms, window.session
    answered(window, qtbot, lambda answer: answer.option is not None and answer.option.level == 13.0)
    assert not page.weights["die_c"].isVisible()
    page.aim.setCurrentIndex(page.aim.findData("weights"))
    assert session.question.terms.weights == {HOURS: 1.0, "judged": 1.0} and page.weights["die_c"].isVisible()
    page.weights[HOURS].setValue(0.0)
    answered(window, qtbot, lambda answer: answer.option is not None and answer.option.level > 13.0)
    page.weights["judged"].setValue(0.0)  # something has to count
    assert session.question.terms.weights == {"judged": 1.0} and page.weights["judged"].value() == 1.0
    page.weights[HOURS].setValue(1.0)
    answered(window, qtbot, lambda answer: answer.option is not None and answer.option.level == 13.0)
    window.show_place("Choose", "Options")
    qtbot.waitUntil(lambda: "13 W, cap 40 is worth most" in texts(window.stage("Choose")), timeout=60_000)
    assert "flips if" in texts(window.stage("Choose"))
    page.aim.setCurrentIndex(page.aim.findData(Aim.HOURS.value))
    assert session.question.terms.weights is None
    session.undo_stack.undo()
    assert session.question.terms.weights == {"judged": 1.0, HOURS: 1.0}
