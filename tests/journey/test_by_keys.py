"""A whole sweep by key events alone: plan, start, read, keep, export; no control is called and no mouse is moved."""

import json

import pytest
from helpers.build import copy_notebook
from helpers.window import at_rest, opened
from kills import prepare
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QAbstractSpinBox, QApplication, QFileDialog

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def empty(tmp_path):
    """A notebook with a rig, a title and a question, and no pass yet."""
    folder = tmp_path / "base"
    folder.mkdir()
    return copy_notebook(prepare(folder), tmp_path)


class Keys:
    """Fingers on a keyboard."""

    def __init__(self, window):
        self.window = window

    def press(self, key, held=Qt.KeyboardModifier.NoModifier):
        """A key, wherever the focus is."""
        QTest.keyClick(QApplication.focusWidget() or self.window, key, held)
        QApplication.processEvents()

    def type(self, text):
        """Letters, wherever the focus is."""
        QTest.keyClicks(QApplication.focusWidget(), text)

    def go_to(self, name, most=160):
        """Tab until what is called so has the focus."""
        for _ in range(most):
            focus = QApplication.focusWidget()
            words = (
                {focus.accessibleName(), focus.text() if isinstance(focus, QAbstractButton) else ""} if focus else set()
            )
            if any(one.startswith(name) for one in words if one):
                return focus
            self.press(Qt.Key.Key_Tab)
        raise AssertionError(f"{name} is not reached by Tab")

    def page(self, name):
        """Ctrl+Tab until a page is shown."""
        stage = self.window.stack.currentWidget()
        for _ in range(8):
            if stage.pages.page == name:
                return
            self.press(Qt.Key.Key_Tab, CONTROL)
        raise AssertionError(name)

    def number(self, name, text):
        """Type a number into a field and leave it."""
        field = self.go_to(name)
        assert isinstance(field, QAbstractSpinBox)
        self.press(Qt.Key.Key_A, CONTROL)
        self.type(text)
        self.press(Qt.Key.Key_Tab)


@pytest.mark.parametrize("size", [(1280, 800), (853, 533)], ids=["1280x800", "853x533"])
def test_plan_sweep_read_keep_and_export_by_keys(empty, tmp_path, qtbot, monkeypatch, size):
    written = tmp_path / "kept.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(lambda *_: (str(written), "")))
    with opened(empty, qtbot) as window:
        window.resize(*size)
        keys = Keys(window)
        keys.press(Qt.Key.Key_3, CONTROL)
        plan = window.stage("Plan")
        assert window.stack.currentWidget() is plan
        for name, text in (("Lowest limit", "11"), ("Highest limit", "14"), ("Repeats", "3"), ("Soak before", "10")):
            keys.number(name, text)
        heat = keys.go_to("a long pass first")
        if heat.isChecked():
            keys.press(Qt.Key.Key_Space)
        assert (window.session.design.from_w, window.session.design.to_w) == (11, 14)
        keys.press(Qt.Key.Key_F5)
        assert window.stack.currentWidget() is window.bench
        qtbot.waitUntil(lambda: window.runner.is_running, timeout=60_000)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=120_000)
        qtbot.waitUntil(lambda: window.session.evaluation.answer.option is not None, timeout=60_000)
        keys.press(Qt.Key.Key_5, CONTROL)
        keys.page("Passes")
        table = keys.go_to("Passes")
        assert isinstance(table, QAbstractItemView)
        keys.press(Qt.Key.Key_Down)
        keys.press(Qt.Key.Key_Down)
        assert window.session.selected_pass is not None
        keys.page("Pass")
        at_rest(window, qtbot)
        assert window.stage("Read").one_pass.words.text().startswith(("11 W", "12 W", "13 W", "14 W"))
        keys.press(Qt.Key.Key_6, CONTROL)
        keys.go_to("Keep this as a profile")
        keys.press(Qt.Key.Key_Space)
        assert window.stack.currentWidget() is window.stage("Keep")
        assert len(window.session.notebook.profiles()) == 1
        keys.go_to("Export …")
        keys.press(Qt.Key.Key_Space)
        assert json.loads(written.read_text())["passes"]
        keys.press(Qt.Key.Key_Z, CONTROL)
        assert window.session.notebook.profiles() == [], "undo takes it off the shelf"
