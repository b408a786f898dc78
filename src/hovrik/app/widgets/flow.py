"""Layouts that set widgets like words: on one line, the longest giving way, or on as many as they take."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QLabel, QLayout, QLayoutItem, QWidget


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


class LineLayout(FlowLayout):
    """One line: where it does not fit, the longest of its controls are made shorter, none under `least` pixels."""

    def __init__(self, parent: QWidget | None = None, gap: int = 6, least: int = 52) -> None:
        super().__init__(parent, gap)
        self.setContentsMargins(0, 0, 0, 0)
        self._least = least

    def hasHeightForWidth(self) -> bool:
        return False

    def insert(self, at: int, widget: QWidget) -> None:
        """Add a widget before the one at this place."""
        self.addWidget(widget)
        self._items.insert(at, self._items.pop())
        self.invalidate()

    def sizeHint(self) -> QSize:
        size = self.minimumSize()
        shown = self._shown()
        return QSize(sum(i.sizeHint().width() for i in shown) + self._gap * len(shown), size.height())

    def minimumSize(self) -> QSize:
        return QSize(0, max((i.minimumSize().height() for i in self._shown()), default=0))

    def _shown(self) -> list[QLayoutItem]:
        return [i for i in self._items if not (i.widget() and i.widget().isHidden())]

    def _place(self, rect: QRect, *, move: bool) -> int:
        margins = self.contentsMargins()
        area = rect.adjusted(margins.left(), margins.top(), -margins.right(), -margins.bottom())
        shown = self._shown()
        wanted = [min(i.sizeHint().width(), i.maximumSize().width()) for i in shown]
        is_word = [isinstance(i.widget(), QLabel) for i in shown]
        words = sum(width for width, fixed in zip(wanted, is_word) if fixed) + self._gap * max(len(shown) - 1, 0)
        controls = [width for width, fixed in zip(wanted, is_word) if not fixed]
        most = longest_that_fit(controls, area.width() - words, self._least)
        line = [
            (item, QSize(width if fixed else min(width, most), min(item.sizeHint().height(), area.height())))
            for item, width, fixed in zip(shown, wanted, is_word)
        ]
        self._set_line(line, area.left(), area.top(), area.height(), move)
        return rect.height()


def longest_that_fit(widths: Sequence[int], room: int, least: int) -> int:
    """The width that the longest may have so that all fit, at least `least`."""
    left, ordered = room, sorted(widths)
    for at, width in enumerate(ordered):
        share = left // (len(ordered) - at)
        if width > share:
            return max(share, least)
        left -= width
    return max([least, *ordered])


class Abreast(QWidget):
    """Widgets side by side where there is room for it, else one below the other. row : the layout to fill; first : the
    one that is uppermost then."""

    def __init__(self, least: int, first: int = 0) -> None:
        super().__init__()
        self._least, self._first, self._is_wide = least, first, True
        self.row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(12)

    def minimumSizeHint(self) -> QSize:
        """That of one column."""
        widths = [item.minimumSize().width() for at in range(self.row.count()) if (item := self.row.itemAt(at))]
        return QSize(max(widths, default=0), super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        is_wide = self.width() >= self._least
        if is_wide is not self._is_wide and self.row.count() > self._first:
            self._is_wide = is_wide
            moved = self.row.itemAt(0 if is_wide else self._first)
            widget = moved.widget() if moved is not None else None
            if widget is not None:
                self.row.removeWidget(widget)
                self.row.insertWidget(self._first if is_wide else 0, widget, 1)
        self.row.setDirection(QBoxLayout.Direction.LeftToRight if is_wide else QBoxLayout.Direction.TopToBottom)
        super().resizeEvent(event)
