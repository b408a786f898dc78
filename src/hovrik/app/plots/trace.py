"""Frame intervals over time and how they are distributed, of one pass."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor

from ..theme import tokens
from .base import Plot, nearest, pen
from .labels import Edge
from .pyramid import Pyramid

Array = NDArray[np.float64]


Span = tuple[float, float, str]


class TimePlot(Plot):
    """A plot over the time of a pass, whose cursor others over the same time share. Signals: looked_at (s)."""

    looked_at = pyqtSignal(float)

    def __init__(self, name: str, x_label: str, y_label: str) -> None:
        super().__init__(name, x_label, y_label)
        self._cursor = pg.InfiniteLine(0.0, 90, pen=pg.mkPen(QColor(tokens.current().soft)))
        self._cursor.hide()
        self.addItem(self._cursor, ignoreBounds=True)
        self.scene().sigMouseMoved.connect(self._on_looked)

    def wipe(self) -> None:
        super().wipe()
        self.addItem(self._cursor, ignoreBounds=True)

    def show_cursor(self, seconds: float | None) -> None:
        """Mark a moment; None for none."""
        self._cursor.setVisible(seconds is not None)
        if seconds is not None:
            self._cursor.setPos(seconds)

    def _on_looked(self, place: QPointF) -> None:
        box = self.getPlotItem().getViewBox()
        if box.sceneBoundingRect().contains(place):
            self.looked_at.emit(float(box.mapSceneToView(place).x()))


class FrameTracePlot(TimePlot):
    """Intervals of a pass, drawn by their extremes so that a single long frame shows at every zoom.

    Signals: marks_moved (start, end in ns).
    """

    marks_moved = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__("Frame intervals of the selected pass", "", "interval (ms)")
        self._pyramid: Pyramid | None = None
        self._target_ms: float | None = None
        self.spans: Sequence[Span] = ()
        self.marks: tuple[float, float] | None = None
        self._origin_ns = 0
        self._curve = pg.PlotCurveItem()
        self._other: Pyramid | None = None
        self._under = pg.PlotCurveItem()
        self.getPlotItem().getViewBox().sigXRangeChanged.connect(self._on_zoomed)
        self.hint("Select a pass to see its frames.")

    def show_marks(self, marks: tuple[float, float] | None, origin_ns: int) -> None:
        """Marks (s from the trace's origin, at `origin_ns`) that can be dragged; None for none."""
        self.marks, self._origin_ns = marks, origin_ns
        self.redraw()

    def _draw_marks(self) -> None:
        if self.marks is None:
            return
        wash = QColor(tokens.current().accent)
        wash.setAlpha(40)
        region = pg.LinearRegionItem(self.marks, brush=wash, pen=pg.mkPen(QColor(tokens.current().accent), width=3))
        region.sigRegionChangeFinished.connect(self._on_region)
        self.addItem(region, ignoreBounds=True)

    def _on_region(self, region: pg.LinearRegionItem) -> None:
        start, end = (self._origin_ns + round(at * 1e9) for at in region.getRegion())
        self.marks_moved.emit(start, end)

    def _draw_spans(self) -> None:
        shade = QColor(tokens.current().bad)
        shade.setAlpha(45)
        for start, end, words in self.spans[:60]:
            region = pg.LinearRegionItem(
                (start, max(end, start + 0.05)), movable=False, brush=shade, pen=pg.mkPen(None)
            )
            region.setToolTip(words)
            self.addItem(region, ignoreBounds=True)

    def show_under(self, seconds: Array, interval_ms: Array) -> None:
        """Another pass under this one, from the same start mark; (0,) for none."""
        self._other = Pyramid(seconds, interval_ms) if seconds.size > 1 else None
        self.redraw()

    def jump(self, seconds: float) -> None:
        """Bring a moment into view, two seconds around it."""
        self.setXRange(seconds - 1.0, seconds + 1.0, padding=0)
        self.show_cursor(seconds)

    def show_trace(
        self, seconds: Array, interval_ms: Array, target_ms: float | None, spans: Sequence[Span] = ()
    ) -> None:
        """seconds (n,) : end of each frame from the start mark; interval_ms (n,); spans : (from s, to s, check) of what
        the checks found."""
        self.spans, self.marks = spans, None
        if seconds.size < 2:
            self._pyramid = None
            self.hint("This pass carries no frame times.")
            return
        self._pyramid, self._target_ms = Pyramid(seconds, interval_ms), target_ms
        self.redraw()
        self.show_all()

    def redraw(self) -> None:
        if self._pyramid is None:
            return
        self.wipe()
        self.unhint()
        self._under = pg.PlotCurveItem(pen=pen("marginal"))
        self.addItem(self._under)
        self._curve = pg.PlotCurveItem(pen=pen("interval"))
        self.addItem(self._curve)
        if self._target_ms:
            dashed = pg.mkPen(QColor(tokens.current().soft), style=Qt.PenStyle.DashLine)
            line = pg.InfiniteLine(self._target_ms, 0, pen=dashed)
            self.addItem(line, ignoreBounds=True)
        self._draw_spans()
        self._draw_marks()
        self._draw_part()

    def show_all(self) -> None:
        if self._pyramid is None:
            return
        top = float(self._pyramid.y.max()) * 1.08
        self.setRange(xRange=(float(self._pyramid.x[0]), float(self._pyramid.x[-1])), yRange=(0.0, top), padding=0.01)
        self._draw_part()

    def _on_zoomed(self, *_: object) -> None:
        if self._pyramid is not None:
            self._draw_part()

    def _draw_part(self) -> None:
        if self._pyramid is None:
            return
        (start, end), _ = self.getPlotItem().getViewBox().viewRange()
        x, y = self._pyramid.between(start, end, 2 * max(self.width(), 400))
        self._curve.setData(x, y)
        self.data = {"time_s": x, "interval_ms": y}
        if self._other is not None:
            under = self._other.between(start, end, 2 * max(self.width(), 400))
            self._under.setData(*under)
            self.data = {**self.data, "other_time_s": under[0], "other_interval_ms": under[1]}

    def read_out(self, x: float, y: float) -> str:
        if self._pyramid is None:
            return ""
        index = min(int(np.searchsorted(self._pyramid.x, x)), self._pyramid.x.size - 1)
        return f"{self._pyramid.x[index]:.2f} s: {self._pyramid.y[index]:.2f} ms"


class DistributionPlot(Plot):
    """How often each interval occurs: share of frames a bin, long frames kept in the last bin."""

    def __init__(self) -> None:
        super().__init__("Distribution of frame intervals", "interval (ms)", "share of frames (%)")
        self._bars: tuple[Array, Array] | None = None
        self.marks: list[tuple[float, str]] = []
        self.hint("")

    def show_intervals(self, interval_ms: Array, marks: list[tuple[float, str]]) -> None:
        """interval_ms (n,); marks : (ms, words) drawn as lines, such as the median and the 99th percentile."""
        if interval_ms.size < 2:
            self._bars = None
            self.hint("")
            return
        low, top = float(np.quantile(interval_ms, 0.001)), float(np.quantile(interval_ms, 0.999))
        edges = np.linspace(low * 0.9, max(top * 1.1, low * 0.9 + 1.0), 61)
        counts, _ = np.histogram(np.clip(interval_ms, edges[0], edges[-1]), edges)
        self._bars = edges, 100.0 * counts / interval_ms.size
        self.marks = marks
        self.redraw()

    def redraw(self) -> None:
        if self._bars is None:
            return
        self.wipe()
        self.unhint()
        edges, share = self._bars
        fill = QColor(tokens.current().data["interval"])
        fill.setAlpha(140)
        self.addItem(pg.BarGraphItem(x0=edges[:-1], x1=edges[1:], height=share, brush=fill, pen=pen("interval")))
        top = float(share.max())
        theme = tokens.current()
        for at, words in self.marks:
            line = pg.InfiniteLine(at, 90, pen=pg.mkPen(QColor(theme.ink), style=Qt.PenStyle.DotLine))
            self.addItem(line, ignoreBounds=True)
            self.labels.add(words, at, Edge.TOP, theme.ink)
        self.data = {"interval_ms": (edges[:-1] + edges[1:]) / 2, "share_percent": share}
        self.setRange(xRange=(edges[0], edges[-1]), yRange=(0, top * 1.32), padding=0.01)

    def show_all(self) -> None:
        self.redraw()

    def read_out(self, x: float, y: float) -> str:
        if self._bars is None:
            return ""
        centres = (self._bars[0][:-1] + self._bars[0][1:]) / 2
        index = nearest(centres, x)
        return f"{centres[index]:.1f} ms: {self._bars[1][index]:.2f} %"
