"""Choose: a limit dragged or typed changes the pick, and undo brings it back; setups by keys; what if."""

import pytest
from helpers.window import click, opened, type_number
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        made.show_place("Choose", "Map")
        qtbot.waitUntil(lambda: made.stage("Choose").map.trade is not None, timeout=30_000)
        yield made


def settle(window, qtbot, ready):
    qtbot.waitUntil(lambda: not window.evaluator.is_busy and ready(), timeout=30_000)


def pick_w(window):
    page = window.stage("Choose").map
    number = page.trade.pick
    return page.trade.points[number].setup["sustained_limit_w"] if number is not None else None


def test_a_dragged_floor_changes_the_pick_and_undo_brings_it_back(window, qtbot):
    page, session = window.stage("Choose").map, window.session
    assert pick_w(window) == 13.0 and "6 setups likely meet" in page.words.text()
    page.plot.floor_moved.emit(0.97 * 36.0)
    settle(window, qtbot, lambda: session.question.target_fps == 36.0 and pick_w(window) == 12.0)
    assert page.floor.value() == 36.0
    session.undo_stack.undo()
    settle(window, qtbot, lambda: pick_w(window) == 13.0)
    page.plot.least_moved.emit(2.6)
    settle(window, qtbot, lambda: "Nothing fits" in page.words.text())
    assert (
        "with a floor of 33 instead of 40" in page.words.text().lower()
        or "with a floor of" in page.words.text().lower()
    )
    assert page.hours.value() == 2.6
    session.undo_stack.undo()
    settle(window, qtbot, lambda: "likely meet" in page.words.text())


def test_setups_are_gone_through_by_keys_and_lead_to_their_passes(window):
    page = window.stage("Choose").map
    page.plot.setFocus()
    before = page.plot.chosen
    QTest.keyClick(page.plot, Qt.Key.Key_Right)
    assert page.plot.chosen != before and page.list.currentRow() == page.plot.chosen
    assert "misses 40" in page.point.text() and len(page.plot.data["die_c"]) == len(page.trade.points)
    page.axis.setCurrentIndex(page.axis.findData("draw_w"))
    assert "draw_w" in page.plot.data
    page.list.setCurrentRow(0)
    click(page.show_passes)
    assert window.session.selected_pass in page.trade.points[0].passes
    assert window.stage_buttons["Read"].isChecked()


def test_a_heavier_scene_changes_the_pick(window, qtbot):
    window.show_place("Choose", "What if")
    page = window.stage("Choose").what_if
    qtbot.waitUntil(lambda: bool(page.rows), timeout=20_000)
    assert page.words.text().startswith("The answer stays: 13 W, cap 40")
    before = page.pick.of_100
    type_number(page.heavier, "4")
    assert page.pick.setup["sustained_limit_w"] == 14 and page.words.text().startswith("There it is 14 W")
    assert "of 100 drawn rooms, batteries and scenes" in page.words.text()
    die = page.table.item(0, 4).text()
    type_number(page.room, "32")
    assert page.table.item(0, 4).text() != die
    type_number(page.heavier, "0")
    type_number(page.scene_sd, "0")
    assert page.pick.of_100 > before
    type_number(page.heavier, "60")
    assert page.pick is None and "nothing that was measured is sure enough" in page.words.text()
