"""The levels of what is asked about as a table: figures with their intervals, and why passes do not count; of this
title, or of every title and system."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from ...core import words
from ...service.gather import Evaluation
from ...service.levels import (
    FIGURES,
    Library,
    cells,
    headings,
    level_rows,
    library_cells,
    library_headings,
    library_of,
)
from ..session import Session
from ..worker import Wanted, Worker
from .elided import ElidedLabel
from .plain_table import plain_table

NUMBERS = 2 + len(FIGURES)  # columns after the level that stand to the right
PLACE = 3  # columns before it in the table over titles


class LevelTable(QWidget):
    """A row a level, of every response of the question."""

    def __init__(self, name: str = "Levels with their figures") -> None:
        super().__init__()
        self.table = plain_table(name, ["Level"], 0)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.addWidget(self.table)

    def show_levels(self, evaluation: Evaluation) -> None:
        """Replace the rows."""
        self.fill(headings(evaluation), [cells(row) for row in level_rows(evaluation)])

    def fill(self, head: Sequence[str], rows: Sequence[Sequence[str]], level: int = 0) -> None:
        """level : place of the column that names it."""
        table = self.table
        if table.columnCount() != len(head):
            table.setColumnCount(len(head))
        table.setHorizontalHeaderLabels(list(head))
        table.setRowCount(len(rows))
        if (header := table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(len(head) - 1, QHeaderView.ResizeMode.Stretch)
        for at, texts in enumerate(rows):
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if level < column <= level + NUMBERS:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                table.setItem(at, column, item)


class LibraryTable(LevelTable):
    """The same of every title and scene in every OS slot, read off the interface's thread while it is in sight."""

    def __init__(self, session: Session) -> None:
        super().__init__("Levels of every title and system")
        self.session = session
        self.told = ElidedLabel("", "soft", lines=2)
        self.column.insertWidget(0, self.told)
        self._is_stale = True
        self._worker = Worker("levels", self)
        self._worker.finished.connect(self._on_found)
        self._worker.failed.connect(lambda fault: self.told.setText(str(fault)))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Read what changed while it was out of sight."""
        super().showEvent(event)
        if self._is_stale:
            self.refresh()

    def refresh(self) -> None:
        """Read every title anew, once it is in sight."""
        evaluation = self.session.evaluation
        self._is_stale = not self.isVisible()
        if self._is_stale or evaluation is None:
            self._worker.cancel()
            return
        self.told.setText("Reading every title …")
        notebook, over = self.session.notebook, evaluation.factor.id

        def work(wanted: Wanted) -> tuple[Evaluation, Library]:
            with notebook.sibling() as own:
                return evaluation, library_of(own, evaluation.question, over, wanted)

        self._worker.ask(work)

    def _on_found(self, found: tuple[Evaluation, Library]) -> None:
        evaluation, rows = found[0], found[1].rows
        self.fill(library_headings(evaluation), [library_cells(one) for one in rows], PLACE)
        titles = {one.title for one in rows}
        self.told.setText(
            f"{len(rows)} levels of {len(titles)} {'title' if len(titles) == 1 else 'titles'}, whatever else was set. "
            + " ".join(words.render(one) for one in found[1].says)
        )
