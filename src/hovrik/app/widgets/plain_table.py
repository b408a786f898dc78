"""A table that is read, row by row: no edits, no row numbers, one column that takes what room is left."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget


def plain_table(name: str, headings: Sequence[str], stretched: int, tips: Sequence[str] = ()) -> QTableWidget:
    """name : accessible name; stretched : number of the column that takes what room is left; tips : of the headings."""
    table = QTableWidget(0, len(headings))
    table.setAccessibleName(name)
    table.setHorizontalHeaderLabels(list(headings))
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setTabKeyNavigation(False)
    for at, tip in enumerate(tips):
        if (item := table.horizontalHeaderItem(at)) is not None:
            item.setToolTip(tip)
    rows, columns = table.verticalHeader(), table.horizontalHeader()
    if rows is not None and columns is not None:
        rows.hide()
        for at in range(len(headings)):
            mode = QHeaderView.ResizeMode.Stretch if at == stretched else QHeaderView.ResizeMode.ResizeToContents
            columns.setSectionResizeMode(at, mode)
    return table
