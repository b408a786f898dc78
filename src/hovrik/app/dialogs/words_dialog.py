"""Words to be read: keys, meaning, about, licence."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from ..theme import tokens
from ..widgets.fields import button


class WordsDialog(QDialog):
    """Words that can be selected and scrolled; Escape closes them."""

    def __init__(self, heading: str, words: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(heading)
        self.resize(620, 460)
        self.words = QPlainTextEdit(words)
        self.words.setAccessibleName(heading)
        self.words.setReadOnly(True)
        self.words.setFont(tokens.base_font())
        close = button("Close")
        close.clicked.connect(self.accept)
        column = QVBoxLayout(self)
        column.addWidget(self.words, 1)
        column.addWidget(close)
