"""A plan drawn over time, to scale in minutes: a lane a setup, a block a pass, under them charge and die."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QMouseEvent, QPen

from ...core import degrees
from ...core.facts.setup import describe
from ...core.passes.purpose import HEAT
from ...core.plan.ahead import Ahead, Array
from ...core.plan.steps import APPLY, MEASURE, RECHARGE, RELAUNCH, RESTART, SOAK, PlannedPass
from ..theme import tokens
from .base import Plot, pen

MOST_LANES = 60
LINES, LINES_SHARE, LINES_FROM = 1.6, 0.35, 0.25  # lanes that the lines below take at least, of all, and space before
LINES_TOP = 124.0  # percent and degrees: room for a name over a line at 100
BLOCK, SOFT_BLOCK = 0.36, 0.22  # of a lane to either side: what is measured, what leads up to it


@dataclass(frozen=True)
class Block:
    """A stretch of one step. lane : from the top; begin, end : minutes; index : of the pass."""

    lane: int
    begin: float
    end: float
    kind: str
    index: int


def lane_words(planned: PlannedPass, names: Mapping[str, str] | None = None) -> str:
    """What a lane is called: its setup, with the OS slot and the power source where they are named. names : of slots,
    by key."""
    words = describe(planned.setup) if planned.setup else "as it stands"
    words = f"{words}, {planned.source}" if planned.source else words
    slot = (names or {}).get(planned.slot, planned.slot)
    return f"{slot}: {words}" if slot else words


def blocks_of(
    passes: Sequence[PlannedPass],
    charged_before: Sequence[int] = (),
    recharge_min: float = 0.0,
    slots: Mapping[str, str] | None = None,
) -> tuple[list[str], list[Block]]:
    """(lanes from the top, blocks) of passes in their order. charged_before : indices of passes that a recharge comes
    before, each of `recharge_min` minutes; slots : names by key."""
    names: dict[str, int] = {}
    for planned in sorted(passes, key=lambda p: (p.slot, p.setup.static_limit_w or 0.0, lane_words(p))):
        names.setdefault(lane_words(planned, slots), len(names))
    found: list[Block] = []
    at = 0.0
    for planned in passes:
        lane = names[lane_words(planned, slots)]
        if planned.index in charged_before:
            found.append(Block(lane, at, at + recharge_min, RECHARGE, planned.index))
            at += recharge_min
        for step in planned.steps:
            length = step.seconds / 60.0
            if length > 0 and step.kind != "rest":
                kind = HEAT if step.kind == MEASURE and planned.purpose == HEAT else step.kind
                found.append(Block(lane, at, at + length, kind, planned.index))
            at += length
    return list(names), found


class SchedulePlot(Plot):
    """The passes of a plan over its minutes. Signals: chosen (index of a pass), moved (index, place in the order)."""

    chosen = pyqtSignal(int)
    moved = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__("The plan over time", "minutes from the start", "")
        self._lanes: list[str] = []
        self._blocks: list[Block] = []
        self._words: dict[int, str] = {}
        self._chosen: int | None = None
        self._held: int | None = None
        self._ahead: Ahead | None = None
        self._window = (0.0, 1.0)
        self.setMouseEnabled(True, False)
        self.hint("")

    def show_passes(
        self, passes: Sequence[PlannedPass], charged_before: Sequence[int], recharge_min: float,
        slots: Mapping[str, str] | None = None, ahead: Ahead | None = None, window: tuple[float, float] = (0.0, 1.0),
    ) -> None:  # fmt: skip
        """Draw these passes in their order. ahead : predicted charge and die; window : shares of charge between which
        passes count."""
        self._ahead, self._window = ahead, window
        self._lanes, self._blocks = blocks_of(passes, charged_before, recharge_min, slots)
        self._words = {
            one.index: f"pass {one.index + 1}: {lane_words(one, slots)}, {one.seconds / 60:.1f} min" for one in passes
        }  # fmt: skip
        self.redraw_soon()

    def choose(self, index: int | None) -> None:
        """Outline a pass."""
        if index != self._chosen:
            self._chosen = index
            self.redraw_soon()

    def redraw(self) -> None:
        if not self._blocks or len(self._lanes) > MOST_LANES:
            self.hint("" if not self._blocks else f"{len(self._lanes)} setups are too many to draw: see the order.")
            return
        self.wipe()
        self.unhint()
        theme = tokens.current()
        colours = {
            MEASURE: QColor(theme.data["rate"]), HEAT: QColor(theme.data["low"]), SOAK: QColor(theme.rule),
            APPLY: QColor(theme.rule), RESTART: QColor(theme.data["marginal"]),
            RELAUNCH: QColor(theme.data["marginal"]), RECHARGE: QColor(theme.data["per_watt"]),
        }  # fmt: skip
        for kind in dict.fromkeys(block.kind for block in self._blocks):
            own = [block for block in self._blocks if block.kind == kind]
            hatched = kind in (RESTART, RELAUNCH, RECHARGE)
            pattern = Qt.BrushStyle.BDiagPattern if hatched else Qt.BrushStyle.SolidPattern
            self._draw(own, kind, QBrush(colours.get(kind, QColor(theme.soft)), pattern), pg.mkPen(None))
        chosen = [block for block in self._blocks if block.index == self._chosen and block.kind in (MEASURE, HEAT)]
        if chosen:
            self._draw(chosen, MEASURE, QBrush(Qt.BrushStyle.NoBrush), pg.mkPen(QColor(theme.ink), width=2))
        self.getPlotItem().getViewBox().invertY(True)
        ticks = [(float(at), name) for at, name in enumerate(self._lanes)]
        measured = [block for block in self._blocks if block.kind in (MEASURE, HEAT)]
        self.data = {
            "begin_min": [block.begin for block in measured], "end_min": [block.end for block in measured],
            "lane": [float(block.lane) for block in measured], "pass": [float(block.index + 1) for block in measured],
        }  # fmt: skip
        self.getAxis("left").setTicks([[*ticks, *self._draw_lines()]])
        self.show_all()

    def _draw(self, blocks: Sequence[Block], kind: str, brush: QBrush, edge: QPen) -> None:
        """Blocks of one kind as one item."""
        half = BLOCK if kind in (MEASURE, HEAT) else SOFT_BLOCK
        begin, end, lane = (np.array([getattr(block, name) for block in blocks]) for name in ("begin", "end", "lane"))
        self.addItem(
            pg.BarGraphItem(x0=begin, width=end - begin, y0=lane - half, height=2 * half, brush=brush, pen=edge)
        )

    @property
    def _has_lines(self) -> bool:
        found = self._ahead
        return found is not None and bool(found.charge.size or found.die_c.size)

    @property
    def _lines_height(self) -> float:
        return max(LINES, LINES_SHARE * len(self._lanes)) if self._has_lines else 0.0

    def _lines_at(self, value: Array) -> Array:
        """Where percent and degrees stand under the lanes."""
        top = len(self._lanes) - 0.4 + LINES_FROM
        return np.asarray(top + self._lines_height * (1 - value / LINES_TOP))

    def _draw_lines(self) -> list[tuple[float, str]]:
        """Charge and die over the same minutes; the ticks of their axis."""
        found, theme = self._ahead, tokens.current()
        if found is None or not self._has_lines:
            return []
        columns: dict[str, Sequence[float]] = dict(self._data)
        if found.charge.size:
            percent = 100 * found.charge
            self._draw_line("charge %", "charge", found.minutes, percent)
            for share in self._window:
                at = float(self._lines_at(np.array(100 * share)))
                line = pg.InfiniteLine(at, 0, pen=pg.mkPen(QColor(theme.rule), style=Qt.PenStyle.DashLine))
                self.addItem(line, ignoreBounds=True)
            columns |= {"charge_min": found.minutes.tolist(), "charge_percent": percent.tolist()}
        if found.die_c.size:
            die = np.asarray(degrees.shown(found.die_c))
            self._draw_line(f"die {degrees.unit()}", "die_c", found.die_minutes, found.die_c)
            columns |= {"die_min": found.die_minutes.tolist(), f"die_{degrees.unit().lower()}": die.tolist()}
        self.data = columns
        unit = "%, C" if degrees.unit() == "C" else "%"
        return [(float(self._lines_at(np.array(at))), f"{at:g} {unit}") for at in (0.0, 50.0, 100.0)]

    def _draw_line(self, words: str, quantity: str, minutes: Array, values: Array) -> None:
        y = self._lines_at(values)
        self.addItem(pg.PlotCurveItem(minutes, y, pen=pen(quantity, 1.5)))
        name = pg.TextItem(words, color=tokens.current().data[quantity], anchor=(1, 1))
        name.setFont(tokens.base_font(11))
        self.addItem(name, ignoreBounds=True)
        end = min(max(block.end for block in self._blocks), float(minutes[-1]))
        name.setPos(end, float(np.interp(end, minutes, y)))

    def show_all(self) -> None:
        """The whole plan."""
        if self._blocks:
            end = max(block.end for block in self._blocks)
            low = len(self._lanes) - 0.4 + (LINES_FROM + self._lines_height if self._has_lines else 0.0)
            self.setRange(xRange=(0, end), yRange=(-0.6, low), padding=0.01)

    def index_at(self, x: float, y: float) -> int | None:
        """The pass drawn at a place, None between them."""
        for block in self._blocks:
            if block.begin <= x <= block.end and abs(block.lane - y) <= 0.5:
                return block.index
        return None

    def read_out(self, x: float, y: float) -> str:
        at = self.index_at(x, y)
        if at is None:
            return self._read_lines(x) if y > len(self._lanes) - 0.4 else ""
        kind = next(b.kind for b in self._blocks if b.index == at and b.begin <= x <= b.end)
        return self._words[at] + ("" if kind == MEASURE else f" ({kind})")

    def _read_lines(self, x: float) -> str:
        found = self._ahead
        if found is None or not self._has_lines:
            return ""
        parts = [f"minute {x:.0f}"]
        if found.charge.size:
            parts.append(f"charge {100 * float(np.interp(x, found.minutes, found.charge)):.0f} %")
        if found.die_c.size:
            die = float(degrees.shown(float(np.interp(x, found.die_minutes, found.die_c))))
            parts.append(f"die {die:.0f} {degrees.unit()}")
        return ", ".join(parts) + ", predicted"

    def place_for(self, index: int, x: float) -> int:
        """Where in the order a pass comes that is taken to a time."""
        middles = {
            block.index: (block.begin + block.end) / 2 for block in self._blocks if block.kind in (MEASURE, HEAT)
        }  # fmt: skip
        return sum(middle < x for at, middle in middles.items() if at != index)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A press on a block chooses its pass; one beside them moves the picture."""
        self._held = None
        if event is not None and event.button() is Qt.MouseButton.LeftButton:
            self._held = self.index_at(*self._at(event))
            if self._held is not None:
                self.chosen.emit(self._held)
                return
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A block that was dragged comes where it is let go."""
        held, self._held = self._held, None
        if held is not None and event is not None:
            x, y = self._at(event)
            if self.index_at(x, y) != held:
                self.moved.emit(held, self.place_for(held, x))
            return
        super().mouseReleaseEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """While a block is held the picture stays."""
        if self._held is None:
            super().mouseMoveEvent(event)

    def _at(self, event: QMouseEvent) -> tuple[float, float]:
        place = self.getPlotItem().getViewBox().mapSceneToView(self.mapToScene(event.position().toPoint()))
        return float(place.x()), float(place.y())
