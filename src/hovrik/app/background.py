"""One piece of work off the interface thread at a time; a newer one makes an older one stale."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ..core.errors import HovrikError


class Background(QObject):
    """Signals: finished (result), failed (HovrikError)."""

    finished = pyqtSignal(object)
    failed = pyqtSignal(object)
    _done = pyqtSignal(int, object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._generation = 0
        self._thread: threading.Thread | None = None
        self._done.connect(self._on_done)

    @property
    def is_busy(self) -> bool:
        """Whether work is under way."""
        return self._thread is not None and self._thread.is_alive()

    def run(self, work: Callable[[], Any]) -> None:
        """Start `work`; what an older one gives is dropped."""
        self._generation += 1
        generation = self._generation

        def body() -> None:
            try:
                result, fault = work(), None
            except HovrikError as known:
                result, fault = None, known
            self._done.emit(generation, result, fault)

        self._thread = threading.Thread(target=body, name="background", daemon=True)
        self._thread.start()

    def cancel(self) -> None:
        """Drop what is under way."""
        self._generation += 1

    def wait(self) -> None:
        """Wait for the thread; for closing."""
        if self._thread is not None:
            self._thread.join()

    def _on_done(self, generation: int, result: Any, fault: HovrikError | None) -> None:
        if generation != self._generation:
            return
        if fault is not None:
            self.failed.emit(fault)
        else:
            self.finished.emit(result)
