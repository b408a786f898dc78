"""A sheet over the page: it takes no room from anything, and goes with Escape."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

MOST_PX = 460  # wide where it need not be all of the window


class Overlay(QFrame):
    """Hidden until it is asked for; whoever owns it sets its geometry. body : layout to fill. Signals: closed."""

    closed = pyqtSignal()

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("overlay")
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        page = QWidget()
        self.body = QVBoxLayout(page)
        self.body.setContentsMargins(14, 10, 14, 12)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(page)
        self._page = page
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 1, 1, 1)
        outer.addWidget(area)
        self._before: QWidget | None = None
        self.hide()

    def wanted_height(self, width: int) -> int:
        """What its body would take of this width."""
        layout = self._page.layout()
        asked = layout.heightForWidth(width - 4) if layout is not None and layout.hasHeightForWidth() else -1
        return (asked if asked >= 0 else self._page.sizeHint().height()) + 4

    def open(self) -> None:
        """Show it and take the focus."""
        window = self.window()
        self._before = window.focusWidget() if window is not None else None
        self.show()
        self.raise_()
        self.setFocus()

    def dismiss(self) -> None:
        """Hide it; the focus goes back to where it was."""
        if self.isHidden():
            return
        self.hide()
        if self._before is not None and self._before.isVisible():
            self._before.setFocus()
        self.closed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.dismiss()
            return
        super().keyPressEvent(event)
