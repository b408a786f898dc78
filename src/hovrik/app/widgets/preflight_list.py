"""The list before measuring: what the machine says and what only a person can."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ...core import degrees
from ...core.questions.preflight import READ_IDS, Item, Mood
from .fields import Choice, label, set_kind

_SIGNS = {Mood.FINE: ("✓", "good"), Mood.LOOK: ("!", "warn"), Mood.OPEN: ("·", "soft")}


FIELD_PX = 170


class PreflightList(QWidget):
    """One row an item. Signals: answered (item id, text; "" takes an answer back)."""

    answered = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.fields: dict[str, QWidget] = {}
        self._page: QWidget | None = None
        self._rows: list[_Row] = []
        self._holder = QVBoxLayout(self)
        self._holder.addStretch()
        self._holder.setContentsMargins(12, 8, 12, 8)

    def show_items(self, items: Sequence[Item]) -> None:
        """Show these; rows that ask the same stay, and a field that is being typed into keeps its text and place."""
        if [_asked(row.item) for row in self._rows] != [_asked(item) for item in items]:
            self._make(items)
            for row in self._rows:
                row.show_item(row.item)
        for row, item in zip(self._rows, items, strict=True):
            if item != row.item:
                row.show_item(item)

    def _make(self, items: Sequence[Item]) -> None:
        focused = next((name for name, field in self.fields.items() if field.hasFocus()), None)
        if self._page is not None:
            self._page.hide()
            self._page.deleteLater()
        self.fields = {}
        self._rows = [_Row(item, self._field(item)) for item in items]
        self._page = QWidget()
        grid = QGridLayout(self._page)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(1, 4)
        grid.setColumnStretch(3, 3)
        grid.setVerticalSpacing(3)
        for place, row in enumerate(self._rows):
            for column, part in enumerate((row.mark, label(row.item.ask, wrap=True), row.field, row.note)):
                grid.addWidget(part, place, column)
        self._holder.insertWidget(0, self._page)
        if focused in self.fields:
            self.fields[focused].setFocus()

    def _field(self, item: Item) -> QWidget:
        if item.id in READ_IDS:
            made = label("", "soft")
            made.setMinimumHeight(36)
            return made
        if item.choices:
            choice = Choice(item.ask, [("", "not answered"), *((c, c) for c in item.choices)])
            choice.setFixedWidth(FIELD_PX)
            choice.currentIndexChanged.connect(lambda _index, name=item.id, c=choice: self.answered.emit(name, c.key()))
            self.fields[item.id] = choice
            return choice
        is_degrees = item.unit == "C"
        line = QLineEdit()
        line.setAccessibleName(item.ask)
        line.setPlaceholderText((degrees.unit() if is_degrees else item.unit) or "not answered")
        line.setFixedWidth(FIELD_PX)
        taken = degrees.typed if is_degrees else str
        line.editingFinished.connect(lambda: self.answered.emit(item.id, taken(line.text().strip())))
        self.fields[item.id] = line
        return line


def _asked(item: Item) -> tuple[object, ...]:
    return item.id, item.ask, item.choices, item.unit


class _Row:
    """What of a row changes with what is known."""

    def __init__(self, item: Item, field: QWidget) -> None:
        self.item, self.field = item, field
        self.mark, self.note = label("", "soft"), label("", "soft", wrap=True)
        self.mark.setFixedWidth(16)

    def show_item(self, item: Item) -> None:
        """Show how it stands."""
        self.item = item
        sign, kind = _SIGNS[item.mood]
        set_kind(self.mark, kind)
        self.mark.setText(sign)
        self.mark.setAccessibleName({"good": "fine", "warn": "look at this", "soft": "open"}[kind])
        self.note.setText(item.note if item.mood is not Mood.FINE else "")
        value = item.condition.value
        if isinstance(self.field, Choice):
            self.field.show_key("" if value is None else str(value))
        elif isinstance(self.field, QLineEdit):
            if not (self.field.hasFocus() and self.field.isModified()):
                number = degrees.shown(value) if item.unit == "C" and isinstance(value, float) else value
                self.field.setText("" if number is None else _shown(number, ""))
        elif isinstance(self.field, QLabel):
            text = "unknown" if value is None else _shown(value, item.unit)
            self.field.setText(f"{text}  (read)" if value is not None else text)


def _shown(value: object, unit: str) -> str:
    if isinstance(value, float) and unit == "share":
        return f"{100 * value:.0f} %"
    if isinstance(value, float) and unit == "C":
        return f"{degrees.shown(value):.4g} {degrees.unit()}"
    text = f"{value:.6g}" if isinstance(value, float) else str(value)
    return f"{text} {unit}".strip()
