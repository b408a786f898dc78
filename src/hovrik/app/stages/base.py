"""What every stage is: pages by tab, and what stands beside them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ...core.facts.rig import Rig
from ...core.facts.title import Title
from ..commands import archive
from ..session import Session
from ..widgets.elided import ElidedLabel
from ..widgets.fields import label
from ..widgets.pages import Pages
from ..widgets.room import Room

EMPTY = "This notebook is empty. Bench says what a first sweep needs."


class Stage(QWidget):
    """A stage. title : its name; pages : what it shows."""

    title = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._missed: dict[Callable[[], None], None] = {}  # in the order in which they were missed
        self.setAccessibleName(f"{self.title} stage")
        self.pages = Pages(f"Pages of {self.title}")
        self.layout_ = QVBoxLayout(self)
        self.layout_.setContentsMargins(10, 6, 10, 4)
        self.layout_.setSpacing(4)
        self.layout_.addWidget(self.pages, 1)

    def follow(self, slot: Callable[[], None], *signals: Any) -> None:
        """Have a slot called at these signals while the stage is in sight, else once when it comes in sight."""

        def on_signal(*_: object) -> None:
            if self.isVisible():
                slot()
            else:
                self._missed[slot] = None

        for signal in signals:
            signal.connect(on_signal)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        missed, self._missed = list(self._missed), {}
        for slot in missed:
            slot()

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


def set_aside(session: Session, kind: str, thing: Rig | Title | None) -> None:
    """Archive a rig or title, or bring it back."""
    if thing is not None:
        what = f"{kind}/{thing.key}"
        archive(session, what, what not in session.archived)


def show_aside(session: Session, kind: str, thing: Rig | Title | None, made: QPushButton) -> None:
    """What its button does now."""
    is_gone = thing is not None and f"{kind}/{thing.key}" in session.archived
    made.setText("Bring back" if is_gone else "Archive")
    made.setEnabled(thing is not None and not session.notebook.read_only)


def empty_hint(text: str) -> QWidget:
    """What to do where there is nothing to show yet."""
    return label(text, "soft", wrap=True)
