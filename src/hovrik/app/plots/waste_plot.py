"""Where the watts go, as bars one after the other that end at the draw."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import pyqtgraph as pg
from PyQt6.QtGui import QColor

from ..theme import tokens
from .base import Plot


@dataclass(frozen=True)
class Bar:
    """One part. kind : can be saved, stands, or rest; low, high : of its width, W."""

    words: str
    kind: str
    watts: float
    low: float
    high: float


COLOURS = {"saved": "marginal", "stands": "draw_w", "rest": "package_w"}


class WastePlot(Plot):
    """A bar a part, each beginning where the one above ends."""

    def __init__(self) -> None:
        super().__init__("Where the watts go", "draw (W)", "")
        self._bars: Sequence[Bar] = ()
        self._why = ""
        self.hint("")

    def show_bars(self, bars: Sequence[Bar], why: str) -> None:
        """bars : in their order; why : said where there are none."""
        self._bars, self._why = bars, why
        self.redraw_soon()

    def redraw(self) -> None:
        if not self._bars:
            self.hint(self._why)
            return
        self.wipe()
        self.unhint()
        theme, n, at = tokens.current(), len(self._bars), 0.0
        rows: list[tuple[float, float]] = []
        for place, bar in enumerate(self._bars):
            y, end = float(n - place), at + bar.watts
            fill = QColor(theme.data[COLOURS[bar.kind]])
            fill.setAlpha(210 if bar.kind == "saved" else 120)
            left, right = sorted((at, end))
            self.addItem(pg.BarGraphItem(x0=[left], x1=[right], y=[y], height=0.62, brush=fill, pen=pg.mkPen(None)))
            whisker = pg.PlotCurveItem([at + bar.low, at + bar.high], [y, y], pen=pg.mkPen(QColor(theme.ink), width=1))
            self.addItem(whisker)
            rows.append((at, end))
            at = end
        self.getAxis("left").setTicks([[(float(n - place), bar.words) for place, bar in enumerate(self._bars)]])
        self.data = {
            "from_w": [low for low, _ in rows], "to_w": [high for _, high in rows],
            "low_w": [bar.low for bar in self._bars], "high_w": [bar.high for bar in self._bars],
        }  # fmt: skip
        self.setRange(xRange=(0.0, 1.05 * max(at, 1.0)), yRange=(0.4, n + 0.6), padding=0)

    def show_all(self) -> None:
        self.redraw()

    def read_out(self, x: float, y: float) -> str:
        place = len(self._bars) - round(y)
        if not 0 <= place < len(self._bars):
            return ""
        bar = self._bars[place]
        return f"{bar.words}: {bar.watts:.1f} W ({bar.low:.1f} to {bar.high:.1f})"
