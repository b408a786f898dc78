"""Words in a plot that do not meet: each near its point, moved aside where it would lie on another, merged where two
stand for the same place."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import Enum
from itertools import pairwise

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QTimer
from PyQt6.QtGui import QColor

from ..theme import tokens

SAME_PX = 4  # labels on one edge that are nearer to each other become one
_BETWEEN = 6  # places looked at on each stretch of a line
_STEPS = 12
_GAP_PX = 5.0


class Edge(Enum):
    """A label that belongs to a place along x stands at an edge of the plot."""

    TOP = "top"
    BOTTOM = "bottom"


@dataclass
class _Label:
    words: str
    x: float
    y: float | Edge
    item: pg.TextItem
    rect: QRectF | None = None


class Labels:
    """The labels of one plot. They are placed anew whenever its range or size changes."""

    def __init__(self, plot: pg.PlotWidget) -> None:
        self._plot = plot
        self._all: list[_Label] = []
        self._points: list[tuple[float, float]] = []
        self._later = QTimer(plot)  # once a turn, however many are added and however the range moves
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.place)
        box = plot.getPlotItem().getViewBox()
        box.sigRangeChanged.connect(lambda *_: self._later.start())
        box.sigResized.connect(lambda *_: self._later.start())

    def clear(self) -> None:
        """Forget all; their items are the plot's to remove."""
        self._all, self._points = [], []

    def avoid(self, x: Sequence[float], y: Sequence[float]) -> None:
        """A line through points (data units) that words should not lie on where there is another place."""
        for (x0, y0), (x1, y1) in pairwise(zip(x, y)):
            self._points += [(x0 + k * (x1 - x0) / _BETWEEN, y0 + k * (y1 - y0) / _BETWEEN) for k in range(_BETWEEN)]
        self._points += list(zip(x, y))[-1:]

    def add(self, words: str, x: float, y: float | Edge, colour: str) -> None:
        """Words near a point (data units), or at an edge above or below it."""
        item = pg.TextItem(words, color=colour, fill=QColor(tokens.current().sheet) if isinstance(y, Edge) else None)
        item.setFont(tokens.base_font(12))
        item.setZValue(20)  # above lines
        self._plot.addItem(item, ignoreBounds=True)
        item.hide()
        self._all.append(_Label(words, x, y, item))
        self._later.start()

    @property
    def shown(self) -> list[tuple[str, QRectF]]:
        """Words that are shown with where they stand (scene pixels)."""
        if self._later.isActive():
            self.place()
        return [(one.item.textItem.toPlainText(), one.rect) for one in self._all if one.rect is not None]

    def place(self) -> None:
        """Put each where it meets no other."""
        self._later.stop()
        box = self._plot.getPlotItem().getViewBox()
        room = box.sceneBoundingRect()
        if room.width() < 20 or room.height() < 20:
            return
        taken: list[QRectF] = []
        points = self._on_scene(box)
        for one, words in self._merged(box):
            if one.item.textItem.toPlainText() != words:
                one.item.setText(words)
            size = one.item.boundingRect()
            free = [r for r in _places(one, size, box, room) if not any(r.intersects(other) for other in taken)]
            found = next((r for r in free if not _meets(r.adjusted(-4, -2, 4, 2), points)), free[0] if free else None)
            one.rect = found
            one.item.setVisible(found is not None)
            if found is not None:
                taken.append(found)
                one.item.setPos(box.mapSceneToView(found.topLeft()))

    def _on_scene(self, box: pg.ViewBox) -> NDArray[np.float64]:
        """(n, 2) where the points of lines stand, scene pixels."""
        origin, right, up = (box.mapViewToScene(QPointF(x, y)) for x, y in ((0, 0), (1, 0), (0, 1)))
        axes = np.array([[right.x() - origin.x(), right.y() - origin.y()], [up.x() - origin.x(), up.y() - origin.y()]])
        found: NDArray[np.float64] = np.array(self._points, float).reshape(-1, 2) @ axes
        return found + np.array([origin.x(), origin.y()])

    def _merged(self, box: pg.ViewBox) -> Iterator[tuple[_Label, str]]:
        """Labels with what they say; those of one edge and place in one."""
        heads: list[tuple[_Label, float, list[str]]] = []
        for one in self._all:
            at = box.mapViewToScene(QPointF(one.x, 0)).x()
            near = next(
                (h for h in heads if isinstance(one.y, Edge) and h[0].y is one.y and abs(h[1] - at) < SAME_PX), None
            )
            if near is not None:
                near[2].append(one.words)
                one.rect = None
                one.item.hide()
            else:
                heads.append((one, at, [one.words]))
        for head, _, words in heads:
            yield head, ", ".join(words)


def _meets(rect: QRectF, points: NDArray[np.float64]) -> bool:
    inside = (points > (rect.left(), rect.top())) & (points < (rect.right(), rect.bottom()))
    return bool(inside.all(axis=1).any())


def _places(one: _Label, size: QRectF, box: pg.ViewBox, room: QRectF) -> Iterator[QRectF]:
    """Where a label may stand, the best first; all inside the plot."""
    wide, high = size.width(), size.height()
    edge = one.y if isinstance(one.y, Edge) else None
    at = box.mapViewToScene(QPointF(one.x, 0.0 if isinstance(one.y, Edge) else one.y))
    for step in range(_STEPS):
        if edge is not None:
            top = room.top() + step * high if edge is Edge.TOP else room.bottom() - (step + 1) * high
            lefts = (at.x() + _GAP_PX / 2, at.x() - wide - _GAP_PX / 2, at.x() - wide / 2)
            tops: tuple[float, ...] = (top,)
        else:
            lefts = (at.x() + _GAP_PX, at.x() - wide - _GAP_PX, at.x() - wide / 2)
            tops = (at.y() - high - 1 - step * high, at.y() + 1 + step * high)
        for y in tops:
            for x in lefts:
                left = min(max(x, room.left()), room.right() - wide)
                rect = QRectF(left, y, wide, high)
                if room.contains(rect):
                    yield rect
