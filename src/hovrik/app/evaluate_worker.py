"""Figures off the interface thread. A newer request makes an older one stale; stale results are dropped."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal, pyqtSlot

from ..core.errors import HovrikError
from ..core.questions.question import Question
from ..store.notebook import Notebook


class _Analyst(QObject):
    """Lives on the worker thread with a notebook connection of its own."""

    done = pyqtSignal(int, object)
    failed = pyqtSignal(int, str)
    progressed = pyqtSignal(int, int, int)

    def __init__(self, open_notebook: Callable[[], Notebook], newest: Callable[[], int]) -> None:
        super().__init__()
        self._open, self._newest = open_notebook, newest
        self._notebook: Notebook | None = None

    @pyqtSlot(int, object)
    def work(self, generation: int, question: Question) -> None:
        if generation != self._newest():
            return
        from ..service.gather import Cancelled, evaluate  # SciPy loads here, after the first paint

        def progress(done: int, total: int) -> bool:
            self.progressed.emit(generation, done, total)
            return generation == self._newest()

        try:
            if self._notebook is None:
                self._notebook = self._open()
            found = evaluate(self._notebook, question, progress)
        except Cancelled:
            return
        except HovrikError as fault:
            self.failed.emit(generation, str(fault))
            return
        self.done.emit(generation, found)

    @pyqtSlot()
    def close(self) -> None:
        if self._notebook is not None:
            self._notebook.close()
            self._notebook = None


class EvaluateWorker(QObject):
    """Asks for figures and hands over the newest ones only.

    Signals: evaluated (Evaluation), failed (text), progressed (done, total), idle.
    """

    evaluated = pyqtSignal(object)
    failed = pyqtSignal(str)
    progressed = pyqtSignal(int, int)
    _asked = pyqtSignal(int, object)
    _closing = pyqtSignal()

    def __init__(self, open_notebook: Callable[[], Notebook]) -> None:
        super().__init__()
        self._generation = 0
        self.is_busy = False
        self._thread = QThread()
        self._thread.setObjectName("analyst")
        self._analyst = _Analyst(open_notebook, lambda: self._generation)
        self._analyst.moveToThread(self._thread)
        self._asked.connect(self._analyst.work)
        self._closing.connect(self._analyst.close)
        self._analyst.done.connect(self._on_done)
        self._analyst.failed.connect(self._on_failed)
        self._analyst.progressed.connect(self._on_progressed)
        self._thread.start()

    def ask(self, question: Question) -> None:
        """Figures for a question; an older request still under way is dropped."""
        self._generation += 1
        self.is_busy = True
        self._asked.emit(self._generation, question)

    def close(self) -> None:
        """End the thread, dropping what is under way."""
        self._generation += 1
        self._closing.emit()
        self._thread.quit()
        self._thread.wait()

    def _on_done(self, generation: int, found: Any) -> None:
        if generation == self._generation:
            self.is_busy = False
            self.evaluated.emit(found)

    def _on_failed(self, generation: int, text: str) -> None:
        if generation == self._generation:
            self.is_busy = False
            self.failed.emit(text)

    def _on_progressed(self, generation: int, done: int, total: int) -> None:
        if generation == self._generation:
            self.progressed.emit(done, total)
