"""What the response that is shown leaves over: along its factor, and in the order in which passes were made."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...core import degrees
from ...core.passes.figure import BY_ID, FIGURES
from ...core.read.residuals import residuals
from ...core.read.response import RATE, Response
from ..plots.residual_plot import ResidualPlot
from ..session import Session
from .fields import Choice
from .overlay_page import FIGURES as DRAWN
from .splits import beside

CHOICE_PX = 320
KEYS = tuple(one.id for one in FIGURES if one.id in DRAWN or one.id.startswith("low_"))


class ResidualPage(QWidget):
    """The page. A pass that is chosen here is chosen everywhere."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._response: Response | None = None
        self.figure = Choice("Figure that is left over")
        self.along, self.order = ResidualPlot(in_order=False), ResidualPlot(in_order=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.figure.setMaximumWidth(CHOICE_PX)
        column.addWidget(self.figure)
        column.addWidget(beside(self.along, self.order, [500, 500]), 1)
        self.figure.currentIndexChanged.connect(lambda _at: self.show_response(self._response))
        session.selection_changed.connect(lambda: self.show_response(self._response))

    def show_response(self, response: Response | None) -> None:
        """What a response leaves over, or nothing."""
        evaluation = self._session.evaluation
        self._response = response
        views = evaluation.views if evaluation is not None else ()
        carried = [key for key in KEYS if response is not None and any(g.mean(key) for g in response.groups)]
        kept = self.figure.key()
        self.figure.offer([(key, BY_ID[key].label) for key in carried])
        self.figure.show_key(kept if kept in carried else RATE)
        key = self.figure.key() or RATE
        figures = {view.record.id: view.figures for view in views}
        rows = residuals(response, figures, key) if response is not None else []
        row = BY_ID[key]
        unit = "%" if row.log else degrees.unit() if row.unit == "C" else row.unit
        if row.unit == "C":
            rows = [
                replace(one, value=degrees.shown(one.value), off=degrees.shown_rise(one.off),
                        apart=degrees.shown_rise(one.apart)) for one in rows
            ]  # fmt: skip
        made = [view.record.id for view in views]
        for plot in (self.along, self.order):
            plot.show_residuals(response, rows, made, row.label, unit, self._session.selected_pass)
