"""A strip across the window for what cannot wait: never modal, never takes the focus."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from .fields import button, label


class Banner(QWidget):
    """Hidden until there is something to say. buttons : those offered now."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("banner")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.text = label("", "warn", wrap=True)
        self.text.setAccessibleName("Notice")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(16, 4, 10, 4)
        self._row.addWidget(self.text, 1)
        self.buttons: list[QPushButton] = []
        self.hide()

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
            self._row.addWidget(made)
            self.buttons.append(made)
        self.show()

    def dismiss(self) -> None:
        """Hide."""
        self._clear()
        self.hide()

    def _choose(self, action: Callable[[], None]) -> None:
        self.dismiss()
        action()

    def _clear(self) -> None:
        for made in self.buttons:
            self._row.removeWidget(made)
            made.deleteLater()
        self.buttons = []
        self.text.setText("")
