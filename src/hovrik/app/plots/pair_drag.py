"""A point dragged onto another one: two things of a plot to be compared."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Sequence

import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent

from ..theme import tokens

REACH_PX = 14.0  # how far from a point it may be taken hold of, or dropped
MOVED_PX = 6.0
Target = tuple[float, float, Hashable]  # x, y in the plot's units, what it is


class PairDrag(QObject):
    """Watches the mouse over a plot. targets : its points. Signal: paired (what was dragged, what it was dropped on).
    A press that begins elsewhere, and a release without a move, are the plot's."""

    paired = pyqtSignal(object, object)

    def __init__(self, plot: pg.PlotWidget, targets: Callable[[], Sequence[Target]]) -> None:
        super().__init__(plot)
        self._plot, self._targets = plot, targets
        self._held: Target | None = None
        self._from = QPointF()
        self._line: pg.PlotCurveItem | None = None
        plot.viewport().installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take a drag from a point; let everything else pass."""
        if not isinstance(event, QMouseEvent):
            return False
        place = event.position()
        if event.type() is QEvent.Type.MouseButtonPress and event.button() is Qt.MouseButton.LeftButton:
            self._held, self._from = self._near(place), place
        elif event.type() is QEvent.Type.MouseMove and self._held is not None:
            if self._line is not None or (place - self._from).manhattanLength() > MOVED_PX:
                self._draw(place)
                return True
        elif event.type() is QEvent.Type.MouseButtonRelease and self._held is not None:
            held, self._held = self._held, None
            if self._line is not None:
                self._plot.removeItem(self._line)
                self._line = None
                other = self._near(place)
                if other is not None and other[2] != held[2]:
                    self.paired.emit(held[2], other[2])
        return False

    def _near(self, place: QPointF) -> Target | None:
        """The point at a place of the viewport, or None."""
        box = self._plot.getPlotItem().getViewBox()
        scene = self._plot.mapToScene(place.toPoint())
        found, best = None, REACH_PX
        for target in self._targets():
            at = box.mapViewToScene(QPointF(target[0], target[1]))
            away = math.hypot(at.x() - scene.x(), at.y() - scene.y())
            if away < best:
                found, best = target, away
        return found

    def _draw(self, place: QPointF) -> None:
        box = self._plot.getPlotItem().getViewBox()
        to = box.mapSceneToView(QPointF(self._plot.mapToScene(place.toPoint())))
        if self._line is None:
            colour = QColor(tokens.current().accent)
            self._line = pg.PlotCurveItem(pen=pg.mkPen(colour, width=2, style=Qt.PenStyle.DashLine))
            self._line.setZValue(40)
            self._plot.addItem(self._line, ignoreBounds=True)
        if self._held is not None:
            self._line.setData([self._held[0], to.x()], [self._held[1], to.y()])
