"""Starts the window: application, fonts, theme, notebook."""

from __future__ import annotations

import gc
import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication
from pyqtgraph.util.garbage_collector import GarbageCollector

from ..store.notebook import default_path
from .main_window import MainWindow
from .session import Session
from .theme import tokens

DESKTOP_NAME = "hovrik"
SWITCH_S = 0.0005  # a thread that computes lets the window have its turn this soon
_COLLECTOR = "collector"


def make_application() -> QApplication:
    """The application object with fonts, icon and theme; the one there is, where there is one.

    Python's collector would free what closed windows left on whichever thread allocates, or while Qt draws it, and the
    process would end; so it runs once a second from the event loop instead.
    """
    sys.setswitchinterval(SWITCH_S)
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    if application.desktopFileName() == DESKTOP_NAME:
        return application
    application.setApplicationName("Hovrik")
    application.setDesktopFileName(DESKTOP_NAME)
    tokens.load_fonts()
    with resources.as_file(resources.files("hovrik.app.theme").joinpath("icon.svg")) as icon:
        application.setWindowIcon(QIcon(str(icon)))
    tokens.follow_desktop(application)
    application.setProperty(_COLLECTOR, GarbageCollector())
    return application


def run_window(path: Path | None) -> int:
    """Open the window on a notebook (the user's own by default); exit status. Raises HovrikError."""
    application = make_application()
    window = MainWindow(Session(path or default_path()))
    window.show()
    gc.freeze()  # what lives as long as the window needs no looking through every time
    return int(application.exec())
