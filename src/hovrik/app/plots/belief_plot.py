"""What a search believes, over two of its knobs: watts drawn as shade, chances as hatching, passes as dots."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent

from ...core import words
from ...core.facts.knob import Level
from ...core.facts.known_knobs import known
from ...core.facts.setup import describe
from ...core.model.belief import TIERS, Believed
from ..theme import tokens
from .base import Plot

HATCHES = (
    (TIERS[0], Qt.BrushStyle.SolidPattern, "holds, 90 % and over"),
    (TIERS[1], Qt.BrushStyle.Dense4Pattern, "likely, 50 to 90 %"),
    (0.05, Qt.BrushStyle.BDiagPattern, "unlikely, 5 to 50 %"),
)
SHADES = 6  # of the draw, least to most
_STEPS = {
    Qt.Key.Key_Left.value: (-1, 0), Qt.Key.Key_Right.value: (1, 0),
    Qt.Key.Key_Up.value: (0, 1), Qt.Key.Key_Down.value: (0, -1),
}  # fmt: skip


class BeliefPlot(Plot):
    """A cell a pair of levels; the candidate that stands for it can be chosen. Signals: chosen (index)."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__("What the search believes", "", "")
        self._believed: Believed | None = None
        self._knobs = ("", "")
        self._cells: list[list[int]] = []
        self._chosen: int | None = None
        self.setMouseEnabled(False, False)
        self.hint("")

    def show_belief(self, believed: Believed | None, across: str, up: str) -> None:
        """Draw it over two knobs."""
        self._believed, self._knobs = believed, (across, up)
        if believed is not None and self._chosen is not None and self._chosen >= len(believed.setups):
            self._chosen = None
        self.redraw_soon()

    def choose(self, at: int | None) -> None:
        """Outline a candidate's cell."""
        self._chosen = at
        self.redraw_soon()

    def redraw(self) -> None:
        believed = self._believed
        if believed is None or not all(self._knobs):
            self.hint("A search for the best setup shows here what it believes, once a pass of it is made.")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        across, up, self._cells = believed.over(*self._knobs)
        rows = [(x, y, at) for y, row in enumerate(self._cells) for x, at in enumerate(row) if at >= 0]
        draws = np.log([believed.draw_w[at] for *_, at in rows])
        shades = ((draws - draws.min()) / max(float(np.ptp(draws)), 1e-9) * (SHADES - 0.01)).astype(int)
        most = 2.0
        for least, pattern, _ in HATCHES:
            for number in range(SHADES):
                own = [
                    (x, y) for (x, y, at), shade in zip(rows, shades)
                    if least <= believed.chances[at] < most and shade == number
                ]  # fmt: skip
                self._draw_cells(own, QBrush(_mixed(theme.data["rate"], theme.sheet, number / SHADES), pattern))
            most = least
        for symbol, size, indices, colour in (
            ("o", 7, np.flatnonzero(believed.counts > 0).tolist(), theme.ink),
            ("d", 15, [] if believed.next is None else [believed.next], theme.data["low"]),
            ("star", 19, [] if believed.pick is None else [believed.pick], theme.ink),
        ):
            places = [self._place(believed, one, across, up) for one in indices]
            if places:
                x, y = zip(*places)
                edge = pg.mkPen(QColor(theme.sheet), width=1)
                self.addItem(pg.ScatterPlotItem(x, y, symbol=symbol, size=size, brush=QColor(colour), pen=edge))
        if self._chosen is not None:
            place = self._place(believed, self._chosen, across, up)
            self._draw_cells([place], QBrush(Qt.BrushStyle.NoBrush), QColor(theme.ink))
        for side, key, levels in (("bottom", self._knobs[0], across), ("left", self._knobs[1], up)):
            axis, knob = self.getAxis(side), known(key)
            every = max(1, len(levels) // 12)
            axis.setTicks([[(at, _short(level)) for at, level in enumerate(levels) if at % every == 0]])
            named = f"{knob.label}, {knob.unit}" if knob.unit else knob.label
            axis.setLabel(named, color=theme.soft, **{"font-size": "12px"})
        self.data = {
            "x": [float(x) for x, _, _ in rows], "y": [float(y) for _, y, _ in rows],
            "chance": [float(believed.chances[at]) for *_, at in rows],
            "draw_w": [float(believed.draw_w[at]) for *_, at in rows],
        }  # fmt: skip
        self.setRange(xRange=(-0.6, len(across) - 0.4), yRange=(-0.6, len(up) - 0.4), padding=0.01)

    def _draw_cells(self, places: list[tuple[int, int]], brush: QBrush, edge: QColor | None = None) -> None:
        if places:
            x, y = (np.array(part, float) for part in zip(*places))
            pen = pg.mkPen(edge, width=2) if edge is not None else pg.mkPen(None)
            self.addItem(pg.BarGraphItem(x0=x - 0.46, width=0.92, y0=y - 0.45, height=0.9, brush=brush, pen=pen))

    def _place(self, believed: Believed, at: int, across: list[Level], up: list[Level]) -> tuple[int, int]:
        setup = believed.setups[at]
        return across.index(setup[self._knobs[0]]), up.index(setup[self._knobs[1]])

    def index_at(self, x: float, y: float) -> int | None:
        """The candidate of a cell, None beside them."""
        row, column = round(y), round(x)
        if 0 <= row < len(self._cells) and 0 <= column < len(self._cells[row]) and self._cells[row][column] >= 0:
            return self._cells[row][column]
        return None

    def read_out(self, x: float, y: float) -> str:
        at, believed = self.index_at(x, y), self._believed
        return words_of(believed, at) if at is not None and believed is not None else ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows choose the cell beside."""
        step = _STEPS.get(event.key()) if event is not None else None
        believed = self._believed
        if step is None or believed is None or not self._cells:
            super().keyPressEvent(event)
            return
        standing = self._chosen if self._chosen is not None else believed.pick if believed.pick is not None else 0
        across, up, _ = believed.over(*self._knobs)
        x, y = self._place(believed, standing, across, up)
        at = self.index_at(min(max(x + step[0], 0), len(across) - 1), min(max(y + step[1], 0), len(up) - 1))
        if at is not None:
            self.chosen.emit(at)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A press on a cell chooses what stands for it."""
        if event is not None and event.button() is Qt.MouseButton.LeftButton:
            box = self.getPlotItem().getViewBox()
            place: QPointF = box.mapSceneToView(self.mapToScene(event.position().toPoint()))
            at = self.index_at(float(place.x()), float(place.y()))
            if at is not None:
                self.chosen.emit(at)
        super().mousePressEvent(event)


def words_of(believed: Believed, at: int) -> str:
    """A candidate in words."""
    passes = int(believed.counts[at])
    made = f", {passes} made" if passes else ""
    chance = words.percent(float(believed.chances[at]))
    return f"{describe(believed.setups[at])}: {chance} to hold, about {believed.draw_w[at]:.1f} W drawn{made}"


def _short(level: object) -> str:
    return f"{level:g}" if isinstance(level, int | float) else str(level)


def _mixed(colour: str, paper: str, share: float) -> QColor:
    """A colour with a share of the paper in it."""
    one, other = QColor(colour), QColor(paper)
    part = lambda a, b: round(a + 0.8 * share * (b - a))  # noqa: E731
    return QColor(part(one.red(), other.red()), part(one.green(), other.green()), part(one.blue(), other.blue()))
