"""Text that takes what room there is, ends in an ellipsis where it must, and says all of itself in its tooltip."""

from __future__ import annotations

from itertools import pairwise

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPalette, QTextLayout, QTextOption
from PyQt6.QtWidgets import QLabel, QSizePolicy, QStyleOption


class ElidedLabel(QLabel):
    """A label of at most `lines` lines; it asks for no width of its own."""

    def __init__(self, text: str = "", kind: str = "", lines: int = 1) -> None:
        super().__init__(text)
        self.lines = lines
        self.is_cut = False  # whether the last painting left something out
        self.setTextFormat(Qt.TextFormat.PlainText)
        if kind:
            self.setProperty("kind", kind)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self.setToolTip(text or "")

    def lines_at(self, width: int) -> int:
        """How many lines its words take at a width, as far as it may have them."""
        return max(1, len(self._cut(width, self.lines)))

    def sizeHint(self) -> QSize:
        words = self.fontMetrics().horizontalAdvance(self.text())
        return QSize(words + 4, self.lines * self.fontMetrics().lineSpacing())

    def minimumSizeHint(self) -> QSize:
        return QSize(0, self.fontMetrics().lineSpacing())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        option = QStyleOption()
        option.initFrom(self)
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(option.palette.color(QPalette.ColorRole.WindowText))
        step = self.fontMetrics().lineSpacing()
        shown = self._cut(self.width(), max(1, min(self.lines, self.height() // step)))
        top = (self.height() - len(shown) * step) / 2
        for number, line in enumerate(shown):
            wide = self.fontMetrics().horizontalAdvance(line)
            right = bool(self.alignment() & Qt.AlignmentFlag.AlignRight)
            painter.drawText(
                QPointF(self.width() - wide if right else 0, top + number * step + self.fontMetrics().ascent()), line
            )
        painter.end()

    def _cut(self, width: int, most: int) -> list[str]:
        """The lines that fit a width, the last one elided where there is more."""
        text, metrics = self.text().replace("\n", " "), self.fontMetrics()
        layout = QTextLayout(text, self.font())
        option = QTextOption()
        option.setWrapMode(QTextOption.WrapMode.WordWrap)
        layout.setTextOption(option)
        layout.beginLayout()
        starts = []
        while len(starts) <= most and (line := layout.createLine()).isValid():
            line.setLineWidth(max(width, 1))
            starts.append(line.textStart())
        layout.endLayout()
        self.is_cut = len(starts) > most
        bounds = [*starts[:most], None]  # the last line takes all that is left, and is elided
        found = [text[a:b].rstrip() for a, b in pairwise(bounds)]
        return [*found[:-1], metrics.elidedText(found[-1], Qt.TextElideMode.ElideRight, width)] if found else []
