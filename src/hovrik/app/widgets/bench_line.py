"""The bottom line: state of the machine, the pass in progress, what is left, stop."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QSizePolicy, QWidget

from ...bench.job import Phase, Progress
from ...core import degrees
from ...core.facts.setup import describe
from ...core.words import hours_minutes
from ...service.next_steps import words_of
from .elided import ElidedLabel
from .fields import button
from .room import LINE_PX, Room

IDLE = "No sweep is running."

_WORDS = {
    Phase.RECHARGE: "recharging", Phase.APPLY: "setting", Phase.SETTLE: "settling", Phase.PIN: "bringing to watts",
    Phase.SOAK: "soaking",
    Phase.MEASURE: "measuring", Phase.COOL_DOWN: "cooling down", Phase.RESTORE: "putting back", Phase.PAUSED: "paused",
}  # fmt: skip


class BenchLine(QWidget):
    """Signals: stop_asked, pause_asked (whether to hold), remedy_asked."""

    stop_asked = pyqtSignal()
    pause_asked = pyqtSignal(bool)
    remedy_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("benchLine")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(LINE_PX)
        self.machine = ElidedLabel("", "soft")
        self.machine.setAccessibleName("State of the machine")
        self._known: dict[str, str] = {}
        self.step = ElidedLabel(IDLE)
        self.step.setAccessibleName("Step in progress")
        self.left = ElidedLabel("", "soft")
        self.left.setAccessibleName("Time left")
        self.left.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.progress = QProgressBar()
        self.progress.setAccessibleName("Passes done")
        self.progress.setFormat("%v of %m passes")
        self.progress.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.progress.setMaximumWidth(220)
        self.progress.hide()
        self.pause = button("Pause", tip="Hold before the next pass (F6); the machine is put back meanwhile")
        self.pause.setAccessibleName("Pause the run")
        self.pause.setCheckable(True)
        self.pause.clicked.connect(self.pause_asked)
        self.remedy = button("", "main", "Make the passes that are left with this, and go on")
        self.remedy.clicked.connect(self.remedy_asked)
        self.stop = button("Stop (F8)", "stop", "End the sweep now and put the machine back as it was")
        self.stop.setEnabled(False)
        self.stop.clicked.connect(self.stop_asked)
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(16, 1, 2, 1)
        self._layout.setSpacing(10)
        for widget, share in ((self.machine, 5), (self.step, 6), (self.left, 4), (self.progress, 3)):
            self._layout.addWidget(widget, share)
        self._layout.addWidget(self.remedy)
        self._layout.addWidget(self.pause)
        self._layout.addWidget(self.stop)
        self._room = Room.WIDE
        self.show_running(False)

    def adapt(self, room: Room) -> None:
        """Leave out what there is no room for; Stop is always there."""
        self._room = room
        self._arrange()

    def _arrange(self) -> None:
        running = self.stop.isEnabled()
        self.pause.setVisible(running)
        self.remedy.setVisible(running and bool(self.remedy.text()))
        offered = bool(self.remedy.text()) and self._room is not Room.WIDE
        self.progress.setVisible(running and self._room is not Room.COMPACT and not offered)
        self.left.setVisible(running and self._room is not Room.COMPACT and not offered)
        self.machine.setVisible(not running or self._room is not Room.COMPACT)

    def show_paused(self, paused: bool) -> None:
        """Whether the run holds."""
        self.pause.setChecked(paused)
        self.pause.setText("Go on" if paused else "Pause")
        if not paused:
            self.show_offered("")

    def show_offered(self, action: str) -> None:
        """What would make the next pass count."""
        if self.remedy.text() != words_of(action):
            self.remedy.setText(words_of(action))
            self._arrange()

    def show_machine(self, text: str) -> None:
        """State of the machine while no sweep runs."""
        self._known = {}
        self.machine.setText(text)

    def show_running(self, running: bool) -> None:
        """Whether a sweep runs."""
        self.stop.setEnabled(running)
        if not running:
            self.left.setText("")
            self.step.setText(IDLE)
        self._arrange()

    def show_progress(self, event: Progress, minutes_left: float | None) -> None:
        """A step of a run."""
        setup = f" at {describe(event.setup)}" if event.setup is not None else ""
        left = f", {event.left_s:.0f} s left" if event.length_s else ""
        self.step.setText(f"{_WORDS[event.phase].capitalize()}{setup}{left}")
        if event.waits and not self.pause.isChecked():  # the run paused itself
            self.show_paused(True)
        self.show_offered(event.offers)
        self.progress.setMaximum(event.total)
        self.progress.setValue(event.position)
        if event.charge is not None:
            self._known["charge"] = f"charge {100 * event.charge:.0f} %"
        if event.sample is not None:
            is_blind = event.setup is None and event.index is not None
            for name, words, unit in (("battery_w", "draw", "W"), ("die_c", "die", "C"), ("shell_c", "shell", "C")):
                channel = event.sample.channels.get(name)
                if channel is not None and channel.values.size and not (is_blind and words == "draw"):
                    self._known[words] = f"{words} {_shown(float(channel.values[-1]), unit)}"
        self.machine.setText(" · ".join(self._known.values()))
        if minutes_left is not None:
            self.left.setText(f"about {hours_minutes(minutes_left / 60.0)} of machine time left")


def _shown(value: float, unit: str) -> str:
    return degrees.words(value) if unit == "C" else f"{value:.0f} {unit}"
