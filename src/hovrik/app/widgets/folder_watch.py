"""Tells of new logs in a folder once they are whole: a file counts when its size has stood still for two looks."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QPushButton

from ...core.errors import HovrikError
from ...service.imports.many import logs_in
from ..file_names import ask_folder

LOOK_MS = 1000


class FolderWatch(QPushButton):
    """The button that begins and ends a watch. Files there at the start are not told.

    Signals: arrived (Path), watching (Path, or None once it has ended), failed (text; nothing is watched).
    Looks on a timer, since notices of the file system do not reach over a network share.
    """

    arrived = pyqtSignal(object)
    watching = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, tip: str) -> None:
        super().__init__()
        self.setAutoDefault(False)
        self.setToolTip(tip)
        self.folder: Path | None = None
        self._told: set[Path] = set()
        self._sizes: dict[Path, int] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        self.clicked.connect(self._on_clicked)
        self._follow(None)

    def _on_clicked(self) -> None:
        if self.folder is not None:
            self.watch(None)
            return
        name = ask_folder(self, "logs", "Folder to watch")
        if name:
            self.watch(Path(name))

    def watch(self, folder: Path | None) -> None:
        """Watch a folder; None ends it."""
        try:
            told = set(logs_in(folder)) if folder is not None else set()
        except HovrikError as fault:
            self._follow(None)
            self.failed.emit(str(fault))
            return
        self._told, self._sizes = told, {}
        self._follow(folder)
        self.watching.emit(folder)

    def _follow(self, folder: Path | None) -> None:
        self.folder = folder
        self.setText("Watch a folder …" if folder is None else f"Stop watching {folder.name}")
        if folder is None:
            self._timer.stop()
        else:
            self._timer.start()

    def look(self) -> None:
        """Look now."""
        if self.folder is None:
            return
        try:
            sizes = {path: path.stat().st_size for path in logs_in(self.folder) if path not in self._told}
        except (HovrikError, OSError) as fault:
            self._follow(None)
            self.failed.emit(f"The folder is no longer watched: {fault}")
            return
        whole = [path for path, size in sizes.items() if size and self._sizes.get(path) == size]
        self._sizes = sizes
        for path in whole:
            self._told.add(path)
            self.arrived.emit(path)
