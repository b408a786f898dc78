"""Figures along a factor: rate and low with intervals and marks; frames per watt and the gain of the next watt.

Each plot first makes plain data from a response, then draws it, so the numbers can be tested without a screen.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor

from ...core.facts.knob import inside
from ...core.facts.terms import Floor
from ...core.read.group import Group
from ...core.read.marks import POWER_WORDS, QUARTERS, Mark, gains
from ...core.read.residuals import expected_at, is_inside, measured_span
from ...core.read.response import RATE, Response
from ...core.stats.estimate import Estimate, Mean
from ...core.words import percent, plural
from ..theme import tokens
from .base import Plot, nearest, pen
from .labels import Edge
from .pair_drag import PairDrag, Target


@dataclass(frozen=True)
class Points:
    """Estimates of one quantity. at : where its groups stand on the axis; values, lows, highs (n,)."""

    at: tuple[float, ...]
    values: tuple[float, ...]
    lows: tuple[float, ...]
    highs: tuple[float, ...]


def points_of(response: Response, figure: str) -> Points:
    """Means of a figure, or of the "judged" one, with their 95 % intervals."""
    pairs: list[tuple[float, Estimate]] = []
    for at, group in zip(response.places.tolist(), response.groups):
        mean = _mean(group, figure)
        if mean is not None:
            pairs.append((at, mean.estimate()))
    return Points(
        tuple(at for at, _ in pairs),
        tuple(e.value for _, e in pairs),
        tuple(e.low if e.low is not None else e.value for _, e in pairs),
        tuple(e.high if e.high is not None else e.value for _, e in pairs),
    )


def _mean(group: Group, figure: str) -> Mean | None:
    return group.judged if figure == "judged" else group.mean(figure)


def gain_of(response: Response) -> tuple[np.ndarray, np.ndarray]:
    """What the next watt brings: (limits, fps a watt) from the draws that the marks are read from; without them
    differences of neighbouring levels (midpoints, fps a unit)."""
    if response.drawn is not None:
        grid, slopes, _ = gains(response.drawn)
        return grid, np.median(slopes, axis=0)
    points = points_of(response, RATE)
    at, values = np.array(points.at), np.array(points.values)
    if at.size < 2 or not response.factor.is_number:
        return np.empty(0), np.empty(0)
    return (at[1:] + at[:-1]) / 2, np.diff(values) / np.diff(at)


def per_watt_of(response: Response) -> tuple[str, Points]:
    """Frames per watt of draw, package or limit (which one is named), with interval from both."""
    if response.watts:
        at, values, lows, highs = [], [], [], []
        for place, group in zip(response.places.tolist(), response.groups):
            rate, power = group.rate, group.mean(response.watts)
            if rate is None or power is None:
                continue
            value = rate.value / power.value
            half = 2.0 * math.hypot(rate.se, power.se)
            at.append(place)
            values.append(value)
            lows.append(value * math.exp(-half))
            highs.append(value * math.exp(half))
        return POWER_WORDS[response.watts], Points(tuple(at), tuple(values), tuple(lows), tuple(highs))
    rate_ = points_of(response, RATE)
    if response.factor.unit != "W":
        return "", Points((), (), (), ())
    shares = [[v / w for v, w in zip(row, rate_.at)] for row in (rate_.values, rate_.lows, rate_.highs)]
    return POWER_WORDS[""], Points(rate_.at, *(tuple(row) for row in shares))


def name_axis(plot: Plot, response: Response) -> None:
    """What stands along the axis: the factor with its unit; the levels themselves where they are words."""
    factor = response.factor
    axis = plot.getPlotItem().getAxis("bottom")
    words = "power limit" if factor.unit == "W" else inside(factor.label)
    axis.setLabel(f"{words} ({factor.unit})" if factor.unit else words)
    places = response.places.tolist()
    words_ = [(at, factor.short(g.level)) for at, g in zip(places, response.groups)]
    axis.setTicks([words_] if stand_as_words(response) else None)


def stand_as_words(response: Response) -> bool:
    """Whether levels stand one beside the other, as some of them are no numbers."""
    return response.places.tolist() != response.levels.tolist()


class RatePlot(Plot):
    """Rate and low along a factor with intervals, curve, floor and marks. Signals: level_chosen (level)."""

    level_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__("Frame rate and 1 % low against the power limit", "power limit (W)", "frames a second")
        self._response: Response | None = None
        self._marks: Sequence[Mark] = ()
        self._floor, self._floor_words = 0.0, ""
        self._low_words = "1 % low"
        self._pick: float | None = None
        self._presets: Sequence[tuple[str, float]] = ()
        self._dots: Mapping[str, Sequence[tuple[float, float]]] = {}
        self.pairs = PairDrag(self, self._targets)
        self.scene().sigMouseClicked.connect(self._on_clicked)
        self.hint("Reading the notebook …")

    def show_response(
        self, response: Response | None, marks: Sequence[Mark], floor: Floor | None, low_words: str,
        pick: float | None, presets: Sequence[tuple[str, float]] = (),
        dots: Mapping[str, Sequence[tuple[float, float]]] | None = None,
    ) -> None:  # fmt: skip
        """Draw a response, or the hint where there is none. floor : a rate to hold, None for none; pick : where the
        answer stands on the axis; presets : (name, W) of the maker's; dots : single passes of "rate" and "low"."""
        self._presets, self._dots = presets, dots or {}
        self._response, self._marks, self._low_words = response, marks, low_words
        self._floor = floor.edge if floor is not None else 0.0
        self._floor_words = f"{floor.value:g}, held at {100 * (1 - floor.tolerance):g} %" if floor is not None else ""
        self._pick = pick
        self.redraw_soon(whole=True)

    def redraw(self) -> None:
        if self._response is None or not self._response.groups:
            self.hint("No passes yet. Plan a sweep and start it in Bench, or import passes.")
            return
        rate, low = points_of(self._response, RATE), points_of(self._response, "judged")
        if not rate.at:
            self.hint("These passes carry no frame rate: bring their logs, or a mean at least.")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        self._draw_marks(rate)
        name_axis(self, self._response)
        ordered = self._response.factor.is_ordered
        drawn = self._response.drawn
        if drawn is not None:
            self.addItem(pg.PlotCurveItem(drawn.limits, np.median(drawn.rate, axis=0), pen=pen("rate", 1)))
        elif len(rate.at) > 1 and ordered:
            self.addItem(pg.PlotCurveItem(np.array(rate.at), np.array(rate.values), pen=pen("rate", 1)))
        if len(low.at) > 1 and ordered:
            self.addItem(
                pg.PlotCurveItem(np.array(low.at), np.array(low.values), pen=pen("low", 1, Qt.PenStyle.DashLine))
            )
        self._draw_dots()
        for points, quantity in ((rate, "rate"), (low, "low")):
            draw_points(self, points, quantity)
        for points in (rate, low):
            for values in (points.values, points.lows, points.highs):
                self.labels.avoid(points.at, values)
        if self._floor:
            line = pg.InfiniteLine(self._floor, 0, pen=pg.mkPen(QColor(theme.good), style=Qt.PenStyle.DashLine))
            self.addItem(line, ignoreBounds=True)
            self.labels.add(self._floor_words, rate.at[-1], self._floor, theme.good)
        for points, words, quantity in ((rate, "mean rate", "rate"), (low, self._low_words, "low")):
            if points.at:
                at = 2 if len(points.at) > 3 else 0
                self.labels.add(words, points.at[at], points.values[at], theme.data[quantity])
        name = self._response.factor.id
        self.data = {
            name: rate.at, "mean_fps": rate.values, "mean_low": rate.lows, "mean_high": rate.highs,
            f"low_{name}": low.at, "low_fps": low.values, "low_low": low.lows, "low_high": low.highs,
        }  # fmt: skip

    def _draw_dots(self) -> None:
        for quantity, pairs in self._dots.items():
            if pairs:
                colour = QColor(tokens.current().data[quantity])
                colour.setAlpha(110)
                x, y = np.array(pairs).T
                self.addItem(
                    pg.ScatterPlotItem(x, y, symbol=tokens.SHAPES[quantity], size=4, brush=colour, pen=pg.mkPen(None))
                )

    def _targets(self) -> list[Target]:
        """Where levels can be taken hold of."""
        if self._response is None:
            return []
        levels = dict(zip(self._response.places.tolist(), (group.level for group in self._response.groups)))
        both = (points_of(self._response, RATE), points_of(self._response, "judged"))
        return [(at, value, levels[at]) for one in both for at, value in zip(one.at, one.values)]

    def _draw_presets(self, rate: Points) -> None:
        """The maker's presets among the levels, each by its name at the top."""
        theme = tokens.current()
        if self._response is None or self._response.factor.unit != "W":
            return
        for name, watts in self._presets:
            if rate.at[0] <= watts <= rate.at[-1]:
                line = pg.InfiniteLine(watts, 90, pen=pg.mkPen(QColor(theme.rule), style=Qt.PenStyle.DashDotLine))
                self.addItem(line, ignoreBounds=True)
                self.labels.add(name, watts, Edge.TOP, theme.soft)

    def _draw_marks(self, rate: Points) -> None:
        self._draw_presets(rate)
        theme = tokens.current()
        span = rate.at[-1] - rate.at[0] or 1.0
        for number, mark in enumerate(m for m in self._marks if m.value is not None or m.span):
            low, high = mark.low, mark.high
            if low is not None and high is not None and high - low > 0.002 * span:
                band = QColor(theme.soft)
                band.setAlpha(40)
                region = pg.LinearRegionItem((low, high), movable=False, brush=band, pen=pg.mkPen(None))
                self.addItem(region, ignoreBounds=True)
            if mark.value is not None:
                line = pg.InfiniteLine(mark.value, 90, pen=pg.mkPen(QColor(theme.soft), style=Qt.PenStyle.DotLine))
                self.addItem(line, ignoreBounds=True)
                self.labels.add(str(number + 1), mark.value, Edge.BOTTOM, theme.ink)
        if self._pick is not None:
            line = pg.InfiniteLine(self._pick, 90, pen=pg.mkPen(QColor(theme.accent), width=2))
            self.addItem(line, ignoreBounds=True)

    def show_all(self) -> None:
        if self._response is None or not self._response.groups:
            return
        rate, low = points_of(self._response, RATE), points_of(self._response, "judged")
        if not rate.at:
            return
        pad = 0.6 if stand_as_words(self._response) else 0.04 * (rate.at[-1] - rate.at[0] or 1.0)
        bottom = min([*rate.lows, *low.lows, self._floor or math.inf])
        top = max([*rate.highs, *low.highs, self._floor])
        room = 0.12 * (top - bottom or 1.0)
        self.setRange(xRange=(rate.at[0] - pad, rate.at[-1] + pad), yRange=(bottom - room, top + room), padding=0)

    def read_out(self, x: float, y: float) -> str:
        if self._response is None or not self._response.groups:
            return ""
        own = self._response
        between = expected_at(own, x)
        if between is not None:
            rate, watts = between
            power = POWER_WORDS[own.drawn.power] if own.drawn is not None else ""
            return (
                f"{x:.1f} {own.factor.unit}, between levels: expected\n"
                f"rate {rate.value:.1f} ({rate.low:.1f} to {rate.high:.1f})\n"
                f"{watts.value:.1f} W {power} ({watts.low:.1f} to {watts.high:.1f})"
            )
        if own.drawn is not None and not is_inside(own, x) and abs(own.levels - x).min() > own.drawn.step / 2:
            return f"nothing is said of {x:.0f} {own.factor.unit}:\nmeasured from {measured_span(own)}"
        group = own.groups[nearest(own.places.tolist(), x)]
        lines = [f"{self._response.factor.words(group.level)}, {plural(len(group.passes), 'pass', 'passes')}"]
        for words, mean in (("rate", group.rate), ("low", group.judged)):
            if mean is not None:
                e = mean.estimate()
                lines.append(f"{words} {e.value:.1f} ({e.low:.1f} to {e.high:.1f})")
        if group.holds is not None:
            lines.append(f"holds with {percent(group.holds)}")
        return "\n".join(lines)

    def _on_clicked(self, event: object) -> None:
        if self._response is None or not self._response.groups:
            return
        box = self.getPlotItem().getViewBox()
        at = box.mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
        group = self._response.groups[nearest(self._response.places.tolist(), at.x())]
        self.level_chosen.emit(group.level)


