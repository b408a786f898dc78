"""Findings beside the thing they are about: what, evidence, next step."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from .fields import label


class MarginNotes(QScrollArea):
    """A column of notes, each (kind, text); kind good, warn, bad, soft or ""."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.notes: tuple[tuple[str, str], ...] = ()
        self.show_notes([])

    def show_notes(self, notes: Sequence[tuple[str, str]]) -> None:
        """Replace the notes."""
        self.show_rows(notes, ())

    def show_rows(self, notes: Sequence[tuple[str, str]], rows: Sequence[QWidget]) -> None:
        """Replace the notes; the first of them as the rows that they are made into."""
        self.notes = tuple(notes)
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(8, 2, 6, 2)
        layout.setSpacing(7)
        for row in rows:
            layout.addWidget(row)
        for kind, text in notes[len(rows) :]:
            layout.addWidget(label(text, kind, wrap=True))
        layout.addStretch()
        self.setWidget(page)
