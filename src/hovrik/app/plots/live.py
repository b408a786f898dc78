"""The live traces of a run on one time axis. Ranges are fixed and move in steps; no grid."""

from __future__ import annotations

import math
from collections import defaultdict

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...bench.protocol import Sample
from ...core import degrees
from ..theme import tokens
from .base import Plot, pen

# quantity -> line and the sign for it in a legend, where it is not a plain one
_STYLES = {
    "shell_c": (Qt.PenStyle.DashLine, "╌"), "draw_w": (Qt.PenStyle.DashLine, "╌"),
    "gpu_mhz": (Qt.PenStyle.DashLine, "╌"), "memory_mhz": (Qt.PenStyle.DotLine, "┈"),
}  # fmt: skip
_PLAIN = (Qt.PenStyle.SolidLine, "─")


LEAST_PX, LOW_PX = 74, 130


class LivePlot(Plot):
    """One quantity or two over the time of the pass; y moves in steps of `step`."""

    def __init__(self, name: str, y_label: str, series: dict[str, str], step: float, x_label: str = "") -> None:
        super().__init__(name, x_label, y_label)
        self._series, self._step = series, step
        self._mark: pg.InfiniteLine | None = None
        self._mark_s, self._says_mark = 0.0, "interval" in series
        self._curves: dict[str, pg.PlotCurveItem] = {}
        self._range = (0.0, 2 * step)
        self.setYRange(*self._range, padding=0.02)
        self._values: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        self.setMouseEnabled(False, False)
        self.getAxis("left").setWidth(58)
        if not x_label:  # the lowest plot names the axis they share
            self.getAxis("bottom").setStyle(showValues=False)
            self.getAxis("bottom").setHeight(8)
        self.setMinimumHeight(LEAST_PX + (20 if x_label else 0))
        self.redraw()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.__dict__.get("_range") is not None:
            self._show_ticks()

    def _show_ticks(self) -> None:
        """On a low axis its two ends only, so that numbers do not meet."""
        ends = [(at, f"{at:g}") for at in self._range]
        self.getAxis("left").setTicks([ends] if self.height() < LOW_PX else None)

    def redraw(self) -> None:
        self.wipe()
        for quantity in self._series:
            self._curves[quantity] = pg.PlotCurveItem(pen=pen(quantity, 1, _STYLES.get(quantity, _PLAIN)[0]))
            self.addItem(self._curves[quantity], ignoreBounds=True)
        for quantity, (x, y) in self._values.items():
            self._curves[quantity].setData(x, y)
        self._mark = None
        self._show_mark(self._mark_s)
        self._legend()

    def _legend(self) -> None:
        box = self.getPlotItem()
        words = "   ".join(
            f'<span style="color:{tokens.current().data[q]}">{_STYLES.get(q, _PLAIN)[1]} {text}</span>'
            for q, text in self._series.items()
        )
        box.setTitle(words, size="12px", justify="left")

    def start(self, seconds: float, mark_s: float = 0.0) -> None:
        """Begin a pass of this length; mark_s : where its start mark will lie, 0 for none to show."""
        self._values = {}
        self.data = {}
        self._show_mark(mark_s)
        for curve in self._curves.values():
            curve.clear()
        self.setXRange(0, seconds, padding=0.01)

    def _show_mark(self, mark_s: float) -> None:
        if self._mark is not None:
            self.removeItem(self._mark)
            self._mark = None
        self._mark_s = mark_s
        if mark_s > 0:
            theme = tokens.current()
            self._mark = pg.InfiniteLine(
                mark_s, 90, pen=pg.mkPen(QColor(theme.soft), style=Qt.PenStyle.DotLine),
                label="start mark" if self._says_mark else None,
                labelOpts={"position": 0.9, "color": theme.soft, "anchors": [(-0.05, 0.5), (-0.05, 0.5)]},
            )  # fmt: skip
            self.addItem(self._mark, ignoreBounds=True)

    def show_values(self, quantity: str, x: np.ndarray, y: np.ndarray) -> None:
        """Draw a quantity; the range steps where it must."""
        if x.size == 0:
            return
        self._values[quantity] = (x, y)
        self._curves[quantity].setData(x, y)
        self.data[quantity] = y
        low = min(float(np.nanmin(v)) for _, v in self._values.values())
        high = max(float(np.nanmax(v)) for _, v in self._values.values())
        bottom, top = math.floor(low / self._step) * self._step, math.ceil(high / self._step) * self._step
        bottom, top = max(bottom, 0.0), max(top, bottom + self._step)
        if bottom < self._range[0] or top > self._range[1] or top - bottom < 0.4 * (self._range[1] - self._range[0]):
            self._range = (bottom, top)
            self.setYRange(bottom, top, padding=0.02)
            self._show_ticks()


