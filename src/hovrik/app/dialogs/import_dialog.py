"""Importing passes measured elsewhere: map columns and units with a live preview, or type summary figures."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPlainTextEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import degrees
from ...core.errors import HovrikError, ImportRefused, Problem, count_left_out
from ...core.facts.condition import Conditions
from ...core.facts.setup import Setup
from ...core.passes import frames
from ...core.passes.record import PassRecord
from ...core.passes.trace import Trace
from ...core.questions.question import Question
from ...core.words import plural
from ...service.imports import many as batch
from ...service.imports import mappings, telemetry
from ...service.imports import one as imports
from ...store.files.read.frame_log import ColumnMap, FrameUnit, Imported, convert
from ...store.files.read.table import Table, read_table
from ...store.notebook import Notebook
from ..commands import imported
from ..file_names import ask_open
from ..session import Session
from ..widgets.batch_page import BatchPage
from ..widgets.channel_grid import ChannelGrid
from ..widgets.fields import TABLES, Choice, button, label
from ..widgets.flow import Abreast, FlowLayout
from ..widgets.pages import ScrollTabs
from ..widgets.run_sheet_page import RunSheetPage
from ..widgets.summary_page import SummaryPage
from ..widgets.telemetry_page import TelemetryPage
from ..worker import Wanted, Worker

_UNIT_WORDS = {
    FrameUnit.MS: "intervals in ms", FrameUnit.S: "intervals in s", FrameUnit.US: "intervals in µs",
    FrameUnit.NS: "intervals in ns", FrameUnit.STAMPS_S: "time stamps in s", FrameUnit.STAMPS_MS: "time stamps in ms",
}  # fmt: skip
_DELIMITER_WORDS = {"": "one column", "\t": "tabs", " ": "spaces", ";": "semicolons", ",": "commas"}
_PREVIEW_ROWS = 8
Storing = TypeVar("Storing", BatchPage, RunSheetPage)
_SHOWN_PROBLEMS = 300


class ImportDialog(QDialog):
    """Choose a file, say what its columns are and under which setup it was measured, see what would be kept.

    Signals: mapped (the columns of the file are known now), where it was opened for that alone.
    """

    mapped = pyqtSignal()
    _for_columns = False

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Import passes")
        self.resize(1080, 700)
        self._session = session
        self._table: Table | None = None
        self._name = ""
        self.imported: Imported | None = None
        self._passes = 0  # in it, as it is cut at its marks
        self._reader = Worker("read", self)
        self._reader.finished.connect(self._on_read)
        self._reader.failed.connect(self._on_failed)
        self._converter = Worker("convert", self)
        self._converter.finished.connect(self._on_converted)
        self._converter.failed.connect(self._on_failed)
        self._keeper = Worker("keep", self, every=True)
        self._keeper.finished.connect(self._on_kept)
        self._keeper.failed.connect(lambda fault: self.message.setText(str(fault)))
        self._keeper.idle.connect(self._update_accept)
        self.tabs = ScrollTabs()
        self.tabs.add("Frame times from a file", self._file_page)
        self._telemetry = self.tabs.add("Telemetry beside it", self._telemetry_page)
        self._batch = self.tabs.add("Many logs", self._batch_page)
        self._sheet = self.tabs.add("A run sheet", self._sheet_page)
        self._summary = self.tabs.add("Summary figures only", SummaryPage)
        self.setup_row = self._setup_row()
        self.message = label("", wrap=True)
        self.message.setAccessibleName("Import message")
        self.accept_ = button("Import this pass", "main")
        self.accept_.clicked.connect(self.import_pass)
        close = button("Close")
        close.clicked.connect(self.reject)
        foot = QHBoxLayout()
        foot.addWidget(self.message, 1)
        foot.addWidget(close)
        foot.addWidget(self.accept_)
        layout = QVBoxLayout(self)
        layout.addWidget(self.tabs, 1)
        layout.addWidget(self.setup_row)
        layout.addLayout(foot)
        self.tabs.currentChanged.connect(self._update_accept)
        self._update_accept()

    # -- pages

    @property
    def telemetry(self) -> TelemetryPage:
        """What was recorded beside the frames."""
        return self._telemetry()

    @property
    def batch(self) -> BatchPage:
        """Many logs at once."""
        return self._batch()

    @property
    def sheet(self) -> RunSheetPage:
        """A run sheet typed in."""
        return self._sheet()

    @property
    def summary_page(self) -> SummaryPage:
        """Figures without frames."""
        return self._summary()

    def _telemetry_page(self) -> TelemetryPage:
        page = TelemetryPage(self._session)
        page.show_log(self.imported)
        page.changed.connect(self._on_telemetry)
        return page

    def _batch_page(self) -> BatchPage:
        beside = lambda: self._telemetry.made and self._telemetry.made.telemetry  # noqa: E731
        return self._heard(BatchPage(self._session, self._stated, beside))

    def _sheet_page(self) -> RunSheetPage:
        return self._heard(RunSheetPage(self._session))

    def _heard(self, page: Storing) -> Storing:
        """A page that stores by itself: what it changes and stores is heard."""
        page.changed.connect(self._update_accept)
        page.stored.connect(lambda ids: imported(self._session, ids))
        return page

    def _file_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        top = FlowLayout()
        top.setContentsMargins(0, 0, 0, 0)
        self.file_words = label("No file chosen.", "soft")
        choose = button("Choose a file …")
        choose.clicked.connect(self._on_choose)
        self.frame_column = Choice("Frame time column")
        self.frame_unit = Choice("What the column holds", [(u.value, text) for u, text in _UNIT_WORDS.items()])
        self.marks = Choice("Column of marks that cut the log into passes", [("", "no marks")])
        self.marks.setToolTip(
            "A label that lasts over a scene makes a pass; marks of a moment come in pairs, start and end"
        )
        self.frame_column.currentIndexChanged.connect(self._convert)
        self.marks.currentIndexChanged.connect(self._convert)
        self.frame_unit.currentIndexChanged.connect(self._convert)
        top.addWidget(choose)
        top.addWidget(label("frame times", "soft"))
        top.addWidget(self.frame_column)
        top.addWidget(self.frame_unit)
        top.addWidget(label("cut at", "soft"))
        top.addWidget(self.marks)
        layout.addLayout(top)
        middle = Abreast(900)
        self.channels = ChannelGrid()
        self.channels.changed.connect(self._convert)
        middle.row.addWidget(self.channels)
        shown = QWidget()
        right = QVBoxLayout(shown)
        right.setContentsMargins(0, 0, 0, 0)
        self.preview = QTableWidget()
        self.preview.setAccessibleName("First rows of the file")
        self.preview.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.preview.setFixedHeight(190)
        header = self.preview.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.outcome = label("", wrap=True)
        self.outcome.setAccessibleName("What would be kept")
        self.problems = QPlainTextEdit()
        self.problems.setAccessibleName("Problems by line")
        self.problems.setReadOnly(True)
        right.addWidget(self.file_words)
        right.addWidget(self.preview)
        right.addWidget(self.outcome)
        right.addWidget(self.problems, 1)
        self.problems.setMinimumHeight(90)
        middle.row.addWidget(shown, 1)
        layout.addWidget(middle, 1)
        return page

    def _setup_row(self) -> QWidget:
        row = QWidget()
        layout = FlowLayout(row)
        layout.setContentsMargins(4, 0, 4, 0)
        self.limit = QLineEdit()
        self.limit.setAccessibleName("Static power limit in W")
        self.cap = QLineEdit()
        self.cap.setAccessibleName("Frame cap in fps, none, or empty for unknown")
        self.room = QLineEdit()
        self._one_setup: list[QWidget] = []
        self.room.setAccessibleName(f"Room temperature in {degrees.unit()}")
        for words, field, hint in (
            ("Measured at a static limit of", self.limit, "W"),
            ("with a cap of", self.cap, "fps, or none"),
            ("in a room of", self.room, degrees.unit()),
        ):
            field.setPlaceholderText(hint)
            field.setFixedWidth(120)
            told = label(words, "soft")
            layout.addWidget(told)
            layout.addWidget(field)
            self._one_setup += [told, field] if field is not self.room else []
        layout.addWidget(label("(empty: unknown)", "soft"))
        return row

    def only_columns(self, path: Path) -> None:
        """Ask what the columns of this file are, and nothing else."""
        self._for_columns = True
        self.setWindowTitle("The columns of this log")
        for at in range(1, self.tabs.count()):
            self.tabs.setTabVisible(at, False)
        self.setup_row.hide()
        self.accept_.setText("These are its columns")
        self.open_file(path)

    # -- file

    def _on_choose(self) -> None:
        path = ask_open(self, "logs", "Frame times", TABLES)
        if path is not None:
            self.open_file(path)

    def open_file(self, path: Path) -> None:
        """Read a file off the interface thread and guess its columns."""
        self._table = self.imported = None
        self.file_words.setText(f"reading {path.name} …")
        self._update_accept()
        self._reader.ask(lambda _wanted: (path, read_table(path)))

    def _on_read(self, result: tuple[Path, Table]) -> None:
        path, table = result
        self._table, self._name = table, path.name
        names = [(str(i), name) for i, name in enumerate(table.layout.columns)]
        layout = table.layout
        delimiter = _DELIMITER_WORDS.get(layout.delimiter, layout.delimiter)
        comma = ", decimal comma" if layout.decimal_comma else ""
        self.file_words.setText(f"{path.name}: {table.lines.size} rows; {layout.encoding}, {delimiter}{comma}")
        self._fill(names, table)
        self._show_preview(table)
        self._convert()

    def _fill(self, names: list[tuple[str, str]], table: Table) -> None:
        self.frame_column.offer(names)
        self.channels.offer(names)
        self.marks.offer([("", "no marks"), *names])
        self.marks.show_key("")
        try:
            found = mappings.mappings(self._session.notebook).of_log(table)
        except ImportRefused as fault:
            self.message.setText(str(fault))
            self.frame_column.show_key("0")
            return
        self.message.setText("")
        self.frame_column.show_key(str(found.frame_column))
        self.frame_unit.show_key(found.frame_unit.value)
        self.channels.show_channels(found.channels)
        self.marks.show_key("" if found.mark_column is None else str(found.mark_column))

    def mapping(self) -> ColumnMap | None:
        """The mapping as chosen, None while there is no file."""
        if self._table is None or not self.frame_column.key():
            return None
        marks = int(self.marks.key()) if self.marks.key() else None
        return ColumnMap(
            int(self.frame_column.key()), FrameUnit(self.frame_unit.key()), self.channels.channels(), marks
        )

    def _convert(self) -> None:
        mapping, table = self.mapping(), self._table
        if mapping is None or table is None:
            return
        self.imported = None
        self._update_accept()
        self.outcome.setText("reading the columns …")

        def work(_wanted: Wanted) -> tuple[Imported, list[Trace]]:
            imported = convert(table, mapping)
            return imported, [piece for piece, _ in batch.pieces_of(imported, math.inf)]

        self._converter.ask(work)

    def _on_converted(self, result: tuple[Imported, list[Trace]]) -> None:
        self.imported, passes = result
        imported, self._passes = self.imported, len(passes)
        interval_ms = np.concatenate([piece.interval_ms() for piece in passes] or [imported.trace.interval_ms()])
        figures = frames.figures(interval_ms[interval_ms > 0])
        low = figures.low_1pct.percentile
        left_out = count_left_out(imported.problems)
        text = (
            f"{imported.kept_lines.size} rows kept, {left_out} left out: "
            f"{f'{len(passes)} passes at its marks, ' if imported.marks else ''}{figures.seconds:.1f} s, "
            f"mean {figures.mean_fps:.1f} fps"
        )
        text += f", 1 % low (percentile) {low:.1f} fps" if low else ", too few frames for a 1 % low"
        self.outcome.setText(text + ".")
        self._show_log(imported)
        self._show_problems(imported.problems)
        self._update_accept()

    def _show_log(self, log: Imported | None) -> None:
        if self._telemetry.made is not None:
            self._telemetry.made.show_log(log)

    def _show_problems(self, problems: tuple[Problem, ...]) -> None:
        lines = [str(p) for p in problems[:_SHOWN_PROBLEMS]]
        if len(problems) > _SHOWN_PROBLEMS:
            lines.append(f"and {len(problems) - _SHOWN_PROBLEMS} more")
        self.problems.setPlainText("\n".join(lines) if lines else "No problems found.")

    def _on_failed(self, fault: HovrikError) -> None:
        self.imported = None
        self._show_log(None)
        self.outcome.setText("")
        if isinstance(fault, ImportRefused):
            self._show_problems(fault.problems)
        self.message.setText(str(fault))
        if self._table is None:
            self.file_words.setText("No file chosen.")
        self._update_accept()

    def _show_preview(self, table: Table) -> None:
        rows = min(_PREVIEW_ROWS, table.lines.size)
        self.preview.setRowCount(rows)
        self.preview.setColumnCount(len(table.layout.columns))
        self.preview.setHorizontalHeaderLabels(list(table.layout.columns))
        self.preview.setVerticalHeaderLabels([str(line) for line in table.lines[:rows]])
        for row in range(rows):
            for column, value in enumerate(table.values[row]):
                text = table.text.get((row, column)) or ("" if value != value else f"{value:g}")
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.preview.setItem(row, column, item)

    def _update_accept(self) -> None:
        if self._for_columns:
            self.accept_.setEnabled(self.imported is not None and not self._session.notebook.read_only)
            return
        page = self.tabs.currentWidget()
        beside = self._telemetry.made
        is_summary, is_batch = isinstance(page, SummaryPage), isinstance(page, BatchPage)
        ready = is_summary or (self.imported is not None and (beside is None or not beside.is_waiting))
        if is_batch:
            ready = self.batch.usable > 0 and not self.batch.is_busy
            self.accept_.setText(f"Import {plural(self.batch.usable, 'log')}" if self.batch.usable else "Import logs")
        elif isinstance(page, RunSheetPage):
            lines = len(self.sheet.rows())
            ready = lines > 0 and not self.sheet.is_busy
            self.accept_.setText(f"Store {plural(lines, 'pass', 'passes')}" if lines else "Store the sheet")
        else:
            several = not is_summary and self.imported is not None and self._passes > 1
            self.accept_.setText(f"Import {self._passes} passes" if several else "Import this pass")
        for widget in self._one_setup:  # in the list each log has its own
            widget.setVisible(not is_batch)
        self.setup_row.setVisible(not isinstance(page, RunSheetPage))  # a sheet's plan says it all
        self.accept_.setEnabled(ready and not self._session.notebook.read_only and not self._keeper.is_busy)

    # -- importing

    def import_pass(self) -> None:
        """Store the pass; the message tells how it went. The dialog stays open for the next one."""
        page = self.tabs.currentWidget()
        if isinstance(page, BatchPage | RunSheetPage):
            page.store()
            return
        mapping = self.mapping()
        if self._for_columns and self._table is not None and mapping is not None:
            mappings.save_mapping(self._session.notebook, self._table, mapping)
            self.accept()
            self.mapped.emit()
            return
        question = self._session.question
        if question is None:
            self.message.setText("Choose a rig, OS slot, title and scene in the question line first.")
            return
        given = {"sustained_limit_w": self.limit.text(), "cap_fps": self.cap.text()}
        try:
            setup = imports.setup_from({k: v.strip() for k, v in given.items() if v.strip()})
            conditions = imports.conditions_from(question, self._stated())
            if isinstance(page, SummaryPage):
                figures = page.figures()
                keep = lambda notebook: [  # noqa: E731
                    imports.import_summary(notebook, question, figures, setup, conditions)
                ]
            else:
                keep = self._keeping_log(question, setup, conditions)
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        own = self._session.notebook

        def work(_wanted: Wanted) -> list[PassRecord]:
            with own.sibling() as notebook:
                return keep(notebook)

        self.message.setText("storing …")
        self._keeper.ask(work)
        self._update_accept()

    def _on_kept(self, kept: list[PassRecord]) -> None:
        more = f"Imported {len(kept)} passes. They stand" if len(kept) > 1 else "Imported. It stands"
        self.message.setText(f"{more} beside the measured passes in Read.")
        self._session.select_pass(kept[-1].id)
        imported(self._session, [record.id for record in kept])

    def _keeping_log(
        self, question: Question, setup: Setup, conditions: Conditions
    ) -> Callable[[Notebook], list[PassRecord]]:
        """What stores the log as it is chosen now."""
        log, beside, name = self.imported, self._telemetry.made, self._name
        assert log is not None  # the button is off otherwise
        if beside is not None and beside.telemetry is not None and beside.fit is not None:
            log = telemetry.join(log, beside.telemetry, beside.fit)
            conditions = {**conditions, **telemetry.conditions_of((beside.fit, beside.telemetry.name))}
            beside.remember()
        self._remember_mapping()
        return lambda notebook: batch.store_whole(notebook, question, log, setup, conditions, name)

    def _on_telemetry(self) -> None:
        self._update_accept()
        if not self.telemetry.is_waiting and self._batch.made is not None:
            self._batch.made.look_again()

    def _stated(self) -> dict[str, str]:
        room = degrees.typed(self.room.text().strip())
        return {"room_c": room} if room else {}

    def _remember_mapping(self) -> None:
        mapping = self.mapping()
        if mapping is not None and self._table is not None:
            mappings.save_mapping(self._session.notebook, self._table, mapping)

    def done(self, result: int) -> None:
        for page in (self._batch.made, self._sheet.made, self._telemetry.made):
            if page is not None:
                page.finish()
        self._reader.close()
        self._converter.close()
        self._keeper.close()
        super().done(result)
