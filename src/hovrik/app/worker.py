"""Work off the interface thread: one class for all of it. One piece at a time; a newer one makes an older one stale."""

from __future__ import annotations

import contextlib
import sys
import threading
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ..core.errors import HovrikError

Wanted = Callable[[], bool]


class Worker(QObject):
    """Runs what it is asked on a thread of its own, in turn, and tells the newest result only.

    A piece of work is called with `wanted`, which turns False once a newer one was asked or the worker is closed: long
    work looks at it and leaves. What waits behind the piece under way is dropped for a newer one. Between two pieces
    there is no thread but where `enter` is given: then it stays until `close`, and what `enter` made on it (a
    notebook's connection, which only the thread that opened it may use) is handed to each piece of work, and to `leave`
    at the end.

    Signals: finished (result), failed (HovrikError), idle (nothing is under way any more).
    """

    finished = pyqtSignal(object)
    failed = pyqtSignal(object)
    idle = pyqtSignal()
    _told = pyqtSignal(int, object, object)

    def __init__(
        self, name: str, parent: QObject | None = None, *, enter: Callable[[], Any] | None = None,
        leave: Callable[[Any], None] | None = None, every: bool = False,
    ) -> None:  # fmt: skip
        """every : nothing that waits is dropped, as where each piece keeps something."""
        super().__init__(parent)
        self._name, self._enter, self._leave, self._every = name, enter, leave, every
        self._lock = threading.Condition()
        self._generation = 0
        self._waiting: deque[tuple[int, Callable[..., Any]]] = deque()
        self._under_way = False
        self._untold = 0
        self._closing = False
        self._thread: threading.Thread | None = None
        self._told.connect(self._on_told)

    @property
    def is_busy(self) -> bool:
        """Whether work is under way or waits, wanted or not, or what it gave is not told yet."""
        with self._lock:
            untold = self._untold and not self._closing
            return bool(untold or self._under_way or self._waiting)

    def ask(self, work: Callable[..., Any]) -> None:
        """Do `work(wanted)`, or `work(wanted, resource)` where there is one, dropping what an older piece gives. A
        closed worker does nothing more."""
        with self._lock:
            if self._closing:
                return
            self._generation += 1
            if not self._every:
                self._waiting.clear()
            self._waiting.append((self._generation, work))
            if self._thread is None:
                self._thread = threading.Thread(target=self._body, name=self._name, daemon=True)
                self._thread.start()
            self._lock.notify_all()

    def cancel(self) -> None:
        """Drop what is under way and what waits."""
        with self._lock:
            self._generation += 1
            if not self._every:
                self._waiting.clear()

    def wait(self) -> None:
        """Wait until nothing is under way; for closing."""
        with self._lock:
            while self._under_way or self._waiting:
                self._lock.wait()

    def close(self) -> None:
        """Drop everything, wait for the thread to end."""
        self.cancel()
        with self._lock:
            self._closing = True
            thread = self._thread
            self._lock.notify_all()
        if thread is not None:
            thread.join()

    # -- on the thread

    def _body(self) -> None:
        resource: Any = None
        entered = False
        while (piece := self._next()) is not None:
            generation, work = piece
            try:
                if self._enter is not None and not entered:
                    resource, entered = self._enter(), True
                wanted = partial(self._is_wanted, generation)
                result = work(wanted) if self._enter is None else work(wanted, resource)
            except HovrikError as fault:
                self._tell(generation, None, fault)
            except Exception as fault:  # a fault of the program: said, and the worker lives on
                sys.excepthook(*sys.exc_info())
                words = f"{type(fault).__name__}: {fault}"[:300]
                self._tell(generation, None, HovrikError(f"A fault of the program ({words}). What is stored is safe."))
            else:
                self._tell(generation, result, None)
        if entered and self._leave is not None:
            self._leave(resource)

    def _is_wanted(self, generation: int) -> bool:
        return generation == self._generation or (self._every and not self._closing)

    def _next(self) -> tuple[int, Callable[..., Any]] | None:
        """The next piece; None where the thread is to end."""
        with self._lock:
            while not self._waiting:
                if self._closing or self._enter is None:
                    self._thread = None
                    return None
                self._lock.wait()
            self._under_way = True
            self._untold += 1
            return self._waiting.popleft()

    def _tell(self, generation: int, result: Any, fault: HovrikError | None) -> None:
        with self._lock:
            self._under_way = False
            self._lock.notify_all()
        with contextlib.suppress(RuntimeError):  # whoever asked is gone
            self._told.emit(generation, result, fault)

    def _on_told(self, generation: int, result: Any, fault: HovrikError | None) -> None:
        if generation == self._generation or (self._every and generation):
            if fault is not None:
                self.failed.emit(fault)
            else:
                self.finished.emit(result)
        with self._lock:
            self._untold -= 1
            is_idle = not (self._untold or self._under_way or self._waiting)
        if is_idle:
            self.idle.emit()
