"""A button with a key of the user's choice, remembered from start to start."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QKeySequenceEdit, QWidget

from ..settings import remember, remembered
from .fields import button, label


class MarkKey(QWidget):
    """Field for the key, and the button.

    Signal: pressed (by either, at once).
    name : of the setting; default : key where none was chosen; words, tip : of the field; kind : of the button.
    """

    pressed = pyqtSignal()

    def __init__(self, name: str, default: str, words: str, tip: str, kind: str = "") -> None:
        super().__init__()
        self._name, self._default, self._text = name, default, ""
        self.button = button("", kind)
        self.button.clicked.connect(self.pressed)
        self._shortcut = QShortcut(self)  # at once; a button's own shortcut would click a tenth of a second late
        self._shortcut.activated.connect(self.pressed)
        self.edit = QKeySequenceEdit()
        self.edit.setAccessibleName(tip)
        self.edit.setToolTip("Any key; one of a second keyboard in your lap serves too")
        self.edit.setMaximumSequenceLength(1)
        self.edit.setFixedWidth(84)
        self.edit.editingFinished.connect(lambda: self.take(self.edit.keySequence()))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (label(words, "soft"), self.edit, self.button):
            row.addWidget(widget)
        self.take(QKeySequence(str(remembered(name, default))))

    def take(self, key: QKeySequence) -> None:
        """This key from now on; an empty one is the default, and one that the window has for something else is none."""
        key = QKeySequence(self._default) if key.isEmpty() else key
        window = self.window()
        other = next((a for a in window.actions() if key in a.shortcuts()), None) if window is not None else None
        if other is not None:
            self.edit.setToolTip(f"{key.toString()} is the key for {other.text()}. Choose another.")
            self.edit.setKeySequence(self._shortcut.key())
            return
        self.edit.setKeySequence(key)
        self._shortcut.setKey(key)
        remember(self._name, key.toString())
        self.say(self._text)

    def say(self, text: str) -> None:
        """What the button does; the key stands behind it while it serves."""
        self._text = text
        words = self.edit.keySequence().toString(QKeySequence.SequenceFormat.NativeText)
        self.button.setText(f"{text} ({words})" if self._shortcut.isEnabled() else text)

    def allow(self, *, press: bool = True, by_key: bool = True) -> None:
        """Whether it can be pressed at all, and whether by the key too."""
        self.button.setEnabled(press)
        self._shortcut.setEnabled(press and by_key)
        self.say(self._text)
