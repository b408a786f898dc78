"""The question as one editable sentence; each part is a control."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from ...core.facts.place import Source
from ...core.facts.terms import School
from ..commands import set_question
from ..session import Session
from ..theme.tokens import TARGET_PX
from .fields import Choice, NumberField, label
from .flow import FlowLayout

SCHOOLS = [(s.value, f"1 % low, {s.words}") for s in School]
SOURCES = [(Source.BATTERY.value, "battery"), (Source.ADAPTER.value, "adapter")]


class QuestionLine(QWidget):
    """On [rig] under [OS slot], on [battery], in [title · scene], find the lowest watts that hold [40] frames with
    [1 % low, percentile]."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("questionLine")
        self._session = session
        self.rig = Choice("Rig")
        self.slot = Choice("OS slot")
        self.source = Choice("Power source", SOURCES)
        self.scene = Choice("Title and scene")
        self.target = NumberField("Frames to hold", "", 1, 1000, 5)
        self.target.setFixedWidth(64)
        self.school = Choice("Which low counts", SCHOOLS)
        flow = FlowLayout(self)
        flow.setContentsMargins(16, 6, 16, 4)
        for part in (
            "On", self.rig, "under", self.slot, "on", self.source, "in", self.scene,
            "find the lowest watts that hold", self.target, "frames with", self.school,
        ):  # fmt: skip
            widget = label(part) if isinstance(part, str) else part
            if isinstance(part, str):
                widget.setProperty("kind", "soft")
            else:
                widget.setFixedHeight(TARGET_PX)
            flow.addWidget(widget)
        self.rig.currentIndexChanged.connect(self._on_edited)
        self.slot.currentIndexChanged.connect(self._on_edited)
        self.source.currentIndexChanged.connect(self._on_edited)
        self.scene.currentIndexChanged.connect(self._on_edited)
        self.school.currentIndexChanged.connect(self._on_edited)
        self.target.valueChanged.connect(self._on_edited)
        session.question_changed.connect(self.show_question)
        self.show_question()

    def show_question(self) -> None:
        """Show the session's question and what can be chosen."""
        session, question = self._session, self._session.question
        self.rig.offer([(key, str(e.body["name"])) for key, e in session.newest("rig").items()])
        own = question.rig if question else ""
        self.slot.offer(
            [
                (e.body["key"], str(e.body["name"]))
                for key, e in session.newest("slot").items()
                if key.startswith(f"{own}/")
            ]
        )
        titles = {key: str(e.body["name"]) for key, e in session.newest("title").items()}
        self.scene.offer(
            [
                (key, f"{titles.get(key.split('/')[0], key)} · {e.body['name']}")
                for key, e in session.newest("scene").items()
            ]
        )
        self.setEnabled(question is not None)
        if question is None:
            return
        self.rig.show_key(question.rig)
        self.slot.show_key(question.slot)
        self.source.show_key(question.source.value)
        self.scene.show_key(f"{question.title}/{question.scene}")
        self.target.show_value(question.target_fps)
        self.school.show_key(question.school.value)
        self.updateGeometry()

    def _on_edited(self) -> None:
        question = self._session.question
        title, _, scene = self.scene.key().partition("/")
        if question is None or not title:
            return
        edited = question.with_(
            rig=self.rig.key(),
            slot=self.slot.key(),
            source=Source(self.source.key()),
            title=title,
            scene=scene,
            target_fps=self.target.value(),
            school=School(self.school.key()),
        )
        if edited != question:
            set_question(self._session, edited)
