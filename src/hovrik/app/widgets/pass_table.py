"""The passes as a table: model and view."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QTableView

from ...core.figures import low_of
from ...core.question import School
from ...core.setup import describe
from ...service.evidence import PassView
from ..theme import tokens

Column = tuple[str, Callable[[PassView, School], Any], int, str]

_COLUMNS: tuple[Column, ...] = (
    ("verdict", lambda v, s: _verdict_words(v), -1, "Whether the pass counts"),
    ("setup", lambda v, s: describe(v.record.setup), -1, "What was asked for"),
    ("mean fps", lambda v, s: v.figures.mean_fps, 1, "Frames over time"),
    ("low fps", lambda v, s: low_of(v.figures, s), 1, "1 % low, by the school in the question"),
    ("stutters/min", lambda v, s: _stutters(v), 1, "Runs of long frames"),
    ("package W", lambda v, s: v.figures.package_w, 1, "Mean package power"),
    ("draw W", lambda v, s: v.figures.draw_w, 1, "Mean battery draw"),
    ("die C", lambda v, s: v.figures.die.value_c if v.figures.die else None, 0, "Where the die settles"),
    ("source", lambda v, s: _origin_words(v), -1, "Measured here or imported"),
)  # fmt: skip


def _verdict_words(view: PassView) -> str:
    if view.deleted:
        return "taken out"
    words = view.verdict.state.value
    if view.verdict.overruled:
        return f"{words} (overruled)"
    return words if view.record.purpose == "sweep" else "heat pass"


def _stutters(view: PassView) -> float | None:
    return view.figures.frames.stutters_per_min if view.figures.frames else None


def _origin_words(view: PassView) -> str:
    return {"measured": "measured", "imported": "imported", "summary": "summary"}[view.record.origin.value]


def _alignment(column: int) -> Qt.AlignmentFlag:
    """Numbers to the right, words to the left, headings like their column."""
    side = Qt.AlignmentFlag.AlignRight if _COLUMNS[column][2] >= 0 else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter


class PassModel(QAbstractTableModel):
    """Passes as rows; numbers rounded on screen only."""

    def __init__(self) -> None:
        super().__init__()
        self.views: tuple[PassView, ...] = ()
        self._school = School.PERCENTILE

    def show(self, views: Sequence[PassView], school: School) -> None:
        """Replace the rows."""
        self.beginResetModel()
        self.views, self._school = tuple(views), school
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.views)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(_COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return _COLUMNS[section][0]
        if role == Qt.ItemDataRole.ToolTipRole:
            return _COLUMNS[section][3]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _alignment(section)
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        view = self.views[index.row()]
        _, get, digits, _ = _COLUMNS[index.column()]
        value = get(view, self._school)
        if role == Qt.ItemDataRole.DisplayRole:
            return value if isinstance(value, str) else "–" if value is None else f"{value:.{digits}f}"
        if role == Qt.ItemDataRole.UserRole:  # for sorting
            if index.column() == 1:
                return view.record.setup.static_limit_w or 0.0
            return value if value is not None else -1.0
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _alignment(index.column())
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._colour(view, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(view)
        return None

    def _colour(self, view: PassView, column: int) -> QColor | None:
        theme = tokens.current()
        if not view.counts:
            return QColor(theme.soft)
        if column == 0:
            return QColor(theme.warn if view.verdict.state.value == "suspect" else theme.good)
        return None

    def _tip(self, view: PassView) -> str:
        lines = [f"{f.check}: {f.evidence}. {f.next_step}" for f in view.verdict.findings]
        lines += list(view.verdict.facts)
        if view.verdict.overruled:
            lines.append(f"overruled: {view.verdict.overruled}")
        return "\n".join(lines)


class PassTable(QTableView):
    """Sortable table of passes. Signals: pass_chosen (pass id)."""

    pass_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Passes")
        self.model_ = PassModel()
        self._sorted = QSortFilterProxyModel()
        self._sorted.setSourceModel(self.model_)
        self._sorted.setSortRole(Qt.ItemDataRole.UserRole)
        self.setModel(self._sorted)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
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
        selection = self.selectionModel()
        if selection is not None:
            selection.currentRowChanged.connect(self._on_row_changed)

    def show_passes(self, views: Sequence[PassView], school: School, selected: str | None) -> None:
        """Replace the rows and keep the selection."""
        selection = self.selectionModel()
        blocked = selection.blockSignals(True) if selection is not None else False
        self.model_.show(views, school)
        self._fit_columns()
        self.choose(selected)
        if selection is not None:
            selection.blockSignals(blocked)

    def _fit_columns(self) -> None:
        """Each column as wide as its longest text, so that all of them fit a small panel."""
        cells, heading = QFontMetrics(tokens.base_font(13)), QFontMetrics(tokens.base_font(12))
        for column, (words, *_) in enumerate(_COLUMNS[:-1]):  # the last one stretches
            texts = {str(self.model_.data(self.model_.index(row, column))) for row in range(self.model_.rowCount())}
            longest = max(texts, key=len, default="")
            arrow = 16 if column == self._sorted.sortColumn() else 0
            width = max(cells.horizontalAdvance(longest), heading.horizontalAdvance(words) + arrow)
            self.setColumnWidth(column, width + 15)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.scrollTo(self.currentIndex())

    def choose(self, pass_id: str | None) -> None:
        """Select a pass without telling."""
        for row, view in enumerate(self.model_.views):
            if view.record.id == pass_id:
                index = self._sorted.mapFromSource(self.model_.index(row, 0))
                self.selectRow(index.row())
                self.scrollTo(index)
                return

    def _on_row_changed(self, current: QModelIndex, _before: QModelIndex) -> None:
        row = self._sorted.mapToSource(current).row()
        if 0 <= row < len(self.model_.views):
            self.pass_chosen.emit(self.model_.views[row].record.id)
