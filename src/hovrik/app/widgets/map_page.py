"""The trade map of Choose: the picture, limits to type, the point that is looked at, what would have to give."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ...core import degrees, words
from ...core.choose.trade import AXES, PointKind
from ...core.facts.setup import describe
from ...core.facts.terms import HOURS, Limit
from ...service.trade import Trade, trade_of
from ..commands import set_question
from ..plots.trade_plot import TradePlot, point_words
from ..session import Session
from ..worker import Worker
from .elided import ElidedLabel
from .fields import Choice, Notice, NumberField, button, label
from .flow import FlowLayout

LIST_PX = 260
KEY = (
    "Round: die 15 degrees or more under its limit; square: 5 to 15; triangle: less. Hollow: predicted. Pale: does not "
    "meet what is asked. Dashed: what nothing beats."
)
NO_DIE_C = 0.0


class MapPage(QWidget):
    """trade : what is shown, None while there is none. passes_asked : called with the id of a pass to look at."""

    def __init__(self, session: Session, passes_asked: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._passes_asked = session, passes_asked
        self.trade: Trade | None = None
        self._worker = Worker("map", self)
        self._worker.finished.connect(self._on_trade)
        self._worker.failed.connect(lambda fault: self.words.say(str(fault), "warn"))
        self.axis = Choice("What the map has across", list(AXES.items()))
        self.floor = NumberField("Floor on the map", "fps", 1, 1000, 1, 1)
        self.hours = NumberField("Hours at least on the map", "h", 0, 100, 0.25, 2)
        unit = degrees.unit()
        self.die = NumberField("Die at most on the map", unit, degrees.shown(NO_DIE_C), degrees.shown(130.0), 1)
        self.noise = NumberField("Noise at most on the map", "dB", 0, 120, 1)
        for field in (self.hours, self.die, self.noise):
            field.setSpecialValueText("no limit")
        self.plot = TradePlot()
        self.plot.setMinimumHeight(240)
        self.list = QListWidget()
        self.list.setAccessibleName("Setups on the map")
        self.list.setMaximumWidth(LIST_PX)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.words = Notice("What the map says")
        self.point = Notice("The setup that is looked at")
        self.show_passes = button("Show its passes", tip="The first of them, in Read")
        self.show_passes.clicked.connect(self._on_passes)
        chosen = QWidget()
        flow = FlowLayout(chosen)
        flow.setContentsMargins(0, 0, 0, 2)
        for name, one in (("across", self.axis), ("floor", self.floor), ("hours", self.hours), ("die", self.die),
                          ("noise", self.noise)):  # fmt: skip
            flow.addWidget(label(name, "soft"))
            flow.addWidget(one)
        flow.addWidget(self.show_passes)
        row = QHBoxLayout()
        row.addWidget(self.plot, 1)
        row.addWidget(self.list)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        key = ElidedLabel(KEY, "soft")
        key.setAccessibleName("Signs of the map")
        key.setToolTip(KEY)
        for widget in (chosen, self.words, key):
            column.addWidget(widget)
        column.addLayout(row, 1)
        column.addWidget(self.point)
        self.axis.currentIndexChanged.connect(lambda _at: self._draw())
        self.floor.valueChanged.connect(self._on_floor)
        self.hours.valueChanged.connect(lambda value: self._limit(HOURS, at_least=value or None))
        self.die.valueChanged.connect(
            lambda value: self._limit("die_c", at_most=degrees.celsius(value) if value > self.die.minimum() else None)
        )
        self.noise.valueChanged.connect(lambda value: self._limit("noise_db", at_most=value or None))
        self.plot.floor_moved.connect(self._on_dragged)
        self.plot.least_moved.connect(lambda value: self._limit(HOURS, at_least=max(round(value, 2), 0.0) or None))
        self.plot.chosen_changed.connect(self._on_chosen)
        self.list.currentRowChanged.connect(self._on_row)

    def refresh(self) -> None:
        """Make the map of the newest evaluation, off the interface thread."""
        evaluation = self._session.evaluation
        if evaluation is None:
            self._worker.cancel()
            self._on_trade(None)
            return
        self._worker.ask(lambda wanted: trade_of(evaluation, wanted))

    def _on_trade(self, trade: Trade | None) -> None:
        self.trade = trade
        question = self._session.question
        if question is not None:
            terms, limits = question.terms, {one.figure: one for one in question.terms.limits}
            self.floor.setEnabled(terms.floor is not None and terms.floor.is_of_frames)
            if terms.floor is not None:
                self.floor.show_value(terms.floor.value)
            hours, die = limits.get(HOURS), limits.get("die_c")
            self.hours.show_value((hours.at_least if hours is not None else None) or 0.0)
            at_most = die.at_most if die is not None else None
            noise = limits.get("noise_db")
            self.noise.show_value((noise.at_most if noise is not None else None) or 0.0)
            self.die.show_value(degrees.shown(at_most if at_most is not None else NO_DIE_C))
        points = trade.points if trade is not None else ()
        self.list.blockSignals(True)
        self.list.clear()
        for one in points:
            mark = "" if one.kind is PointKind.MEASURED else f" ({one.kind.value})"
            item = QListWidgetItem(f"{'✓' if one.fits and one.holds is not None else '–'} {describe(one.setup)}{mark}")
            item.setToolTip(item.text())
            self.list.addItem(item)
        self.list.blockSignals(False)
        self.words.say(*_said(trade))
        self._draw()

    def _draw(self) -> None:
        trade, question, rig = self.trade, self._session.question, self._session.rig
        if trade is None or question is None:
            self.plot.show_points((), None, HOURS, "1 % low", die_limit_c=None, floor=None, least=None)
            self._show_point(None)
            return
        terms = question.terms
        asked = terms.floor if terms.floor is not None and terms.floor.is_of_frames else None
        floor = (asked.edge, f"floor {asked.value:g}, held from {asked.edge:.1f}") if asked is not None else None
        least = next((one.at_least for one in terms.limits if one.figure == HOURS), None)
        response = self._session.evaluation.responses[0] if self._session.evaluation and trade.points else None
        named = response.figure.label if response is not None and response.figure is not None else "Mean rate"
        axis = self.axis.key() or HOURS
        if axis == HOURS and not any(HOURS in one.values for one in trade.points):
            axis = "draw_w"
        self.plot.show_points(
            trade.points, trade.pick, axis, named, die_limit_c=rig.die_limit_c if rig is not None else None,
            floor=floor, least=least,
        )  # fmt: skip
        self._show_point(self.plot.chosen)

    def _on_dragged(self, edge: float) -> None:
        question = self._session.question
        if question is not None and question.terms.floor is not None:
            self._on_floor(round(edge / (1.0 - question.terms.tolerance), 1))

    def _on_floor(self, value: float) -> None:
        question = self._session.question
        if question is not None and question.terms.floor is not None and value > 0 and value != question.target_fps:
            set_question(self._session, question.with_(target_fps=value))

    def _limit(self, figure: str, at_most: float | None = None, at_least: float | None = None) -> None:
        question = self._session.question
        if question is None:
            return
        others = tuple(one for one in question.terms.limits if one.figure != figure)
        own = (Limit(figure, at_most, at_least),) if at_most is not None or at_least is not None else ()
        asked = question.with_(limits=(*others, *own))
        if asked != question:
            set_question(self._session, asked)

    def _on_row(self, row: int) -> None:
        if row >= 0:
            self.plot.choose(row)
            self._show_point(row)

    def _on_chosen(self, number: int) -> None:
        self._show_point(number)

    def _show_point(self, number: int | None) -> None:
        points = self.trade.points if self.trade is not None else ()
        one = points[number] if number is not None and number < len(points) else None
        self.show_passes.setEnabled(one is not None and bool(one.passes))
        self.list.blockSignals(True)
        self.list.setCurrentRow(number if one is not None and number is not None else -1)
        self.list.blockSignals(False)
        axis = self.axis.key() or HOURS
        axis = axis if one is not None and axis in one.values else "draw_w"
        self.point.say(point_words(one, axis).replace("\n", "; ") if one is not None else "Choose a setup on the map.")

    def _on_passes(self) -> None:
        points, number = self.trade.points if self.trade is not None else (), self.plot.chosen
        if number is not None and number < len(points) and points[number].passes:
            self._passes_asked(points[number].passes[0])


def _said(trade: Trade | None) -> tuple[str, str]:
    """What the map says in a line."""
    if trade is None or not trade.points:
        return "Measure some passes first: each setup is a point here.", "soft"
    if trade.relaxed:
        return f"Nothing fits. {' '.join(words.sentence(words.render(one.says)) for one in trade.relaxed)}", "warn"
    fits = sum(one.fits for one in trade.points if one.kind is not PointKind.PREDICTED)
    ready = words.plural(fits, "setup")
    return f"{ready} likely {'meets' if fits == 1 else 'meet'} all that is asked. Drag the lines, or type.", "soft"
