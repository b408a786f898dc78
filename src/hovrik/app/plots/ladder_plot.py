"""Figures against watts: rate and low with intervals and marks; frames per watt and the gain of the next watt.

Each plot first makes plain data from a ladder, then draws it, so the numbers can be tested without a screen.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor

from ...core.read.ladder import Ladder
from ...core.read.marks import Mark, power_at
from ...core.stats.spread import Estimate, LogMean
from ..theme import tokens
from .base import Plot, nearest, pen


@dataclass(frozen=True)
class Points:
    """Estimates of one quantity at limits. watts, values, lows, highs (n,)."""

    watts: tuple[float, ...]
    values: tuple[float, ...]
    lows: tuple[float, ...]
    highs: tuple[float, ...]


def points_of(ladder: Ladder, figure: str) -> Points:
    """Level means of "rate", "low", "draw" or "package" with their 95 % intervals."""
    pairs: list[tuple[float, Estimate]] = []
    for level in ladder.levels:
        mean: LogMean | None = getattr(level, figure)
        if mean is not None:
            pairs.append((level.limit_w, mean.estimate()))
    return Points(
        tuple(w for w, _ in pairs),
        tuple(e.value for _, e in pairs),
        tuple(e.low if e.low is not None else e.value for _, e in pairs),
        tuple(e.high if e.high is not None else e.value for _, e in pairs),
    )


def gain_of(ladder: Ladder) -> tuple[np.ndarray, np.ndarray]:
    """Marginal frames per added watt between neighbouring levels: (midpoints, fps per W)."""
    points = points_of(ladder, "rate")
    watts, values = np.array(points.watts), np.array(points.values)
    if watts.size < 2:
        return np.empty(0), np.empty(0)
    return (watts[1:] + watts[:-1]) / 2, np.diff(values) / np.diff(watts)


def per_watt_of(ladder: Ladder) -> tuple[str, Points]:
    """Frames per watt of draw, package or limit (which one is named), with interval from both."""
    for kind in ("draw", "package"):
        levels = [level for level in ladder.levels if level.rate and getattr(level, kind)]
        if levels and len(levels) == len([level for level in ladder.levels if level.rate]):
            watts, values, lows, highs = [], [], [], []
            for level in levels:
                rate, power = level.rate, getattr(level, kind)
                value = math.exp(rate.mean - power.mean)
                half = 2.0 * math.hypot(rate.se, power.se)
                watts.append(level.limit_w)
                values.append(value)
                lows.append(value * math.exp(-half))
                highs.append(value * math.exp(half))
            return kind, Points(tuple(watts), tuple(values), tuple(lows), tuple(highs))
    rate = points_of(ladder, "rate")
    shares = [[v / w for v, w in zip(row, rate.watts)] for row in (rate.values, rate.lows, rate.highs)]
    return "limit", Points(rate.watts, *(tuple(row) for row in shares))


class RatePlot(Plot):
    """Rate and 1 % low against the limit with intervals, curve, floor and marks. Signals: level_chosen (W)."""

    level_chosen = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__("Frame rate and 1 % low against the power limit", "power limit (W)", "frames a second")
        self._ladder: Ladder | None = None
        self._marks: Sequence[Mark] = ()
        self._floor = 0.0
        self._low_words = "1 % low"
        self._pick_w: float | None = None
        self.scene().sigMouseClicked.connect(self._on_clicked)
        self.hint("Reading the notebook …")

    def show_ladder(
        self, ladder: Ladder | None, marks: Sequence[Mark], floor_fps: float, low_words: str, pick_w: float | None
    ) -> None:
        """Draw a ladder, or the hint where there is none."""
        self._ladder, self._marks, self._floor, self._low_words = ladder, marks, floor_fps, low_words
        self._pick_w = pick_w
        self.redraw()
        self.show_all()

    def redraw(self) -> None:
        if self._ladder is None or not self._ladder.levels:
            self.hint("No passes yet. Plan a sweep and start it in Bench, or import passes.")
            return
        rate, low = points_of(self._ladder, "rate"), points_of(self._ladder, "low")
        if not rate.watts:
            self.hint("These passes carry no frame rate: bring their logs, or a mean at least.")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        self._draw_marks(rate)
        curve = self._ladder.rate_curve.curve
        if curve is not None and self._ladder.rate_curve.family != "monotone":
            grid = np.linspace(rate.watts[0], rate.watts[-1], 120)
            self.addItem(pg.PlotCurveItem(grid, curve.at(grid), pen=pen("rate", 1)))
        elif len(rate.watts) > 1:
            self.addItem(pg.PlotCurveItem(np.array(rate.watts), np.array(rate.values), pen=pen("rate", 1)))
        if len(low.watts) > 1:
            self.addItem(
                pg.PlotCurveItem(np.array(low.watts), np.array(low.values), pen=pen("low", 1, Qt.PenStyle.DashLine))
            )
        for points, quantity in ((rate, "rate"), (low, "low")):
            draw_points(self, points, quantity)
        if self._floor:
            line = pg.InfiniteLine(self._floor, 0, pen=pg.mkPen(QColor(theme.good), style=Qt.PenStyle.DashLine))
            self.addItem(line, ignoreBounds=True)
            self._text(f"floor {self._floor:.1f}", rate.watts[-1], self._floor, theme.good, (1, 0))
        self._label_series(rate, "mean rate", "rate", (1.1, 0.9))
        self._label_series(low, self._low_words, "low", (-0.08, 0.1))
        self.data = {
            "limit_w": rate.watts, "mean_fps": rate.values, "mean_low": rate.lows, "mean_high": rate.highs,
            "low_limit_w": low.watts, "low_fps": low.values, "low_low": low.lows, "low_high": low.highs,
        }  # fmt: skip

    def _label_series(self, points: Points, words: str, quantity: str, anchor: tuple[float, float]) -> None:
        if points.watts:
            at = 2 if len(points.watts) > 3 else 0
            self._text(words, points.watts[at], points.values[at], tokens.current().data[quantity], anchor)

    def _text(self, words: str, x: float, y: float, colour: str, anchor: tuple[float, float]) -> None:
        item = pg.TextItem(words, color=colour, anchor=anchor)
        item.setFont(tokens.base_font(12))
        item.setPos(x, y)
        self.addItem(item, ignoreBounds=True)

    def _draw_marks(self, rate: Points) -> None:
        theme = tokens.current()
        span = rate.watts[-1] - rate.watts[0] or 1.0
        for number, mark in enumerate(m for m in self._marks if m.value is not None or m.span):
            low, high = mark.low, mark.high
            if low is not None and high is not None and high - low > 0.002 * span:
                band = QColor(theme.soft)
                band.setAlpha(40)
                region = pg.LinearRegionItem((low, high), movable=False, brush=band, pen=pg.mkPen(None))
                self.addItem(region, ignoreBounds=True)
            if mark.value is not None:
                line = pg.InfiniteLine(
                    mark.value, 90, pen=pg.mkPen(QColor(theme.soft), style=Qt.PenStyle.DotLine),
                    label=str(number + 1), labelOpts={"position": 0.04, "color": theme.ink, "fill": theme.sheet},
                )  # fmt: skip
                self.addItem(line, ignoreBounds=True)
        if self._pick_w is not None:
            line = pg.InfiniteLine(self._pick_w, 90, pen=pg.mkPen(QColor(theme.accent), width=2))
            self.addItem(line, ignoreBounds=True)

    def show_all(self) -> None:
        if self._ladder is None or not self._ladder.levels:
            return
        rate, low = points_of(self._ladder, "rate"), points_of(self._ladder, "low")
        if not rate.watts:
            return
        pad = 0.04 * (rate.watts[-1] - rate.watts[0] or 1.0)
        bottom = min([*rate.lows, *low.lows, self._floor or math.inf])
        top = max([*rate.highs, *low.highs, self._floor])
        room = 0.12 * (top - bottom or 1.0)
        self.setRange(xRange=(rate.watts[0] - pad, rate.watts[-1] + pad), yRange=(bottom - room, top + room), padding=0)

    def read_out(self, x: float, y: float) -> str:
        if self._ladder is None or not self._ladder.levels:
            return ""
        level = self._ladder.levels[nearest(self._ladder.limits_w.tolist(), x)]
        lines = [f"{level.limit_w:g} W, {len(level.passes)} pass(es)"]
        for words, mean in (("rate", level.rate), ("low", level.low)):
            if mean is not None:
                e = mean.estimate()
                lines.append(f"{words} {e.value:.1f} ({e.low:.1f} to {e.high:.1f})")
        if level.holds is not None:
            lines.append(f"holds with {100 * level.holds:.0f} %")
        return "\n".join(lines)

    def _on_clicked(self, event: object) -> None:
        if self._ladder is None or not self._ladder.levels:
            return
        box = self.getPlotItem().getViewBox()
        at = box.mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
        level = self._ladder.levels[nearest(self._ladder.limits_w.tolist(), at.x())]
        self.level_chosen.emit(level.limit_w)


def draw_points(plot: Plot, points: Points, quantity: str) -> None:
    """Points with interval bars in the colour and shape of a quantity."""
    if not points.watts:
        return
    x, y = np.array(points.watts), np.array(points.values)
    bars = pg.ErrorBarItem(
        x=x, y=y, top=np.array(points.highs) - y, bottom=y - np.array(points.lows), beam=0.12, pen=pen(quantity)
    )
    plot.addItem(bars)
    colour = QColor(tokens.current().data[quantity])
    plot.addItem(pg.ScatterPlotItem(x, y, symbol=tokens.SHAPES[quantity], size=8, brush=colour, pen=pg.mkPen(None)))


class WorthPlot(Plot):
    """Frames per watt (left) against the limit, and the gain of the next watt as steps."""

    def __init__(self) -> None:
        super().__init__("Frames per watt and gain of the next watt", "power limit (W)", "frames a second per watt")
        self._ladder: Ladder | None = None
        self._price = 1.0
        self.hint("")

    def show_ladder(self, ladder: Ladder | None, price_fps_per_w: float) -> None:
        """Draw a ladder, or nothing where there is none."""
        self._ladder, self._price = ladder, price_fps_per_w
        self.redraw()

    def redraw(self) -> None:
        if self._ladder is None:
            self.hint("")
            return
        kind, points = per_watt_of(self._ladder)
        if len(points.watts) < 2:
            self.hint("")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        middle, gain = gain_of(self._ladder)
        self.addItem(pg.PlotCurveItem(np.array(points.watts), np.array(points.values), pen=pen("per_watt", 1)))
        draw_points(self, points, "per_watt")
        if middle.size:
            self.addItem(pg.PlotCurveItem(middle, gain, pen=pen("marginal", 1, Qt.PenStyle.DashLine)))
            colour = QColor(theme.data["marginal"])
            self.addItem(
                pg.ScatterPlotItem(middle, gain, symbol=tokens.SHAPES["marginal"], size=7, brush=colour, pen=None)
            )
        line = pg.InfiniteLine(self._price, 0, pen=pg.mkPen(QColor(theme.soft), style=Qt.PenStyle.DotLine))
        self.addItem(line, ignoreBounds=True)
        self._name(f"per watt of {kind}", points.watts[-1], points.values[-1], "per_watt", (1, 1.2))
        if middle.size:
            self._name("gain of the next watt", float(middle[0]), float(gain[0]), "marginal", (-0.06, 0.3))
        self.data = {
            "limit_w": points.watts, f"fps_per_w_{kind}": points.values, "gain_at_w": middle.tolist(),
            "gain_fps_per_w": gain.tolist(),
        }  # fmt: skip
        self.enableAutoRange()

    def _name(self, words: str, x: float, y: float, quantity: str, anchor: tuple[float, float]) -> None:
        item = pg.TextItem(words, color=tokens.current().data[quantity], anchor=anchor)
        item.setFont(tokens.base_font(12))
        item.setPos(x, y)
        self.addItem(item, ignoreBounds=True)

    def read_out(self, x: float, y: float) -> str:
        if self._ladder is None or not self.data:
            return ""
        kind, points = per_watt_of(self._ladder)
        index = nearest(points.watts, x)
        watts = power_at(self._ladder, np.array([points.watts[index]]), kind)[0]
        return (
            f"{points.watts[index]:g} W limit, {watts:.1f} W {kind}\n{points.values[index]:.2f} fps per W "
            f"({points.lows[index]:.2f} to {points.highs[index]:.2f})"
        )
