"""Pages one over the other that ask for no more room than the one in sight."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QStackedWidget


class Stack(QStackedWidget):
    """As tall as its current page wants to be."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(lambda _at: self.updateGeometry())

    def sizeHint(self) -> QSize:
        page = self.currentWidget()
        return page.sizeHint() if page is not None else super().sizeHint()

    def minimumSizeHint(self) -> QSize:
        page = self.currentWidget()
        if page is None:
            return super().minimumSizeHint()
        return page.minimumSizeHint().expandedTo(page.minimumSize())
