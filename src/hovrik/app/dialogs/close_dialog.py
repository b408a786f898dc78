"""Closing while a sweep runs: what is to become of it."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ..widgets.fields import button, label


class CloseDialog(QDialog):
    """Signals: stop_asked, background_asked."""

    stop_asked = pyqtSignal()
    background_asked = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("A sweep is running")
        self.setWindowModality(Qt.WindowModality.WindowModal)
        self.setMinimumWidth(420)
        self.stop = button("Stop it, put the machine back and close", "main")
        self.background = button("Let it run to its end without a window")
        self.stay = button("Stay here")
        column = QVBoxLayout(self)
        column.addWidget(
            label(
                "Every finished pass is kept either way. Without a window it ends by itself and puts the machine back; "
                "opening the notebook again brings the window back.", wrap=True,
            )
        )  # fmt: skip
        for made, tell in ((self.stop, self.stop_asked), (self.background, self.background_asked), (self.stay, None)):
            made.clicked.connect(self.accept)
            if tell is not None:
                made.clicked.connect(tell)
            column.addWidget(made)
