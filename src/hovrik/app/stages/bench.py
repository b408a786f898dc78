"""Where the passes are made: live traces, queue, start, stop."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QApplication, QCheckBox, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ...bench.job import PassDone, Phase, Progress
from ...core.errors import PlanError
from ...core.facts.rig import missing_minimum
from ...core.facts.setup import describe
from ...core.passes.purpose import HEAT, purpose
from ...core.passes.record import End
from ...core.plan.steps import PlannedPass
from ...service.gather import surprising_setups, void_setups
from ...service.imports.mappings import mappings
from ...service.run import left_over
from ...store.stills import keep_stills
from ..own_load import OwnLoad
from ..plots.live import LiveTraces
from ..run_worker import RunWorker
from ..session import Session
from ..theme import tokens
from ..widgets.elided import ElidedLabel
from ..widgets.feel_page import FeelPage
from ..widgets.fields import Choice, allow, button, label
from ..widgets.guide_panel import GuidePanel
from ..widgets.start_card import Need, StartCard
from ..worker import Wanted, Worker
from .base import Stage

PACES = [("inf", "as fast as it goes"), ("10", "10 x real time"), ("1", "real time")]
QUEUE_PX = 250
REDRAW_MS = 50
QUIET_MS = 500  # while another window, as the title's, has the focus


class BenchStage(Stage):
    """Signals: start_asked, go_on_asked (plan id), import_asked, void_again_asked, incident_asked, guards_asked,
    progressed (Progress), state_changed, place_asked (stage, page)."""

    title = "Bench"
    start_asked = pyqtSignal()
    go_on_asked = pyqtSignal(str)
    state_changed = pyqtSignal()
    place_asked = pyqtSignal(str, str)
    import_asked = pyqtSignal()
    void_again_asked = pyqtSignal()
    incident_asked = pyqtSignal()
    guards_asked = pyqtSignal()
    progressed = pyqtSignal(object)

    def __init__(self, session: Session, worker: RunWorker) -> None:
        super().__init__(session)
        self._worker = worker
        self._all: dict[int, PlannedPass] = {}
        self._planned: dict[int, PlannedPass] = {}  # still to be made
        self._left_over: tuple[str, int] | None = None
        self._is_blind = False
        self.last_progress: Progress | None = None
        self.start = button("Start the sweep (F5)", "main")
        self.start.clicked.connect(self.start_asked)
        self.pace = Choice("Pace", PACES)
        self.pace.setToolTip("How fast the stand-in lives. A real machine knows only real time.")
        self.import_ = button("Import …", tip="Frame times measured elsewhere, or summary figures")
        self.import_.clicked.connect(self.import_asked)
        self.state = ElidedLabel("", lines=2)
        self.state.setAccessibleName("State of the run")
        self.clocks = QCheckBox("clocks")
        self.clocks.setToolTip("Draw the clocks of CPU, GPU and memory too")
        self.guide = GuidePanel(
            lambda: mappings(session.notebook), lambda: session.rig, lambda: session.notebook.log_parts()
        )
        self.guide.turned_up.connect(lambda on: self.pages.show_page("By hand") if on else None)
        self.traces = LiveTraces()
        self.clocks.toggled.connect(self.traces.show_clocks)
        self.needs = StartCard()
        self.needs.asked.connect(self.place_asked)
        live = QWidget()
        column = QVBoxLayout(live)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.needs)
        column.addWidget(self.traces, 1)
        self._blind = label(
            "A blind test is under way: what is set, and what comes of it, is not shown.", "soft", wrap=True
        )
        self._blind.hide()
        column.addWidget(self._blind)
        self.pages.add("Live", live)
        self.pages.add("By hand", self._by_hand())
        self.feel = FeelPage(session)
        self.feel.pressed.connect(worker.press)
        self.follow(self.feel.refresh, session.evaluation_changed)
        self.pages.add("By feel", self.feel)
        self.pages.beside("Queue", self._queue(worker), QUEUE_PX)
        self.go_on = button("", tip="Make the passes that a stopped or closed sweep left; start makes a new one")
        self.go_on.clicked.connect(lambda: self.go_on_asked.emit(self._left_over[0] if self._left_over else ""))
        self.foot(self.state, self.pace, self.clocks, self.import_, self.go_on, self.start)
        self._timer = QTimer(self)
        self._timer.setInterval(REDRAW_MS)
        self._timer.timeout.connect(self.drain)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.applicationStateChanged.connect(self.show_focus)
        self._keeper = Worker("stills", self, every=True)
        self._keeper.finished.connect(lambda _count: session.stills_changed.emit())
        self._keeper.failed.connect(lambda fault: self.state.setText(f"The pass is kept, its stills are not: {fault}"))
        self._load = OwnLoad()
        self._load_words = self._why = ""
        worker.started.connect(self._on_started)
        worker.ended.connect(self._on_ended)
        worker.failed.connect(self._on_failed)
        worker.idle.connect(self._show_left_over)
        self.follow(self._show_next, session.design_changed, session.question_changed, session.library_changed)
        session.question_changed.connect(self.guide.withdraw_questions)
        self.follow(self._show_void, session.evaluation_changed)
        self.follow(self._show_left_over, session.question_changed)
        self.follow(self._show_needs, session.library_changed, session.question_changed, session.design_changed)
        self._on_idle()
        self._show_next()
        self._show_needs()
        self.traces.start(session.design.soak_s + session.design.pass_s, session.design.soak_s)
        self.state.setText("Start plays the plan on the machine; every finished pass is kept at once.")

    def _by_hand(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        self._nothing = label(
            "Nothing is asked of you now. A rig that no program drives is run from here: start the sweep, and each "
            "pass is set, timed and read with you.", "soft", wrap=True,
        )  # fmt: skip
        column.addWidget(self._nothing)
        column.addWidget(self.guide)
        column.addStretch()
        self.guide.turned_up.connect(lambda on: self._nothing.setVisible(not on))
        return page

    def _queue(self, worker: RunWorker) -> QWidget:
        page = QWidget()
        side = QVBoxLayout(page)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(4)
        self.queue = QListWidget()
        self.queue.setAccessibleName("Queue of passes")
        self.queue.setMinimumHeight(120)
        side.addWidget(self.queue, 1)
        hand = QHBoxLayout()
        hand.setSpacing(4)
        self.skip = button("Skip", tip="Leave the pass in progress; it can be run later")
        self.again = button("Repeat", tip="Make the pass in progress once more; both are kept")
        for made, slot in ((self.skip, worker.skip), (self.again, worker.again)):
            made.clicked.connect(slot)
            hand.addWidget(made)
        side.addLayout(hand)
        self.void_again = button("", tip="Passes that are void stay; their setups are made once more, in random order")
        self.void_again.clicked.connect(self.void_again_asked)
        side.addWidget(self.void_again)
        incident = button("Note an incident (F9)", tip="Crash, hang, kick, artefact, reboot: the run is stopped first")
        incident.clicked.connect(self.incident_asked)
        side.addWidget(incident)
        self.guards = button("Guards …", tip="Where a run pauses by itself, and when it goes on")
        self.guards.clicked.connect(self.guards_asked)
        side.addWidget(self.guards)
        return page

    def _show_needs(self) -> None:
        """What a first sweep needs, as long as something of it is missing; else the traces have its place."""
        found = needs_of(self.session)
        self.needs.show_needs(found)
        is_ready = all(known for *_, known in found)
        self.needs.setVisible(not is_ready)
        self.traces.setVisible(is_ready and not self._is_blind)
        self._blind.setVisible(self._is_blind)

    def _show_left_over(self) -> None:
        """Offer to go on with what a sweep of this question left."""
        question, notebook = self.session.question, self.session.notebook
        if self._worker.is_running:
            return
        self._left_over = left_over(notebook, question) if question is not None and not notebook.read_only else None
        self.go_on.setVisible(self._left_over is not None)
        if self._left_over is not None:
            self.go_on.setText(f"Go on ({self._left_over[1]} left)")
        self.go_on.setEnabled(self._left_over is not None)

    def _show_blind(self, on: bool) -> None:
        """Whether what is set must not be seen."""
        if on is not self._is_blind:
            self._is_blind = on
            self.feel.show_running(is_blind=on)
            self._show_needs()
            if on:
                self.pages.show_page("By feel")

    @property
    def is_paused(self) -> bool:
        """Whether the run holds."""
        return bool(self._why)

    def _show_void(self) -> None:
        found = self.session.evaluation
        void, odd = (len(void_setups(found)), len(surprising_setups(found))) if found else (0, 0)
        count = void + odd
        parts = ([f"{void} void"] if void else []) + ([f"{odd} surprising"] if odd else [])
        self.void_again.setText(f"Run {' and '.join(parts)} again" if parts else "Nothing to run again")
        writable = not self.session.notebook.read_only
        self.void_again.setEnabled(count > 0 and writable and not self._worker.is_running)

    def _show_next(self) -> None:
        """While nothing runs, the queue is what Start would run."""
        rig = self.session.rig
        self.pace.setVisible(self.session.address is not None)  # a person has but one
        if self._worker.is_running or rig is None:
            return
        try:
            self.show_queue(self.session.planned_passes()[0], frozenset())
        except PlanError:
            self.queue.clear()

    def show_queue(self, passes: tuple[PlannedPass, ...], done: frozenset[int]) -> None:
        """Fill the queue with a plan's passes; of a blind test it says no more than how many."""
        if self._worker.is_running and passes:
            self._show_blind(passes[0].is_blind)
        self._all = {p.index: p for p in passes}
        self._planned = {p.index: p for p in passes if p.index not in done}
        self.queue.clear()
        for planned in passes:
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, planned.index)
            self.queue.addItem(item)
            words = "heat pass" if planned.purpose == HEAT else describe(planned.setup)
            words = purpose(planned.purpose).label if planned.is_blind else words
            self._mark(planned.index, "✓" if planned.index in done else "·", words)

    def minutes_left(self, event: Progress) -> float:
        """Machine minutes the passes still to be made will take, recharges left aside."""
        after = sum(p.seconds for p in self._planned.values())
        current = next((p for p in self._planned.values()), None)
        if current is None or event.phase is Phase.COOL_DOWN:
            return (after + event.left_s) / 60.0
        spent = {
            Phase.SETTLE: 0.0, Phase.PIN: current.settle_s, Phase.SOAK: current.settle_s,
            Phase.MEASURE: current.settle_s + current.soak_s,
        }.get(event.phase)  # fmt: skip
        within = 0.0 if spent is None else spent + event.length_s - event.left_s
        return (after - within) / 60.0

    def _mark(self, index: int, sign: str, words: str | None = None) -> None:
        item = self.queue.item(index)
        if item is None:
            return
        words = words if words is not None else item.text().split("  ", 1)[-1]
        item.setText(f"{sign}  {words}")
        theme = tokens.current()
        colours = {"✓": theme.good, "▶": theme.accent, "✗": theme.bad}
        item.setForeground(QColor(colours.get(sign, theme.soft)))

    def retheme(self) -> None:
        """Colour the queue anew."""
        for row in range(self.queue.count()):
            item = self.queue.item(row)
            if item is not None:
                self._mark(row, item.text()[:1])

    def pace_value(self) -> float:
        """Machine seconds a real second."""
        return float(self.pace.key())

    def drain(self) -> None:
        """Show what the run left in its box since the last look."""
        drawn = False
        last: Progress | None = None
        for event in self._worker.live.take():
            if isinstance(event, Progress):
                last = event
                why = (event.why or "as you asked") if event.phase is Phase.PAUSED else ""
                was_paused, self._why = self.is_paused, why
                if self.is_paused is not was_paused:
                    self.state_changed.emit()
                self.take(event)
                drawn = drawn or event.sample is not None
            elif isinstance(event, PassDone) and event.record.plan_index is not None:
                self._on_kept(event, event.record.plan_index)
        if drawn:
            self.traces.draw()
        share = self._load.look()
        if share is not None and self._timer.isActive():
            self._load_words = f" This program takes {100 * share:.0f} % of a core"
            self._load_words += ", its stand-in included." if self.session.address is not None else "."
        if self._timer.isActive():
            self._say_state()
        if last is not None:
            self.guide.show_step(last.phase, last.left_s)
            self.last_progress = last
            self.feel.show_progress(last)
            self.progressed.emit(last)

    def _on_kept(self, event: PassDone, index: int) -> None:
        if event.record.outcome is End.ABORTED:
            self._mark(index, "·")  # a guard ended it; it is made anew
            return
        self._planned.pop(index, None)
        self._mark(index, "✓" if event.counts else "✗")
        if self.guide.stills:
            self._keep_stills(event.record.id, list(self.guide.stills))
            self.guide.stills.clear()

    def _keep_stills(self, pass_id: str, paths: list[Path]) -> None:
        notebook = self.session.notebook

        def work(_wanted: Wanted) -> int:
            with notebook.sibling() as own:
                return len(keep_stills(own, pass_id, paths))

        self._keeper.ask(work)

    def take(self, event: Progress) -> None:
        """A step of the run: rows and traces follow it."""
        if event.phase is Phase.APPLY and event.index is not None:
            self._begin_pass(event.index)
        if event.sample is not None and event.phase in (Phase.SOAK, Phase.MEASURE):
            self.traces.add(event.sample)

    def _begin_pass(self, index: int) -> None:
        """This pass is made now: what was skipped before it is no longer ahead, and its own axis is shown."""
        for row in range(self.queue.count()):
            item = self.queue.item(row)
            if item is not None and item.text().startswith("▶") and row != index:
                self._mark(row, "·")
        order = list(self._all)
        ahead = order[order.index(index) :] if index in self._all else order
        self._planned = {at: self._all[at] for at in ahead if at in self._planned or at == index}
        self._mark(index, "▶")
        self.queue.scrollToItem(self.queue.item(index))
        self._start_traces(self._all.get(index))

    def _start_traces(self, planned: PlannedPass | None) -> None:
        """Empty axes for a pass."""
        design = self.session.design
        soak, length = (planned.soak_s, planned.pass_s) if planned else (design.soak_s, design.pass_s)
        self.traces.start(soak + length, soak)

    def _on_started(self) -> None:
        allow(self.start, False, self.queue)
        allow(self.go_on, False, self.queue)
        self.pages.show_page("Live")
        self.pace.setEnabled(False)
        for made in (self.skip, self.again):
            made.setEnabled(True)
        allow(self.void_again, False, self.queue)
        self._load_words = self._why = ""
        self._say_state()
        self._timer.start()

    def _say_state(self) -> None:
        if self._why:
            self.state.setText(f"Paused: {self._why}")
            return
        ends = "puts the machine back" if self.session.address is not None else "asks you to put the limits back"
        self.state.setText(f"Running. Stop (F8) ends it at once and {ends}.{self._load_words}")

    def show_focus(self, state: Qt.ApplicationState) -> None:
        """Draw more rarely while the user is in another window: the title has the machine to itself."""
        active = state == Qt.ApplicationState.ApplicationActive
        self._timer.setInterval(REDRAW_MS if active else QUIET_MS)

    def _on_idle(self) -> None:
        self._timer.stop()
        self._show_blind(False)
        if self.guide.is_timing:  # stopped in the middle of a scene
            self.guide.withdraw()
        self.start.setEnabled(not self.session.notebook.read_only)
        if self.queue.hasFocus():  # where the focus waited while it ran
            self.start.setFocus()
        self._show_left_over()
        self.pace.setEnabled(True)
        for made in (self.skip, self.again):
            allow(made, False, self.start)
        self._show_void()

    def _on_ended(self, ended: object) -> None:
        self.drain()
        reason, restored = ended.reason, ended.restored  # type: ignore[attr-defined]
        words = f"{ended.done} of {ended.total} passes are kept. "  # type: ignore[attr-defined]
        words += "Stopped. " if reason == "stopped" else ""
        left = ended.left  # type: ignore[attr-defined]
        words += "The machine is back as it was." if restored else f"The machine is NOT back as it was. {left}"
        self.state.setText(words)
        for row in range(self.queue.count()):
            item = self.queue.item(row)
            if item is not None and item.text().startswith("▶"):
                self._mark(row, "·")
        self._on_idle()

    def _on_failed(self, text: str) -> None:
        self.state.setText(text)
        self._on_idle()


def needs_of(session: Session) -> list[Need]:
    """What a first sweep needs, whether or not it is known yet."""
    rig, title = session.rig, session.title
    missing = missing_minimum(rig) if rig is not None else ()
    needs: list[Need] = [("A rig", "Rig", "Machine", rig is not None)]
    if rig is not None:
        needs += [(f"{words[0].upper()}{words[1:]} of the rig", "Rig", "Machine", False) for words in missing]
        needs.append(("An OS slot of the rig", "Rig", "OS slots", bool(rig.slots)))
    needs.append(("A title with a scene", "Scene", "Title", title is not None and bool(title.scenes)))
    if session.question is not None and not missing:
        wrong = session.plan_problem
        needs.append(("A plan that the rig allows" if not wrong else f"The plan: {wrong}", "Plan", "Knobs", not wrong))
    return needs
