"""docs/where.md: every capability is where it says, by keys, at every size; every page and button has a row."""

from pathlib import Path

import pytest
from helpers.fits import area_of
from helpers.window import at_rest, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QTabBar, QWidget

from hovrik.app.main_window import STAGES
from hovrik.app.widgets.guide_panel import GuidePanel

TABLE = Path(__file__).parents[2] / "docs" / "where.md"
HEAD = "| what | stage | page | control |"


def rows():
    """(stage, page, control) of the table."""
    lines = TABLE.read_text().split(HEAD)[1].splitlines()[2:]
    cells = [[cell.strip() for cell in line.strip().strip("|").split("|")] for line in lines if line.strip()]
    assert all(len(row) == 4 for row in cells), [row for row in cells if len(row) != 4]
    return [tuple(row[1:]) for row in cells]


def words_of(widget):
    """What a widget is called."""
    return {widget.accessibleName(), widget.text() if isinstance(widget, QAbstractButton) else ""} - {""}


def found_on(parent, name):
    """Widgets of this name that are shown."""
    return [one for one in parent.findChildren(QWidget) if one.isVisible() and name in words_of(one)]


@pytest.mark.parametrize("size", [(1280, 800), (853, 533), (640, 400)], ids=lambda s: f"{s[0]}x{s[1]}")
def test_every_row_is_reached_by_keys(demo_copy, qtbot, size):
    table, missed = rows(), []
    with opened(demo_copy, qtbot) as window:
        window.resize(*size)
        window.stage("Rig").knobs_of.setCurrentIndex(1)  # of a slot, where knobs may exclude each other
        at_rest(window, qtbot)
        for number, name in enumerate(STAGES, 1):
            QTest.keyClick(window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.ControlModifier)
            stage = window.stack.currentWidget()
            assert stage is window.stage(name)
            seen = set()
            for _ in range(max(stage.pages.bar.count(), 1)):
                QApplication.processEvents()
                pages = stage.pages
                here = {pages.page, *pages.names[max(pages.bar.count(), 1) :]}  # beside it, where there is room
                seen |= here
                for wanted, page, control in table:
                    if wanted == name and page in here and not found_on(stage, control):
                        missed.append((name, page, control))
                    if wanted == "any" and not found_on(window, control):
                        missed.append((name, wanted, control))
                QTest.keyClick(window, Qt.Key.Key_Tab, Qt.KeyboardModifier.ControlModifier)
            assert seen == set(stage.pages.names), name
    assert not missed


def test_every_page_and_button_has_a_row(demo_copy, qtbot):
    table = rows()
    with opened(demo_copy, qtbot) as window:
        for name in STAGES:
            stage = window.stage(name)
            own = {(page, control) for wanted, page, control in table if wanted == name}
            assert set(stage.pages.names) <= {page for page, _ in own}, name
            for button in stage.findChildren(QAbstractButton):
                is_part = area_of(button) is None and isinstance(button.parentWidget(), QTabBar)
                asked = any(isinstance(p, GuidePanel) for p in parents(button))  # what a pass by hand asks, as it asks
                if is_part or asked or button is stage.pages.fold or not words_of(button):
                    continue
                assert words_of(button) & {control for _, control in own}, (name, words_of(button))


def parents(widget):
    """From a widget up."""
    while (widget := widget.parentWidget()) is not None:
        yield widget
