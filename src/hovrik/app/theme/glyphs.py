"""The signs of the stages and of the menu, drawn in the ink of the theme."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF

_UNITS = 24.0
# name -> strokes of points, rectangles (x, y, width, height, radius); in units of a square of 24
_STROKES: dict[str, tuple[tuple[tuple[float, float], ...], ...]] = {
    "Rig": (((5, 12), (8, 12)), ((6.5, 10.5), (6.5, 13.5)), ((17, 11), (17, 11.2)), ((18.6, 13), (18.6, 13.2))),
    "Scene": (((3, 19), (9, 8), (13, 15), (16, 11), (21, 19), (3, 19)),),
    "Plan": (((4, 6), (12, 6)), ((4, 12), (17, 12)), ((4, 18), (20, 18))),
    "Bench": (((3, 20), (21, 20)), ((7, 20), (7, 11)), ((17, 20), (17, 11)), ((4, 11), (20, 11)), ((12, 8), (12, 4))),
    "Read": (((4, 4), (4, 20), (21, 20)), ((7, 17), (10, 11), (14, 8), (20, 7))),
    "Choose": (((12, 21), (12, 13), (5, 5)), ((12, 13), (19, 5)), ((15, 5), (19, 5), (19, 9))),
    "Keep": (((6, 4), (18, 4), (18, 20), (12, 15.5), (6, 20), (6, 4)),),
    "Menu": (((4, 6), (20, 6)), ((4, 12), (20, 12)), ((4, 18), (20, 18))),
    "More": (((5, 9), (12, 16), (19, 9)),),
}
_BOXES: dict[str, tuple[QRectF, ...]] = {"Rig": (QRectF(2.5, 6.5, 19, 11), QRectF(9.5, 9, 5, 6))}


def glyph(name: str, colour: str, ready: bool | None = None, pixels: int = 24) -> QIcon:
    """A sign as an icon, sharp at any scale up to three. ready : a full dot beside it, an empty one, None for none."""
    picture = QPixmap(3 * pixels, 3 * pixels)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.scale(3 * pixels / _UNITS, 3 * pixels / _UNITS)
    pen = QPen(QColor(colour), 1.8)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.setPen(pen)
    for stroke in _STROKES.get(name, ()):
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in stroke]))
    for box in _BOXES.get(name, ()):
        painter.drawRoundedRect(box, 2.5, 2.5)
    if ready is not None:
        painter.setPen(QPen(QColor(colour), 1.2))
        painter.setBrush(QColor(colour) if ready else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(21.6, 3.0), 1.8, 1.8)
    painter.end()
    picture.setDevicePixelRatio(3)
    return QIcon(picture)
