"""Tells of new logs in a folder once they are whole: a file counts when its size has stood still for two looks."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ..core.errors import HovrikError
from ..service.batch import logs_in

LOOK_MS = 1000


class FolderWatch(QObject):
    """Signals: arrived (Path), failed (text; the watch has ended). Files there at the start are not told.

    Looks on a timer, since notices of the file system do not reach over a network share.
    """

    arrived = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder: Path | None = None
        self._told: set[Path] = set()
        self._sizes: dict[Path, int] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)

    def watch(self, folder: Path | None) -> None:
        """Watch a folder; None ends it. Raises InputError where it cannot be read."""
        self._timer.stop()
        self.folder = None
        if folder is not None:
            self._told, self._sizes, self.folder = set(logs_in(folder)), {}, folder
            self._timer.start()

    def look(self) -> None:
        """Look now."""
        if self.folder is None:
            return
        try:
            sizes = {path: path.stat().st_size for path in logs_in(self.folder) if path not in self._told}
        except (HovrikError, OSError) as fault:
            self.watch(None)
            self.failed.emit(f"The folder is no longer watched: {fault}")
            return
        whole = [path for path, size in sizes.items() if size and self._sizes.get(path) == size]
        self._sizes = sizes
        for path in whole:
            self._told.add(path)
            self.arrived.emit(path)
