"""What two recorders saw of one load, laid over each other."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg

from ...core.passes.align import Overlay
from ...core.passes.trace import channel_words
from ..theme import tokens
from .base import Plot, nearest, pen
from .labels import Edge

_HINT = "Choose telemetry, and a frame log on the first page: both loads are laid over each other here."


class OverlayPlot(Plot):
    """The frame log's load and the telemetry's, each in its own standard deviations, on the frames' clock."""

    def __init__(self) -> None:
        super().__init__("Both loads on one clock", "time in the frame log (s)", "load (standard deviations)")
        self._drawn: Overlay | None = None
        self.hint(_HINT)

    def show_overlay(self, drawn: Overlay | None) -> None:
        """drawn : of core.align.overlay, None for nothing."""
        self._drawn = drawn if drawn is not None and drawn[0].size else None
        self.redraw()

    def redraw(self) -> None:
        if self._drawn is None:
            self.hint(_HINT)
            return
        self.wipe()
        self.unhint()
        at, first, second, names = self._drawn
        self.data = {"time_s": at, "frame_log": first, "telemetry": second}
        words = [channel_words(name) for name in names]
        self.addItem(pg.PlotCurveItem(at, first, pen=pen("rate"), connect="finite"))
        self.addItem(pg.PlotCurveItem(at, second, pen=pen("marginal"), connect="finite"))
        top = float(np.nanmax([np.nanmax(first, initial=0), np.nanmax(second, initial=0)])) + 0.8
        low = float(np.nanmin([np.nanmin(first, initial=0), np.nanmin(second, initial=0)])) - 0.3
        for who, quantity, share in (("frame log", "rate", 0.01), ("telemetry", "marginal", 0.5)):
            text = f"{who}: {words[quantity != 'rate']}"
            place = float(at[0] + share * (at[-1] - at[0]))
            self.labels.add(text, place, Edge.TOP, tokens.current().data[quantity])
        self.setRange(xRange=(float(at[0]), float(at[-1])), yRange=(low, top), padding=0.01)

    def read_out(self, x: float, y: float) -> str:
        if self._drawn is None:
            return ""
        at, first, second, _ = self._drawn
        index = nearest(at, x)
        return f"{at[index]:.1f} s\nframe log {first[index]:.1f}\ntelemetry {second[index]:.1f}"
