"""A claim typed as its parts: what is set before and after, which figure it changes, and by how much."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel, QLineEdit, QVBoxLayout, QWidget

from ...core.errors import HovrikError
from ...core.facts.knob import named
from ...core.kinds.table import asks_for
from ...core.questions.claim import FIGURES, PERCENT
from ...service.planning import recipe_of, recipe_words, with_part
from ..commands import set_question
from ..session import Session
from .fields import Choice, NumberField

SIDES = ("before", "after")


class ClaimFields(QWidget):
    """problem : a label that says what cannot be read."""

    def __init__(self, session: Session, problem: QLabel) -> None:
        super().__init__()
        self._session, self._problem = session, problem
        self.before, self.after = QLineEdit(), QLineEdit()
        for field, name, hint in ((self.before, "Set before", "boost=on"), (self.after, "Set after", "boost=off")):
            field.setAccessibleName(name)
            field.setPlaceholderText(f"{name.removeprefix('Set ')}: {hint}")
            field.editingFinished.connect(self._on_edited)
        self.figure = Choice("What it is said to change", list(FIGURES.items()))
        self.figure.currentIndexChanged.connect(lambda _at: self._on_edited())
        self.percent = NumberField("By how much it is said to change", "%", -95, 1000, 5, 1)
        self.percent.setToolTip("Of the value before: 100 % is double, -50 % is half")
        self.percent.valueChanged.connect(lambda _value: self._on_edited())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for field_ in (self.before, self.after, self.figure, self.percent):
            column.addWidget(field_)

    def refresh(self) -> None:
        """Show the claim of the question."""
        told = self._told()
        for side, field in zip(SIDES, (self.before, self.after)):
            if not field.hasFocus() or not field.isModified():
                field.setText(recipe_words(dict(told.get(side) or {})))
                field.setModified(False)
        self.figure.show_key(str(told.get("figure") or "mean_fps"))
        self.percent.show_value(float(told.get(PERCENT) or 0.0))

    def _told(self) -> dict[str, Any]:
        question = self._session.question
        found = question.parts.get("claim") if question is not None else None
        return dict(found) if isinstance(found, dict) else {}

    def _on_edited(self) -> None:
        question = self._session.question
        if question is None or not asks_for(question, "claim"):
            return
        try:
            knobs = named(self._session.knobs)
            sides = {
                side: dict(recipe_of(field.text(), knobs)) for side, field in zip(SIDES, (self.before, self.after))
            }
        except HovrikError as fault:
            self._problem.setText(str(fault))
            self._problem.show()
            return
        told = {**sides, "figure": self.figure.key(), PERCENT: self.percent.value()}
        if told != self._told():
            for field in (self.before, self.after):
                field.setModified(False)
            set_question(self._session, with_part(question, claim=told))