class LiveTraces(QWidget):
    """Frame intervals; package and battery watts; die and shell temperature; clocks when asked for, of the pass in
    progress."""

    _CHANNELS = {
        "package_w": "package_w", "battery_w": "draw_w", "die_c": "die_c", "shell_c": "shell_c",
        "cpu_mhz": "cpu_mhz", "gpu_mhz": "gpu_mhz", "memory_mhz": "memory_mhz",
    }  # fmt: skip

    def __init__(self) -> None:
        super().__init__()
        self.interval = LivePlot("Live frame intervals", "ms", {"interval": "frame interval"}, 20.0)
        self.watts = LivePlot("Live power", "W", {"package_w": "package", "draw_w": "battery draw"}, 5.0)
        self.heat = LivePlot(
            "Live temperature", degrees.unit(), {"die_c": "die", "shell_c": "shell"}, 10.0, "time in the pass (s)"
        )
        self.clocks = LivePlot(
            "Live clocks", "MHz", {"cpu_mhz": "CPU", "gpu_mhz": "GPU", "memory_mhz": "memory"}, 500.0
        )
        self.clocks.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.interval, 5)
        layout.addWidget(self.watts, 4)
        layout.addWidget(self.clocks, 4)
        layout.addWidget(self.heat, 5)
        self._parts: dict[str, list[tuple[np.ndarray, np.ndarray]]] = defaultdict(list)
        self._origin_ns: int | None = None
        self._last_ns: int | None = None

    def start(self, seconds: float, mark_s: float = 0.0) -> None:
        """Begin a pass: an empty axis of this length, its start mark after the soak."""
        self._parts.clear()
        self._origin_ns = self._last_ns = None
        for plot in (self.interval, self.watts, self.clocks, self.heat):
            plot.start(seconds, mark_s)

    def add(self, sample: Sample) -> None:
        """Take newer data; `draw` shows them."""
        stamps = sample.frames_ns
        if stamps.size:
            if self._origin_ns is None:
                self._origin_ns = int(stamps[0])
            before = np.array([self._last_ns if self._last_ns is not None else stamps[0]])
            intervals = np.diff(np.concatenate((before, stamps))) / 1e6
            self._parts["interval"].append(((stamps - self._origin_ns) / 1e9, intervals))
            self._last_ns = int(stamps[-1])
        if self._origin_ns is None:
            return
        for name, quantity in self._CHANNELS.items():
            channel = sample.channels.get(name)
            if channel is not None:
                self._parts[quantity].append(((channel.stamps_ns - self._origin_ns) / 1e9, channel.values))

    def draw(self) -> None:
        """Show what was added."""
        for quantity, parts in self._parts.items():
            if len(parts) > 1:
                parts[:] = [tuple(np.concatenate(column) for column in zip(*parts))]
            plot = self._plot_of(quantity)
            x, y = parts[0]
            if plot is self.heat:
                y = degrees.shown(y)
            if plot.isHidden():
                continue
            if quantity == "interval" and x.size:
                x, y = x[1:], y[1:]
            plot.show_values(quantity, x, y)

    def show_clocks(self, on: bool) -> None:
        """Whether clocks are drawn; what was recorded of the pass so far appears at once."""
        self.clocks.setVisible(on)
        self.draw()

    def _plot_of(self, quantity: str) -> LivePlot:
        by_unit = {"c": self.heat, "w": self.watts, "mhz": self.clocks}
        return by_unit.get(quantity.rsplit("_", 1)[-1], self.interval)
