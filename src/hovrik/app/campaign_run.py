"""A campaign under way: cell after cell is begun, run and answered, until none is left or a person stops it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from ..bench.job import RunEnded
from ..bench.protocol import Machine
from ..core.errors import HovrikError
from ..core.plan.campaign import Campaign
from ..core.questions.question import Question
from ..service import campaigns
from ..store.notebook import Notebook
from .run_worker import RunWorker, Stays
from .session import Session
from .worker import Wanted, Worker

STOPPED = "stopped"  # why a run ended that a person stopped
Run = Callable[[Callable[[Notebook, Machine], str], Stays], None]


class CampaignRun(QObject):
    """Signal: changed (its table is another)."""

    changed = pyqtSignal()

    def __init__(self, session: Session, runner: RunWorker, run: Run, parent: QObject) -> None:
        super().__init__(parent)
        self._session, self._runner, self._run = session, runner, run
        self.is_on = False
        self._at: int | None = None
        self._before: Question | None = None  # what was asked before another rig had its turn
        self._fault, self._stopped = "", False
        self._worker = Worker("campaign", self)
        self._worker.finished.connect(self._on_noted)
        self._worker.failed.connect(self._on_not_noted)
        runner.ended.connect(self._on_ended)
        runner.failed.connect(self._on_failed)
        runner.idle.connect(self._on_idle)

    def start(self) -> None:
        """Begin, or go on."""
        if not self.is_on and not self._runner.is_running:
            self.is_on = True
            self._next()

    def stop(self) -> None:
        """Begin no further cell; what runs is stopped by whoever stops runs, and is gone on with later."""
        self._stopped = True

    def leave(self) -> None:
        """Hear of nothing more, as where the window closes; the cell under way is gone on with later."""
        self.is_on, self._at = False, None

    def _next(self) -> None:
        session = self._session
        campaign = campaigns.kept(session.notebook)
        question = session.question
        at = campaign.next_cell(question.slot, question.rig) if question is not None else campaign.next_cell("")
        if at is None:
            self._finish()
            return
        try:
            own = campaigns.asked(campaign, at)
        except HovrikError as fault:
            self._on_not_noted(fault)
            return
        if question is not None and own.rig != question.rig:  # another machine: it is that one's turn
            self._before = self._before or question
            session.set_question(own)
        self._at, self._fault, self._stopped = at, "", False
        lengths, room_c = session.design, session.room_c
        self._run(
            lambda notebook, _machine: campaigns.begun(notebook, lengths, at, room_c),
            lambda notebook: not self._stopped and campaigns.goes_on(notebook, at),
        )
        self.changed.emit()

    def _on_ended(self, ended: RunEnded) -> None:
        self._stopped = self._stopped or ended.reason == STOPPED
        self._fault = self._fault or ended.reason

    def _on_failed(self, text: str) -> None:
        self._fault = text

    def _on_idle(self) -> None:
        if not self.is_on or self._at is None:
            return
        notebook, at, fault, stopped = self._session.notebook, self._at, self._fault, self._stopped

        def work(_wanted: Wanted) -> Campaign:
            with notebook.sibling() as own:
                return campaigns.ended(own, at, fault, stopped=stopped)

        self._worker.ask(work)

    def _on_noted(self, found: Campaign | list[str]) -> None:
        if isinstance(found, list):  # of going home
            self._end()
            for text in found:
                self._session.failed.emit(text)
            return
        if not self.is_on:
            return
        self.changed.emit()
        if self._stopped:
            self._finish()
        else:
            self._next()

    def _on_not_noted(self, fault: Exception) -> None:
        self._session.failed.emit(str(fault))
        (self._end if self._at is None else self._finish)()

    def _finish(self) -> None:
        """The machine is restarted into the OS slot that it was found in, off the interface thread."""
        self._at = None
        notebook = self._session.notebook

        def work(_wanted: Wanted) -> list[str]:
            with notebook.sibling() as own:
                return campaigns.went_home(own)

        self._worker.ask(work)

    def _end(self) -> None:
        self.is_on = False
        if self._before is not None:
            self._session.set_question(self._before)
            self._before = None
        self.changed.emit()
