"""Small fields that are used everywhere: labels with a kind, number fields, cards, choices."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeVar

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPaintEvent, QValidator, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from ..theme.tokens import TARGET_PX

PICTURES = "Pictures (*.png *.jpg *.jpeg *.webp);;All files (*)"
TABLES = "Text tables (*.csv *.txt *.tsv *.gz);;All files (*)"


def label(text: str = "", kind: str = "", *, wrap: bool = False) -> QLabel:
    """A label of a kind that the style sheet knows: soft, heading, figure, good, warn, bad."""
    made = QLabel(text)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if kind:
        made.setProperty("kind", kind)
    return made


def set_kind(widget: QWidget, kind: str) -> None:
    """Change the kind of a widget and have it drawn anew."""
    if widget.property("kind") != kind:
        widget.setProperty("kind", kind)
        style = widget.style()
        if style is not None:
            style.unpolish(widget)
            style.polish(widget)


def add_rows(form: QFormLayout, rows: Iterable[tuple[str, QWidget]]) -> None:
    """Rows of words and the field that they name, each tall enough for a finger."""
    for words, field in rows:
        left = label(words, wrap=True)
        left.setMinimumHeight(TARGET_PX)
        left.setBuddy(field)
        form.addRow(left, field)


L = TypeVar("L", bound=QLayout)


class Notice(QLabel):
    """A line that says how something goes. name : accessible name."""

    def __init__(self, name: str, words: str = "") -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setAccessibleName(name)
        self.say(words)

    def say(self, words: str, kind: str = "soft") -> None:
        """kind : soft, good or warn."""
        self.setText(words)
        set_kind(self, kind)


def button(text: str, kind: str = "", tip: str = "") -> QPushButton:
    """A push button of a kind: main, stop, stage, or plain."""
    made = QPushButton(text)
    made.setAutoDefault(False)  # Return in a field of a dialog ends the edit and presses nothing
    if kind:
        made.setProperty("kind", kind)
    if tip:
        made.setToolTip(tip)
    return made


def emptied(layout: L, keep: int = 0) -> L:
    """The same layout without its widgets, but for the first `keep`."""
    while layout.count() > keep:
        item = layout.takeAt(keep)
        if item is not None and (widget := item.widget()) is not None:
            widget.hide()  # it is gone at once, and deleted when the event loop comes to it
            widget.deleteLater()
    return layout


def allow(control: QWidget, on: bool, instead: QWidget) -> None:
    """Enable or disable a control; the focus that it had goes to `instead`, so that it stays where the work is."""
    if not on and control.hasFocus():
        instead.setFocus()
    control.setEnabled(on)


def commit_edit(window: QWidget) -> None:
    """Have the field that is being typed in take what stands in it, as leaving it would."""
    field = window.focusWidget()
    if isinstance(field, QAbstractSpinBox):
        field.interpretText()
    elif isinstance(field, QLineEdit):
        table = field.parentWidget().parentWidget() if field.parentWidget() is not None else None
        if isinstance(table, QAbstractItemView):  # the editor of a cell
            table.commitData(field)
        elif field.isModified():
            field.editingFinished.emit()


class NumberField(QDoubleSpinBox):
    """A number with its unit. Changes are told once the edit is complete; the wheel works only with focus."""

    def __init__(
        self, name: str, unit: str = "", low: float = 0.0, high: float = 1e6, step: float = 1.0, digits: int = 0
    ) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setRange(low, high)
        self.setSingleStep(step)
        self.setDecimals(digits)
        self.setSuffix(f" {unit}" if unit else "")
        self.setKeyboardTracking(False)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        """A comma is a decimal mark here, whatever the desktop's own is."""
        return super().validate(self._with_mark(text), at)

    def valueFromText(self, text: str | None) -> float:
        return super().valueFromText(self._with_mark(text))

    def _with_mark(self, text: str | None) -> str:
        return (text or "").replace(",", self.locale().decimalPoint()).replace(".", self.locale().decimalPoint())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if self.hasFocus():
            super().wheelEvent(event)
        elif event is not None:
            event.ignore()

    def show_value(self, value: float) -> None:
        """Set without telling."""
        if value != self.value():
            blocked = self.blockSignals(True)
            self.setValue(value)
            self.blockSignals(blocked)


WORD_PX = 26  # beside the words of a choice: its arrow


class Choice(QComboBox):
    """A choice among (key, words)."""

    def __init__(self, name: str, entries: Iterable[tuple[str, str]] = ()) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.is_word = False  # part of a sentence: as wide as what is chosen
        self.currentIndexChanged.connect(lambda _index: self.updateGeometry() if self.is_word else None)
        self.offer(entries)

    def sizeHint(self) -> QSize:
        hint = super().sizeHint()
        if self.is_word:
            hint.setWidth(self.fontMetrics().horizontalAdvance(self.currentText()) + WORD_PX)
        return hint

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if self.hasFocus():
            super().wheelEvent(event)
        elif event is not None:
            event.ignore()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Its words end in an ellipsis where they do not fit."""
        painter, option = QStylePainter(self), QStyleOptionComboBox()
        self.initStyleOption(option)
        style = self.style()
        if style is not None:
            place = style.subControlRect(
                QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, self
            )
            option.currentText = self.fontMetrics().elidedText(
                self.currentText(), Qt.TextElideMode.ElideRight, max(place.width(), 8)
            )
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        if option.currentText != self.currentText() and not self.toolTip():
            self.setToolTip(self.currentText())

    def offer(self, entries: Iterable[tuple[str, str]]) -> None:
        """Replace the entries without telling; the chosen one stays, else the first is chosen."""
        wanted = list(entries)
        if wanted == [(self.itemData(i), self.itemText(i)) for i in range(self.count())]:
            return
        blocked = self.blockSignals(True)
        kept = self.key()
        self.clear()
        for key, words in wanted:
            self.addItem(words, key)
        self.setCurrentIndex(max(self.findData(kept), 0 if wanted else -1))
        self.blockSignals(blocked)

    def key(self) -> str:
        """Key of the chosen entry, "" where there is none."""
        return str(self.currentData() or "")

    def show_key(self, key: str) -> None:
        """Choose without telling."""
        blocked = self.blockSignals(True)
        self.setCurrentIndex(self.findData(key))
        self.blockSignals(blocked)


class Card(QFrame):
    """A sheet of paper with a heading. body : layout to fill."""

    def __init__(self, heading: str = "", name: str = "card") -> None:
        super().__init__()
        self.setObjectName(name)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(14, 10, 14, 12)
        self.body.setSpacing(6)
        if heading:
            self.body.addWidget(label(heading, "heading"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Maximum)

    def fact(self, words: str, value: str) -> QLabel:
        """Add a line "words  value"; returns the value's label."""
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        left = label(words, "soft")
        left.setFixedWidth(220)
        right = label(value, wrap=True)
        line.addWidget(left)
        line.addWidget(right, 1)
        self.body.addWidget(row)
        return right
