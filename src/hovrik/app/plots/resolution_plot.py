"""What can be told apart against minutes of measuring."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor

from ...core.plan.resolution import Curve
from ..theme import tokens
from .base import Plot, pen

_QUANTITIES = ("rate", "low", "per_watt", "marginal")
_STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


class ResolutionPlot(Plot):
    """One curve a number of repeats; the wanted difference as a line."""

    def __init__(self) -> None:
        super().__init__(
            "What can be told apart", "minutes for two setups, passes and all around them", "difference (%)"
        )
        self._curves: tuple[Curve, ...] = ()
        self._wanted: float | None = None
        self.setMouseEnabled(False, False)
        self.hint("Repeats are needed: two passes at one setup at least.")

    def show_curves(self, curves: Sequence[Curve], wanted: float | None) -> None:
        """curves : from core.repeat.resolution; wanted : the difference that matters (share)."""
        self._curves, self._wanted = tuple(curves), wanted
        self.redraw()

    def redraw(self) -> None:
        if not self._curves:
            self.hint("Repeats are needed: two passes at one setup at least.")
            return
        self.wipe()
        self.unhint()
        self.data = {}
        top = 100 * max(float(curve.share[curve.minutes >= 4].max(initial=0.0)) for curve in self._curves)
        top = max(top, 250 * (self._wanted or 0.0))
        for number, curve in enumerate(self._curves):
            quantity, style = _QUANTITIES[number % 4], _STYLES[number % 4]
            share = 100 * curve.share
            self.addItem(pg.PlotCurveItem(curve.minutes, share, pen=pen(quantity, 1, style)))
            self.data[f"minutes_{curve.repeats}"], self.data[f"percent_{curve.repeats}"] = curve.minutes, share
            at = int(np.argmax(share <= 0.93 * top))  # where the curve comes into sight
            if share[at] <= 0.93 * top:
                colour = tokens.current().data[quantity]
                self.labels.add(f"{curve.repeats} each", float(curve.minutes[at]), float(share[at]), colour)
        if self._wanted:
            soft = QColor(tokens.current().good)
            line = pg.InfiniteLine(100 * self._wanted, 0, pen=pg.mkPen(soft, style=Qt.PenStyle.DashLine))
            self.addItem(line, ignoreBounds=True)
        self.setRange(xRange=(0, 75), yRange=(0, max(top, 0.1)), padding=0.02)

    def read_out(self, x: float, y: float) -> str:
        lines = [f"{x:.0f} min"]
        for curve in self._curves:
            if curve.minutes[0] <= x <= curve.minutes[-1]:
                length = 60 * x / (2 * curve.repeats) - (60 * curve.minutes[0] / (2 * curve.repeats) - 20)
                share = float(np.interp(x, curve.minutes, curve.share))
                lines.append(f"{curve.repeats} passes each of {length:.0f} s: {100 * share:.2g} %")
        return "\n".join(lines) if len(lines) > 1 else ""
