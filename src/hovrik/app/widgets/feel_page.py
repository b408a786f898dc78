"""What a player feels and hears: a blind test of caps or limits with one key, and the loudest fan they accept."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...bench.job import Progress
from ...core import words
from ...core.facts.factor import LIMIT
from ...core.facts.knob import CAP
from ...core.facts.terms import Limit
from ...core.kinds.table import FELT
from ...service.next_steps import asked_by, words_of
from ...service.planning import of_kind, with_part
from ..commands import set_question
from ..session import Session
from ..theme.tokens import TARGET_PX
from .fields import Card, Choice, allow, button, label

WHATS = [(CAP, "caps: the rate I want"), (LIMIT, "limits under a cap: how many late frames I bear")]
INTRO = (
    "Caps or limits are switched while you play, and you do not see which. Press the key whenever it feels bad to you, "
    "as often as you like: every 13 s something else is set. Ten minutes tell from when on it does."
)
OUTSIDE = "From within the title: have the desktop run “hovrik press” at a key or button of your choice."
ROUND_RPM = 50


class FeelPage(QWidget):
    """Signals: pressed (it feels bad now)."""

    pressed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._rpm: float | None = None
        self._presses = 0
        self.card = Card("Blind test")
        self.card.body.addWidget(label(INTRO, "soft", wrap=True))
        row = QHBoxLayout()
        self.what = Choice("What is switched unseen", WHATS)
        self.ask = button("Ask this", tip="Makes it the question; Start then begins the test")
        self.ask.clicked.connect(self._on_ask)
        row.addWidget(self.what, 1)
        row.addWidget(self.ask)
        self.card.body.addLayout(row)
        self.press = button("It feels bad (Space)", "main")
        self.press.setFixedHeight(2 * TARGET_PX)  # found without looking
        self.press.pressed.connect(self.press_key)  # not when it is let go
        self._key = QShortcut(QKeySequence("Space"), self)
        self._key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)  # elsewhere Space is Stop's, or a letter
        self._key.setAutoRepeat(False)
        self._key.setEnabled(False)
        self._key.activated.connect(self.press_key)
        self.card.body.addWidget(self.press)
        self.state = label("", wrap=True)
        self.state.setAccessibleName("State of the blind test")
        self.card.body.addWidget(self.state)
        self.card.body.addWidget(label(OUTSIDE, "soft", wrap=True))
        self.found = label("", wrap=True)
        self.found.setAccessibleName("What the blind test found")
        self.take = button("")
        self.take.clicked.connect(self._on_take)
        self.card.body.addWidget(self.found)
        self.card.body.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        by_ear = Card("Noise by ear")
        by_ear.body.addWidget(
            label("Set the fan until it is as loud as you would have it, then say so here: it becomes a limit like "
                  "others. With a sound level meter note levels in Rig, then limit decibels.", "soft", wrap=True)
        )  # fmt: skip
        row = QHBoxLayout()
        self.fan = label("")
        self.fan.setAccessibleName("Fan speed now")
        self.loudest = button("The loudest I accept")
        self.loudest.clicked.connect(self._on_loudest)
        row.addWidget(self.fan, 1)
        row.addWidget(self.loudest)
        by_ear.body.addLayout(row)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.card)
        column.addWidget(by_ear)
        column.addStretch()
        self.show_running(is_blind=False)
        self._show_fan()
        self.refresh()

    def show_running(self, *, is_blind: bool) -> None:
        """Whether a blind test is under way."""
        self._presses = 0
        self._key.setEnabled(is_blind)
        may_ask = not is_blind and not self.session.notebook.read_only
        if may_ask:
            self.ask.setEnabled(True)
        allow(self.press, is_blind, self.ask)
        allow(self.ask, may_ask, self.press)
        self.state.setText("It begins with the first look." if is_blind else "")
        if is_blind:
            self.press.setFocus()

    def show_progress(self, event: Progress) -> None:
        """A step of a run."""
        channel = event.sample.channels.get("fan_rpm") if event.sample is not None else None
        if channel is not None and channel.values.size and math.isfinite(channel.values[-1]):
            self._rpm = float(channel.values[-1])
            self._show_fan()
        if self._key.isEnabled() and event.index is not None:
            self.state.setText(f"Look {event.position + 1}. Pressed {words.plural(self._presses, 'time')} so far.")

    def refresh(self) -> None:
        """Show what was found."""
        evaluation = self.session.evaluation
        found = [one for one in evaluation.findings if one.id == "felt"] if evaluation is not None else []
        self.found.setText("\n".join(words.sentence(one.evidence) for one in found))
        self.found.setVisible(bool(found))
        self._action = next((one.action for one in found if one.action), "")
        self.take.setText(words_of(self._action))
        self.take.setVisible(bool(self._action) and not self.session.notebook.read_only)

    def _on_ask(self) -> None:
        question = self.session.question
        if question is not None:
            set_question(self.session, with_part(of_kind(question, FELT), over=self.what.key()))

    def press_key(self) -> None:
        """It feels bad now."""
        self._presses += 1
        self.pressed.emit()

    def _on_take(self) -> None:
        question = self.session.question
        asked = asked_by(self._action, question) if question is not None else None
        if asked is not None:
            set_question(self.session, asked)

    def _on_loudest(self) -> None:
        question = self.session.question
        if question is None or self._rpm is None:
            return
        others = tuple(one for one in question.terms.limits if one.figure != "fan_rpm")
        limit = Limit("fan_rpm", at_most=float(ROUND_RPM * round(self._rpm / ROUND_RPM)))
        set_question(self.session, question.with_(limits=(*others, limit)))

    def _show_fan(self) -> None:
        known = self._rpm is not None
        self.fan.setText(
            f"The fan turns at {self._rpm:,.0f} rpm." if known else "No fan speed was read since the start."
        )
        self.loudest.setEnabled(known and not self.session.notebook.read_only)
