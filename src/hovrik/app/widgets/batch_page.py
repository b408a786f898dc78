"""Many logs in one go: a list of files with what each holds and the setup it was measured under."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QProgressBar,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.errors import HovrikError
from ...core.facts.knob import CAP, NO_CAP
from ...core.passes.cut import IDLE_S
from ...core.words import plural
from ...service.imports import many as batch
from ...service.imports.many import Log, LogOrder
from ...store.files.read.telemetry import Telemetry
from ..file_names import ask_folder, ask_open_many
from ..session import Session
from ..worker import Wanted, Worker
from .fields import TABLES, Notice, NumberField, button, label
from .flow import FlowLayout
from .folder_watch import FolderWatch

_HEAD = ("log", "columns", "passes", "length (s)", "mean fps", "limit (W)", "cap", "what became of it")
_LIMIT, _CAP_AT, _OUTCOME = 5, 6, 7
_FIRST_WORDS = (
    "Choose logs, or a folder of them. The mapping last used for a file of the same columns is taken; others are "
    "guessed. To set one, import such a file on the first page."
)
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class BatchPage(QWidget):
    """Signals: changed (what can be done), stored (ids of passes that are in the notebook).

    conditions : asked when storing.
    """

    changed = pyqtSignal()
    stored = pyqtSignal(object)
    _told = pyqtSignal(int, int, object)

    def __init__(
        self, session: Session, conditions: Callable[[], Mapping[str, str]],
        telemetry: Callable[[], Telemetry | None] = lambda: None,
    ) -> None:  # fmt: skip
        super().__init__()
        self._session, self._conditions, self._telemetry = session, conditions, telemetry
        self._logs: list[Log] = []
        self._stop = False
        self._waiting: list[Path] = []
        self._work = Worker("store", self)
        self._work.finished.connect(self._on_finished)
        self._work.failed.connect(self._on_failed)
        self._told.connect(self._on_told)
        self.watch = FolderWatch("A new log in it is added as soon as it is whole")
        self.watch.arrived.connect(lambda path: self.add([path]))
        self.watch.watching.connect(self._on_watching)
        self.watch.failed.connect(lambda words: self.words.say(words, "warn"))
        self.table = self._table()
        self.words = Notice("How the import goes", _FIRST_WORDS)
        self.bar = QProgressBar()
        self.bar.setAccessibleName("Logs done")
        self.bar.hide()
        self.cancel = button("Cancel")
        self.cancel.clicked.connect(self.stop)
        self.cancel.hide()
        foot = QHBoxLayout()
        foot.addWidget(self.words, 1)
        foot.addWidget(self.bar)
        foot.addWidget(self.cancel)
        layout = QVBoxLayout(self)
        layout.addLayout(self._tools())
        self.table.setMinimumHeight(160)
        layout.addWidget(self.table, 1)
        layout.addLayout(foot)

    def _tools(self) -> FlowLayout:
        row = FlowLayout()
        row.setContentsMargins(0, 0, 0, 0)
        for words, slot in (
            ("Add logs …", self._on_add), ("Add a folder …", self._on_folder), ("Clear the list", self.clear)
        ):  # fmt: skip
            made = button(words)
            made.clicked.connect(slot)
            row.addWidget(made)
        row.addWidget(self.watch)
        self.limit = QLineEdit()
        self.limit.setAccessibleName("Static limit of the selected logs, or of all")
        self.limit.setPlaceholderText("W")
        self.limit.setFixedWidth(70)
        for_all = button("Set limit", tip="Of the selected logs; of all where none is selected")
        for_all.clicked.connect(lambda: self.set_all(_LIMIT, self.limit.text().strip()))
        no_cap = button("No cap", tip="The selected logs were measured without a cap; all where none is selected")
        no_cap.clicked.connect(lambda: self.set_all(_CAP_AT, NO_CAP))
        for widget in (self.limit, for_all, no_cap):
            row.addWidget(widget)
        row.addWidget(label("a pause of over", "soft"))
        self.idle = NumberField("Idle gap in seconds", "s", 1.0, 600.0)
        self.idle.show_value(IDLE_S)
        self.idle.valueChanged.connect(self.look_again)
        row.addWidget(self.idle)
        row.addWidget(label("begins another pass, but for logs with marks", "soft"))
        return row

    def _table(self) -> QTableWidget:
        table = QTableWidget(0, len(_HEAD))
        table.setAccessibleName("Logs to import")
        table.setHorizontalHeaderLabels(_HEAD)
        header, side = table.horizontalHeader(), table.verticalHeader()
        if header is not None and side is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(_OUTCOME, QHeaderView.ResizeMode.Stretch)
            side.hide()
        return table

    @property
    def is_busy(self) -> bool:
        """Whether logs are being read or stored."""
        return not self.cancel.isHidden()

    @property
    def usable(self) -> int:
        """Logs that can be stored now."""
        return sum(log.is_usable and not log.stored for log in self._logs)

    # -- the list

    def _on_add(self) -> None:
        self.add(ask_open_many(self, "logs", "Logs", TABLES))

    def _on_folder(self) -> None:
        folder = ask_folder(self, "logs", "Folder of logs")
        if folder is not None:
            self.add_folder(folder)

    def add_folder(self, folder: Path) -> None:
        """Every table of a folder."""
        try:
            found = batch.logs_in(folder)
        except HovrikError as fault:
            self.words.say(str(fault), "warn")
            return
        self.add(found)
        if not found:
            self.words.say(f"{folder.name} holds no table ({', '.join(batch.SUFFIXES)}).", "warn")

    def add(self, paths: Sequence[Path]) -> None:
        """Read logs that are not in the list yet, off the interface thread."""
        known = {log.path for log in self._logs} | set(self._waiting)
        self._waiting += [path for path in paths if path not in known]
        if self._waiting and not self.is_busy:
            self._begin()

    def set_all(self, column: int, text: str) -> None:
        """The same limit or cap for the rows that are selected, or for all."""
        rows = {index.row() for index in self.table.selectedIndexes()} or set(range(self.table.rowCount()))
        for row in rows:
            item = self.table.item(row, column)
            if item is not None and not self._logs[row].stored:
                item.setText(text)

    def clear(self) -> None:
        """Forget the list; what was stored stays."""
        if not self.is_busy:
            self._logs.clear()
            self.table.setRowCount(0)
            self.changed.emit()

    def _begin(self) -> None:
        paths, self._waiting = self._waiting, []
        idle_s, telemetry = self.idle.value(), self._telemetry()
        self._run(len(paths), lambda notebook, told: batch.look(notebook, paths, idle_s, told, telemetry))

    def look_again(self) -> None:
        """Read the logs that are not stored yet once more, where something about them has changed."""
        again = [log.path for log in self._logs if not log.stored]
        if again and not self.is_busy:
            self._logs = [log for log in self._logs if log.stored]
            self._waiting = again
            self._begin()

    # -- storing

    def store(self) -> None:
        """Store every usable log, one after the other."""
        question = self._session.question
        if question is None:
            self.words.say("Choose a rig, OS slot, title and scene in the question line first.", "warn")
            return
        rows = [n for n, log in enumerate(self._logs) if log.is_usable and not log.stored]
        orders = [LogOrder(self._logs[n].path, self.settings_of(n)) for n in rows]
        conditions, idle_s, telemetry = dict(self._conditions()), self.idle.value(), self._telemetry()
        self._run(
            len(orders),
            lambda notebook, told: batch.store(notebook, question, orders, conditions, idle_s, told, telemetry),
        )

    def settings_of(self, row: int) -> dict[str, str]:
        """What a row says of its setup: limit and cap as typed."""
        texts = {}
        for key, column in (("sustained_limit_w", _LIMIT), (CAP, _CAP_AT)):
            item = self.table.item(row, column)
            texts[key] = item.text().strip().replace(",", ".") if item is not None else ""
        return texts

    def _run(self, total: int, work: Callable[..., list[Log]]) -> None:
        self._stop = False
        self.bar.setRange(0, total)
        self.bar.setValue(0)
        self.bar.show()
        self.cancel.show()
        self.changed.emit()

        def told(done: int, of: int, log: Log) -> bool:
            self._told.emit(done, of, log)
            return not self._stop

        def body(_wanted: Wanted) -> list[Log]:
            with self._session.notebook.sibling() as notebook:
                return work(notebook, told)

        self._work.ask(body)

    def _on_told(self, done: int, of: int, log: Log) -> None:
        self.bar.setValue(done)
        at = next((n for n, one in enumerate(self._logs) if one.path == log.path), None)
        if at is None:
            self._logs.append(log)
            self.table.setRowCount(len(self._logs))
            self._show_row(len(self._logs) - 1, first=True)
        else:
            was = self._logs[at]
            self._logs[at] = log if log.columns else replace(was, outcome=log.outcome)
            self._show_row(at)
        self.words.say(f"{done} of {of}: {log.path.name}")

    def _show_row(self, row: int, *, first: bool = False) -> None:
        log = self._logs[row]
        fps = log.mean_fps
        texts = [
            log.path.name, log.columns or "–", str(log.pieces or "–"), f"{log.seconds:.0f}" if log.seconds else "–",
            f"{fps:.1f}" if fps and math.isfinite(fps) else "–",
        ]  # fmt: skip
        odd = f"{plural(log.left_out, 'row')} left out" if log.left_out else ""
        for column, text in (*enumerate(texts), (_OUTCOME, log.outcome or odd)):
            item = QTableWidgetItem(text)
            item.setToolTip(text)
            item.setFlags(Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled)
            if 2 <= column < _LIMIT:
                item.setTextAlignment(_RIGHT)
            self.table.setItem(row, column, item)
        if first:
            guessed = batch.settings_in(log.path.stem)
            for column, key in ((_LIMIT, "sustained_limit_w"), (_CAP_AT, CAP)):
                item = QTableWidgetItem(guessed.get(key, ""))
                item.setTextAlignment(_RIGHT)
                self.table.setItem(row, column, item)

    def _on_finished(self, logs: list[Log]) -> None:
        stored = sum(log.stored for log in logs)
        self._end()
        if stored:
            self.words.say(f"{plural(stored, 'pass', 'passes')} stored. They stand beside the measured ones in Read.")
            self.stored.emit([one for log in logs for one in log.ids])
        elif self._stop:
            self.words.say("Cancelled; what was done before stays.")
        else:
            self.words.say(
                f"{self.usable} of {len(self._logs)} logs can be imported. Limits and caps come from the file names: "
                "correct them in the list; an empty one is unknown."
            )
        if self._waiting:
            self._begin()

    def _on_failed(self, fault: HovrikError) -> None:
        self._end()
        self.words.say(str(fault), "warn")

    def _end(self) -> None:
        self.bar.hide()
        self.cancel.hide()
        self.changed.emit()

    def stop(self) -> None:
        """End after the log under way."""
        self._stop = True

    def _on_watching(self, folder: Path | None) -> None:
        self.words.say("No folder is watched." if folder is None else f"Waiting for new logs in {folder}.")

    def finish(self) -> None:
        """End the watch and the work; for closing."""
        self.watch.watch(None)
        self.stop()
        self._work.close()
