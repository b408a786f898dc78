"""Two OS slots, or two rigs, over all titles: a row a title, the pooled ratio last."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...core.read.contrast import Contrast
from ...core.stats.ratios import PooledRatio
from ...service.over_titles import OverTitles, levels_of, over_titles
from ..session import Session
from ..worker import Wanted, Worker
from .fields import Choice, Notice, label
from .flow import FlowLayout

HEADINGS = ("Title", "Scene", "Rate, %", "Draw, %", "Package power, %", "Beside")
FIGURES = ("mean_fps", "draw_w", "package_w")
CHOICE_PX = 240


class TitlesPage(QWidget):
    """factor : slot or rig. found : what the table shows, None while it is read."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.factor = "slot"
        self.found: OverTitles | None = None
        self._worker = Worker("titles", self)
        self._worker.finished.connect(self._on_found)
        self._worker.failed.connect(lambda fault: self.words.say(str(fault), "warn"))
        self.a, self.b = Choice("First of the two"), Choice("Second of the two")
        self.words = Notice("What the titles say together")
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setAccessibleName("Titles side by side")
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            for at in range(len(HEADINGS)):
                wide = at in (0, 5)
                mode = QHeaderView.ResizeMode.Stretch if wide else QHeaderView.ResizeMode.ResizeToContents
                columns.setSectionResizeMode(at, mode)
        chosen = QWidget()
        flow = FlowLayout(chosen)
        flow.setContentsMargins(0, 0, 0, 2)
        for name, field in (("of", self.a), ("over", self.b)):
            field.setMaximumWidth(CHOICE_PX)
            flow.addWidget(label(name))
            flow.addWidget(field)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for widget in (chosen, self.words):
            column.addWidget(widget)
        column.addWidget(self.table, 1)
        for field in (self.a, self.b):
            field.currentIndexChanged.connect(lambda _at: self.read())

    def offer(self, factor: str) -> None:
        """What can be compared, by slot or by rig; then read it."""
        question = self._session.question
        if question is None:
            return
        entries = levels_of(self._session.notebook, question, factor)
        if factor != self.factor or not self.a.count():
            self.factor = factor
            for at, field in enumerate((self.a, self.b)):
                field.offer(entries)
                field.show_key(entries[min(at, len(entries) - 1)][0] if entries else "")
        self.read()

    def read(self) -> None:
        """Read every title on the worker."""
        question, a, b, factor = self._session.question, self.a.key(), self.b.key(), self.factor
        self.found = None
        if question is None or not a or not b or a == b:
            self.table.setRowCount(0)
            self.words.say("Choose two." if question is not None else "No passes yet.")
            return
        self.words.say("Reading every title …")
        notebook = self._session.notebook

        def work(wanted: Wanted) -> OverTitles:
            with notebook.sibling() as own:
                return over_titles(own, question, factor, a, b, wanted)

        self._worker.ask(work)

    def _on_found(self, found: OverTitles) -> None:
        self.found = found
        told = [row for row in found.rows if row.found]
        self.table.setRowCount(len(found.rows) + bool(found.pooled))
        for place, row in enumerate(found.rows):
            cells = [row.title, row.scene, *(_of_one(row.found.get(key)) for key in FIGURES), row.why]
            self._fill(place, cells)
        if found.pooled:
            cells = ["All titles", f"{len(told)} matched", *(_of_all(found.pooled.get(key)) for key in FIGURES)]
            self._fill(len(found.rows), [*cells, "interval for the next title: " + _next(found.pooled)])
        names = self.a.currentText(), self.b.currentText()
        self.words.say(words_of(found, names), "good" if found.pooled else "soft")

    def _fill(self, place: int, cells: list[str]) -> None:
        for column, text in enumerate(cells):
            item = QTableWidgetItem(text)
            item.setToolTip(text)
            if 1 < column < 5:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(place, column, item)


def words_of(found: OverTitles, names: tuple[str, str]) -> str:
    """What all titles say together; how many say nothing."""
    told, rest = sum(bool(row.found) for row in found.rows), sum(not row.found for row in found.rows)
    left = f" {rest} of the scenes cannot be matched; why stands beside them." if rest else ""
    if not found.pooled:
        return f"Two titles measured in both are needed; there {'is' if told == 1 else 'are'} {told}.{left}"
    parts = []
    for key, what in (("mean_fps", "rate"), ("draw_w", "draw")):
        if (one := found.pooled.get(key)) is not None:
            parts.append(f"{what} {_signed(one.estimate.low)} to {_signed(one.estimate.high)} %")
    return f"{names[0]} over {names[1]}, {told} titles, percent of the second: {', '.join(parts)}.{left}"


def _of_one(one: Contrast | None) -> str:
    if one is None or one.percent is None:
        return "–"
    low, high = sorted(one.percent[1:])
    return f"{_signed(one.percent[0])} ({_signed(low)} to {_signed(high)})"


def _of_all(one: PooledRatio | None) -> str:
    if one is None:
        return "–"
    return f"{_signed(one.estimate.value)} ({_signed(one.estimate.low)} to {_signed(one.estimate.high)})"


def _next(pooled: dict[str, PooledRatio]) -> str:
    one = pooled.get("mean_fps") or next(iter(pooled.values()))
    return f"{_signed(one.next_one[0])} to {_signed(one.next_one[1])} %"


def _signed(number: float | None) -> str:
    return f"{round(number, 1) + 0.0:+.1f}" if number is not None else "–"
