"""The logbook as a table: words to search for, a kind, and the way to the evidence of a line."""

from __future__ import annotations

import time
from datetime import UTC, datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QLineEdit,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...core.errors import HovrikError
from ...service.logbook import KINDS, NOTE, Entry, Logbook, read_logbook
from ...service.notes import with_note
from ..commands import set_notes
from ..session import Session
from ..worker import Wanted, Worker
from .fields import Choice, Notice, button, label
from .flow import FlowLayout
from .plain_table import plain_table

HEADINGS = ("When, UTC", "What", "Told")
MOST_SHOWN = 500
SEARCH_PX = 280


class LogbookPage(QWidget):
    """Signals: asked(Entry), a line chosen by Return or double click. shown : what the table shows."""

    asked = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.shown: tuple[Entry, ...] = ()
        self._book = Logbook(())
        self._worker = Worker("logbook", self)
        self._worker.finished.connect(self._on_read)
        self._worker.failed.connect(lambda fault: self.says.say(str(fault), "warn"))
        self.search = QLineEdit()
        self.search.setAccessibleName("Words in the logbook")
        self.search.setPlaceholderText("words to search for")
        self.search.setClearButtonEnabled(True)
        self.search.setMaximumWidth(SEARCH_PX)
        self.kind = Choice("Kind of line", [("", "everything"), *((kind, kind) for kind in KINDS)])
        self.tag = Choice("Tag of notes", [("", "any tag")])
        self.note = QLineEdit()
        self.note.setAccessibleName("A note of your own")
        self.note.setPlaceholderText("a note, with #tags")
        self.note.setMaximumWidth(SEARCH_PX)
        self.note.returnPressed.connect(self._on_add)
        self.add = button("Add the note")
        self.add.clicked.connect(self._on_add)
        self.remove = button("Take out the note", tip="The selected one; undo brings it back")
        self.remove.clicked.connect(self._on_remove)
        self.says = Notice("What the logbook shows")
        self.table = plain_table("Logbook", HEADINGS, 2)
        row = QWidget()
        flow = FlowLayout(row)
        flow.setContentsMargins(0, 0, 0, 2)
        for widget in (label("find"), self.search, label("in"), self.kind, self.tag, self.note, self.add, self.remove):
            flow.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(row)
        column.addWidget(self.says)
        column.addWidget(self.table, 1)
        self.search.textChanged.connect(lambda _text: self._show())
        self.kind.currentIndexChanged.connect(lambda _at: self._show())
        self.tag.currentIndexChanged.connect(lambda _at: self._show())
        self.table.itemSelectionChanged.connect(self._allow)
        self.table.itemActivated.connect(lambda item: self.asked.emit(self.shown[item.row()]))

    def read(self) -> None:
        """Read the notebook on the worker."""
        notebook = self._session.notebook

        def work(wanted: Wanted) -> Logbook:
            with notebook.sibling() as own:
                return read_logbook(own, wanted)

        self.says.say("Reading the logbook …")
        self._worker.ask(work)

    def _on_read(self, book: Logbook) -> None:
        self._book = book
        self.tag.offer([("", "any tag"), *((tag, f"#{tag}") for tag in book.tags)])
        self._show()

    def _show(self) -> None:
        found = self._book.matching(self.search.text(), self.kind.key(), self.tag.key())
        self.shown = found[:MOST_SHOWN]
        self.table.setRowCount(len(self.shown))
        for row, one in enumerate(self.shown):
            when = f"{datetime.fromtimestamp(one.at_ns / 1e9, UTC):%Y-%m-%d %H:%M}"
            for column, text in enumerate((when, one.kind, one.text)):
                item = QTableWidgetItem(text)
                item.setToolTip(one.text)
                self.table.setItem(row, column, item)
        self._allow()
        more = f", the newest {MOST_SHOWN} shown" if len(found) > MOST_SHOWN else ""
        many = words.plural(len(found), "line", "lines")
        hint = " Return or a double click shows what a line tells of." if found else ""
        self.says.say(f"{many}{more}.{hint}" if self._book.entries else "Nothing is in the logbook yet.")

    def _allow(self) -> None:
        """What can be done with the line that is selected."""
        writable = not self._session.notebook.read_only
        for field in (self.note, self.add):
            field.setEnabled(writable)
        chosen = self._chosen()
        self.remove.setEnabled(writable and chosen is not None and chosen.kind == NOTE)

    def _chosen(self) -> Entry | None:
        row = self.table.currentRow()
        return self.shown[row] if 0 <= row < len(self.shown) else None

    def _on_add(self) -> None:
        try:
            notes = with_note(self._session.notes, self.note.text(), time.time_ns())
        except HovrikError as fault:
            self.says.say(str(fault), "warn")
            return
        self.note.clear()
        set_notes(self._session, notes, "note it in the logbook")

    def _on_remove(self) -> None:
        chosen = self._chosen()
        if chosen is not None and chosen.kind == NOTE:
            left = tuple(one for one in self._session.notes if one.at_ns != chosen.at_ns)
            set_notes(self._session, left, "take a note out of the logbook")
