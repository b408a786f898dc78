"""The question as one editable sentence; each part is a control."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from ...core.facts.place import Source
from ...core.facts.terms import LOW, LOW_TENTH, MEAN, NOTHING, SCORE, SLOW_SHARE, TIME, School
from ...core.facts.title import Scene
from ..commands import set_question
from ..session import Session
from ..theme.tokens import TARGET_PX
from .fields import Choice, NumberField, label
from .flow import FlowLayout

# figure of the floor / school of lows -> words
_LOWS = [(f"{figure}/{s.value}", f"{words} low, {s.words}") for figure, words in ((LOW, "1 %"), (LOW_TENTH, "0.1 %"))
         for s in School]  # fmt: skip
FLOORS = [*_LOWS, (MEAN, "mean rate"), (SLOW_SHARE, "share of slow frames"), (SCORE, "score"),
          (TIME, "time of the job"), (NOTHING, "nothing to hold")]  # fmt: skip
_UNITS = {SCORE: "points as its", TIME: "seconds as its"}
SOURCES = [(Source.BATTERY.value, "battery"), (Source.ADAPTER.value, "adapter")]


class QuestionLine(QWidget):
    """On [rig] under [OS slot], on [battery], in [title · scene], find the lowest watts that hold [40] frames with
    [1 % low, percentile].

    What has to hold may also be a mean rate, a share of slow frames, a score, a time, or nothing.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("questionLine")
        self._session = session
        self._slots: dict[str, str] = {}  # by rig, the slot that was asked about last
        self.rig = Choice("Rig")
        self.slot = Choice("OS slot")
        self.source = Choice("Power source", SOURCES)
        self.scene = Choice("Title and scene")
        self.target = NumberField("Frames to hold", "", 1, 1000, 5)
        self.target.setFixedWidth(64)
        self.floor = Choice("What has to hold", FLOORS)
        self.unit = label("frames with", "soft")
        flow = FlowLayout(self)
        flow.setContentsMargins(16, 6, 16, 4)
        for part in (
            "On", self.rig, "under", self.slot, "on", self.source, "in", self.scene,
            "find the lowest watts that hold", self.target, self.unit, self.floor,
        ):  # fmt: skip
            widget = label(part) if isinstance(part, str) else part
            if isinstance(part, str):
                widget.setProperty("kind", "soft")
            elif part is not self.unit:
                widget.setFixedHeight(TARGET_PX)
            flow.addWidget(widget)
        self.rig.currentIndexChanged.connect(self._on_edited)
        self.slot.currentIndexChanged.connect(self._on_edited)
        self.source.currentIndexChanged.connect(self._on_edited)
        self.scene.currentIndexChanged.connect(self._on_scene)
        self.floor.currentIndexChanged.connect(self._on_edited)
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
        self.scene.show_key(question.keys["scene"])
        floor = question.terms.floor
        figure = floor.figure if floor is not None else NOTHING
        self.floor.show_key(f"{figure}/{question.school.value}" if figure in (LOW, LOW_TENTH) else figure)
        self.unit.setText(_UNITS.get(figure, "frames with"))
        blocked = self.target.blockSignals(True)
        self.target.setRange(1, 1000 if floor is None or floor.is_of_frames else 1e7)
        self.target.blockSignals(blocked)
        self.target.show_value(question.target_fps)
        for part in (self.target, self.unit):
            part.setVisible(floor is not None)
        self.updateGeometry()

    def _slots_of(self, rig: str) -> list[str]:
        """Keys of the OS slots that a rig has now."""
        found = self._session.notebook.newest_of("rig", rig)
        return [str(slot["key"]) for slot in (found.body.get("slots") or ())] if found is not None else []

    def _on_scene(self) -> None:
        """Another scene: where it yields something else, so does its floor."""
        question = self._session.question
        title, _, scene = self.scene.key().partition("/")
        found = self._session.notebook.newest_of("scene", self.scene.key())
        if question is not None and found is not None:
            asked = question.with_(title=title, scene=scene).for_scene_that(Scene.from_dict(found.body).yields)
            if asked != question:
                set_question(self._session, asked)

    def _on_edited(self) -> None:
        question = self._session.question
        title, _, scene = self.scene.key().partition("/")
        figure, _, school = self.floor.key().partition("/")
        if question is None or not title:
            return
        rig, slot = self.rig.key(), self.slot.key()
        if rig != question.rig:  # its slots are others: the one that was asked about last, else its first
            slot = self._slots.get(rig) or next(iter(self._slots_of(rig)), "")
        self._slots[question.rig] = question.slot
        edited = question.with_(
            rig=rig,
            slot=slot,
            source=Source(self.source.key()),
            title=title,
            scene=scene,
            target_fps=self.target.value() or 40.0,
            figure=figure,
            school=School(school) if school else None,
        )
        if edited != question:
            set_question(self._session, edited)
