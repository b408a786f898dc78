"""The levels of what is asked about as a table: figures with their intervals, and why passes do not count."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QTableWidgetItem, QVBoxLayout, QWidget

from ...service.gather import Evaluation
from ...service.levels import FIGURES, cells, headings, level_rows
from .plain_table import plain_table

NUMBERS = range(1, 3 + len(FIGURES))  # columns that stand to the right


class LevelTable(QWidget):
    """A row a level, of every response of the question."""

    def __init__(self) -> None:
        super().__init__()
        self.table = plain_table("Levels with their figures", ["Level", *[""] * (4 + len(FIGURES))], 4 + len(FIGURES))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table)

    def show_levels(self, evaluation: Evaluation) -> None:
        """Replace the rows."""
        rows = level_rows(evaluation)
        self.table.setHorizontalHeaderLabels(list(headings(evaluation)))
        self.table.setRowCount(len(rows))
        for at, row in enumerate(rows):
            for column, text in enumerate(cells(row)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if column in NUMBERS:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(at, column, item)
