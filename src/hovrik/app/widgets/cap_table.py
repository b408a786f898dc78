"""Caps that the panel shows evenly, with what each would do: a row a cap."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from ...core import words
from ...service.capping import CapRow

HEADINGS = ("Cap", "Shown at", "From limit", "Holds", "1 % low", "Draw, W", "On a charge")
TIPS = (
    "Frames a second", "Refresh, and how often a frame is scanned", "The lowest limit that would hold the cap",
    "Chance that the low stays within the tolerance of the cap", "Predicted, 95 % interval", "Predicted, 95 % interval",
    "Hours from the charge limit to the reserve, 95 % interval",
)  # fmt: skip


def cells(row: CapRow) -> tuple[str, ...]:
    """The words of a row."""
    even, at = row.even, row.at
    scans = f", {even.scans} times" if even.scans > 1 else ""
    panel = f"up to {even.refresh_hz:g} Hz{scans}" if even.variable else f"{even.refresh_hz:g} Hz{scans}"
    level = f"{at.level:g} W" if row.sure else f"not by {at.level:g} W"
    return (
        f"{even.cap_fps:.4g}", panel, level, words.percent(at.holds or 0.0),
        words.span(at.low) if at.low else "–", words.span(at.draw) if at.draw else "–",
        words.hours_span_short(row.hours) if row.hours else "–",
    )  # fmt: skip


class CapTable(QTableWidget):
    """What `service.capping` says, to be read only."""

    def __init__(self) -> None:
        super().__init__(0, len(HEADINGS))
        self.setAccessibleName("Caps")
        self.setHorizontalHeaderLabels(HEADINGS)
        for column, tip in enumerate(TIPS):
            item = self.horizontalHeaderItem(column)
            if item is not None:
                item.setToolTip(tip)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        rows, columns = self.verticalHeader(), self.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            columns.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)

    def show_rows(self, rows: Sequence[CapRow]) -> None:
        """Show these instead."""
        self.setRowCount(len(rows))
        for at, row in enumerate(rows):
            for column, text in enumerate(cells(row)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if column not in (1, 2):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(at, column, item)