def draw_points(plot: Plot, points: Points, quantity: str) -> None:
    """Points with interval bars in the colour and shape of a quantity."""
    if not points.at:
        return
    x, y = np.array(points.at), np.array(points.values)
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
        self._response: Response | None = None
        self._price = 1.0
        self.hint("")

    def show_response(self, response: Response | None, price: float) -> None:
        """Draw a response, or nothing where there is none. price : fps a W."""
        self._response, self._price = response, price
        self.redraw_soon()

    def redraw(self) -> None:
        if self._response is None:
            self.hint("")
            return
        name_axis(self, self._response)
        kind, points = per_watt_of(self._response)
        if len(points.at) < 2:
            self.hint("No watts to divide by." if points.at or not self._response.watts else "")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        middle, gain = gain_of(self._response) if self._response.factor.unit == "W" else (np.empty(0), np.empty(0))
        self.addItem(pg.PlotCurveItem(np.array(points.at), np.array(points.values), pen=pen("per_watt", 1)))
        draw_points(self, points, "per_watt")
        if middle.size:
            self.addItem(pg.PlotCurveItem(middle, gain, pen=pen("marginal", 1, Qt.PenStyle.DashLine)))
            colour = QColor(theme.data["marginal"])
            every = QUARTERS if self._response.drawn is not None else 1
            self.addItem(
                pg.ScatterPlotItem(
                    middle[::every], gain[::every], symbol=tokens.SHAPES["marginal"], size=7, brush=colour, pen=None
                )
            )
        if middle.size:
            line = pg.InfiniteLine(self._price, 0, pen=pg.mkPen(QColor(theme.soft), style=Qt.PenStyle.DotLine))
            self.addItem(line, ignoreBounds=True)
        self.labels.avoid(points.at, points.values)
        self.labels.avoid(middle.tolist(), gain.tolist())
        self.labels.add(f"per watt of {kind}", points.at[-1], points.values[-1], theme.data["per_watt"])
        if middle.size:
            self.labels.add("gain of the next watt", float(middle[0]), float(gain[0]), theme.data["marginal"])
        self.data = {
            self._response.factor.id: points.at, f"fps_per_w_{kind}": points.values, "gain_at_w": middle.tolist(),
            "gain_fps_per_w": gain.tolist(),
        }  # fmt: skip
        self.enableAutoRange()

    def read_out(self, x: float, y: float) -> str:
        if self._response is None or not self.data:
            return ""
        kind, points = per_watt_of(self._response)
        index = nearest(points.at, x)
        group = self._response.groups[self._response.places.tolist().index(points.at[index])]
        power = group.mean(self._response.watts)
        watts = power.value if power is not None else group.at
        level = self._response.factor.words(group.level)
        return (
            f"{level}, {watts:.1f} W {kind}\n{points.values[index]:.2f} fps per W "
            f"({points.lows[index]:.2f} to {points.highs[index]:.2f})"
        )
