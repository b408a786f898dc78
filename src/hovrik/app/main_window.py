"""The wires between question, answer, stages, bench line and the run."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QByteArray, QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QDialog, QLineEdit, QMainWindow, QSplitter, QWidget

from ..bench.job import Progress
from ..bench.protocol import Machine
from ..bench.setting import PutBack
from ..core.errors import HovrikError
from ..core.facts.setup import Setup
from ..core.plan.grid import SetupsDesign
from ..core.words import plural
from ..service import library, recovery
from ..service import run as sweep
from ..service.gather import surprising_setups, void_setups
from ..service.machines import BY_HAND, by_hand, open_machine
from ..store.notebook import JournalEntry, Notebook
from .campaign_run import CampaignRun
from .commands import act, answer
from .desktop import Desktop
from .evaluate_worker import EvaluateWorker
from .frame import Frame
from .guide import Guide
from .menu import Menu, note_recent
from .run_worker import RunWorker, Stays
from .session import Session
from .settings import remember, remembered
from .single import Doorbell
from .stages.base import EMPTY, Stage
from .stages.bench import BenchStage
from .widgets.fields import commit_edit
from .worker import Wanted, Worker

if TYPE_CHECKING:
    from .stages.plan import PlanStage

_Dialog = TypeVar("_Dialog", bound=QDialog)
SOON_MS = 20  # after an edit figures are asked for, so that an edit is over before threads compute
USUAL = QSize(1280, 800)
_PIXELS = range(100_000)  # that a part of a window can have
STAGES = ("Rig", "Scene", "Plan", "Bench", "Read", "Choose", "Keep")


class MainWindow(QMainWindow):
    """The window. Stages are made when first shown, so that the window stands quickly."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAcceptDrops(True)
        self.evaluator = EvaluateWorker(session.notebook.sibling)
        self.runner = RunWorker(session.notebook.sibling)
        self.guide = Guide()
        self.campaign = CampaignRun(session, self.runner, self._run, self)
        self._waiting_setups: Sequence[Setup] = ()
        self._plan_id = ""
        self._doorbell: Doorbell | None = None
        self._is_background = self._leaves = self._closes_after = False
        self._putter = Worker("put back", self)
        self._putter.finished.connect(self._on_put_back)
        self._putter.failed.connect(lambda fault: self.banner.show_problem(str(fault)))
        self.frame = Frame(session, STAGES)
        self.question_line, self.answer_panel = self.frame.question_line, self.frame.answer_panel
        self.banner, self.bench_line, self.stack = self.frame.banner, self.frame.bench_line, self.frame.stack
        self.stage_buttons = self.frame.rail.buttons
        self._pages: dict[str, Stage] = {}
        self.setCentralWidget(self.frame)
        self._make_actions()
        self._connect()
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._on_focus)
        self._restore_state()
        session.look_at_machine()
        note_recent(session.notebook.path)
        self._show_title()
        self._offer_recovery()
        self._first = QTimer(self)
        self._first.setSingleShot(True)
        self._first.timeout.connect(self._first_look)
        self._first.start(30)

    def _make_actions(self) -> None:
        stack = self.session.undo_stack
        self.undo_actions = (stack.createUndoAction(self), stack.createRedoAction(self))  # Python owns them: kept here
        for action, keys in zip(self.undo_actions, (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)):
            if action is not None:
                action.setShortcuts(keys)
                self.addAction(action)
        self.desktop = Desktop(self)
        self.menu = Menu(self, self.desktop, STAGES, [one for one in self.undo_actions if one is not None])
        self.frame.menu.setMenu(self.menu)
        opened = QAction("Menu", self)
        opened.setShortcut(QKeySequence("F10"))
        opened.triggered.connect(lambda _on: self.frame.menu.showMenu())
        self.addAction(opened)

    def _connect(self) -> None:
        session = self.session
        self._evaluating, self._looking = QTimer(self), QTimer(self)
        for timer, slot in ((self._evaluating, self._evaluate), (self._looking, self._look)):
            timer.setSingleShot(True)
            timer.setInterval(SOON_MS)
            timer.timeout.connect(slot)
        session.question_changed.connect(self.evaluate)
        session.over_changed.connect(self.evaluate)
        session.question_changed.connect(self._looking.start)
        session.machine_looked.connect(self._show_machine)
        session.passes_changed.connect(self.evaluate)
        session.library_changed.connect(self._on_library_changed)
        session.library_changed.connect(self._looking.start)
        session.failed.connect(self.banner.show_problem)
        self.evaluator.evaluated.connect(session.set_evaluation)
        self.evaluator.failed.connect(self.answer_panel.show_text)
        self.evaluator.progressed.connect(self._on_evaluating)
        session.evaluation_changed.connect(self._show_readiness)
        session.design_changed.connect(self._show_readiness)
        session.profiles_changed.connect(self._show_readiness)
        session.aside_changed.connect(self._show_readiness)
        self.frame.rail.asked.connect(self.show_stage)
        self.bench_line.stop_asked.connect(self.stop_sweep)
        self.bench_line.pause_asked.connect(self._pause)
        self.bench_line.remedy_asked.connect(self._on_remedy)
        self.answer_panel.acted.connect(self._on_answer_acted)
        self.runner.started.connect(lambda: self.bench_line.show_running(True))
        self._soon = QTimer(self)  # figures follow a run at a walking pace; the run comes first
        self._soon.setSingleShot(True)
        self._soon.setInterval(800)
        self._soon.timeout.connect(self.evaluate)
        self.runner.planned.connect(self._on_planned)
        self.runner.pass_stored.connect(self._on_pass_stored)
        self.runner.failed.connect(self.banner.show_problem)
        self.runner.idle.connect(self._after_run)

    def _look(self) -> None:
        """Read the machine where it is another one; none that a run has."""
        if not self.runner.is_running:
            self.session.look_if_other()

    def stage(self, name: str) -> Stage:
        """A stage, made when first asked for."""
        if name not in self._pages:
            made = self._make_stage(name)
            self._pages[name] = made
            self.frame.add_stage(made)
            self._as_before(name, made)
        return self._pages[name]

    def _splitter_sizes(self) -> dict[str, list[list[int]]]:
        return {name: [one.sizes() for one in page.findChildren(QSplitter)] for name, page in self._pages.items()}

    def _as_before(self, name: str, made: Stage) -> None:
        """The page and the sizes that a stage had when the notebook was closed last."""
        pages, splitters = (self.session.notebook.get_state(key) for key in ("pages", "splitters"))
        page = pages.get(name) if isinstance(pages, dict) else None
        if isinstance(page, str) and page in made.pages.names:
            made.pages.show_page(page)
        kept = splitters.get(name) if isinstance(splitters, dict) else None
        for one, sizes in zip(made.findChildren(QSplitter), kept if isinstance(kept, list) else []):
            if isinstance(sizes, list) and len(sizes) == one.count() and all(s in _PIXELS for s in sizes):
                one.setSizes(sizes)

    def _make_stage(self, name: str) -> Stage:
        if name == "Bench":
            bench = BenchStage(self.session, self.runner)
            bench.start_asked.connect(self.start_sweep)
            bench.go_on_asked.connect(self._continue)
            bench.state_changed.connect(self._show_readiness)
            bench.place_asked.connect(self.show_place)
            bench.guide.columns_asked.connect(self.open_columns)
            bench.guide.turned_up.connect(lambda _on: self._show_readiness())
            bench.import_asked.connect(self.open_import)
            bench.void_again_asked.connect(self.run_void_again)
            bench.incident_asked.connect(self.note_incident)
            self.guide.asked.connect(bench.guide.ask)
            self.guide.withdrawn.connect(bench.guide.withdraw)
            bench.guide.ticked.connect(self.guide.tick)
            bench.guide.ended.connect(self.guide.end)
            bench.guide.answered_once.connect(self._on_answered_once)
            bench.guide.once.answered.connect(lambda name, text: answer(self.session, name, text))
            bench.progressed.connect(self._on_progress)
            bench.guards_asked.connect(lambda: self.open_checks(guards=True))
            return bench
        if name == "Plan":
            from .stages.plan import PlanStage

            plan = PlanStage(self.session)
            plan.start_asked.connect(self.start_sweep)
            plan.campaign_asked.connect(self.start_campaign)
            plan.cell_asked.connect(lambda: self.show_stage("Read"))
            self.campaign.changed.connect(lambda: self._show_campaign(plan))
            return plan
        if name == "Read":
            from .stages.read import ReadStage

            read = ReadStage(self.session)
            read.import_asked.connect(self.open_import)
            read.checks_asked.connect(self.open_checks)
            read.stills_asked.connect(self.open_stills)
            read.plan_asked.connect(lambda: self.show_stage("Plan"))
            return read
        if name == "Choose":
            from .stages.choose import ChooseStage

            choose = ChooseStage(self.session)
            choose.keep_asked.connect(self.keep_answer)
            choose.pass_asked.connect(self._show_pass)
            return choose
        if name == "Keep":
            from .stages.keep import KeepStage

            keep = KeepStage(self.session)
            keep.plan_asked.connect(lambda: self.show_stage("Plan"))
            keep.pass_asked.connect(self._show_pass)
            return keep
        if name == "Rig":
            from .stages.rig import RigStage

            return RigStage(self.session)
        from .stages.scene import SceneStage

        return SceneStage(self.session)

    def show_stage(self, name: str) -> None:
        """Bring a stage to the front; focus on the rail goes with it."""
        if self.focusWidget() in self.stage_buttons.values():
            self.stage_buttons[name].setFocus()
        self.stack.setCurrentWidget(self.stage(name))
        self.frame.rail.choose(name)

    @property
    def _shown(self) -> Stage:
        """The stage that is in front."""
        stage = self.stack.currentWidget()
        assert isinstance(stage, Stage)  # the stack holds nothing else
        return stage

    @property
    def bench(self) -> BenchStage:
        """The bench stage."""
        page = self.stage("Bench")
        assert isinstance(page, BenchStage)  # made so above
        return page

    # -- figures

    def _first_look(self) -> None:
        if self.session.question is None:
            self.answer_panel.show_text(EMPTY)
        else:
            self.evaluate()
        self._show_readiness()
        self.session.tell_faults()
        self.session.look_through()

    def _on_library_changed(self) -> None:
        self.question_line.show_question()
        self._show_readiness()
        self.evaluate()

    def evaluate(self) -> None:
        """Ask for newest figures as soon as the edits of this moment are through; several make one asking."""
        if not self._evaluating.isActive():
            self._evaluating.start()

    def _evaluate(self) -> None:
        if self.session.question is not None:
            session, is_kept = self.session, not self.runner.is_running
            self.evaluator.ask(self.session.question, session.over, session.within, keep=is_kept)

    def _on_pass_stored(self) -> None:
        if not self._soon.isActive() and not self.evaluator.is_busy:
            self._soon.start()

    def _on_evaluating(self, done: int, total: int) -> None:
        if total > 20:
            self.answer_panel.show_waiting(f"Reading passes: {done} of {total} …" if done < total else "")

    def _show_title(self) -> None:
        """Notebook, whether it can be written, what runs."""
        notebook = self.session.notebook
        parts = [notebook.path.stem, *(["read-only"] if notebook.read_only else [])]
        parts += [self._bench_state()] if self.runner.is_running else []
        self.setWindowTitle(f"{', '.join(parts)} – Hovrik")

    def _show_readiness(self) -> None:
        """One word under each stage's name: ready, or what it waits for."""
        evaluation, session = self.session.evaluation, self.session
        known = session.question is not None
        counted = sum(view.counts for view in evaluation.views) if evaluation else 0
        stated = evaluation is not None and evaluation.answer.option is not None
        kept = len(session.notebook.profiles())
        wrong = session.plan_problem
        waits = {
            "Rig": "known" if known else "wants a rig",
            "Scene": "known" if known else "wants a title",
            "Plan": "wants a rig" if not known else "ready" if not wrong else "not possible",
            "Bench": self._bench_state() if self.runner.is_running else "ready" if not wrong else "wants a plan",
            "Read": self._read_state(counted) if counted else "wants passes",
            "Choose": "answered" if stated else "wants passes" if not counted else "wants more",
            "Keep": f"{kept} kept" if kept else "nothing kept",
        }
        self.frame.rail.show_states(waits)
        self._show_title()

    def _show_pass(self, pass_id: str) -> None:
        """One pass in full, in Read; the table of passes for ""."""
        self.session.select_pass(pass_id or None)
        self.show_place("Read", "Pass" if pass_id else "Passes")

    def _read_state(self, counted: int) -> str:
        """How many findings stand open, else how many passes count."""
        evaluation, aside = self.session.evaluation, self.session.aside
        open_ = sum(one.key not in aside for one in evaluation.findings) if evaluation else 0
        return plural(open_, "finding") if open_ else plural(counted, "pass", "passes")

    def _bench_state(self) -> str:
        """What a run is about, in a word or two."""
        if self.bench.guide.request is not None:
            return "asks you"
        return "paused" if self.bench.is_paused or self.bench_line.pause.isChecked() else "running"

    # -- running

    def start_sweep(self) -> None:
        """Keep the plan being edited and run it."""
        self._start(())

    def run_void_again(self) -> None:
        """Make the setups of void and surprising passes once more."""
        evaluation = self.session.evaluation
        if evaluation is not None:
            self._start([*void_setups(evaluation), *surprising_setups(evaluation)])

    def _start(self, setups: Sequence[Setup]) -> None:
        session = self.session
        if self.runner.is_running:
            return
        if session.question is None:
            self.banner.show_problem("There is nothing to run yet: make a rig in Rig and a title in Scene first.")
            return
        if session.notebook.read_only:
            self.banner.show_problem(f"Nothing can be kept here. {session.notebook.why_read_only}")
            return
        if session.address is None and self._ask_once(setups):
            return
        if session.address is not None and session.is_looking:  # what it offers, and is set to, is planned with
            once = Qt.ConnectionType.SingleShotConnection
            session.machine_looked.connect(lambda: QTimer.singleShot(0, lambda: self._start(setups)), once)
            return
        question, room_c, seen = session.question, session.room_c, session.seen()
        overhead = session.overhead
        try:  # what the rig does not allow is said here, before anything is shown
            design = SetupsDesign(tuple(setups), session.design.lengths) if setups else session.planned_design()
            asked = session.planned_question()
            sweep.check_design(sweep.rig_of(session.notebook, question.rig), design, overhead)
        except HovrikError as fault:
            self.banner.show_problem(str(fault))
            return

        def plan(notebook: Notebook, machine: Machine) -> str:
            told = seen if machine.describe().by_hand else library.told_by(notebook, asked, machine)
            return sweep.keep_design(notebook, asked, design, room_c, told, overhead)

        session.note_question(asked)
        self._run(plan)

    def _ask_once(self, setups: Sequence[Setup]) -> bool:
        """Before a sweep by hand: what only a person knows and was not asked yet. Whether the start waits for it."""
        session = self.session
        assert session.question is not None  # callers have checked
        items = library.open_items(session.notebook, session.question.rig, session.preflight())
        if not items or session.notebook.read_only:
            return False
        library.note_asked(session.notebook, session.question.rig, items)
        self._waiting_setups = setups
        self.show_stage("Bench")
        self.bench.guide.ask_once(items)
        return True

    def _on_answered_once(self) -> None:
        self._start(self._waiting_setups)

    def run_plan(self, plan_id: str) -> None:
        """Run what is left of a stored plan, in the Bench stage."""
        self._run(lambda _notebook, _machine: plan_id)

    def _run(self, plan: Callable[[Notebook, Machine], str], stays: Stays = lambda _notebook: False) -> None:
        session = self.session
        question, rig = session.question, session.rig
        if question is None or rig is None:
            return
        address, pace = session.address, self.bench.pace_value()
        self.banner.dismiss()
        self.show_stage("Bench")
        if address is not None:
            self.runner.start(plan, address, lambda: open_machine(address, pace=pace), stays)
        else:
            titles = list(library.titles(session.notebook).values())
            machine = self.guide.machine(rig, titles, question.source)
            self.runner.start(plan, by_hand(rig.key), lambda: machine)
        self._show_readiness()

    def _on_planned(self, plan_id: str) -> None:
        notebook = self.session.notebook
        planned, self._plan_id = sweep.load_plan(notebook, plan_id), plan_id
        self.bench.show_queue(planned.passes, planned.done_indices)

    def _show_campaign(self, plan: PlanStage) -> None:
        plan.campaign.is_on = self.campaign.is_on
        self.session.campaign_changed.emit()

    def start_campaign(self) -> None:
        """Begin the campaign, or go on with it."""
        self.campaign.start()

    def stop_sweep(self) -> None:
        """End the run, and a campaign with it; a person is asked for nothing more."""
        self.campaign.stop()
        if self.runner.is_running:
            self.guide.stop()
        self.runner.stop()

    def pause_or_go_on(self) -> None:
        """Hold before the next pass, or go on; harmless where none runs."""
        if self.runner.is_running:
            self._pause(not self.bench_line.pause.isChecked())

    def _pause(self, on: bool) -> None:
        self.runner.pause(on)
        self.bench_line.show_paused(on)
        self._show_readiness()

    def _on_remedy(self) -> None:
        self.runner.remedy()
        self._pause(False)

    def _on_answer_acted(self, action: str) -> None:
        act(self.session, action)
        self.show_stage("Plan")

    def next_page(self) -> None:
        """The next page of the stage."""
        self._step_page(1)

    def page_before(self) -> None:
        """The page before."""
        self._step_page(-1)

    def _step_page(self, by: int) -> None:
        self._shown.pages.step(by)

    def _on_progress(self, event: Progress) -> None:
        self.bench_line.show_progress(event, self.bench.minutes_left(event))

    def _after_run(self) -> None:
        line = self.bench_line
        if line.stop.hasFocus() or line.pause.hasFocus():  # neither can keep it
            shown = self._shown
            (self.bench.start if shown is self.bench else self.stage_buttons[shown.title]).setFocus()
        line.show_running(False)
        self.bench_line.show_paused(False)
        self.session.look_at_machine()
        self._show_readiness()
        if self._is_background or self._closes_after:
            QTimer.singleShot(0, self._end_in_background)  # when all have heard that the run is over
            return
        self.evaluate()
        self._offer_recovery()

    def _show_machine(self) -> None:
        seen = self.session.machine_seen
        if seen.fault:
            self.bench_line.show_machine(f"machine: {seen.fault}")
        elif self.session.address is None:
            self.bench_line.show_machine("run by hand")
        elif seen.charge is not None:
            self.bench_line.show_machine(f"charge {100 * seen.charge:.0f} %")

    def _offer_recovery(self) -> None:
        if self.session.notebook.read_only:
            self.banner.show_problem(f"Open for reading only. {self.session.notebook.why_read_only}")
            return
        left = sweep.unfinished(self.session.notebook)
        if not left or self.runner.is_running:
            return
        entry, done, planned = left[0]
        self.banner.offer(
            sweep.describe_run(entry, done, planned) + recovery.unclean_words(self.session.notebook, entry),
            (
                ("Put it back", lambda: self._put_back(entry)),
                ("Continue the sweep", lambda: self._continue(entry.plan_id)),
                ("Leave it as it is", lambda: self._leave(entry)),
            ),
        )

    def _put_back(self, entry: JournalEntry, *, is_done: bool = False) -> None:
        """Put a machine back, off the interface thread; a person is asked first and believed by their yes only."""
        if entry.machine.get("kind") == BY_HAND and not is_done:
            self.banner.offer(
                sweep.by_hand_words(entry),
                (("It is back as it was", lambda: self._put_back(entry, is_done=True)), ("Not yet", lambda: None)),
            )
            return
        notebook = self.session.notebook

        def work(_wanted: Wanted) -> PutBack:
            with notebook.sibling() as own:
                return sweep.put_back(own, entry, is_done=lambda _words: is_done)

        self.banner.offer("The machine is being put back …", ())
        self._putter.ask(work)

    def _on_put_back(self, back: PutBack) -> None:
        self.session.look_at_machine()
        self.banner.show_problem(
            "The machine is back as it was."
            if back.is_whole
            else f"The machine is not wholly back as it was. {back.words}. Set that by hand, then leave it as it is."
        )

    def _continue(self, plan_id: str) -> None:
        self.run_plan(plan_id)

    def _leave(self, entry: JournalEntry) -> None:
        sweep.leave(self.session.notebook, entry)
        self.banner.dismiss()

    # -- other

    def open_import(self) -> None:
        """Open the import dialog; it does not block the window."""
        from .dialogs.import_dialog import ImportDialog

        self.import_dialog = self.show_dialog(ImportDialog(self.session, self))

    def open_columns(self, path: Path) -> None:
        """Ask what the columns of a log that was brought to the guided bench are; it is read again then."""
        self.open_import()
        self.import_dialog.only_columns(path)
        self.import_dialog.mapped.connect(self.bench.guide.look_again)

    def open_checks(self, *, guards: bool = False) -> None:
        """Open the thresholds of the checks, or of the guards; it does not block the window."""
        from .dialogs.checks_dialog import ChecksDialog

        self.checks_dialog = self.show_dialog(ChecksDialog(self.session, self))
        if guards:
            self.checks_dialog.pages.setCurrentWidget(self.checks_dialog.guards)

    def open_stills(self) -> None:
        """Open the stills of two set-ups; it does not block the window."""
        from .dialogs.stills_dialog import StillsDialog

        self.stills_dialog = self.show_dialog(StillsDialog(self.session, self))

    def note_incident(self) -> None:
        """Ask what happened; a run goes on until it is noted, or stopped there, and the dialog says so."""
        from .dialogs.incident_dialog import IncidentDialog

        event = self.bench.last_progress if self.runner.is_running else None
        setup, phase = (self._setup_at(event), event.phase.value) if event is not None else (None, "")
        self.incident_dialog = self.show_dialog(IncidentDialog(self.session, setup, phase, self))
        if self.runner.is_running:
            self.incident_dialog.say_run(by_hand=self.session.address is None)
            self.incident_dialog.stop_asked.connect(self.stop_sweep)

    def _setup_at(self, event: Progress) -> Setup | None:
        """What is set at a step; in a blind test, where it is not shown, as the plan has it."""
        if event.setup is not None or event.index is None:
            return event.setup
        passes = sweep.load_plan(self.session.notebook, self._plan_id).passes
        return next((one.setup for one in passes if one.index == event.index), None)

    def keep_answer(self) -> None:
        """Keep the answer as a profile and show it."""
        from .stages.keep import KeepStage

        self.show_stage("Keep")
        page = self.stage("Keep")
        if isinstance(page, KeepStage):
            page.keep_answer()

    def fit_screen(self) -> None:
        """The usual size, as far as the screen has it."""
        screen = self.screen()
        self.resize(USUAL if screen is None else USUAL.boundedTo(screen.availableGeometry().size()))

    def show_dialog(self, dialog: _Dialog) -> _Dialog:
        """Show a dialog beside the window, no larger than the screen; it goes when it is closed."""
        screen = dialog.screen()
        if screen is not None:
            room = screen.availableGeometry()
            dialog.resize(dialog.size().boundedTo(QSize(room.width() - 8, room.height() - 32)))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()
        return dialog

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files may be dropped anywhere."""
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Each goes where it belongs."""
        data = event.mimeData() if event is not None else None
        if data is not None:
            self.desktop.take([Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()])

    def show_place(self, stage: str, page: str) -> None:
        """Bring a page of a stage to the front."""
        self.show_stage(stage)
        self.stage(stage).pages.show_page(page)

    def _restore_state(self) -> None:
        geometry = remembered("geometry")
        if not (isinstance(geometry, QByteArray) and self.restoreGeometry(geometry)):
            self.fit_screen()
        stage = self.session.notebook.get_state("stage")
        stage = stage if isinstance(stage, str) else None
        first = "Read" if self.session.notebook.has_passes() else "Bench"
        self.show_stage(stage if stage in STAGES else first)
        self.stage_buttons[stage if stage in STAGES else first].setFocus()

    def _on_focus(self, before: QWidget | None, now: QWidget | None) -> None:
        """Look at the keys of the field that is typed in, and of no other."""
        if isinstance(before, QLineEdit | QAbstractSpinBox):
            before.removeEventFilter(self)
        if isinstance(now, QLineEdit | QAbstractSpinBox) and now.window() is self:
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A field that has no edit of its own leaves undo and redo to the notebook."""
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.ShortcutOverride:
            is_undo = event.matches(QKeySequence.StandardKey.Undo)
            field = watched.findChild(QLineEdit) if isinstance(watched, QAbstractSpinBox) else watched
            if (is_undo or event.matches(QKeySequence.StandardKey.Redo)) and isinstance(field, QLineEdit):
                has_own = field.isModified() and (field.isUndoAvailable() if is_undo else field.isRedoAvailable())
                if not has_own:
                    event.ignore()
                    return True
        return super().eventFilter(watched, event)

    def ask_when_running(self, doorbell: Doorbell) -> None:
        """Ask before closing while a sweep runs, and come to the front when the notebook is opened once more."""
        self._doorbell = doorbell
        doorbell.rung.connect(self.come_back)
        doorbell.brought.connect(self._take_brought)
        doorbell.pressed.connect(lambda: self.bench.feel.press_key())

    def _take_brought(self, path: Path) -> None:
        """A file that was opened beside this window."""
        self.come_back()
        self.desktop.open_path(path)

    def come_back(self) -> None:
        """Be in sight, and stay so when the sweep is over."""
        self._is_background = False
        self.showNormal() if self.isMinimized() or not self.isVisible() else self.show()
        self.raise_()
        self.activateWindow()

    def _go_to_background(self) -> None:
        """Let the sweep run to its end without a window; it closes then."""
        self._is_background = True
        self.hide()

    def _end_in_background(self) -> None:
        if self._closes_after:
            self._close_for_good()
        elif self._is_background:
            self._close_for_good()
            QApplication.quit()

    def _stop_and_close(self) -> None:
        """Stop a run by hand; its person is asked to put the machine back, and then the window closes."""
        self._closes_after = True
        self.show_place("Bench", "By hand")
        self.stop_sweep()

    def _close_for_good(self) -> None:
        self._leaves = True
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Stop a run, which puts the machine back; keep what is being typed; remember what was shown."""
        if self._doorbell is not None and self.runner.is_running and not self._leaves and event is not None:
            from .dialogs.close_dialog import CloseDialog

            event.ignore()
            hand = self.session.address is None
            self.close_dialog = self.show_dialog(CloseDialog(self, by_hand=hand))
            self.close_dialog.stop_asked.connect(self._stop_and_close if hand else self._close_for_good)
            self.close_dialog.leave_asked.connect(self._close_for_good)
            self.close_dialog.background_asked.connect(self._go_to_background)
            return
        if self._doorbell is not None:
            self._doorbell.close()
        for dialog in self.findChildren(QDialog):  # an import ends after the log under way
            dialog.close()
        self.guide.leave()
        self.campaign.leave()
        self.runner.close()
        self.evaluator.close()
        for worker in (*self.findChildren(Worker), *self.session.findChildren(Worker)):
            worker.close()
        for timer in (self._first, self._evaluating, self._looking, self._soon):
            timer.stop()
        QApplication.sendPostedEvents(None, QEvent.Type.MetaCall)  # what they still had to tell, while it can be heard
        commit_edit(self)
        remember("geometry", self.saveGeometry())
        with contextlib.suppress(HovrikError):  # a full disk must not keep the window open; nothing measured is lost
            self.session.notebook.set_state("stage", self._shown.title)
            pages = {name: page.pages.page for name, page in self._pages.items()}
            self.session.notebook.set_state("pages", pages)
            self.session.notebook.set_state("splitters", self._splitter_sizes())
        self.session.close()
        super().closeEvent(event)
