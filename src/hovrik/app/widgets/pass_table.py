"""The passes as a table: model and view."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QColor, QFontMetrics, QGuiApplication, QKeySequence, QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QTableView

from ...core import degrees
from ...core.facts.setup import describe
from ...core.facts.terms import School
from ...core.passes.figure import low_id
from ...core.passes.purpose import SWEEP, purpose
from ...service.gather import PassView
from ..theme import tokens

Column = tuple[str, Callable[[PassView, School], Any], int, str]

DIE = "die C"  # its heading says the unit that temperatures are shown in
_COLUMNS: tuple[Column, ...] = (
    ("verdict", lambda v, s: _verdict_words(v), -1, "Whether the pass counts"),
    ("setup", lambda v, s: describe(v.record.setup), -1, "What was asked for"),
    ("mean fps", lambda v, s: v.figures.value("mean_fps"), 1, "Frames over time"),
    ("low fps", lambda v, s: v.figures.value(low_id(s)), 1, "1 % low, by the school in the question"),
    ("stutters/min", lambda v, s: v.figures.value("stutters_per_min"), 1, "Runs of long frames"),
    ("package W", lambda v, s: v.figures.value("package_w"), 1, "Mean package power"),
    ("draw W", lambda v, s: v.figures.value("draw_w"), 1, "Mean battery draw"),
    (DIE, lambda v, s: _degrees(v.figures.value("die_c")), 0, "Where the die settles"),
    ("source", lambda v, s: _origin_words(v), -1, "Measured here or imported"),
)  # fmt: skip


def _degrees(celsius: float | None) -> float | None:
    return None if celsius is None else degrees.shown(celsius)


def _verdict_words(view: PassView) -> str:
    if view.deleted:
        return "taken out"
    words = view.verdict.state.value
    if view.verdict.overruled:
        return f"{words} (overruled)"
    return words if view.record.purpose == SWEEP else f"{purpose(view.record.purpose).label} pass"


def _origin_words(view: PassView) -> str:
    return {"measured": "measured", "imported": "imported", "summary": "summary"}[view.record.origin.value]


def _text(value: Any, digits: int) -> str:
    """A cell as it is shown; a dash where there is no value."""
    return value if isinstance(value, str) else "–" if value is None else f"{value:.{digits}f}"


def _alignment(column: int) -> Qt.AlignmentFlag:
    """Numbers to the right, words to the left, headings like their column."""
    side = Qt.AlignmentFlag.AlignRight if _COLUMNS[column][2] >= 0 else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter


class PassModel(QAbstractTableModel):
    """Passes as rows; numbers rounded on screen only. Texts and sort keys are made once, when rows change."""

    def __init__(self) -> None:
        super().__init__()
        self.views: tuple[PassView, ...] = ()
        self._school = School.PERCENTILE
        self._texts: list[list[str]] = []
        self._order = (1, Qt.SortOrder.AscendingOrder)

    def show(self, views: Sequence[PassView], school: School) -> None:
        """Replace the rows, in the order chosen last."""
        self.beginResetModel()
        self.views, self._school = tuple(views), school
        self._arrange()
        self.endResetModel()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self.beginResetModel()
        self._order = (column, order)
        self._arrange()
        self.endResetModel()

    def _arrange(self) -> None:
        column, order = self._order
        _, get, _, _ = _COLUMNS[column]

        def key(view: PassView) -> Any:
            if column == 1:
                return view.record.setup.static_limit_w or 0.0
            value = get(view, self._school)
            return value if value is not None else -1.0

        self.views = tuple(sorted(self.views, key=key, reverse=order is Qt.SortOrder.DescendingOrder))
        self._texts = [
            [_text(get(view, self._school), digits) for _, get, digits, _ in _COLUMNS] for view in self.views
        ]

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.views)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(_COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return degrees.heading(_COLUMNS[section][0]) if _COLUMNS[section][0] == DIE else _COLUMNS[section][0]
        if role == Qt.ItemDataRole.ToolTipRole:
            return _COLUMNS[section][3]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _alignment(section)
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self._texts[index.row()][index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _alignment(index.column())
        view = self.views[index.row()]
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._colour(view, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(view)
        return None

    def text_of(self, ids: Sequence[str]) -> str:
        """Rows of these passes as they are shown, headings first, tab-separated."""
        wanted = set(ids)
        rows = [texts for view, texts in zip(self.views, self._texts) if view.record.id in wanted]
        return "\n".join("\t".join(row) for row in ([words for words, *_ in _COLUMNS], *rows))

    def longest(self, column: int) -> str:
        """The longest text of a column."""
        return max((row[column] for row in self._texts), key=len, default="")

    def _colour(self, view: PassView, column: int) -> QColor | None:
        theme = tokens.current()
        if not view.counts:
            return QColor(theme.soft)
        if column == 0:
            return QColor(theme.warn if view.verdict.state.value == "suspect" else theme.good)
        return None

    def _tip(self, view: PassView) -> str:
        lines = ["another question's, or at another base: it stands beside"] if view.beside else []
        lines += [f"{f.check}: {f.evidence}. {f.advice}" for f in view.verdict.findings]
        lines += list(view.verdict.fact_words)
        if view.verdict.overruled:
            lines.append(f"overruled: {view.verdict.overruled}")
        return "\n".join(lines)


class PassTable(QTableView):
    """Sortable table of passes, several of which can be picked. shows_taken_out : whether those that were taken out
    are among its rows.

    Signals: pass_chosen (pass id), picked, take_out_asked, taken_out_wanted (whether).
    """

    pass_chosen = pyqtSignal(str)
    picked = pyqtSignal()
    take_out_asked = pyqtSignal()
    taken_out_wanted = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Passes")
        self.model_ = PassModel()
        self._chosen: str | None = None
        self._tells = True
        self.setModel(self.model_)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setAlternatingRowColors(True)
        self.setShowGrid(False)
        self.setSortingEnabled(True)
        self.sortByColumn(1, Qt.SortOrder.AscendingOrder)
        self.setTabKeyNavigation(False)
        header, rows = self.horizontalHeader(), self.verticalHeader()
        if header is not None:
            header.setFont(tokens.base_font(12))
            header.setMinimumSectionSize(40)
            header.setStretchLastSection(True)
        if rows is not None:
            rows.hide()
            rows.setDefaultSectionSize(30)
        self.model_.modelReset.connect(lambda: self.choose(self._chosen))
        selection = self.selectionModel()
        if selection is not None:
            selection.currentRowChanged.connect(self._on_row_changed)
            selection.selectionChanged.connect(lambda *_: self.picked.emit())
        self._add_actions()

    def _add_actions(self) -> None:
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        copy, out = QAction("Copy rows", self), QAction("Take out or bring back", self)
        copy.setShortcut(QKeySequence(QKeySequence.StandardKey.Copy))
        out.setShortcut(QKeySequence(QKeySequence.StandardKey.Delete))
        self._taken_out = QAction("Show what was taken out", self)
        self._taken_out.setCheckable(True)
        copy.triggered.connect(lambda _on: self.copy_rows())
        out.triggered.connect(lambda _on: self.take_out_asked.emit())
        self._taken_out.toggled.connect(self.taken_out_wanted)
        for action in (copy, out, self._taken_out):
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            self.addAction(action)

    @property
    def shows_taken_out(self) -> bool:
        """Whether passes that were taken out are wanted among the rows."""
        return self._taken_out.isChecked()

    def picked_ids(self) -> list[str]:
        """Ids of the rows that are selected, from top to bottom."""
        selection = self.selectionModel()
        rows = sorted(index.row() for index in selection.selectedRows()) if selection is not None else []
        return [self.model_.views[row].record.id for row in rows if row < len(self.model_.views)]

    def beside(self, ids: Sequence[str]) -> str | None:
        """The pass that comes after these, else the one before; None where there is no other."""
        own = [view.record.id for view in self.model_.views]
        at = [own.index(one) for one in ids if one in own]
        after = own[max(at) + 1 :] if at else []
        before = own[: min(at)] if at else []
        return after[0] if after else before[-1] if before else None

    def copy_rows(self) -> None:
        """Put the selected rows, with their headings, on the clipboard as tab-separated text."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.model_.text_of(self.picked_ids()))

    def show_passes(self, views: Sequence[PassView], school: School, selected: str | None) -> None:
        """Replace the rows and keep the selection."""
        self._chosen = selected
        self.model_.show(views, school)
        self._fit_columns()

    def _fit_columns(self) -> None:
        """Each column as wide as its longest text, so that all of them fit a small panel."""
        cells, heading = QFontMetrics(tokens.base_font(13)), QFontMetrics(tokens.base_font(12))
        header = self.horizontalHeader()
        sorted_by = header.sortIndicatorSection() if header is not None else -1
        for column, (words, *_) in enumerate(_COLUMNS):
            arrow = 16 if column == sorted_by else 0
            width = max(cells.horizontalAdvance(self.model_.longest(column)), heading.horizontalAdvance(words) + arrow)
            self.setColumnWidth(column, width + 13)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.scrollTo(self.currentIndex())

    def choose(self, pass_id: str | None) -> None:
        """Select a pass without telling."""
        self._chosen = pass_id
        row = next((n for n, view in enumerate(self.model_.views) if view.record.id == pass_id), None)
        if row is None:
            return
        self._tells = False
        if pass_id not in self.picked_ids():  # several that are picked stay so
            self.selectRow(row)
        self._tells = True
        self.scrollTo(self.model_.index(row, 0))

    def _on_row_changed(self, current: QModelIndex, _before: QModelIndex) -> None:
        if current.isValid() and self._tells:
            self._chosen = self.model_.views[current.row()].record.id
            self.pass_chosen.emit(self._chosen)
