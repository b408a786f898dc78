"""Runs a sweep on a thread of its own with a notebook connection of its own.

The interface is told at most 20 times a second and never makes the run wait: newest data are left in a box that
the window empties on its own timer.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from ..bench.job import Control, PassDone, Progress, RunEnded, RunEvent
from ..bench.protocol import Machine
from ..core.errors import HovrikError
from ..service import run as sweep
from ..store.notebook import Notebook

MOST_WAITING = 4000


class LiveBox:
    """Events of a run on their way to the window. Safe between threads; drops the oldest samples when full."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._events: list[RunEvent] = []

    def put(self, event: RunEvent) -> None:
        """Leave an event."""
        with self._lock:
            self._events.append(event)
            if len(self._events) > MOST_WAITING:
                del self._events[: MOST_WAITING // 2]

    def take(self) -> list[RunEvent]:
        """All events since the last call."""
        with self._lock:
            events, self._events = self._events, []
            return events


class _Thread(QThread):
    """One run."""

    def __init__(self, body: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("run")
        self._body = body

    def run(self) -> None:
        self._body()


class RunWorker(QObject):
    """At most one run at a time.

    Signals: started, pass_stored, ended (RunEnded), failed (text), idle (the next may start). live : box of newest
    events.
    """

    started = pyqtSignal()
    pass_stored = pyqtSignal()
    ended = pyqtSignal(object)
    failed = pyqtSignal(str)
    idle = pyqtSignal()
    _finished = pyqtSignal()

    def __init__(self, open_notebook: Callable[[], Notebook]) -> None:
        super().__init__()
        self._open = open_notebook
        self._thread: _Thread | None = None
        self._control: Control | None = None
        self.live = LiveBox()
        self._finished.connect(self._on_finished)

    @property
    def is_running(self) -> bool:
        """Whether a run is under way."""
        return self._thread is not None

    def start(self, plan_id: str, address: Mapping[str, Any], reach: Callable[[], Machine]) -> None:
        """Run what is left of a stored plan on the machine that `reach` opens; harmless while one runs."""
        if self._thread is not None:
            return
        control = Control()
        self._control = control
        self._thread = _Thread(lambda: self._body(plan_id, address, reach, control))
        self.started.emit()
        self._thread.start()

    def stop(self) -> None:
        """End the run; the machine is put back by the run itself. Harmless where none runs."""
        if self._control is not None:
            self._control.stop()

    def pause(self, on: bool) -> None:
        """Hold before the next pass, or go on. Harmless where none runs."""
        if self._control is not None:
            (self._control.paused.set if on else self._control.paused.clear)()

    def skip(self) -> None:
        """Leave the pass in progress; it can be run later. Harmless where none runs."""
        if self._control is not None:
            self._control.skip()

    def again(self) -> None:
        """Make the pass in progress once more after it is kept. Harmless where none runs."""
        if self._control is not None:
            self._control.again.set()

    def close(self) -> None:
        """Stop and wait until the machine is put back."""
        self.stop()
        if self._thread is not None:
            self._thread.wait()

    def _body(self, plan_id: str, address: Mapping[str, Any], reach: Callable[[], Machine], control: Control) -> None:
        """On the run's thread."""
        try:
            with self._open() as notebook:
                machine = reach()
                try:
                    sweep.run_plan(notebook, plan_id, machine, address, control, self._announce)
                finally:
                    machine.close()
        except HovrikError as fault:
            self.failed.emit(str(fault))
        finally:
            self._finished.emit()

    def _announce(self, event: RunEvent) -> None:
        self.live.put(event)
        if isinstance(event, PassDone):
            self.pass_stored.emit()
        elif isinstance(event, RunEnded):
            self.ended.emit(event)
        else:
            assert isinstance(event, Progress)  # the three kinds there are

    def _on_finished(self) -> None:
        if self._thread is not None:
            self._thread.wait()
        self._thread = None
        self._control = None
        self.idle.emit()
