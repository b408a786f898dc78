"""Starts the window: application, fonts, theme, notebook."""

from __future__ import annotations

import gc
import os
import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication
from pyqtgraph.util.garbage_collector import GarbageCollector

from .. import __version__
from ..core import degrees
from ..store.notebook import default_path
from .arrivals import Arrival, kind_of
from .desktop import ask_to_make, scale_wanted
from .knock import SHOW, SHOW_S, bring, knock
from .main_window import MainWindow
from .session import Session
from .settings import DEGREES, remembered
from .single import Doorbell
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
    degrees.choose(str(remembered(DEGREES, "C")))
    existing = QApplication.instance()
    if existing is None and scale_wanted() != 1.0:
        os.environ.setdefault("QT_SCALE_FACTOR", str(scale_wanted()))
    application = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    if application.desktopFileName() == DESKTOP_NAME:
        return application
    application.setApplicationName("Hovrik")
    application.setApplicationVersion(__version__)
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
    brought = None if path is None or kind_of(path) is Arrival.NOTEBOOK else path  # anything else goes into one's own
    own = default_path() if path is None or brought is not None else path
    if own is path and not own.exists() and not ask_to_make(own):
        return 1
    if bring(own, brought) if brought is not None else knock(own, SHOW, SHOW_S):
        return 0
    window = MainWindow(Session(own))
    window.ask_when_running(Doorbell(own, window))
    window.show()
    if brought is not None:
        window.desktop.open_path(brought)
    gc.freeze()  # what lives as long as the window needs no looking through every time
    return int(application.exec())
