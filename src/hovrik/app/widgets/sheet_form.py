"""Forms and tables made from a sheet: what can be entered about a thing, each entry an edit of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.errors import InputError
from ...core.facts.sheet import Field, FieldKind, Sheet, in_shown_unit, parse, shown
from ..theme.tokens import TARGET_PX
from .fields import Card, Choice, button, label

UNKNOWN = "unknown"


def _choices(entry: Field) -> tuple[str, ...]:
    return ("yes", "no") if entry.kind is FieldKind.FLAG else entry.choices


class EntryField(QWidget):
    """One entry: a line or a choice, its unit, and what is wrong with it. Signals: edited (name, value)."""

    edited = pyqtSignal(str, object)

    def __init__(self, entry: Field) -> None:
        super().__init__()
        self.entry = entry
        self._shown: Any = None
        self._refused = ""  # what was typed and cannot be used; it stays until it is mended or the value changes
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.line: QLineEdit | None = None
        self.choice: Choice | None = None
        words = entry.label
        if _choices(entry):
            self.choice = Choice(words, [("", UNKNOWN), *((c, c) for c in _choices(entry))])
            self.choice.currentIndexChanged.connect(self._on_edited)
            row.addWidget(self.choice, 1)
        else:
            self.line = QLineEdit()
            self.line.setAccessibleName(words)
            self.line.setAccessibleDescription(entry.section)
            self.line.setPlaceholderText(entry.hint or UNKNOWN)
            self.line.setToolTip(entry.hint)
            self.line.editingFinished.connect(self._on_edited)
            row.addWidget(self.line, 1)
        unit = label(in_shown_unit(entry).unit, "soft")
        unit.setFixedWidth(52)
        row.addWidget(unit)
        column.addLayout(row)
        self.problem = label("", "bad", wrap=True)
        self.problem.setAccessibleName(f"Problem with {words}")
        self.problem.hide()
        column.addWidget(self.problem)

    def text(self) -> str:
        """What is entered now."""
        return self.line.text() if self.line is not None else self.choice.key() if self.choice is not None else ""

    def show_value(self, value: Any) -> None:
        """Show a value without telling; what was typed and refused stays where the value is the same as then."""
        if self._refused and value == self._shown and self.text() == self._refused:
            return
        self._shown, self._refused = value, ""
        self._complain("")
        text = shown(self.entry, value)
        if self.line is not None and self.line.text() != text:
            self.line.setText(text)
            self.line.setCursorPosition(0)
        if self.choice is not None:
            self.choice.show_key(text)

    def _complain(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def _on_edited(self) -> None:
        try:
            value = parse(self.entry, self.text())
        except InputError as fault:
            self._refused = self.text()
            self._complain(str(fault))
            return
        self._refused = ""
        self._complain("")
        if self.line is not None:
            self.line.setModified(False)  # what stands in it is kept: undo is that of the notebook
        if shown(self.entry, value) != shown(self.entry, self._shown):
            self.edited.emit(self.entry.name, value)


ONE_COLUMN_PX, THREE_COLUMNS_PX = 680, 1700
LEAST_PX = 300  # of a column


class SheetForm(QWidget):
    """Every entry of a sheet, a card a section. Signals: edited (name, value)."""

    edited = pyqtSignal(str, object)

    def __init__(self, sheet: Sheet, *, skip: Sequence[str] = ("key",), heading: str = "") -> None:
        super().__init__()
        self.entries: dict[str, EntryField] = {}
        self._cards: list[tuple[Card, int]] = []
        self._columns = 0
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(10)
        for section in sheet.sections:
            fields = [f for f in sheet.fields if f.section == section and f.name not in skip]
            if fields:
                self._cards.append((self._card(section or heading, fields), len(fields) + 1))
        self._lay(2)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        width = self.width()
        self._lay(1 if width < ONE_COLUMN_PX else 2 if width < THREE_COLUMNS_PX else 3)
        super().resizeEvent(event)

    def minimumSizeHint(self) -> QSize:
        """That of one column: it has as many as there is room for."""
        return QSize(LEAST_PX, super().minimumSizeHint().height())

    def _lay(self, columns: int) -> None:
        """Cards in so many columns of about the same height."""
        columns = min(columns, len(self._cards))
        if columns == self._columns:
            return
        self._columns = columns
        while (item := self._row.takeAt(0)) is not None:
            stack = item.layout()
            while stack is not None and stack.takeAt(0) is not None:
                pass
        stacks, heights = [QVBoxLayout() for _ in range(columns)], [0] * columns
        for stack in stacks:
            stack.setSpacing(10)
            self._row.addLayout(stack, 1)
        for card, height in self._cards:
            at = heights.index(min(heights))
            heights[at] += height
            stacks[at].addWidget(card)
        for stack in stacks:
            stack.addStretch()

    def _card(self, heading: str, fields: Sequence[Field]) -> Card:
        card = Card(heading)
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(0, 2)
        grid.setColumnStretch(1, 3)
        for number, entry in enumerate(fields):
            words = label(entry.label, "soft", wrap=True)
            words.setMinimumHeight(TARGET_PX)
            made = EntryField(entry)
            made.edited.connect(self.edited)
            grid.addWidget(words, number, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(made, number, 1)
            self.entries[entry.name] = made
        card.body.addLayout(grid)
        return card

    def show_body(self, body: Any) -> None:
        """Show a thing's entries; `body` has an attribute for each."""
        for name, entry in self.entries.items():
            entry.show_value(getattr(body, name))


