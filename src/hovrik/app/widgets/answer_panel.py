"""The answer under the question: one sentence with its strength, or what is missing; why opens over the page."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ...core.message import Message
from ...core.read.answer import Answer
from ...core.words import percent, render
from ...service.next_steps import words_of
from ..session import Session
from ..theme import tokens
from .elided import ElidedLabel
from .fields import button, emptied, label, set_kind
from .overlay import Overlay
from .room import ANSWER_PX, ROW_PX, Room


class AnswerPanel(QWidget):
    """Sentence on the left in two lines, strength at the right. Its height never changes with what it says.

    Signals: why_asked, acted (action id).
    """

    why_asked = pyqtSignal()
    acted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("answerPanel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self.answer: Answer | None = None
        self.since: Message | None = None
        self.sentence = ElidedLabel("Reading the notebook …", lines=2)
        self.sentence.setFont(tokens.base_font(15, strong=True))
        self.sentence.setAccessibleName("Answer")
        self.missing = ElidedLabel("", "warn")
        self.missing.setAccessibleName("What is missing")
        self.missing.hide()
        self.strength = label("", "figure")
        self.strength.setAccessibleName("Strength of the answer")
        self.strength_words = label("", "soft")
        self.strength_words.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.why = button("Why", tip="The whole answer with its reasons and what is missing")
        self.why.clicked.connect(self.why_asked)
        self.act = self.acting()
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addStretch()
        left.addWidget(self.sentence)
        left.addWidget(self.missing)
        left.addStretch()
        self._layout = QHBoxLayout(self)
        self._layout.setSpacing(10)
        self._layout.addLayout(left, 1)
        self._layout.addWidget(self.strength)
        self._layout.addWidget(self.strength_words)
        self._layout.addWidget(self.act)
        self._layout.addWidget(self.why)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._room = Room.WIDE
        self.adapt(Room.WIDE)
        session.evaluation_changed.connect(self._on_evaluation_changed)

    def acting(self) -> QPushButton:
        """A button that does what the answer asks for."""
        made = button("", tip="To Plan")
        made.clicked.connect(lambda _on: self.acted.emit(self.answer.action if self.answer is not None else ""))
        return made

    def adapt(self, room: Room) -> None:
        """Two lines where there is room for them."""
        self._room = room
        self.setFixedHeight(ANSWER_PX if room is Room.WIDE else ROW_PX)
        self._layout.setContentsMargins(16 if room is Room.WIDE else 8, 0, 8 if room is Room.WIDE else 2, 0)
        self.sentence.setFont(tokens.base_font(15 if room is Room.WIDE else 14, strong=True))
        self._arrange()

    def _arrange(self) -> None:
        wide, missing = self._room is Room.WIDE, bool(self.missing.text())
        self.missing.setVisible(wide and missing)
        self.sentence.lines = 2 if wide and not missing else 1
        self.strength_words.setVisible(wide and bool(self.strength_words.text()))
        self.strength.setVisible(bool(self.strength.text()) and self._room is not Room.COMPACT)
        self.why.setEnabled(self.answer is not None)
        doing = words_of(self.answer.action) if self.answer is not None else ""
        self.act.setText(doing)
        self.act.setVisible(bool(doing) and self._room is not Room.COMPACT)
        self.updateGeometry()
        self.update()

    def show_waiting(self, text: str) -> None:
        """Say what is being done while figures are computed."""
        self.missing.setText(text)
        self._arrange()

    def show_text(self, text: str) -> None:
        """A plain message in place of an answer."""
        self.answer = None
        self.sentence.setText(text)
        for one in (self.missing, self.strength, self.strength_words):
            one.setText("")
        self._arrange()

    def _on_evaluation_changed(self) -> None:
        evaluation = self._session.evaluation
        if evaluation is not None:
            self.show_answer(evaluation.answer, evaluation.since)

    def show_answer(self, answer: Answer, since: Message | None = None) -> None:
        """Show an answer. since : what was said before it, where that was another."""
        self.answer, self.since = answer, since
        self.sentence.setText(answer.sentence)
        stated = answer.option is not None
        set_kind(self.strength, "figure" if stated else "warn")
        self.strength.setText(percent(answer.holds) if answer.holds is not None else "")
        words = _strength_words(answer)
        self.strength_words.setText(words if answer.holds is not None else "")
        self.strength.setToolTip(words)
        before = render(since) if since is not None else ""
        self.missing.setText("Missing: " + "; ".join(answer.missing) if answer.missing else before)
        self._arrange()


def _strength_words(answer: Answer) -> str:
    return "sure it holds" if answer.option is not None else "that it holds"


class AnswerSheet(Overlay):
    """The whole answer over the page: sentence, strength, what is missing, reasons."""

    def __init__(self, panel: AnswerPanel, parent: QWidget) -> None:
        super().__init__("The whole answer", parent)
        self._panel = panel

    def show_answer(self) -> None:
        """Fill it with the answer that is shown."""
        emptied(self.body)
        answer = self._panel.answer
        if answer is None:
            return
        sentence = label(answer.sentence, wrap=True)
        sentence.setFont(tokens.base_font(15, strong=True))
        sentence.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.body.addWidget(sentence)
        if answer.holds is not None:
            kind = "good" if answer.option is not None else "warn"
            self.body.addWidget(label(f"{percent(answer.holds)} {_strength_words(answer)}", kind))
        for text in answer.missing:
            self.body.addWidget(label(f"Missing: {text}.", "warn", wrap=True))
        if self._panel.since is not None:
            self.body.addWidget(label(render(self._panel.since), "warn", wrap=True))
        for text in answer.reasons:
            self.body.addWidget(label(f"{text[:1].upper()}{text[1:]}.", "soft", wrap=True))
        if doing := words_of(answer.action):
            act = self._panel.acting()
            act.setText(doing)
            act.clicked.connect(self.dismiss)
            self.body.addWidget(act, 0, Qt.AlignmentFlag.AlignLeft)
        close = button("Close (Esc)")
        close.clicked.connect(self.dismiss)
        self.body.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)
        self.body.addStretch()
