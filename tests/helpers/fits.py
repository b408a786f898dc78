"""What does not fit of a window that is shown: cut off, sideways, out of reach, on top of each other."""

import time

import pyqtgraph as pg
from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractScrollArea,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QTabBar,
)

from hovrik.app.plots.live import LiveTraces
from hovrik.app.widgets.elided import ElidedLabel
from hovrik.app.widgets.pages import Scroll
from hovrik.app.worker import Worker

CONTROLS = (QAbstractButton, QComboBox, QLineEdit, QAbstractSpinBox, QAbstractItemView, QTabBar)
PICTURE_PX = 240


def area_of(widget):
    """The nearest scroll area or list that a widget stands in, None for none."""
    parent = widget.parentWidget()
    while parent is not None and not parent.isWindow():
        if isinstance(parent, QAbstractScrollArea):
            return parent
        parent = parent.parentWidget()
    return None


def name_of(widget):
    """Words for a widget in a fault."""
    text = widget.text() if hasattr(widget, "text") else ""
    return f"{type(widget).__name__} {widget.accessibleName() or text}"


def inside(widget, outer):
    """The widget's rectangle in `outer` and whether it lies in it: wholly, and across at least."""
    rect = QRect(widget.mapTo(outer, QPoint(0, 0)), widget.size())
    return outer.rect().contains(rect), rect.left() >= 0 and rect.right() <= outer.rect().right()


def faults(window, least_picture=0):
    """Everything that does not fit; an empty list where all does."""
    workers, late = window.findChildren(Worker), time.monotonic() + 60.0
    while any(one.is_busy for one in workers) and time.monotonic() < late:
        QApplication.processEvents()
    for _ in range(3):  # words that come from a thread, then the room that they ask for
        QApplication.processEvents()
    found = []
    for control in window.findChildren(CONTROLS):
        if not control.isVisible() or not control.isEnabled():
            continue
        area = area_of(control)
        if area is None and control.visibleRegion().isNull():
            found.append(f"out of sight: {name_of(control)}")
            continue
        if area is None:
            whole, _ = inside(control, window)
            own, _ = inside(control, control.parentWidget())
            if not whole or not own:
                found.append(f"cut off: {name_of(control)}")
        elif not isinstance(area, QAbstractItemView):
            _, across = inside(control, area.viewport())
            if not across:
                found.append(f"cut off sideways: {name_of(control)}")
    for area in window.findChildren(Scroll):
        if area.isVisible() and area.widget().width() > area.viewport().width():
            found.append(f"scrolls sideways: {area.widget().width()} in {area.viewport().width()}")
    for one in window.findChildren(QLabel):
        if not one.isVisible() or not one.text() or isinstance(one, ElidedLabel):
            continue
        if not one.wordWrap() and one.width() < one.sizeHint().width() - 1:
            found.append(f"words cut: {one.text()[:60]} ({one.width()} of {one.sizeHint().width()})")
        if one.wordWrap() and one.height() < one.heightForWidth(one.width()) - 1:
            found.append(f"lines cut: {one.text()[:60]}")
    return found + pictures(window, least_picture)


def pictures(window, least):
    """Pictures that are too low, and words in plots that meet or leave them."""
    found = []
    plots = [plot for plot in window.findChildren(pg.PlotWidget) if plot.isVisible()]
    live = [one for one in window.findChildren(LiveTraces) if one.isVisible()]
    for one in live or plots:
        if one.height() < least:
            found.append(f"a picture of {one.height()} px: {one.accessibleName()}")
    for plot in plots:
        shown, room = plot.labels.shown, plot.getPlotItem().getViewBox().sceneBoundingRect()
        for at, (words, rect) in enumerate(shown):
            if not room.adjusted(-1, -1, 1, 1).contains(rect):
                found.append(f"leaves the plot: {words}")
            found += [f"meets: {words} and {other}" for other, own in shown[:at] if own.intersects(rect)]
    return found


def walk(window):
    """Show every stage and page in turn; (stage, page) each time."""
    for name in list(window.stage_buttons):
        window.show_stage(name)
        stage = window.stage(name)
        for at in range(max(stage.pages.bar.count(), 1)):
            stage.pages.bar.setCurrentIndex(at)
            QApplication.processEvents()
            yield name, stage.pages.page
