"""Caps of a panel: a row a cap, or a row a set-up with every cap beside it; of the rig's own panel or another."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QCompleter, QLineEdit, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...core import words
from ...core.facts.knob import CAP
from ...core.facts.rig import Rig
from ...core.message import say
from ...core.read.cap_table import CapTable as SetupTable
from ...service import library
from ...service.capping import CapRow, caps_of, cell_tip, cell_words, predicted_from, table_of
from ...service.gather import Evaluation
from ..session import Session
from ..worker import Wanted, Worker
from .cap_table import CapTable
from .elided import ElidedLabel
from .fields import Choice
from .flow import FlowLayout
from .plain_table import plain_table

SETUPS, EACH = "setups", "each"
MANNERS = {SETUPS: "Every set-up with every cap", EACH: "From which limit each cap holds"}
SIBLING = " Draw and hours are those of the panel that was measured."
LEAST_PX, WIDE_PX = 88, 150  # of a column, and of one that is stretched


class CapsPage(QWidget):
    """What caps would do, reckoned off the interface's thread."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.manner = Choice("What the rows are", list(MANNERS.items()))
        self.panel = QLineEdit()
        self.panel.setAccessibleName("Another panel")
        self.panel.setPlaceholderText("Another panel: 60, 90 or 48 to 120")
        self.panel.setToolTip("Caps of another panel: a rig of this notebook, fixed rates, or a variable range")
        self.panel.setMinimumWidth(300)
        self.words = ElidedLabel("", "soft", lines=2)
        self.each = CapTable()
        self.setups = plain_table("Set-ups with each cap", ["Set-up"], 0)
        row = FlowLayout()
        row.addWidget(self.manner)
        row.addWidget(self.panel)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(row)
        for widget, stretch in ((self.words, 0), (self.each, 1), (self.setups, 1)):
            column.addWidget(widget, stretch)
        self._worker = Worker("caps", self)
        self._worker.finished.connect(self._on_found)
        self._worker.failed.connect(self._on_failed)
        self.manner.currentIndexChanged.connect(lambda _at: self.refresh())
        self.panel.editingFinished.connect(self._on_panel)
        self._asked_panel, self._is_stale = "", True

    def showEvent(self, event: QShowEvent | None) -> None:
        """Reckon what changed while it was out of sight."""
        super().showEvent(event)
        if self._is_stale:
            self.refresh()

    def refresh(self) -> None:
        """Reckon the caps of the question anew, once they are in sight."""
        self._is_stale = not self.isVisible()
        evaluation, of_setups = self.session.evaluation, self.manner.key() == SETUPS
        self.each.setVisible(not of_setups)
        self.setups.setVisible(of_setups)
        self.panel.setEnabled(of_setups)
        if evaluation is None:
            self._worker.cancel()
            self._show_each((), None)
            self._show_setups(None)
            return
        if self._is_stale:
            self._worker.cancel()
            return
        if not of_setups:
            self._worker.ask(lambda wanted: (evaluation, caps_of(evaluation, wanted)))
            return
        rigs, panel = list(library.rigs(self.session.notebook).values()), self._asked_panel
        self._named(rigs)

        def work(wanted: Wanted) -> tuple[Evaluation, SetupTable]:
            return evaluation, table_of(evaluation, panel, rigs, wanted)

        self._worker.ask(work)

    def _named(self, rigs: list[Rig]) -> None:
        completer = QCompleter([one.name for one in rigs], self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.panel.setCompleter(completer)

    def _on_panel(self) -> None:
        text = self.panel.text().strip()
        if text != self._asked_panel:
            self._asked_panel = text
            self.refresh()

    def _on_failed(self, fault: Exception) -> None:
        self._show_setups(None)
        self.words.setText(str(fault))

    def _on_found(self, found: tuple[Evaluation, SetupTable | tuple[CapRow, ...]]) -> None:
        evaluation, told = found
        if isinstance(told, SetupTable):
            self._show_setups(told, evaluation.question.terms.sure)
        else:
            self._show_each(told, evaluation)

    def _show_each(self, rows: tuple[CapRow, ...], evaluation: Evaluation | None) -> None:
        response = predicted_from(evaluation) if evaluation is not None else None
        self.words.setText(words.render(say("caps.nothing")))
        if rows and response is not None:
            cap = response.family.get(CAP)
            source = f"a cap of {cap:g}" if isinstance(cap, int | float) else "no cap"
            self.words.setText(
                f"Predicted from {sum(len(g.passes) for g in response.groups)} passes with {source}, not measured: "
                "measure the one you choose."
            )
        self.each.show_rows(rows)

    def _show_setups(self, told: SetupTable | None, sure: float = 1.0) -> None:
        table, caps = self.setups, told.caps if told is not None else ()
        table.clearContents()
        table.setColumnCount(1 + len(caps))
        table.setHorizontalHeaderLabels(["Set-up", *(f"{one.cap_fps:.4g}" for one in caps)])
        table.setRowCount(len(told.rows) if told is not None else 0)
        if told is None:
            self.words.setText("")
            return
        sibling = SIBLING if self._asked_panel and told.rows else ""
        self.words.setText(f"{words.render(told.says)} ● measured, ○ predicted.{sibling}" if told.rows
                           else words.render(told.says))  # fmt: skip
        for at, one in enumerate(told.rows):
            name = QTableWidgetItem(one.words)
            name.setToolTip(one.words)
            table.setItem(at, 0, name)
            locked = one.locked(sure)
            for column, cell in enumerate(one.cells):
                item = QTableWidgetItem(cell_words(cell, sure))
                item.setToolTip(cell_tip(cell))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                font = item.font()
                font.setBold(column == locked)
                item.setFont(font)
                table.setItem(at, 1 + column, item)
        if told.lock is not None:
            table.setCurrentCell(told.lock[0], 1 + told.lock[1])
        _fitted(table)


def _fitted(table: QTableWidget) -> None:
    header = table.horizontalHeader()
    if header is None:
        return
    header.setMinimumSectionSize(LEAST_PX)
    fits = table.columnCount() * WIDE_PX <= table.width()
    for at in range(table.columnCount()):
        wide = header.ResizeMode.Stretch if fits else header.ResizeMode.ResizeToContents
        header.setSectionResizeMode(at, wide if at else header.ResizeMode.ResizeToContents)
    table.resizeRowsToContents()
