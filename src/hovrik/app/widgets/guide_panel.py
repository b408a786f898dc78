"""One large instruction at a time for a hand-run machine, the ticks of its gauge, and the readings after a pass."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from ...bench.by_hand.guided import Readings
from ...bench.job import Phase
from ...bench.protocol import Need
from ...core.errors import HovrikError, count_left_out
from ...core.facts.rig import Rig
from ...core.questions.preflight import Item
from ...core.words import plural
from ...service.imports import log_parts
from ...service.imports.mappings import Mappings
from ...service.imports.telemetry import Together, read_together
from ...store.stills import SUFFIXES
from ..file_names import ask_open_many
from ..guide import Request
from ..theme import tokens
from ..worker import Worker
from .fields import PICTURES, TABLES, Card, button, label
from .folder_watch import FolderWatch
from .mark_key import MarkKey
from .preflight_list import PreflightList
from .reading_form import ReadingForm

_ONCE = "Before the first pass: what no log will tell. It is asked once; an empty answer is unknown."
_NO_LOG = "No log yet: without one the pass carries no low."


class GuidePanel(Card):
    """Shown while a person is asked for something or times the gauge; a key of their choice or the button confirms. A
    frame log can be dropped on it.

    Signals: ticked (the gauge stepped), ended (the scene has), answered_once (the questions before the first pass are
    done), turned_up (whether something is asked), columns_asked (path of a log).
    mappings : those saved for columns, by file shape, asked for each log; rig : the one that is run; known_logs : parts
    of logs that are in the notebook.
    """

    ticked = pyqtSignal()
    ended = pyqtSignal()
    answered_once = pyqtSignal()
    turned_up = pyqtSignal(bool)
    columns_asked = pyqtSignal(object)

    def __init__(
        self, mappings: Callable[[], Mappings] = Mappings, rig: Callable[[], Rig | None] = lambda: None,
        known_logs: Callable[[], set[str]] = set,
    ) -> None:  # fmt: skip
        super().__init__("", "pick")
        self._mappings, self._rig, self._known_logs = mappings, rig, known_logs
        self.setAcceptDrops(True)
        self.setAccessibleName("What to do now")
        self.request: Request | None = None
        self.log: Together | None = None
        self._asks_once = False
        self.ticks = 0
        self.stills: list[Path] = []
        self._reader = Worker("read", self)
        self._reader.finished.connect(self._on_read)
        self._reader.failed.connect(self._on_unread)
        self._arrived: list[Path] = []  # logs of the pass that came by themselves
        self.watch = FolderWatch("A new log in it is taken as this pass")
        self.watch.arrived.connect(self._on_arrived)
        self.watch.failed.connect(lambda text: self.message.setText(text))
        self.text = label("", wrap=True)
        self.text.setFont(tokens.base_font(24, strong=True))
        self.text.setAccessibleName("Instruction")
        self.message = label("", "warn", wrap=True)
        self.map_columns = button("Say what its columns are …", tip="Once; logs of this shape are then known")
        self.map_columns.clicked.connect(lambda: self.columns_asked.emit(self._unread[0]) if self._unread else None)
        self.map_columns.hide()
        self._unread: tuple[Path, ...] = ()
        self.gauge_words = label("The gauge shows now (empty: it will not be read)", "soft")
        self.gauge_now = QLineEdit()
        self.gauge_now.setAccessibleName("Gauge at the start")
        self.gauge_now.setPlaceholderText("not read")
        self.gauge_now.setFixedWidth(120)
        self.form = ReadingForm()
        self.fields, self.tags = self.form.fields, self.form.tags
        self.readings = self._readings()
        self.once = PreflightList()
        self.once_area = QScrollArea()
        self.once_area.setWidgetResizable(True)
        self.once_area.setWidget(self.once)
        self.once_area.setMinimumHeight(120)
        self.mark = MarkKey("mark_key", "Space", "mark key", "Key that marks the moment", "main")
        self.mark.pressed.connect(self._on_done)
        self.end_mark = MarkKey("end_key", "End", "end key", "Key that marks the end of the scene")
        self.end_mark.say("It has ended")
        self.end_mark.pressed.connect(self._on_end)
        self.done, self.end = self.mark.button, self.end_mark.button
        self.not_done = button("Not now", tip="It is asked again at the next start")
        self.not_done.clicked.connect(self._on_not_done)
        gauge = QHBoxLayout()
        gauge.addWidget(self.gauge_words)
        gauge.addWidget(self.gauge_now)
        gauge.addStretch()
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        row.addWidget(self.map_columns)
        for widget in (self.mark, self.end_mark):
            widget.edit.editingFinished.connect(self.done.setFocus)
            row.addWidget(widget)
        row.addWidget(self.not_done)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        for part in (self.text, self.once_area, self.readings):
            self.body.addWidget(part, int(part is self.once_area))
        self.body.addLayout(gauge)
        self.body.addLayout(row)
        self._show(readings=False)
        self.hide()

    is_timing = False  # a scene runs: the key times the gauge

    def _show(self, *, readings: bool = False, once: bool = False, gauge: bool = False) -> None:
        """Which parts are there; where fields are, the keys belong to them."""
        for part in (self.gauge_words, self.gauge_now):
            part.setVisible(gauge)
        self.map_columns.hide()
        self.readings.setVisible(readings)
        self.once_area.setVisible(once)
        puts_back = self.request is not None and self.request.instruction.need is Need.PUT_BACK
        self.not_done.setVisible(puts_back)
        self.mark.say("The gauge stepped" if self.is_timing else "It is back as it was" if puts_back else "Done")
        self.mark.allow(by_key=not (readings or once))
        self._allow_end(False)

    def _readings(self) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        choose = button("Choose the frame log …", tip="Or drop it here, with what another recorder wrote beside it")
        choose.clicked.connect(self._on_choose)
        self.pictures = button("Stills …", tip="Screenshots of this set-up, to be compared side by side")
        self.pictures.clicked.connect(self._on_pictures)
        for widget in (choose, self.watch, self.pictures):
            row.addWidget(widget)
        row.addStretch()
        column.addLayout(row)
        column.addWidget(self.form)
        return box

    # -- asking

    def ask_once(self, items: list[Item]) -> None:
        """Ask what no log will tell; `answered_once` follows."""
        self._asks_once = True
        self.text.setText(_ONCE)
        self.message.setText("")
        self.once.show_items(items)
        self._show(once=True)
        self._turn_up(True)
        self.done.setFocus()

    def withdraw_questions(self) -> None:
        """The questions before the first pass are no longer those of what would be run."""
        if self._asks_once:
            self.withdraw()

    def ask(self, request: Request) -> None:
        """Show what is asked."""
        self.request, self.log, self.is_timing, self._asks_once = request, None, False, False
        self.text.setText(request.instruction.text)
        self._show(readings=request.wants_readings, gauge=request.instruction.need is Need.START)
        self.message.setText(_NO_LOG if request.wants_readings else "")
        self.form.begin(request.ticks_ns, self._rig(), self.gauge_now.text() if request.wants_readings else "")
        if request.wants_readings:
            self.stills = []
            self.take_stills(())
        if request.ticks_ns:
            step = " Type what one step is; without it they tell nothing." if self.form.wants_step else ""
            self.message.setText(f"{plural(len(request.ticks_ns), 'gauge tick')} timed.{step} {_NO_LOG}")
        self._turn_up(True)
        self.done.setFocus()
        if request.wants_readings and self._arrived:
            self.open_file(*self._arrived)
        elif not request.wants_readings:
            self._arrived = []

    def withdraw(self) -> None:
        """Nothing is asked any more."""
        self.request, self._asks_once, self.is_timing = None, False, False
        self.mark.say("Done")
        self.not_done.hide()
        self._turn_up(False)

    def _turn_up(self, on: bool) -> None:
        self.setVisible(on)
        self.turned_up.emit(on)

    def show_step(self, phase: Phase, left_s: float) -> None:
        """The step of the scene that runs, with its time left; its end may be marked while it is measured."""
        if self.is_timing and phase in (Phase.SOAK, Phase.MEASURE):
            self.text.setText(f"{'Soak' if phase is Phase.SOAK else 'Measuring'}: {left_s:.0f} s left")
            self._allow_end(phase is Phase.MEASURE)

    def _allow_end(self, on: bool) -> None:
        self.end_mark.setVisible(self.is_timing)
        self.end_mark.allow(press=on and self.is_timing)

    def _on_end(self) -> None:
        self._allow_end(False)
        self.ended.emit()

    def _time_gauge(self) -> None:
        """The scene runs: the key now times the gauge, for whoever watches it."""
        self.request, self.is_timing, self.ticks = None, True, 0
        self.text.setText("The scene is being measured.")
        self.message.setText("A gauge that counts in steps: press at each one; three tell the draw.")
        self._show()

    # -- the log

    def open_file(self, *paths: Path) -> None:
        """Read the log of the pass off the interface thread: frames, by the mapping saved for their columns or a guess,
        and telemetry that another recorder wrote beside them, in any order."""
        self._unread = paths
        self.message.setText(f"reading {', '.join(path.name for path in paths)} …")
        known = self._mappings()
        self._reader.ask(lambda _wanted: read_together(paths, known))

    def _on_read(self, log: Together) -> None:
        if log.conditions[log_parts.CONDITION].value in self._known_logs():
            self.log = None
            self.message.setText("The frames of this log are in the notebook already. Bring the log of this pass.")
            return
        self.log = log
        self.map_columns.hide()
        left_out = count_left_out(log.imported.problems)
        odd = f" {plural(left_out, 'line')} left out." if left_out else ""
        self.message.setText(f"{log.words}{odd}")

    def _on_unread(self, fault: HovrikError) -> None:
        """A log whose columns tell nothing: what they are can be said."""
        self.message.setText(str(fault))
        self.map_columns.setVisible(bool(self._unread))

    def look_again(self) -> None:
        """Read the log once more, now that its columns are known."""
        if self._unread and self.readings.isVisible():
            self.open_file(*self._unread)

    def _on_choose(self) -> None:
        paths = ask_open_many(self, "logs", "Frame log, and telemetry beside it", TABLES)
        if paths:
            self.open_file(*paths)

    def _on_pictures(self) -> None:
        self.take_stills(ask_open_many(self, "stills", "Stills", PICTURES))

    def take_stills(self, paths: Sequence[Path]) -> None:
        """Pictures to be kept with the pass."""
        self.stills += [path for path in paths if path not in self.stills]
        self.pictures.setText(f"{plural(len(self.stills), 'still')} …" if self.stills else "Stills …")

    def _on_arrived(self, path: Path) -> None:
        self._arrived.append(path)
        if self.request is not None and self.request.wants_readings:
            self.open_file(*self._arrived)  # else the logger was quicker than the person

    # -- answering

    def _on_done(self) -> None:
        request = self.request
        if self._asks_once:
            self.withdraw()
            self.answered_once.emit()
        elif self.is_timing:
            self.ticks += 1
            self.message.setText(f"{self.ticks} ticks of the gauge.")
            self.ticked.emit()
        elif request is not None and request.wants_readings:
            try:
                readings = self._given()
            except HovrikError as fault:
                self.message.setText(str(fault))
                return
            self.gauge_now.setText(self.fields["gauge_end"].text().strip())  # where the next pass begins
            self.withdraw()
            request.give(readings)
        elif request is not None:
            if request.instruction.need is Need.START:
                self._time_gauge()
            else:
                self.withdraw()
            request.give(True)

    def _on_not_done(self) -> None:
        """It was not put back: the run ends so, and says so."""
        request = self.request
        if request is not None:
            self.withdraw()
            request.give(False)

    def _given(self) -> Readings:
        rig = self._rig()
        found = self.form.readings(rig if rig is not None else _ANY_RIG)
        if self.log is None:
            return found
        return replace(found, trace=self.log.imported.trace, conditions=self.log.conditions)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls() and self.readings.isVisible():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if data is not None and data.hasUrls():
            paths = [Path(url.toLocalFile()) for url in data.urls()]
            pictures = [path for path in paths if path.suffix.lower() in SUFFIXES]
            self.take_stills(pictures)
            logs = [path for path in paths if path not in pictures]
            if logs:
                self.open_file(*logs)


_ANY_RIG = Rig("", "The rig", 1.0, 1.0)  # where nobody has said which: no battery, no step
