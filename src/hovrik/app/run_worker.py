"""Runs a sweep on a thread of its own with a notebook connection of its own.

The interface is told at most 20 times a second and never makes the run wait: newest data are left in a box that
the window empties on its own timer.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from contextlib import closing
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ..bench.job import Control, PassDone, Progress, RunEnded, RunEvent
from ..bench.protocol import Machine
from ..service import run as sweep
from ..store.notebook import Notebook
from .worker import Worker

MOST_WAITING = 4000
Plan = Callable[[Notebook, Machine], str]
Stays = Callable[[Notebook], bool]


class LiveBox:
    """Events of a run on their way to the window. Safe between threads. When full it drops the oldest samples, never
    what was done."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._events: list[RunEvent] = []

    def put(self, event: RunEvent) -> None:
        """Leave an event."""
        with self._lock:
            self._events.append(event)
            if len(self._events) > MOST_WAITING:
                half = MOST_WAITING // 2
                self._events[:half] = [old for old in self._events[:half] if not isinstance(old, Progress)]

    def take(self) -> list[RunEvent]:
        """All events since the last call."""
        with self._lock:
            events, self._events = self._events, []
            return events


class RunWorker(QObject):
    """At most one run at a time.

    Signals: started, planned (plan id), pass_stored, ended (RunEnded), failed (text), idle (the next may start).
    live : box of newest events.
    """

    started = pyqtSignal()
    planned = pyqtSignal(str)
    pass_stored = pyqtSignal()
    ended = pyqtSignal(object)
    failed = pyqtSignal(str)
    idle = pyqtSignal()

    def __init__(self, open_notebook: Callable[[], Notebook]) -> None:
        super().__init__()
        self._open = open_notebook
        self._control: Control | None = None
        self._worker = Worker("run", self)
        self._worker.failed.connect(lambda fault: self.failed.emit(str(fault)))
        self._worker.idle.connect(self._on_idle)
        self.live = LiveBox()

    @property
    def is_running(self) -> bool:
        """Whether a run is under way."""
        return self._control is not None

    def start(
        self, plan: Plan, address: Mapping[str, Any], reach: Callable[[], Machine],
        stays: Stays = lambda _notebook: False,
    ) -> None:  # fmt: skip
        """Run what is left of a plan on the machine that `reach` opens; harmless while one runs. plan : its id, from
        the run's own notebook and the machine as it is; stays : whether a further run goes on in the OS slot that it
        ends in, by the same notebook."""
        if self._control is not None:
            return
        control = self._control = Control(is_attended=True)
        self.started.emit()
        self._worker.ask(lambda _wanted: self._body(plan, address, reach, control, stays))

    def stop(self) -> None:
        """End the run; the machine is put back by the run itself. Harmless where none runs."""
        if self._control is not None:
            self._control.stop()

    def pause(self, on: bool) -> None:
        """Hold before the next pass, or go on. Harmless where none runs."""
        if self._control is not None:
            (self._control.paused.set if on else self._control.paused.clear)()

    def remedy(self) -> None:
        """Go on with what was offered. Harmless where none runs."""
        if self._control is not None:
            self._control.remedy()

    def skip(self) -> None:
        """Leave the pass in progress; it can be run later. Harmless where none runs."""
        if self._control is not None:
            self._control.skip()

    def again(self) -> None:
        """Make the pass in progress once more after it is kept. Harmless where none runs."""
        if self._control is not None:
            self._control.again.set()

    def press(self) -> None:
        """It feels bad now, in a blind test. Harmless where none runs."""
        if self._control is not None:
            self._control.press()

    def close(self) -> None:
        """Stop and wait until the machine is put back."""
        self.stop()
        self._worker.close()

    def _body(
        self, plan: Plan, address: Mapping[str, Any], reach: Callable[[], Machine], control: Control, stays: Stays
    ) -> None:
        """On the run's thread: the machine is opened, used and closed there."""
        with self._open() as notebook, closing(reach()) as machine:
            plan_id = plan(notebook, machine)
            self.planned.emit(plan_id)
            sweep.run_plan(notebook, plan_id, machine, address, control, self._announce, lambda: stays(notebook))

    def _announce(self, event: RunEvent) -> None:
        self.live.put(event)
        if isinstance(event, PassDone):
            self.pass_stored.emit()
        elif isinstance(event, RunEnded):
            self.ended.emit(event)
        else:
            assert isinstance(event, Progress)  # the three kinds there are

    def _on_idle(self) -> None:
        if self._control is not None:
            self._control = None
            self.idle.emit()
