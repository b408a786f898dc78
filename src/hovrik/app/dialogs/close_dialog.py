"""Closing while a sweep runs: what is to become of it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ..widgets.fields import button, label


class CloseDialog(QDialog):
    """by_hand : a person is needed to put the machine back, and nobody can without a window. Signals: stop_asked,
    background_asked, leave_asked."""

    stop_asked = pyqtSignal()
    background_asked = pyqtSignal()
    leave_asked = pyqtSignal()

    def __init__(self, parent: QWidget | None = None, *, by_hand: bool = False) -> None:
        super().__init__(parent)
        self.setWindowTitle("A sweep is running")
        self.setWindowModality(Qt.WindowModality.WindowModal)
        self.setMinimumWidth(420)
        words = "Stop it; I put the machine back, then close" if by_hand else "Stop it, put the machine back and close"
        self.stop = button(words, "main")
        self.background = button("Let it run to its end without a window")
        self.leave = button("Close now; I put it back later")
        self.stay = button("Stay here")
        column = QVBoxLayout(self)
        column.addWidget(
            label(
                "Every finished pass is kept either way. "
                + (
                    "Only you can put back what you set: you are asked for it, now or at the next start."
                    if by_hand else
                    "Without a window it ends by itself and puts the machine back; opening the notebook again brings "
                    "the window back."
                ), wrap=True,
            )
        )  # fmt: skip
        second = (self.leave, self.leave_asked) if by_hand else (self.background, self.background_asked)
        for made, tell in ((self.stop, self.stop_asked), second, (self.stay, None)):
            made.clicked.connect(self.accept)
            if tell is not None:
                made.clicked.connect(tell)
            column.addWidget(made)
