"""What every stage is: pages by tab, and what stands beside them."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ..session import Session
from ..widgets.elided import ElidedLabel
from ..widgets.fields import label
from ..widgets.pages import Pages
from ..widgets.room import Room


class Stage(QWidget):
    """A stage. title : its name; pages : what it shows."""

    title = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName(f"{self.title} stage")
        self.pages = Pages(f"Pages of {self.title}")
        self.layout_ = QVBoxLayout(self)
        self.layout_.setContentsMargins(10, 6, 10, 4)
        self.layout_.setSpacing(4)
        self.layout_.addWidget(self.pages, 1)

    def foot(self, message: ElidedLabel, *buttons: QPushButton) -> None:
        """The one row below the pages: how the last thing went, and what can be done."""
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(message, 1)
        for one in buttons:
            row.addWidget(one)
        self.layout_.addLayout(row)

    def adapt(self, room: Room) -> None:
        """Arrange for the room there is."""
        self.layout_.setContentsMargins(*((10, 6, 10, 4) if room is Room.WIDE else (4, 2, 4, 2)))
        self.pages.adapt(room)


def empty_hint(text: str) -> QWidget:
    """What to do where there is nothing to show yet."""
    return label(text, "soft", wrap=True)
