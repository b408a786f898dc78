"""The answer under the question: one sentence with its strength, or what is missing."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from ...core.read.answer import Answer
from ...core.words import percent
from ..session import Session
from ..theme import tokens
from .fields import label, set_kind


class AnswerPanel(QWidget):
    """Sentence on the left, strength on the right, what is missing below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("answerPanel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self.sentence = label("Reading the notebook …", wrap=True)
        self.sentence.setFont(tokens.base_font(15, strong=True))
        self.sentence.setAccessibleName("Answer")
        self.sentence.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.missing = label("", "warn", wrap=True)
        self.strength = label("", "figure")
        self.strength.setAccessibleName("Strength of the answer")
        self.strength_words = label("", "soft")
        for widget in (self.strength, self.strength_words):
            widget.setAlignment(Qt.AlignmentFlag.AlignRight)
        left = QVBoxLayout()
        left.setSpacing(2)
        left.addWidget(self.sentence)
        left.addWidget(self.missing)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.strength)
        right.addWidget(self.strength_words)
        right.addStretch()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 8)
        layout.setSpacing(20)
        layout.addLayout(left, 1)
        layout.addLayout(right)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        session.evaluation_changed.connect(self._on_evaluation_changed)

    def show_waiting(self, text: str) -> None:
        """Say what is being done while figures are computed."""
        self.missing.setText(text)
        self.missing.setVisible(bool(text))

    def show_text(self, text: str) -> None:
        """A plain message in place of an answer."""
        self.sentence.setText(text)
        self.missing.hide()
        self.strength.setText("")
        self.strength_words.setText("")

    def _on_evaluation_changed(self) -> None:
        evaluation = self._session.evaluation
        if evaluation is not None:
            self.show_answer(evaluation.answer)

    def show_answer(self, answer: Answer) -> None:
        """Show an answer."""
        self.sentence.setText(answer.sentence)
        stated = answer.option is not None
        set_kind(self.strength, "figure" if stated else "warn")
        self.strength.setText(percent(answer.holds) if answer.holds is not None else "")
        words = "sure it holds" if stated else "that it holds"
        self.strength_words.setText(words if answer.holds is not None else "")
        self.missing.setText("Missing: " + "; ".join(answer.missing) if answer.missing else "")
        self.missing.setVisible(bool(answer.missing))
