"""Starts the window: application, fonts, theme, notebook."""

from __future__ import annotations

import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from ..store.notebook import default_path
from .main_window import MainWindow
from .session import Session
from .theme import tokens

DESKTOP_NAME = "hovrik"


def make_application() -> QApplication:
    """The application object with fonts, icon and theme; the one there is, where there is one."""
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
    return application


def run_window(path: Path | None) -> int:
    """Open the window on a notebook (the user's own by default); exit status. Raises HovrikError."""
    application = make_application()
    window = MainWindow(Session(path or default_path()))
    window.show()
    return int(application.exec())
