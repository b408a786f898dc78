"""A plot in the theme's colours: axes with units, hover read-out, reset, copy as image and as data."""

from __future__ import annotations

import time
from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtGui import QAction, QColor, QFocusEvent, QGuiApplication, QShowEvent
from PyQt6.QtWidgets import QWidget

from ..theme import tokens
from .labels import Labels

SOON_MS = 12  # between what is asked for and a picture of it

pg.setConfigOptions(antialias=False)


class Plot(pg.PlotWidget):
    """A themed plot. Subclasses redraw in `redraw`, from plain data they keep, so that a theme change redraws.

    name : accessible name; labels : its words. What is shown is drawn a little later (`redraw_soon`).
    """

    _next_s = 0.0  # when the next of all plots may be drawn

    def __init__(self, name: str, x_label: str, y_label: str, parent: QWidget | None = None) -> None:
        super().__init__(parent, enableMenu=False)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._data: dict[str, Sequence[float]] = {}
        self._whole = False  # whether the zoom is reset with the next drawing
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._draw_if_seen)
        self._is_due = False
        self._labels = (x_label, y_label)
        self._hinted: tuple[str, str] | None = None
        self.setMenuEnabled(False)
        self.hideButtons()
        self._hover = pg.TextItem(anchor=(0, 1))
        self._hover.setZValue(50)
        self._hover.hide()
        self.addItem(self._hover, ignoreBounds=True)
        self.labels = Labels(self)
        self.scene().sigMouseMoved.connect(self._on_moved)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        for words, shortcut, slot in (
            ("Show all", "Home", self.show_all),
            ("Copy as image", "Ctrl+Shift+C", self.copy_image),
            ("Copy as data", "Ctrl+C", self.copy_data),
        ):
            action = QAction(words, self)
            action.setShortcut(shortcut)
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            action.triggered.connect(lambda _checked, run=slot: run())
            self.addAction(action)
        self._style()

    def _style(self) -> None:
        theme = tokens.current()
        self.setBackground(QColor(theme.sheet))
        for side, text in (("bottom", self._labels[0]), ("left", self._labels[1])):
            axis = self.getAxis(side)
            axis.setPen(QColor(theme.rule))
            axis.setTextPen(QColor(theme.soft))
            axis.setStyle(tickFont=tokens.base_font(11), maxTickLevel=0, tickLength=-4)
            axis.setLabel(text, color=theme.soft, **{"font-size": "12px"})
        self._hover.setColor(QColor(theme.ink))
        self._hover.fill = pg.mkBrush(QColor(theme.sheet))
        self._hover.border = pg.mkPen(QColor(theme.rule))

    def retheme(self) -> None:
        """Draw anew in the present theme; a plot that was closed has nothing left to draw."""
        if self.plotItem is None:
            return
        self._style()
        self.redraw()

    def redraw(self) -> None:
        """Draw from the data kept; for subclasses."""

    def redraw_soon(self, *, whole: bool = False) -> None:
        """Draw once the turn under way is over, several askings in one; not before it is in sight. whole : reset the
        zoom too."""
        self._whole, self._is_due = self._whole or whole, True
        self._soon.start()

    def catch_up(self) -> None:
        """Draw now what waits to be drawn."""
        if self._is_due and self.plotItem is not None:
            self._soon.stop()
            self._is_due = False
            self.redraw()
            if self._whole:
                self.show_all()
            self._whole = False

    def _draw_if_seen(self) -> None:
        if not self.isVisible():
            return
        if time.monotonic() < Plot._next_s:
            self._soon.start()  # one a turn, so that a key pressed meanwhile is not kept waiting
            return
        self.catch_up()
        Plot._next_s = time.monotonic() + SOON_MS / 2000

    def showEvent(self, event: QShowEvent | None) -> None:
        """What was missed is drawn."""
        super().showEvent(event)
        if self._is_due:
            self._soon.start()

    @property
    def data(self) -> dict[str, Sequence[float]]:
        """Columns drawn, heading to values."""
        self.catch_up()
        return self._data

    @data.setter
    def data(self, columns: dict[str, Sequence[float]]) -> None:
        self._data = columns

    def wipe(self) -> None:
        """Remove everything drawn but the hover text."""
        for item in list(self.getPlotItem().items):
            if item is not self._hover:
                self.removeItem(item)
        self._hover.hide()  # what it says is of what was drawn
        self._hinted = None
        self.labels.clear()

    def show_all(self) -> None:
        """Reset the zoom."""
        self.enableAutoRange()

    def copy_image(self) -> None:
        """Put a picture of the plot on the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            self.catch_up()
            self._hover.hide()
            clipboard.setPixmap(self.grab())

    def copy_data(self) -> None:
        """Put the drawn data on the clipboard as tab-separated text."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.data_text())

    def data_text(self) -> str:
        """The drawn data as tab-separated text; shorter columns end in blanks."""
        longest = max((len(v) for v in self.data.values()), default=0)
        rows = ["\t".join(self.data)]
        for index in range(longest):
            rows.append("\t".join(f"{v[index]:.6g}" if index < len(v) else "" for v in self.data.values()))
        return "\n".join(rows)

    def hint(self, text: str) -> None:
        """Show what to do while there is nothing to draw."""
        shown = (text, tokens.current().name)
        if shown == self._hinted:
            return
        self.wipe()
        self._hinted = shown
        self.data = {}
        item = pg.TextItem(text, color=tokens.current().soft, anchor=(0.5, 0.5))
        item.setFont(tokens.base_font(13))
        self.addItem(item)
        item.setPos(0.5, 0.5)
        self.setXRange(0, 1)
        self.setYRange(0, 1)
        for side in ("bottom", "left"):
            self.getAxis(side).setStyle(showValues=False)

    def unhint(self) -> None:
        """Show axis values again."""
        for side in ("bottom", "left"):
            self.getAxis(side).setStyle(showValues=True)

    def read_out(self, x: float, y: float) -> str:
        """Text for a place on the plot; "" for none. For subclasses."""
        return ""

    def leaveEvent(self, event: QEvent | None) -> None:
        """The read-out goes with the pointer."""
        self._hover.hide()
        super().leaveEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """And when something opens over the plot."""
        self._hover.hide()
        super().focusOutEvent(event)

    def _on_moved(self, place: QPointF) -> None:
        box = self.getPlotItem().getViewBox()
        if not box.sceneBoundingRect().contains(place):
            self._hover.hide()
            return
        at = box.mapSceneToView(place)
        text = self.read_out(at.x(), at.y())
        self._hover.setVisible(bool(text))
        if text:
            (left, right), (bottom, top) = box.viewRange()
            self._hover.setText(text)
            beside = 1.05 if at.x() > (left + right) / 2 else -0.05
            self._hover.setAnchor((beside, 0 if at.y() > (bottom + top) / 2 else 1))
            self._hover.setPos(at.x(), at.y())


def pen(quantity: str, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> pg.QtGui.QPen:
    """The pen of a quantity."""
    return pg.mkPen(QColor(tokens.current().data[quantity]), width=width, style=style)


def nearest(values: Sequence[float], x: float) -> int:
    """Index of the value nearest to x (values not empty)."""
    return int(np.abs(np.asarray(values) - x).argmin())
