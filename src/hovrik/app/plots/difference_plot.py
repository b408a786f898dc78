"""Both sides of a comparison in one picture: each difference with its interval, in what matters to the player."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QColor

from ...core.read.contrast import Comparison
from ...core.read.sheet import NEUTRAL, Line
from ...core.stats.estimate import t_quantile
from ..theme import tokens
from .base import Plot

FARTHEST = 8.0  # margins, where an interval is cut
DOF = 6.0  # of an interval whose own is not told


@dataclass(frozen=True)
class Row:
    """A figure's difference in margins: how often what is no practical difference fits in it."""

    label: str
    words: str
    middle: float
    low: float
    high: float
    verdict: Comparison
    neutral: bool


def rows_of(lines: Sequence[Line], margins: Sequence[float], words: Sequence[str]) -> list[Row]:
    """margins : what is no practical difference, on the scale that each figure is judged on."""
    found = []
    for line, margin, said in zip(lines, margins, words):
        half = t_quantile(0.975, DOF) * line.found.se
        sign = -1.0 if line.figure.less_is_better else 1.0
        middle = sign * line.found.delta
        ends = [(middle - half) / margin, middle / margin, (middle + half) / margin]
        low, at, high = (float(np.clip(end, -FARTHEST, FARTHEST)) for end in ends)
        found.append(Row(line.figure.label, said, at, low, high, line.found.verdict, line.figure.id in NEUTRAL))
    return found


class DifferencePlot(Plot):
    """A row a figure, best for A to the right; the band is no practical difference."""

    def __init__(self) -> None:
        super().__init__("Differences of both sides", "in margins: right of the band A is better", "")
        self._rows: list[Row] = []
        self.hint("Choose two sets of passes.")

    def show_rows(self, rows: Sequence[Row], why: str = "") -> None:
        """why : said where there is nothing to draw."""
        self._rows = list(rows)
        self._why = why or "Nothing of both can be put side by side."
        self.redraw_soon()

    def redraw(self) -> None:
        if not self._rows:
            self.hint(getattr(self, "_why", ""))
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        wash = QColor(theme.good)
        wash.setAlpha(40)
        band = pg.LinearRegionItem((-1.0, 1.0), movable=False, brush=wash, pen=pg.mkPen(None))
        self.addItem(band, ignoreBounds=True)
        self.addItem(pg.InfiniteLine(0.0, 90, pen=pg.mkPen(QColor(theme.soft))), ignoreBounds=True)
        n = len(self._rows)
        for place, row in enumerate(self._rows):
            y, colour = float(n - place), QColor(_colour(row))
            line = pg.PlotCurveItem([row.low, row.high], [y, y], pen=pg.mkPen(colour, width=2))
            symbol = {Comparison.BETTER: "t1", Comparison.WORSE: "t", Comparison.SAME: "s"}.get(row.verdict, "o")
            self.addItem(line)
            dot = pg.ScatterPlotItem([row.middle], [y], symbol=symbol, size=10, brush=colour, pen=pg.mkPen(None))
            self.addItem(dot)
        ticks = [(float(n - place), row.label) for place, row in enumerate(self._rows)]
        self.getAxis("left").setTicks([ticks])
        reach = max(2.0, *(max(abs(row.low), abs(row.high)) for row in self._rows))
        self.setRange(xRange=(-1.08 * reach, 1.08 * reach), yRange=(0.4, n + 0.6), padding=0)
        self.data = {
            "margins": [row.middle for row in self._rows], "low": [row.low for row in self._rows],
            "high": [row.high for row in self._rows],
        }  # fmt: skip

    def show_all(self) -> None:
        self.redraw()

    def read_out(self, x: float, y: float) -> str:
        place = len(self._rows) - round(y)
        return f"{self._rows[place].label}\n{self._rows[place].words}" if 0 <= place < len(self._rows) else ""


def _colour(row: Row) -> str:
    theme = tokens.current()
    if row.neutral or row.verdict in (Comparison.UNDECIDED, Comparison.CONFOUNDED):
        return theme.soft
    return {Comparison.BETTER: theme.good, Comparison.WORSE: theme.bad}.get(row.verdict, theme.ink)
