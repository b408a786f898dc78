"""The trade map: setups by what they last and what they play, floor and limits as lines that can be dragged."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import product

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent

from ...core import degrees, words
from ...core.choose.trade import AXES, Point, PointKind, unbeaten
from ...core.facts.setup import describe
from ...core.facts.terms import HOURS
from ..theme import tokens
from .base import Plot
from .labels import Edge

BINS = ((15.0, "per_watt", "o"), (5.0, "low", "s"), (-math.inf, "marginal", "t1"))  # degrees under the die's limit
FADED, FULL = 70, 230
NEAR_PX = 14.0


class TradePlot(Plot):
    """chosen : number of the point that is looked at. Signals: chosen_changed (number), floor_moved (value),
    least_moved (value of the axis across)."""

    chosen_changed = pyqtSignal(int)
    floor_moved = pyqtSignal(float)
    least_moved = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__("Trade map", AXES[HOURS], "")
        self._points: Sequence[Point] = ()
        self._pick: int | None = None
        self._die_limit: float | None = None
        self._floor: tuple[float, str] | None = None
        self._least: float | None = None
        self._axis, self._y_words = HOURS, "1 % low"
        self.chosen: int | None = None
        self._ring = pg.ScatterPlotItem(size=18, symbol="o", brush=pg.mkBrush(None))
        self.scene().sigMouseClicked.connect(self._on_clicked)
        self.hint("No passes yet.")

    def show_points(
        self, points: Sequence[Point], pick: int | None, axis: str, y_words: str, *, die_limit_c: float | None,
        floor: tuple[float, str] | None, least: float | None,
    ) -> None:  # fmt: skip
        """pick : the answer's; axis : figure across; floor : from where on it is held, in words; least : bound of
        the axis, which can be dragged where it is hours."""
        same = len(points) == len(self._points)
        self._points, self._pick, self._axis, self._y_words = points, pick, axis, y_words
        self._die_limit, self._floor, self._least = die_limit_c, floor, least
        if not same or self.chosen is None or self.chosen >= len(points):
            self.chosen = pick
        self.redraw_soon(whole=True)

    def redraw(self) -> None:
        shown = [at for at, one in enumerate(self._points) if math.isfinite(one.at(self._axis))]
        if not shown:
            self.hint("No passes yet." if not self._points else "None of these setups tells that.")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        self.getAxis("bottom").setLabel(AXES[self._axis])
        self.getAxis("left").setLabel(f"{self._y_words} (fps)")
        self._draw_points(shown)
        self._draw_front()
        self._draw_lines()
        if self._pick is not None and self._pick in shown:
            one = self._points[self._pick]
            self.labels.add("the answer", one.at(self._axis), one.at("judged"), theme.accent)
        for at in shown:
            one = self._points[at]
            if one.kind is PointKind.REFERENCE:
                self.labels.add("today, or a preset", one.at(self._axis), one.at("judged"), theme.ink)
        self._ring = pg.ScatterPlotItem(size=20, symbol="o", brush=pg.mkBrush(None), pen=pg.mkPen(theme.ink, width=2))
        self.addItem(self._ring, ignoreBounds=True)
        self._show_chosen()
        self.data = {
            self._axis: [self._points[at].at(self._axis) for at in shown],
            "judged_fps": [self._points[at].at("judged") for at in shown],
            "die_c": [self._points[at].at("die_c") for at in shown],
            "fits": [float(self._points[at].fits) for at in shown],
        }

    def _draw_points(self, shown: Sequence[int]) -> None:
        """A scatter a bin of heat, and intervals of all at once."""
        theme, bars_x, bars_y = tokens.current(), [], []
        for number, (_, quantity, symbol) in enumerate(BINS):
            own = [at for at in shown if self._bin(self._points[at]) == number]
            inks = {}  # a sign is drawn once for each pen and brush: points alike share theirs
            for fits, hollow in product((True, False), repeat=2):
                colour = QColor(theme.data[quantity])
                colour.setAlpha(FULL if fits else FADED)
                brush = pg.mkBrush(None) if hollow else pg.mkBrush(colour)
                inks[fits, hollow] = brush, pg.mkPen(colour, width=2 if hollow else 1)
            chosen = [inks[self._points[at].fits, self._points[at].kind is PointKind.PREDICTED] for at in own]
            brushes, pens = [brush for brush, _ in chosen], [pen for _, pen in chosen]
            x = np.array([self._points[at].at(self._axis) for at in own])
            y = np.array([self._points[at].at("judged") for at in own])
            size = 11 if len(shown) < 200 else 6
            if own:
                self.addItem(pg.ScatterPlotItem(x, y, symbol=symbol, size=size, brush=brushes, pen=pens))
        if len(shown) < 200:
            for at in shown:
                one = self._points[at]
                for figure, horizontal in ((self._axis, True), ("judged", False)):
                    span = one.values[figure]
                    if span.low is None or span.high is None:
                        continue
                    x, y = one.at(self._axis), one.at("judged")
                    ends = ((span.low, span.high), (y, y)) if horizontal else ((x, x), (span.low, span.high))
                    bars_x += [*ends[0], math.nan]
                    bars_y += [*ends[1], math.nan]
            pen = pg.mkPen(QColor(theme.soft), width=1)
            self.addItem(pg.PlotCurveItem(np.array(bars_x), np.array(bars_y), pen=pen, connect="finite"))

    def _bin(self, point: Point) -> int:
        die = point.at("die_c")
        if self._die_limit is None or not math.isfinite(die):
            return 0
        return next(at for at, (under, *_) in enumerate(BINS) if self._die_limit - die >= under)

    def _draw_front(self) -> None:
        """The setups that nothing beats, joined."""
        front = sorted(unbeaten(self._points, self._axis), key=lambda one: one.at(self._axis))
        if len(front) > 1:
            x, y = ([one.at(figure) for one in front] for figure in (self._axis, "judged"))
            pen = pg.mkPen(QColor(tokens.current().soft), width=1, style=Qt.PenStyle.DashLine)
            self.addItem(pg.PlotCurveItem(np.array(x), np.array(y), pen=pen))

    def _draw_lines(self) -> None:
        theme = tokens.current()
        if self._floor is not None:
            line = pg.InfiniteLine(self._floor[0], 0, movable=True, pen=pg.mkPen(QColor(theme.good), width=2))
            line.setHoverPen(pg.mkPen(QColor(theme.accent), width=4))
            line.sigPositionChangeFinished.connect(lambda one: self.floor_moved.emit(float(one.value())))
            self.addItem(line, ignoreBounds=True)
            low, high = self._span()
            self.labels.add(self._floor[1], low + 0.8 * (high - low), self._floor[0], theme.good)
        if self._axis == HOURS:
            at = self._least if self._least is not None else self._left()
            line = pg.InfiniteLine(at, 90, movable=True, pen=pg.mkPen(QColor(theme.good), width=2))
            line.setHoverPen(pg.mkPen(QColor(theme.accent), width=4))
            line.sigPositionChangeFinished.connect(lambda one: self.least_moved.emit(float(one.value())))
            self.addItem(line, ignoreBounds=True)
            text = "hours at least" if self._least is not None else "drag: hours at least"
            self.labels.add(text, at, Edge.TOP, theme.good)

    def _span(self) -> tuple[float, float]:
        known = [one.at(self._axis) for one in self._points if math.isfinite(one.at(self._axis))]
        low, high = min(known, default=0.0), max(known, default=1.0)
        low = min(low, self._least) if self._least is not None and self._axis == HOURS else low
        room = 0.08 * (high - low or 1.0)
        return low - room, high + room

    def _left(self) -> float:
        return self._span()[0]

    def show_all(self) -> None:
        y = [v for one in self._points for v in (one.values["judged"].low, one.values["judged"].high, one.at("judged"))
             if v is not None]  # fmt: skip
        if not y:
            return
        y += [self._floor[0]] if self._floor is not None else []
        low, high = min(y), max(y)
        room = 0.1 * (high - low or 1.0)
        self.setRange(xRange=self._span(), yRange=(low - room, high + room), padding=0)

    def choose(self, number: int | None) -> None:
        """Look at a point; None at none."""
        self.chosen = number
        self._show_chosen()

    def _show_chosen(self) -> None:
        known = self.chosen is not None and self.chosen < len(self._points)
        one = self._points[self.chosen] if known and self.chosen is not None else None
        if one is not None and math.isfinite(one.at(self._axis)):
            self._ring.setData([one.at(self._axis)], [one.at("judged")])
        else:
            self._ring.setData([], [])

    def _nearest(self, place: QPointF) -> int | None:
        box = self.getPlotItem().getViewBox()
        best, found = NEAR_PX, None
        for at, one in enumerate(self._points):
            if math.isfinite(one.at(self._axis)):
                spot = box.mapViewToScene(QPointF(one.at(self._axis), one.at("judged")))
                off = math.hypot(spot.x() - place.x(), spot.y() - place.y())
                best, found = (off, at) if off < best else (best, found)
        return found

    def _on_clicked(self, event: object) -> None:
        found = self._nearest(event.scenePos())  # type: ignore[attr-defined]
        if found is not None:
            self.choose(found)
            self.chosen_changed.emit(found)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right go through the points along the axis."""
        if event is None or event.key() not in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            super().keyPressEvent(event)
            return
        order = sorted((at for at, one in enumerate(self._points) if math.isfinite(one.at(self._axis))),
                       key=lambda at: self._points[at].at(self._axis))  # fmt: skip
        if order:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            now = order.index(self.chosen) if self.chosen in order else (-1 if step > 0 else len(order))
            self.choose(order[min(max(now + step, 0), len(order) - 1)])
            self.chosen_changed.emit(self.chosen if self.chosen is not None else 0)
        event.accept()

    def read_out(self, x: float, y: float) -> str:
        box = self.getPlotItem().getViewBox()
        found = self._nearest(box.mapViewToScene(QPointF(x, y)))
        return point_words(self._points[found], self._axis) if found is not None else ""


def point_words(point: Point, axis: str) -> str:
    """What a point is, and what it does not meet."""
    kind = "" if point.kind is PointKind.MEASURED else f" ({point.kind.value})"
    across = point.values[axis]
    first = words.hours_span(across) if axis == HOURS else f"{words.span(across)} {AXES[axis]}"
    lines = [f"{describe(point.setup)}{kind}", f"{words.span(point.values['judged'])} fps, {first}"]
    if "die_c" in point.values:
        lines.append(f"die {words.span(point.values['die_c'].through(degrees.shown))} {degrees.unit()} settled")
    return "\n".join([*lines, *(words.render(one) for one in point.fails)])
