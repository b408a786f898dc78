"""The logbook as a table: words to search for, a kind, and the way to the evidence of a line."""

from __future__ import annotations

from datetime import UTC, datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QLineEdit,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...service.logbook import KINDS, Entry, Logbook, read_logbook
from ..session import Session
from ..worker import Wanted, Worker
from .fields import Choice, Notice, label
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
        self.says = Notice("What the logbook shows")
        self.table = plain_table("Logbook", HEADINGS, 2)
        row = QWidget()
        flow = FlowLayout(row)
        flow.setContentsMargins(0, 0, 0, 2)
        for widget in (label("find"), self.search, label("in"), self.kind):
            flow.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(row)
        column.addWidget(self.says)
        column.addWidget(self.table, 1)
        self.search.textChanged.connect(lambda _text: self._show())
        self.kind.currentIndexChanged.connect(lambda _at: self._show())
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
        self._show()

    def _show(self) -> None:
        found = self._book.matching(self.search.text(), self.kind.key())
        self.shown = found[:MOST_SHOWN]
        self.table.setRowCount(len(self.shown))
        for row, one in enumerate(self.shown):
            when = f"{datetime.fromtimestamp(one.at_ns / 1e9, UTC):%Y-%m-%d %H:%M}"
            for column, text in enumerate((when, one.kind, one.text)):
                item = QTableWidgetItem(text)
                item.setToolTip(one.text)
                self.table.setItem(row, column, item)
        more = f", the newest {MOST_SHOWN} shown" if len(found) > MOST_SHOWN else ""
        many = words.plural(len(found), "line", "lines")
        hint = " Return or a double click shows what a line tells of." if found else ""
        self.says.say(f"{many}{more}.{hint}" if self._book.entries else "Nothing is in the logbook yet.")
