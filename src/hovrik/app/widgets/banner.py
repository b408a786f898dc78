"""A strip over the answer for what cannot wait: never modal, never takes the focus, takes no room from the page."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QPushButton, QWidget

from .elided import ElidedLabel
from .fields import button
from .room import ANSWER_PX, ROW_PX

LINES = 6
NARROW_PX = 900


class Banner(QWidget):
    """Hidden until there is something to say. buttons : those offered now."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("banner")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.text = ElidedLabel("", "warn", LINES)
        self.text.setAccessibleName("Notice")
        self._top = 0
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(16, 2, 8, 2)
        self._row.addWidget(self.text, 1)
        self._choices = QHBoxLayout()
        self._row.addLayout(self._choices)
        self.buttons: list[QPushButton] = []
        self.hide()

    def place(self, top: int) -> None:
        """Lie across the window from here down, as high as its words need."""
        parent = self.parentWidget()
        if parent is None:
            return
        self._top, width = top, parent.width()
        is_narrow = width < NARROW_PX
        self._row.setDirection(QBoxLayout.Direction.TopToBottom if is_narrow else QBoxLayout.Direction.LeftToRight)
        row = sum(one.sizeHint().width() + 8 for one in self.buttons)
        lines = self.text.lines_at(width - 30 if is_narrow else max(width - 30 - row, 100))
        high = lines * self.text.fontMetrics().lineSpacing() + 8
        self.setGeometry(0, top, width, max(ANSWER_PX, high + (ROW_PX + 10 if is_narrow and row else 0)))
        self.raise_()

    def show_problem(self, text: str) -> None:
        """Say something that can only be dismissed."""
        self.offer(text, (("Dismiss", self.dismiss),))

    def offer(self, text: str, choices: Sequence[tuple[str, Callable[[], None]]]) -> None:
        """Say something with choices; each closes the banner unless it says something new."""
        self._clear()
        self.text.setText(text)
        for words, action in choices:
            made = button(words)
            made.clicked.connect(lambda _on, run=action: self._choose(run))
            self._choices.addWidget(made)
            self.buttons.append(made)
        self.show()
        self.place(self._top)

    def dismiss(self) -> None:
        """Hide."""
        self._clear()
        self.hide()

    def _choose(self, action: Callable[[], None]) -> None:
        self.dismiss()
        action()

    def _clear(self) -> None:
        for made in self.buttons:
            self._choices.removeWidget(made)
            made.hide()
            made.deleteLater()
        self.buttons = []
        self.text.setText("")
