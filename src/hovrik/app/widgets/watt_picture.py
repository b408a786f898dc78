"""Where the watts go, as bars that split: battery to screen, board and package, package to CPU and GPU."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...core.passes.energy import WattFlow
from ..theme import tokens

_ORDER = ("wall", "draw", "package")
_COLOURS = {
    "wall": "draw_w", "charging": "shell_c", "draw": "draw_w", "base": "shell_c", "loss": "marginal",
    "package": "package_w", "cpu": "die_c", "gpu": "per_watt", "uncore": "interval",
}  # fmt: skip
_BAR, _GAP, _TOP = 46, 30, 8


class WattPicture(QWidget):
    """A bar a level, each split into its parts in proportion. Solid: measured; hatched: assumed or left over."""

    def __init__(self) -> None:
        super().__init__()
        self.flows: tuple[WattFlow, ...] = ()
        self.setAccessibleName("Where the watts go")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_flows(self, flows: Sequence[WattFlow]) -> None:
        """Draw the parts; nothing where there are none."""
        self.flows = tuple(flows)
        words = "; ".join(f"{f.label} {f.watts:.1f} W ({f.how})" for f in self.flows)
        self.setAccessibleDescription(words)
        self.updateGeometry()
        self.update()

    def levels(self) -> list[list[tuple[WattFlow, float, float]]]:
        """Bars from top to bottom: (part, left, right) as shares of the width. Plain data, so that it can be tested."""
        if not self.flows:
            return []
        whole = self.flows[0].watts
        spans = {self.flows[0].id: (0.0, 1.0)}
        found = [[(self.flows[0], 0.0, 1.0)]]
        for parent in _ORDER:
            parts = [f for f in self.flows if f.parent == parent]
            if not parts or parent not in spans:
                continue
            left = spans[parent][0]
            row = []
            for part in sorted(parts, key=lambda f: f.id not in _ORDER):  # what is split further stands first
                right = left + part.watts / whole
                row.append((part, left, right))
                spans[part.id] = (left, right)
                left = right
            found.append(row)
        return found

    def sizeHint(self) -> QSize:
        return QSize(600, max(len(self.levels()), 1) * (_BAR + _GAP) + _TOP)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, self.sizeHint().height())

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = tokens.current()
        for level, row in enumerate(self.levels()):
            top = _TOP + level * (_BAR + _GAP)
            for part, left, right in row:
                box = QRectF(left * self.width(), top, max((right - left) * self.width() - 3, 2), _BAR)
                colour = QColor(theme.data[_COLOURS[part.id]])
                fill = QColor(colour)
                fill.setAlpha(70)
                painter.setPen(QPen(colour, 2))
                painter.fillRect(box, QColor(theme.sheet))
                painter.fillRect(box, fill)
                if not part.measured:
                    painter.fillRect(box, Qt.BrushStyle.BDiagPattern)
                painter.drawRect(box)
                self._write(painter, box, part, theme)
        painter.end()

    def _write(self, painter: QPainter, box: QRectF, part: WattFlow, theme: tokens.Theme) -> None:
        watts = f"{part.watts:.1f} W"
        painter.setPen(QColor(theme.ink))
        painter.setFont(tokens.base_font(13))
        metrics = painter.fontMetrics()
        inside = box.adjusted(8, 2, -4, -2)
        wide = metrics.horizontalAdvance(f"{part.label}  {watts}") + 12 < box.width()
        if not part.measured and wide:  # plain ground behind words on hatching
            ground = QRectF(
                inside.left() - 4, box.top() + 10, metrics.horizontalAdvance(f"{part.label}  {watts}") + 8, 26
            )
            painter.fillRect(ground, QColor(theme.sheet))
        if wide:
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, f"{part.label}  {watts}")
            return
        below = QRectF(box.left(), box.bottom() + 2, max(box.width(), 200), _GAP - 4)
        words = f"{part.label} {watts}"
        if below.left() + metrics.horizontalAdvance(words) > self.width():
            below.moveRight(box.right())
            painter.drawText(below, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, words)
        else:
            painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, words)
