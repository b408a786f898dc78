"""A layout that sets widgets like words: left to right, then the next line."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    """Lays items out like words of a sentence, aligned on the middle of each line."""

    def __init__(self, parent: QWidget | None = None, gap: int = 6, line_gap: int = 2) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._gap, self._line_gap = gap, line_gap

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._place(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._place(rect, move=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        margins = self.contentsMargins()
        return size + QSize(margins.left() + margins.right(), margins.top() + margins.bottom())

    def _place(self, rect: QRect, *, move: bool) -> int:
        margins = self.contentsMargins()
        area = rect.adjusted(margins.left(), margins.top(), -margins.right(), -margins.bottom())
        top, line, used, tallest = area.top(), [], 0, 0
        for item in [i for i in self._items if not (i.widget() and i.widget().isHidden())]:
            size = item.sizeHint()
            if line and used + size.width() > area.width():
                self._set_line(line, area.left(), top, tallest, move)
                top, line, used, tallest = top + tallest + self._line_gap, [], 0, 0
            line.append((item, size))
            used += size.width() + self._gap
            tallest = max(tallest, size.height())
        self._set_line(line, area.left(), top, tallest, move)
        return top + tallest - rect.top() + margins.bottom()

    def _set_line(self, line: list[tuple[QLayoutItem, QSize]], left: int, top: int, tallest: int, move: bool) -> None:
        for item, size in line:
            if move:
                item.setGeometry(QRect(QPoint(left, top + (tallest - size.height()) // 2), size))
            left += size.width() + self._gap
