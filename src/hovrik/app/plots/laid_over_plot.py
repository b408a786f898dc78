"""Responses laid over each other: one figure along the factor, or along measured package watts, a line each."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QColor

from ...core import degrees
from ...core.passes.figure import BY_ID
from ...core.read.response import Response
from ..theme import tokens
from .base import Plot, nearest, pen
from .pair_drag import PairDrag, Target
from .response_plot import Points, name_axis, points_of

PALETTE = ("rate", "low", "per_watt", "marginal", "die_c", "draw_w")  # a line keeps its place among those offered
SYMBOLS = ("o", "d", "t1", "s", "x", "+")
PER_WATT, JOULES = "fps_per_w", "joules_per_frame"
LABELS = {PER_WATT: ("frames a watt of draw", "fps a W"), JOULES: ("energy a frame, of the draw", "J")}


@dataclass(frozen=True)
class LaidOver:
    """One line. number : its place among those offered, which is its colour and shape; words : what it is called;
    passes : ids of the passes of each point."""

    number: int
    words: str
    points: Points
    passes: tuple[tuple[str, ...], ...] = ()


def line_of(number: int, words: str, response: Response, figure: str, by_watts: bool) -> LaidOver:
    """A figure of the groups of a response with intervals, along its factor or along measured package watts."""
    own = points_of(response, figure) if figure not in LABELS else Points((), (), (), ())
    found = dict(zip(own.at, zip(own.values, own.lows, own.highs)))
    is_heat = figure in BY_ID and BY_ID[figure].unit == "C"
    rows: list[tuple[tuple[float, ...], tuple[str, ...]]] = []
    for at, group in zip(response.places.tolist(), response.groups):
        package = group.package
        place = at if not by_watts else package.value if package is not None else math.nan
        if figure in LABELS and group.rate is not None and group.draw is not None:
            middle = (1.0 if figure == PER_WATT else -1.0) * (group.rate.mean - group.draw.mean)
            half = 2.0 * math.hypot(group.rate.se, group.draw.se)
            found[at] = (math.exp(middle), math.exp(middle - half), math.exp(middle + half))
        if at in found and math.isfinite(place):
            shown = (degrees.shown(value) if is_heat else value for value in found[at])
            rows.append(((place, *shown), group.passes))
    rows.sort()
    columns = list(zip(*(row for row, _ in rows))) if rows else [(), (), (), ()]
    points = Points(*(tuple(column) for column in columns))
    return LaidOver(number, words, points, tuple(passes for _, passes in rows))


class LaidOverPlot(Plot):
    """The lines, each named at its end."""

    def __init__(self) -> None:
        super().__init__("Responses laid over each other", "power limit (W)", "")
        self._lines: Sequence[LaidOver] = ()
        self._first: Response | None = None
        self._axis, self._by_watts = "", False
        self._beside: Sequence[LaidOver] = ()
        self.pairs = PairDrag(self, self._targets)
        self.hint("Choose what to lay over each other.")

    def show_lines(
        self, lines: Sequence[LaidOver], first: Response | None, axis: str, *, by_watts: bool,
        beside: Sequence[LaidOver] = (),
    ) -> None:  # fmt: skip
        """first : the response whose factor names the axis; axis : what is drawn, with its unit; beside : lines of
        other pictures that share its axes."""
        self._lines, self._first, self._axis, self._by_watts = lines, first, axis, by_watts
        self._beside = beside
        self.redraw_soon(whole=True)

    def redraw(self) -> None:
        lines = [line for line in self._lines if line.points.at]
        if not lines or self._first is None:
            self.hint("Choose what to lay over each other." if not self._lines else "None of these carries that.")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        if self._by_watts:
            self.getAxis("bottom").setTicks(None)
            self.getAxis("bottom").setLabel("measured package power (W)")
        else:
            name_axis(self, self._first)
        self.getAxis("left").setLabel(self._axis)
        data: dict[str, Sequence[float]] = {}
        for line in lines:
            own = line.points
            quantity, colour = PALETTE[line.number % 6], theme.data[PALETTE[line.number % 6]]
            x, y = np.array(own.at), np.array(own.values)
            self.addItem(pg.PlotCurveItem(x, y, pen=pen(quantity, 1.5)))
            self.addItem(
                pg.ErrorBarItem(x=x, y=y, top=np.array(own.highs) - y, bottom=y - np.array(own.lows), beam=0.0,
                                pen=pen(quantity))
            )  # fmt: skip
            symbol = SYMBOLS[line.number % 6]
            self.addItem(pg.ScatterPlotItem(x, y, symbol=symbol, size=8, brush=QColor(colour), pen=pg.mkPen(None)))
            for values in (own.values, own.lows, own.highs):
                self.labels.avoid(own.at, values)
            self.labels.add(line.words, own.at[-1], own.values[-1], colour)
            data |= {f"{line.words}: at": own.at, line.words: own.values, f"{line.words}: low": own.lows,
                     f"{line.words}: high": own.highs}  # fmt: skip
        self.data = data  # type: ignore[assignment]
        self.show_all()

    def _targets(self) -> list[Target]:
        return [(x, y, ids) for one in self._lines for x, y, ids in zip(one.points.at, one.points.values, one.passes)]

    def show_all(self) -> None:
        own = [line.points for line in (*self._lines, *self._beside) if line.points.at]
        if not own:
            return
        x = [v for one in own for v in one.at]
        y = [v for one in own for v in (*one.lows, *one.highs)]
        pad, room = 0.05 * (max(x) - min(x) or 1.0), 0.1 * (max(y) - min(y) or 1.0)
        self.setRange(xRange=(min(x) - pad, max(x) + 3 * pad), yRange=(min(y) - room, max(y) + room), padding=0)

    def read_out(self, x: float, y: float) -> str:
        found = []
        for line in self._lines:
            own = line.points
            if own.at:
                at = nearest(own.at, x)
                found.append(f"{line.words}: {own.values[at]:.4g} ({own.lows[at]:.4g} to {own.highs[at]:.4g})")
        return "\n".join(found)
