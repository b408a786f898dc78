"""The bottom line: state of the machine, the pass in progress, what is left, stop."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from ...bench.job import Phase, Progress
from ...core.facts.setup import describe
from ...core.words import hours_minutes
from .fields import button, label

_WORDS = {
    Phase.RECHARGE: "recharging", Phase.APPLY: "setting", Phase.SETTLE: "settling", Phase.SOAK: "soaking",
    Phase.MEASURE: "measuring", Phase.COOL_DOWN: "cooling down", Phase.RESTORE: "putting back", Phase.PAUSED: "paused",
}  # fmt: skip


class BenchLine(QWidget):
    """Signals: stop_asked."""

    stop_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("benchLine")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.machine = label("", "soft")
        self.machine.setAccessibleName("State of the machine")
        self.machine.setMinimumWidth(310)
        self._known: dict[str, str] = {}
        self.step = label("No sweep is running.")
        self.step.setAccessibleName("Step in progress")
        self.left = label("", "soft")
        self.progress = QProgressBar()
        self.progress.setAccessibleName("Passes done")
        self.progress.setFixedWidth(220)
        self.progress.setFormat("%v of %m passes")
        self.progress.hide()
        self.stop = button("Stop (F8)", "stop", "End the sweep now and put the machine back as it was")
        self.stop.setEnabled(False)
        self.stop.clicked.connect(self.stop_asked)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 4, 10, 4)
        layout.setSpacing(16)
        layout.addWidget(self.machine)
        layout.addWidget(self.step, 1)
        layout.addWidget(self.left)
        layout.addWidget(self.progress)
        layout.addWidget(self.stop)

    def show_machine(self, text: str) -> None:
        """State of the machine while no sweep runs."""
        self._known = {}
        self.machine.setText(text)

    def show_running(self, running: bool) -> None:
        """Whether a sweep runs."""
        self.stop.setEnabled(running)
        self.progress.setVisible(running)
        if not running:
            self.left.setText("")

    def show_progress(self, event: Progress, minutes_left: float | None) -> None:
        """A step of a run."""
        setup = f" at {describe(event.setup)}" if event.setup is not None else ""
        left = f", {event.left_s:.0f} s left" if event.length_s else ""
        self.step.setText(f"{_WORDS[event.phase].capitalize()}{setup}{left}")
        self.progress.setMaximum(event.total)
        self.progress.setValue(event.position)
        if event.charge is not None:
            self._known["charge"] = f"charge {100 * event.charge:.0f} %"
        if event.sample is not None:
            for name, words, unit in (("battery_w", "draw", "W"), ("die_c", "die", "C"), ("shell_c", "shell", "C")):
                channel = event.sample.channels.get(name)
                if channel is not None and channel.values.size:
                    self._known[words] = f"{words} {channel.values[-1]:.0f} {unit}"
        self.machine.setText(" · ".join(self._known.values()))
        if minutes_left is not None:
            self.left.setText(f"about {hours_minutes(minutes_left / 60.0)} of machine time left")
            self.left.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
