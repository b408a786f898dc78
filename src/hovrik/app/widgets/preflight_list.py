"""The list before measuring: what the machine says and what only a person can."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ...core import degrees
from ...core.questions.preflight import READ_IDS, Item, Mood
from .fields import Choice, label

_SIGNS = {Mood.FINE: ("✓", "good"), Mood.LOOK: ("!", "warn"), Mood.OPEN: ("·", "soft")}


FIELD_PX = 170


class PreflightList(QWidget):
    """One row an item. Signals: answered (item id, text; "" takes an answer back)."""

    answered = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.fields: dict[str, QWidget] = {}
        self._page: QWidget | None = None
        self._holder = QVBoxLayout(self)
        self._holder.addStretch()
        self._holder.setContentsMargins(12, 8, 12, 8)

    def show_items(self, items: Sequence[Item]) -> None:
        """Replace the rows; a field that is being typed into keeps its place."""
        focused = next((name for name, field in self.fields.items() if field.hasFocus()), None)
        if self._page is not None:
            self._page.hide()
            self._page.deleteLater()
        self.fields = {}
        self._page = QWidget()
        grid = QGridLayout(self._page)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(1, 4)
        grid.setColumnStretch(3, 3)
        grid.setVerticalSpacing(3)
        for row, item in enumerate(items):
            sign, kind = _SIGNS[item.mood]
            mark = label(sign, kind)
            mark.setFixedWidth(16)
            mark.setAccessibleName({"good": "fine", "warn": "look at this", "soft": "open"}[kind])
            words = label(item.ask, wrap=True)
            grid.addWidget(mark, row, 0)
            grid.addWidget(words, row, 1)
            grid.addWidget(self._field(item), row, 2)
            grid.addWidget(label(item.note if item.mood is not Mood.FINE else "", "soft", wrap=True), row, 3)
        self._holder.insertWidget(0, self._page)
        if focused in self.fields:
            self.fields[focused].setFocus()

    def _field(self, item: Item) -> QWidget:
        value = item.condition.value
        if item.id in READ_IDS:
            text = "unknown" if value is None else _shown(value, item.unit)
            made = label(f"{text}  (read)" if value is not None else text, "soft")
            made.setMinimumHeight(36)
            return made
        if item.choices:
            choice = Choice(item.ask, [("", "not answered"), *((c, c) for c in item.choices)])
            choice.show_key("" if value is None else str(value))
            choice.setFixedWidth(FIELD_PX)
            choice.currentIndexChanged.connect(lambda _index, name=item.id, c=choice: self.answered.emit(name, c.key()))
            self.fields[item.id] = choice
            return choice
        is_degrees = item.unit == "C"
        number = degrees.shown(value) if is_degrees and isinstance(value, float) else value
        line = QLineEdit("" if number is None else _shown(number, ""))
        line.setAccessibleName(item.ask)
        line.setPlaceholderText((degrees.unit() if is_degrees else item.unit) or "not answered")
        line.setFixedWidth(FIELD_PX)
        taken = degrees.typed if is_degrees else str
        line.editingFinished.connect(lambda: self.answered.emit(item.id, taken(line.text().strip())))
        self.fields[item.id] = line
        return line


def _shown(value: object, unit: str) -> str:
    if isinstance(value, float) and unit == "share":
        return f"{100 * value:.0f} %"
    if isinstance(value, float) and unit == "C":
        return f"{degrees.shown(value):.4g} {degrees.unit()}"
    text = f"{value:.6g}" if isinstance(value, float) else str(value)
    return f"{text} {unit}".strip()