MOST_ABREAST = 8  # columns that share the width; more scroll


class RowsTable(QWidget):
    """Rows of one sheet to edit, add and take out. Signals: edited (list of plain rows), failed (text)."""

    edited = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, sheet: Sheet, name: str, first: Mapping[str, Any], extra: Sequence[Field] = ()) -> None:
        super().__init__()
        self._sheet, self._first = sheet, dict(first)
        self._fields = (*extra, *(f for f in sheet.fields if f.name != "key"))
        self._rows: list[dict[str, Any]] = []
        self._refused = False  # a cell holds what was refused
        self.table = QTableWidget(0, len(self._fields))
        self.table.setAccessibleName(name)
        self.table.setHorizontalHeaderLabels([f"{f.label} ({f.unit})" if f.unit else f.label for f in self._fields])
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setTabKeyNavigation(False)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        if header is not None:
            many = len(self._fields) > MOST_ABREAST
            header.setSectionResizeMode(
                QHeaderView.ResizeMode.ResizeToContents if many else QHeaderView.ResizeMode.Stretch
            )
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
        if side is not None:
            side.hide()
            side.setDefaultSectionSize(TARGET_PX - 4)
        self.add = button("Add", tip=f"Add a {sheet.what}")
        self.add.setAccessibleName(f"Add a {sheet.what}")
        self.remove = button("Take out", tip=f"Take out the selected {sheet.what}; undo brings it back")
        self.remove.setAccessibleName(f"Take out a {sheet.what}")
        self.add.clicked.connect(lambda: self._tell([*self._rows, dict(self._first)]))
        self.remove.clicked.connect(self._on_remove)
        self.table.itemChanged.connect(self._on_changed)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(self.add)
        row.addWidget(self.remove)
        row.addStretch()
        column.addLayout(row)

    def show_rows(self, rows: Sequence[Mapping[str, Any]]) -> None:
        """Show rows without telling; nothing is made anew where they are as they were."""
        if self._rows == [dict(row) for row in rows] and self.table.rowCount() == len(self._rows) and not self._refused:
            return
        self._refused = False
        self._rows = [dict(row) for row in rows]
        blocked = self.table.blockSignals(True)
        self.table.setRowCount(len(self._rows))
        for at, row in enumerate(self._rows):
            for column, entry in enumerate(self._fields):
                item = QTableWidgetItem(shown(entry, row.get(entry.name)))
                item.setToolTip(entry.hint or ", ".join(entry.choices))
                if entry.kind in (FieldKind.NUMBER, FieldKind.WHOLE, FieldKind.SHARE):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(at, column, item)
        self.table.blockSignals(blocked)

    def _on_changed(self, item: QTableWidgetItem) -> None:
        entry, row = self._fields[item.column()], self._rows[item.row()]
        try:
            value = parse(entry, item.text())
        except InputError as fault:
            self.failed.emit(str(fault))
            self._refused = True
            self.show_rows(self._rows)
            return
        if shown(entry, value) != shown(entry, row.get(entry.name)):
            self._tell([{**r, entry.name: value} if r is row else r for r in self._rows])

    def _on_remove(self) -> None:
        at = self.table.currentRow()
        if 0 <= at < len(self._rows):
            self._tell([row for number, row in enumerate(self._rows) if number != at])

    def _tell(self, rows: list[dict[str, Any]]) -> None:
        self.edited.emit(rows)
