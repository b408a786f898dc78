"""What a response leaves over of each pass, along its factor or in the order in which passes were made."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent

from ...core.read.residuals import Residual
from ...core.read.response import Response
from ..theme import tokens
from .base import Plot
from .response_plot import name_axis

STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}


class ResidualPlot(Plot):
    """Each pass a dot, what one pass may be off as a band. Signals: pass_chosen (id), pass_opened (id); arrow keys go
    from pass to pass, Return opens one."""

    pass_chosen = pyqtSignal(str)
    pass_opened = pyqtSignal(str)

    def __init__(self, *, in_order: bool) -> None:
        name = "What passes leave over, in the order made" if in_order else "What passes leave over"
        super().__init__(name, "passes as they were made" if in_order else "power limit (W)", "off (%)")
        self._in_order = in_order
        self._response: Response | None = None
        self._rows: Sequence[Residual] = ()
        self._x: Sequence[float] = ()
        self._unit, self._chosen = "%", ""
        self.scene().sigMouseClicked.connect(self._on_clicked)
        self.hint("")

    def show_residuals(
        self, response: Response | None, rows: Sequence[Residual], made: Sequence[str], words: str, unit: str,
        chosen: str,
    ) -> None:  # fmt: skip
        """made : ids of all passes in the order they were made; words, unit : of the figure; chosen : the pass that is
        selected."""
        order = {one: float(at) for at, one in enumerate(made)}
        if self._in_order:
            rows = sorted(rows, key=lambda row: order.get(row.id, -1.0))
        self._response, self._rows, self._unit, self._chosen = response, rows, unit, chosen
        self._x = [float(at + 1) for at in range(len(rows))] if self._in_order else [row.at for row in rows]
        self.getAxis("left").setLabel(f"{words}, off ({unit})")
        self.redraw_soon(whole=True)

    def redraw(self) -> None:
        if self._response is None or not self._rows:
            self.hint("No pass here carries that figure." if self._response is not None else "")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        if not self._in_order:
            name_axis(self, self._response)
        x, y = np.array(self._x), np.array([row.off for row in self._rows])
        half = self._rows[0].apart
        band = QColor(theme.soft)
        band.setAlpha(36)
        region = pg.LinearRegionItem(
            (-half, half), orientation="horizontal", movable=False, brush=band, pen=pg.mkPen(None)
        )
        self.addItem(region, ignoreBounds=True)
        rule = pg.InfiniteLine(0.0, 0, pen=pg.mkPen(QColor(theme.soft), style=Qt.PenStyle.DashLine))
        self.addItem(rule, ignoreBounds=True)
        dots = pg.ScatterPlotItem(
            x, y, symbol=tokens.SHAPES["rate"], size=8, brush=QColor(theme.data["rate"]), pen=pg.mkPen(None)
        )
        self.addItem(dots)
        at = next((k for k, row in enumerate(self._rows) if row.id == self._chosen), None)
        if at is not None:
            ring = pg.mkPen(QColor(theme.accent), width=2)
            self.addItem(pg.ScatterPlotItem(x[at : at + 1], y[at : at + 1], symbol="o", size=15, brush=None, pen=ring))
        self.labels.add("one pass in twenty lies outside", float(x.max()), half, theme.soft)
        name = "order" if self._in_order else self._response.factor.id
        self.data = {name: self._x, "off": y.tolist(), "value": [row.value for row in self._rows]}

    def show_all(self) -> None:
        if not self._rows:
            return
        x, y = self._x, [abs(row.off) for row in self._rows]
        pad, top = 0.06 * (max(x) - min(x) or 1.0), 1.2 * max(*y, self._rows[0].apart, 1e-6)
        self.setRange(xRange=(min(x) - pad, max(x) + pad), yRange=(-top, top), padding=0)

    def _index(self, x: float, y: float) -> int:
        (left, right), (bottom, top) = self.getPlotItem().getViewBox().viewRange()
        off = [
            ((own - x) / (right - left or 1.0)) ** 2 + ((row.off - y) / (top - bottom or 1.0)) ** 2
            for own, row in zip(self._x, self._rows)
        ]
        return int(np.argmin(off))

    def read_out(self, x: float, y: float) -> str:
        if self._response is None or not self._rows:
            return ""
        row = self._rows[self._index(x, y)]
        return f"{self._response.factor.words(row.level)}\n{row.value:.4g}, {row.off:+.1f} {self._unit} off"

    def _on_clicked(self, event: object) -> None:
        if self._rows:
            at: QPointF = self.getPlotItem().getViewBox().mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
            chosen = self._rows[self._index(at.x(), at.y())].id
            (self.pass_opened if event.double() else self.pass_chosen).emit(chosen)  # type: ignore[attr-defined]

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """From pass to pass, and into one."""
        key = event.key() if event is not None else None
        if key in STEPS and self._rows:
            ids = [row.id for row in self._rows]
            at = (ids.index(self._chosen) + STEPS[Qt.Key(key)]) % len(ids) if self._chosen in ids else 0
            self.pass_chosen.emit(ids[at])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._chosen:
            self.pass_opened.emit(self._chosen)
        else:
            super().keyPressEvent(event)
