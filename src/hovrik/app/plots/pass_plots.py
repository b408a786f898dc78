"""Beside the frames of one pass: telemetry on the same time, and how its intervals are spread and shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor

from ...core import degrees
from ...core.passes.trace import CHANNELS
from ..theme import tokens
from .base import Plot, nearest, pen
from .labels import Edge
from .laid_over_plot import PALETTE
from .trace import TimePlot

Array = NDArray[np.float64]
Line = tuple[Array, Array]

FEW = 12  # times on the panel up to which they are its ticks
SHARES: Array = np.concatenate((np.linspace(0.1, 90.0, 90), np.linspace(90.5, 99.9, 95)))


class ChannelPlot(TimePlot):
    """Channels of one unit on the time of the pass, each named at its end."""

    def __init__(self) -> None:
        super().__init__("Telemetry of the selected pass", "time in the pass (s)", "")
        self._lines: Mapping[str, Line] = {}
        self._dashed: Mapping[str, Line] = {}
        self._until = 0.0
        self.hint("No telemetry of this kind.")

    def show_channels(self, lines: Mapping[str, Line], dashed: Mapping[str, Line], until_s: float) -> None:
        """lines : channel to (seconds, values); dashed : what was fitted to a channel; until_s : end of the pass."""
        self._lines, self._dashed, self._until = lines, dashed, until_s
        self.redraw_soon()

    def redraw(self) -> None:
        if not self._lines:
            self.hint("No telemetry of this kind.")
            return
        self.wipe()
        self.unhint()
        unit = CHANNELS[next(iter(self._lines))][1]
        heat = unit == "C"
        self.getAxis("left").setLabel(degrees.unit() if heat else unit)
        self.labels.clear()
        data: dict[str, Array] = {}
        top, bottom = -np.inf, np.inf
        for number, (name, (x, y)) in enumerate(self._lines.items()):
            quantity = PALETTE[number % len(PALETTE)]
            shown = _shown(y, heat=heat)
            self.addItem(pg.PlotCurveItem(x, shown, pen=pen(quantity, 1.5), connect="finite"))
            if name in self._dashed:
                at, fit = self._dashed[name]
                self.addItem(
                    pg.PlotCurveItem(at, _shown(fit, heat=heat), connect="finite",
                                     pen=pen(quantity, 1.5, Qt.PenStyle.DashLine))
                )  # fmt: skip
            known = shown[np.isfinite(shown)]
            if known.size:
                top, bottom = max(top, float(known.max())), min(bottom, float(known.min()))
                some = slice(None, None, max(x.size // 40, 1))
                self.labels.avoid(tuple(x[some].tolist()), tuple(shown[some].tolist()))
                self.labels.add(
                    CHANNELS[name][0].lower(), float(x[-1]), float(known[-1]), tokens.current().data[quantity]
                )
            data |= {f"{name}_time_s": x, name: shown}
        self.data = data  # type: ignore[assignment]
        room = 0.12 * (top - bottom or 1.0)
        if np.isfinite(top):
            self.setYRange(bottom - room, top + room, padding=0)

    def read_out(self, x: float, y: float) -> str:
        found = []
        for name, (at, values) in self._lines.items():
            value = float(_shown(values[nearest(at, x)], heat=CHANNELS[name][1] == "C"))
            found.append(f"{CHANNELS[name][0]}: {value:.4g}")
        return "\n".join(found)


def _shown(values: Array, *, heat: bool) -> Array:
    """In the unit of temperature that the user reads."""
    return np.asarray(values * 1.8 + 32.0 if heat and degrees.unit() == "F" else values)


class PercentilePlot(Plot):
    """Rate that a share of the frames keeps: the whole of the distribution, slow end at the right."""

    def __init__(self) -> None:
        super().__init__("Percentiles of the selected pass", "share of frames at least so fast (%)", "frames a second")
        self._own: Array = np.empty(0)
        self._other: Array = np.empty(0)
        self.hint("")

    def show_intervals(self, interval_ms: Array, other_ms: Array) -> None:
        """interval_ms, other_ms (n,); the other empty where none is laid over."""
        self._own, self._other = (
            1000.0 / np.quantile(one, SHARES / 100.0) if one.size > 1 else np.empty(0)
            for one in (interval_ms, other_ms)
        )
        self.redraw_soon()

    def redraw(self) -> None:
        if not self._own.size:
            self.hint("")
            return
        self.wipe()
        self.unhint()
        self.data = {"share_percent": SHARES.tolist(), "fps": self._own.tolist()}
        if self._other.size:
            self.addItem(pg.PlotCurveItem(SHARES, self._other, pen=pen("marginal", 1.5)))
            self.data = {**self.data, "other_fps": self._other.tolist()}
        self.addItem(pg.PlotCurveItem(SHARES, self._own, pen=pen("interval", 1.5)))
        line = pg.mkPen(QColor(tokens.current().ink), style=Qt.PenStyle.DotLine)
        self.addItem(pg.InfiniteLine(99.0, 90, pen=line), ignoreBounds=True)
        self.labels.add("1 % low", 99.0, Edge.TOP, tokens.current().ink)
        both = np.concatenate((self._own, self._other))
        self.setRange(xRange=(0, 101), yRange=(0.9 * float(both.min()), 1.08 * float(both.max())), padding=0)

    def show_all(self) -> None:
        self.redraw()

    def read_out(self, x: float, y: float) -> str:
        at = nearest(SHARES, x)
        return f"{SHARES[at]:.1f} %: {self._own[at]:.1f} fps" if self._own.size else ""


class ShownPlot(Plot):
    """How long each frame stays on the panel, as shares of the time that passes."""

    def __init__(self) -> None:
        super().__init__("Shown intervals of the selected pass", "time on the panel (ms)", "share of frames (%)")
        self._rows: tuple[Array, Array] = np.empty(0), np.empty(0)
        self._why = ""
        self.hint("")

    def show_shown(self, shown_ms: Sequence[float] | Array, why: str) -> None:
        """shown_ms (n,) : times on the panel; why : said where they are not known."""
        times = np.round(np.asarray(shown_ms, float), 1)
        if np.unique(times).size > FEW:  # no fixed ticks: told in half milliseconds
            times = np.round(2.0 * times) / 2.0
        values, counts = np.unique(times, return_counts=True)
        self._rows, self._why = (values, 100.0 * counts / max(int(counts.sum()), 1)), why
        self.redraw_soon()

    def redraw(self) -> None:
        at, share = self._rows
        if not at.size:
            self.hint(self._why)
            return
        self.wipe()
        self.unhint()
        wide = max(0.35, 0.012 * float(at.max()))
        fill = QColor(tokens.current().data["interval"])
        self.addItem(pg.BarGraphItem(x=at, width=wide, height=share, brush=fill, pen=pg.mkPen(None)))
        for place in np.argsort(-share)[:3]:
            if share[place] >= 2.0:
                text = f"{at[place]:.1f} ms: {share[place]:.0f} %"
                self.labels.add(text, float(at[place]), float(share[place]), tokens.current().ink)
        self.data = {"shown_ms": at.tolist(), "share_percent": share.tolist()}
        top = float(np.quantile(np.repeat(at, np.maximum(share.astype(int), 1)), 0.99))
        self.setRange(xRange=(0.0, max(1.25 * top, 20.0)), yRange=(0, 1.25 * float(share.max())), padding=0)

    def show_all(self) -> None:
        self.redraw()
