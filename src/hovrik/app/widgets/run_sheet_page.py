"""A run sheet typed in as a whole: the plan's order with its blanks, as on paper."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...core import degrees
from ...core.errors import HovrikError
from ...core.facts.setup import describe
from ...core.kinds.table import question_from
from ...core.passes.hand import GaugeUnit
from ...core.passes.purpose import HEAT
from ...core.words import plural
from ...service import run as sweep
from ...service.imports import run_sheet
from ...service.imports.run_sheet import RowDone, SheetRow
from ..file_names import ask_folder
from ..session import Session
from ..theme import tokens
from ..worker import Wanted, Worker
from .fields import Choice, Notice, button, label
from .flow import FlowLayout
from .reading_form import DEGREES, ScaleChoices

_COLUMNS = (
    ("begun", "begun at"), ("gauge_start", "gauge start"), ("start_v", "V"), ("gauge_end", "gauge end"), ("end_v", "V"),
    ("meter", "meter"), ("die_c", "die (C)"), ("shell_c", "shell (C)"), ("log", "log, or mean fps"), ("seen", "seen"),
)  # fmt: skip
_STATE = len(_COLUMNS) + 1
_WIDTHS = {"log": 128, "seen": 90, "start_v": 48, "end_v": 48, "gauge_start": 78, "gauge_end": 74}
_WORDS = ("begun", "log", "seen")
_FIRST = (
    'Type what stands on the sheet. A log is a file\'s name in the folder; "did not start" or "crashed" counts too.'
)


class RunSheetPage(QWidget):
    """Signals: changed (what can be stored), stored (ids of passes that are in the notebook)."""

    changed = pyqtSignal()
    stored = pyqtSignal(object)
    _told = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.folder: Path | None = None
        self._stop = False
        self._work = Worker("store", self)
        self._work.finished.connect(self._on_finished)
        self._work.failed.connect(lambda fault: self._end(str(fault), "warn"))
        self._told.connect(self._on_told)
        self.plan = Choice("Plan on the sheet")
        self.plan.currentIndexChanged.connect(self._show_plan)
        self.scales = ScaleChoices()
        for choice in (self.scales.unit, self.scales.meter):
            choice.currentIndexChanged.connect(self._show_columns)
        self.where = button("Folder of the logs …")
        self.where.clicked.connect(self._on_folder)
        self._kept: set[int] = set()  # rows whose pass is in the notebook
        self.table = QTableWidget(0, _STATE + 1)
        self.table.setAccessibleName("Run sheet")
        headings = (degrees.heading(words) if name in DEGREES else words for name, words in _COLUMNS)
        self.table.setHorizontalHeaderLabels(["pass", *headings, "what became of it"])
        self.table.itemChanged.connect(self._on_edited)
        header, side = self.table.horizontalHeader(), self.table.verticalHeader()
        if header is not None and side is not None:
            side.hide()
            header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            header.setStretchLastSection(True)
        self.words = Notice("How the run sheet goes", _FIRST)
        self.cancel = button("Cancel")
        self.cancel.clicked.connect(self.stop)
        self.cancel.hide()
        top = FlowLayout()
        top.setContentsMargins(0, 0, 0, 0)
        for widget in (label("plan", "soft"), self.plan, self.scales, self.where):
            top.addWidget(widget)
        foot = QHBoxLayout()
        foot.addWidget(self.words, 1)
        foot.addWidget(self.cancel)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        self.table.setMinimumHeight(160)
        layout.addWidget(self.table, 1)
        layout.addLayout(foot)

    # -- the sheet

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.plan.count() == 0:  # the first time only: what is typed stays
            self.refresh()

    def refresh(self) -> None:
        """Offer the plan being edited and those that are kept."""
        entries = [("", "as it stands in Plan")]
        for plan_id, body, at in self._session.notebook.plans():
            when = datetime.fromtimestamp(at / 1e9).strftime("%d %b %H:%M")
            title = self._session.name("title", question_from(body["question"]).title)
            entries.append((plan_id, f"{run_sheet.code_of(plan_id)}: {title}, {when}"))
        self.plan.offer(entries)
        self._show_plan()

    def _show_plan(self) -> None:
        session, plan_id = self._session, self.plan.key()
        done: frozenset[int] = frozenset()
        try:
            if plan_id:
                planned = sweep.load_plan(session.notebook, plan_id)
                passes, done = planned.passes, planned.done_indices
            elif session.rig is not None:
                passes = session.planned_passes()[0]
            else:
                passes = ()
        except HovrikError as fault:
            passes = ()
            self.words.say(str(fault), "warn")
        blocked = self.table.blockSignals(True)
        self.table.setRowCount(len(passes))
        self._kept = set()
        for row, planned in enumerate(passes):
            words = f"{planned.index + 1}  {describe(planned.setup)}" + (" heat" if planned.purpose == HEAT else "")
            self._set(row, 0, words, fixed=True)
            for column in range(1, _STATE):
                self._set(row, column, "", fixed=planned.index in done)
            self._set(row, _STATE, "kept" if planned.index in done else "", fixed=True)
            if planned.index in done:
                self._kept.add(row)
        self.table.blockSignals(blocked)
        self.table.resizeColumnToContents(0)
        self._show_columns()
        self.changed.emit()

    def _set(self, row: int, column: int, text: str, *, fixed: bool) -> None:
        item = QTableWidgetItem(text)
        item.setToolTip(text)
        if 0 < column < _STATE and _COLUMNS[column - 1][0] not in _WORDS:
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if fixed:
            item.setFlags(Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled)
            item.setForeground(QColor(tokens.current().soft))
        self.table.setItem(row, column, item)

    def _show_columns(self) -> None:
        scales = self.scales.scales()
        for column, (name, _) in enumerate(_COLUMNS, 1):
            hidden = (name in ("start_v", "end_v") and scales.unit is not GaugeUnit.MAH) or (
                name == "meter" and scales.place is None
            )
            self.table.setColumnHidden(column, hidden)
            self.table.setColumnWidth(column, _WIDTHS.get(name, 62))

    def rows(self) -> list[SheetRow]:
        """Lines with something on them whose pass is not kept yet."""
        found = []
        for row in range(self.table.rowCount()):
            texts = {name: self._text(row, column) for column, (name, _) in enumerate(_COLUMNS, 1)}
            texts |= {name: degrees.typed(texts[name]) for name in DEGREES}
            made = SheetRow(row, texts)
            if not made.is_empty and not self._is_kept(row):
                found.append(made)
        return found

    def _is_kept(self, row: int) -> bool:
        return row in self._kept

    def _on_edited(self, item: QTableWidgetItem) -> None:
        if not self._is_kept(item.row()):  # what was wrong with it was said of what stood there
            self._show_fate(item.row(), "")
        self.changed.emit()

    def _show_fate(self, row: int, words: str) -> None:
        blocked = self.table.blockSignals(True)
        self._set(row, _STATE, words, fixed=True)
        self.table.blockSignals(blocked)

    def _text(self, row: int, column: int) -> str:
        item = self.table.item(row, column)
        return item.text().strip() if item is not None else ""

    def _on_folder(self) -> None:
        name = ask_folder(self, "logs", "Folder of the logs")
        if name:
            self.take_folder(Path(name))

    def take_folder(self, folder: Path) -> None:
        """Where the logs named on the sheet lie."""
        self.folder = folder
        self.where.setText(f"Logs in {folder.name}")

    # -- storing

    @property
    def is_busy(self) -> bool:
        """Whether lines are being stored."""
        return not self.cancel.isHidden()

    def store(self) -> None:
        """Store every filled line; those that cannot be used stay as they are, with the reason."""
        session, rows, scales, folder = self._session, self.rows(), self.scales.scales(), self.folder
        if session.question is None or not rows:
            self.words.say("Choose a rig, OS slot, title and scene in the question line, and fill in a line.", "warn")
            return
        try:
            plan_id = self.plan.key() or sweep.keep_design(
                session.notebook, session.planned_question(), session.planned_design(), session.room_c, session.seen(),
                session.overhead,
            )  # fmt: skip
        except HovrikError as fault:
            self.words.say(str(fault), "warn")
            return
        if not self.plan.key():  # from now on these lines belong to a plan that is kept
            self.plan.offer([(plan_id, f"{run_sheet.code_of(plan_id)}: this sheet")])
        self._stop = False
        self.cancel.show()
        self.changed.emit()

        def told(done: RowDone) -> bool:
            self._told.emit(done)
            return not self._stop

        def work(_wanted: Wanted) -> list[RowDone]:
            with session.notebook.sibling() as notebook:
                return run_sheet.store(notebook, plan_id, rows, scales, folder, told)

        self._work.ask(work)

    def _on_told(self, done: RowDone) -> None:
        if done.stored or done.was_kept:
            self._kept.add(done.index)
        self._show_fate(done.index, done.words)
        self.words.say(f"pass {done.index + 1}: {done.words}")

    def _on_finished(self, done: list[RowDone]) -> None:
        stored, left = sum(one.stored for one in done), sum(not one.stored for one in done)
        words = f"{plural(stored, 'pass', 'passes')} stored."
        self._end(f"{words} {plural(left, 'line')} to be corrected." if left else words, "warn" if left else "soft")
        if stored:
            self.stored.emit([one.pass_id for one in done if one.stored])

    def _end(self, words: str, kind: str) -> None:
        self.cancel.hide()
        self.words.say(words, kind)
        self.changed.emit()

    def stop(self) -> None:
        """End after the line under way."""
        self._stop = True

    def finish(self) -> None:
        """End the work; for closing."""
        self.stop()
        self._work.close()
