"""Driving the real window: open, wait, type, click."""

import threading
from contextlib import contextmanager

from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from hovrik.app.knock import knock
from hovrik.app.main_window import MainWindow
from hovrik.app.session import Session
from hovrik.app.start import make_application
from hovrik.app.worker import Worker


@contextmanager
def opened(path, qtbot, *, evaluated=True):
    """The window on a notebook; closed afterwards."""
    make_application()
    window = MainWindow(Session(path))
    window.resize(1280, 800)
    window.show()
    window.activateWindow()
    if evaluated and window.session.question is not None:
        qtbot.waitUntil(lambda: window.session.evaluation is not None, timeout=60_000)
    try:
        yield window
    finally:
        window.close()
        window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def knocked(qtbot, path, words):
    """Whether a window hears something that is told from elsewhere, while its own events go on."""
    heard = []
    caller = threading.Thread(target=lambda: heard.append(knock(path, words)))
    caller.start()
    qtbot.waitUntil(lambda: bool(heard), timeout=10_000)
    caller.join()
    return heard[0]


def at_rest(parent, qtbot):
    """Wait until nothing that was asked for below `parent` is under way."""
    workers = parent.findChildren(Worker)
    qtbot.waitUntil(lambda: not any(worker.is_busy for worker in workers), timeout=60_000)


def click(widget):
    """A click in the middle of a widget that is shown and enabled."""
    assert widget.isVisible() and widget.isEnabled(), widget.accessibleName() or widget.text()
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(widget.width() // 2, widget.height() // 2))


def type_number(field, text):
    """Replace a number as a person would: select, type, leave."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Tab)


def button_named(parent, start):
    """The visible button whose text starts so."""
    found = [b for b in parent.findChildren(QPushButton) if b.isVisible() and b.text().startswith(start)]
    assert len(found) == 1, [b.text() for b in found]
    return found[0]


def texts(parent):
    """Every text that a label below `parent` shows, joined."""
    from PyQt6.QtWidgets import QLabel

    return "\n".join(one.text() for one in parent.findChildren(QLabel) if one.isVisible())
