"""Figures off the interface thread. A newer request makes an older one stale; stale results are dropped."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from ..core.questions.question import Question
from ..service.gather import Evaluation
from ..service.memory import Cancelled, Memory
from ..store.notebook import Notebook
from .worker import Wanted, Worker

MOST_AT_ONCE = 300  # passes that are looked through before the first answer


class EvaluateWorker(QObject):
    """Asks for figures and hands over the newest ones only, with a notebook connection of its own.

    Signals: evaluated (Evaluation), failed (text), progressed (done, total).
    """

    evaluated = pyqtSignal(object)
    failed = pyqtSignal(str)
    progressed = pyqtSignal(int, int)
    _early = pyqtSignal(object)

    def __init__(self, open_notebook: Callable[[], Notebook]) -> None:
        super().__init__()
        self._worker = Worker(
            "analyst", self, enter=lambda: Memory(open_notebook()), leave=lambda one: one.notebook.close()
        )
        self._worker.finished.connect(self._on_finished)
        self._early.connect(self._on_finished)
        self._worker.failed.connect(lambda fault: self.failed.emit(str(fault)))

    @property
    def is_busy(self) -> bool:
        """Whether figures are under way."""
        return self._worker.is_busy

    def ask(self, question: Question, over: str = "", within: str = "", *, keep: bool = True) -> None:
        """Figures for a question, read along a factor, of a section of the scene; an older request still under way is
        dropped. keep : the answer, with those given before."""

        def work(wanted: Wanted, memory: Memory) -> Evaluation | None:
            from ..service.gather import evaluate  # SciPy loads here, after the first paint
            from ..service.ledger import told

            def progress(done: int, total: int) -> bool:
                if wanted():
                    self.progressed.emit(done, total)
                return wanted()

            try:
                if memory.unchecked > MOST_AT_ONCE:  # the answer first; it says that it is being looked through
                    self._early.emit(evaluate(memory.notebook, question, progress, over, memory, within, check=False))
                    memory.check(wanted)
                found = evaluate(memory.notebook, question, progress, over, memory, within)
                return found if over else told(memory.notebook, found, keep=keep)
            except Cancelled:
                return None

        self._worker.ask(work)

    def close(self) -> None:
        """End the thread, dropping what is under way."""
        self._worker.close()

    def _on_finished(self, found: Evaluation | None) -> None:
        if found is not None:
            self.evaluated.emit(found)
