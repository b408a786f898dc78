"""What every stage is: a page that knows whether it is ready and what it waits for."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from ..session import Session
from ..widgets.fields import label


class Stage(QWidget):
    """A stage. title : its name; purpose : one line about it."""

    title = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName(f"{self.title} stage")
        self.layout_ = QVBoxLayout(self)
        self.layout_.setContentsMargins(14, 10, 14, 8)
        self.layout_.setSpacing(8)


def scrolling(page: QWidget) -> QScrollArea:
    """A page that scrolls where it does not fit."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidget(page)
    return area


def empty_hint(text: str) -> QWidget:
    """What to do where there is nothing to show yet."""
    return label(text, "soft", wrap=True)
