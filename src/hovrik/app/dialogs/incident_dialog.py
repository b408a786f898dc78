"""Noting an incident: what happened, at which setup, in a few words. Never modal; a run has been stopped before."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...core.facts.incident import IncidentKind
from ...core.facts.setup import Setup, describe
from ..commands import note_incident
from ..session import Session
from ..widgets.fields import Choice, NumberField, button, label

_WORDS = {
    IncidentKind.CRASH: "the title crashed", IncidentKind.HANG: "it hung", IncidentKind.KICK: "kicked from a match",
    IncidentKind.ARTEFACT: "artefacts on screen", IncidentKind.REBOOT: "the machine rebooted",
}  # fmt: skip


class IncidentDialog(QDialog):
    """kind, setup and note of one incident. Signals: stop_asked (a run under way is to end)."""

    stop_asked = pyqtSignal()

    def __init__(self, session: Session, setup: Setup | None, phase: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Note an incident")
        self.setMinimumWidth(560)
        self._session, self._phase = session, phase
        self._setup = setup or Setup()
        self.kind = Choice("What happened", [(k.value, words) for k, words in _WORDS.items()])
        self.limit = NumberField("Static limit at that time", "W", 0, 500, 1, 1)
        self.limit.show_value(self._setup.static_limit_w or 0.0)
        self.note = QLineEdit()
        self.note.setAccessibleName("What was going on")
        self.note.setPlaceholderText("what was going on")
        self.message = label("", "bad", wrap=True)
        keep, close = button("Note it", "main"), button("Close")
        keep.clicked.connect(self.keep)
        close.clicked.connect(self.reject)
        self.keep_button = keep
        self.run_words = label("", "warn", wrap=True)
        self.run_words.hide()
        self.stop_now = button("Stop the run now", "stop")
        self.stop_now.clicked.connect(self._on_stop)
        self.stop_now.hide()
        column = QVBoxLayout(self)
        known = f"Setup: {describe(self._setup)}." if setup else "Setup: the limit below; everything else unknown."
        column.addWidget(label(f"{known} A setup with incidents is not recommended.", "soft", wrap=True))
        for words, field in (("What happened", self.kind), ("at a static limit of", self.limit), ("Note", self.note)):
            row = QHBoxLayout()
            left = label(words, "soft")
            left.setFixedWidth(170)
            row.addWidget(left)
            row.addWidget(field, 1)
            column.addLayout(row)
        column.addWidget(self.run_words)
        column.addWidget(self.message)
        foot = QHBoxLayout()
        foot.addWidget(self.stop_now)
        foot.addStretch()
        foot.addWidget(close)
        foot.addWidget(keep)
        column.addLayout(foot)

    def say_run(self, *, by_hand: bool) -> None:
        """A run is under way: what noting does to it."""
        ends = "asks you to put the limits back" if by_hand else "puts the machine back as it was"
        self.run_words.setText(f"A sweep runs. Noting this stops it, which {ends}; Close lets it go on.")
        self.run_words.show()
        self.stop_now.show()

    def _on_stop(self) -> None:
        self.run_words.setText("The sweep is being stopped.")
        self.stop_now.setEnabled(False)
        self.stop_asked.emit()

    def keep(self) -> None:
        """Store the incident, undoable; a run under way ends."""
        if self._session.question is None:
            self.message.setText("Choose a rig, OS slot, title and scene in the question line first.")
            return
        limit = self.limit.value()
        setup = self._setup
        if limit > 0 and setup.static_limit_w != limit:
            setup = setup.with_(sustained_limit_w=limit, short_limit_w=limit, peak_limit_w=limit)
        words = self.note.text().strip()
        self.stop_asked.emit()
        note_incident(self._session, IncidentKind(self.kind.key()), setup, self._phase, words)
        self.accept()
