"""The charge over an evening: its line with the band of the draws, legs whose ends can be dragged, the reserve."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor

from ...core import words
from ...core.choose.journey import Journey, JourneyEnd
from ..theme import tokens
from .base import Plot
from .labels import Edge


class ChargePlot(Plot):
    """Signals: leg_moved (number of the leg, its minutes), reserve_moved (share)."""

    leg_moved = pyqtSignal(int, float)
    reserve_moved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__("Charge over the evening", "hours from now", "charge (%)")
        self._evening = Journey()
        self._outcome: JourneyEnd | None = None
        self._names: Sequence[str] = ()
        self.hint("No leg is planned yet. Add one.")

    def show_evening(self, evening: Journey, outcome: JourneyEnd | None, names: Sequence[str]) -> None:
        """names : what each leg is called."""
        self._evening, self._outcome, self._names = evening, outcome, names
        self.redraw_soon(whole=True)

    @property
    def _hours(self) -> list[float]:
        found = [0.0]
        for leg in self._evening.legs:
            found.append(found[-1] + leg.minutes / 60.0)
        return found

    def redraw(self) -> None:
        if self._outcome is None or not self._evening.legs:
            self.hint("No leg is planned yet. Add one." if not self._evening.legs else "The charge cannot be told.")
            return
        self.wipe()
        self.unhint()
        theme, hours = tokens.current(), self._hours
        low, middle, high = 100.0 * np.clip(self._outcome.line, -0.2, 1.0)
        colour = QColor(theme.accent)
        line = pg.PlotCurveItem(np.array(hours), middle, pen=pg.mkPen(colour, width=2))
        edges = [pg.PlotCurveItem(np.array(hours), ends, pen=pg.mkPen(colour, width=1)) for ends in (low, high)]
        pale = QColor(colour)
        pale.setAlpha(50)
        self.addItem(pg.FillBetweenItem(*edges, brush=pg.mkBrush(pale)))
        self.addItem(line)
        for number, (begin, end) in enumerate(pairwise(hours)):
            self._draw_end(number, end)
            gone = self._outcome.picks[number] is None
            text = f"{self._names[number]} (not played)" if gone else self._names[number]
            self.labels.add(text, (begin + end) / 2, Edge.TOP, theme.warn if gone else theme.ink)
        reserve = pg.InfiniteLine(
            100.0 * self._evening.reserve, 0, movable=True, pen=pg.mkPen(QColor(theme.good), width=2)
        )
        reserve.setHoverPen(pg.mkPen(QColor(theme.accent), width=4))
        reserve.sigPositionChangeFinished.connect(
            lambda one: self.reserve_moved.emit(min(max(float(one.value()) / 100.0, 0.0), 1.0))
        )
        self.addItem(reserve, ignoreBounds=True)
        self.labels.add("reserve", 0.02 * hours[-1], 100.0 * self._evening.reserve, theme.good)
        self.data = {"hours": hours, "charge_5": list(low), "charge": list(middle), "charge_95": list(high)}

    def _draw_end(self, number: int, hours: float) -> None:
        theme = tokens.current()
        end = pg.InfiniteLine(
            hours, 90, movable=True, pen=pg.mkPen(QColor(theme.rule), width=2, style=Qt.PenStyle.DashLine)
        )
        end.setHoverPen(pg.mkPen(QColor(theme.accent), width=4))
        begin = self._hours[number]
        end.sigPositionChangeFinished.connect(
            lambda one: self.leg_moved.emit(number, max(5.0 * round((float(one.value()) - begin) * 12.0), 5.0))
        )
        self.addItem(end, ignoreBounds=True)

    def show_all(self) -> None:
        if self._outcome is None:
            return
        last = self._hours[-1]
        self.setRange(xRange=(-0.01 * last, 1.02 * last), yRange=(min(-2.0, *self.data["charge_5"]), 108), padding=0)

    def read_out(self, x: float, y: float) -> str:
        if self._outcome is None or not 0 <= x <= self._hours[-1]:
            return ""
        low, middle, high = (100.0 * float(np.interp(x, self._hours, ends)) for ends in self._outcome.line)
        leg = next((at for at, end in enumerate(self._hours[1:]) if x <= end), len(self._names) - 1)
        if not math.isfinite(middle):
            return ""
        return f"{self._names[leg]}, after {words.hours_minutes(x)}\n{middle:.0f} % ({low:.0f} to {high:.0f})"
