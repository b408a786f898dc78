"""The question as one editable sentence; each part is a control."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QSizePolicy, QWidget

from ...core.facts.place import Source
from ...core.facts.terms import LOW, LOW_TENTH, MEAN, NOTHING, SCORE, SLOW_SHARE, TIME, School
from ...core.facts.title import Scene
from ...core.kinds.table import KINDS, asks_for, kind_asked
from ...core.questions.question import Question
from ...service.planning import asked_again, of_kind
from ..commands import set_question
from ..session import Session
from ..theme import tokens
from ..theme.glyphs import glyph
from ..theme.tokens import TARGET_PX
from .elided import ElidedLabel
from .fields import Choice, NumberField, button, label
from .flow import FlowLayout, LineLayout
from .overlay import Overlay
from .room import Room

# figure of the floor / school of lows -> words
_LOWS = [(f"{figure}/{s.value}", f"{words} low, {s.words}") for figure, words in ((LOW, "1 %"), (LOW_TENTH, "0.1 %"))
         for s in School]  # fmt: skip
FLOORS = [*_LOWS, (MEAN, "mean rate"), (SLOW_SHARE, "share of slow frames"), (SCORE, "score"),
          (TIME, "time of the job"), (NOTHING, "nothing to hold")]  # fmt: skip
# words and controls (=) in their order; whether the words stay where there is less room
_SENTENCE = (
    ("On", False), ("=rig", True), ("under", False), ("=slot", True), ("on", False), ("=source", True), ("in", False),
    ("=scene", True), ("=kind", True), ("=holding", True), ("=target", True), ("=unit", True), ("=floor", True),
)  # fmt: skip
_UNITS = {SCORE: "points as its", TIME: "seconds as its"}
SOURCES = [(Source.BATTERY.value, "battery"), (Source.ADAPTER.value, "adapter")]


class QuestionLine(QWidget):
    """On [rig] under [OS slot], on [battery], in [title · scene], [find the lowest watts that hold] [40] frames with
    [1 % low, percentile].

    What is asked is a choice among the kinds of questions. What has to hold may also be a mean rate, a share of slow
    frames, a score, a time, or nothing. One line at every width: parts elide, `whole` opens all of it as a sheet, and
    in the smallest room the sheet is where it is edited.
    Signals: whole_asked.
    """

    whole_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("questionLine")
        self._session = session
        self._room, self._lent = Room.WIDE, False
        self._slots: dict[str, str] = {}  # by rig, the slot that was asked about last
        self.rig = Choice("Rig")
        self.slot = Choice("OS slot")
        self.source = Choice("Power source", SOURCES)
        self.scene = Choice("Title and scene")
        self.kind = Choice("What is asked", [(one.id, one.words) for one in KINDS.values()])
        for at, one in enumerate(KINDS.values()):
            self.kind.setItemData(at, f"{one.verb}: {one.words}", Qt.ItemDataRole.ToolTipRole)
        self.holding = label("and hold", "soft")
        self.target = NumberField("Frames to hold", "", 1, 1000, 5)
        self.target.setMaximumWidth(64)
        self.floor = Choice("What has to hold", FLOORS)
        self.unit = label("frames with", "soft")
        self.whole = button("", tip="The whole question")
        self.whole.setAccessibleName("The whole question")
        self.whole.clicked.connect(self.whole_asked)
        self.summary = ElidedLabel()
        self.summary.hide()
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 0, 0, 0)
        holder = QWidget()
        holder.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._row = LineLayout(holder)
        self._parts: list[QWidget] = []
        for part, in_short in _SENTENCE:
            if part.startswith("="):
                made: QWidget = getattr(self, part[1:])
                if isinstance(made, Choice):
                    made.is_word = True
                if part not in ("=unit", "=holding"):
                    made.setFixedHeight(TARGET_PX)
            else:
                made = label(part, "soft")
                made.setProperty("inShort", in_short)
            self._parts.append(made)
            self._row.addWidget(made)
        line.addWidget(holder, 1)
        line.addWidget(self.summary, 1)
        line.addWidget(self.whole)
        self._holder = holder
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(TARGET_PX)
        self.rig.currentIndexChanged.connect(self._on_edited)
        self.slot.currentIndexChanged.connect(self._on_edited)
        self.source.currentIndexChanged.connect(self._on_edited)
        self.scene.currentIndexChanged.connect(self._on_scene)
        self.floor.currentIndexChanged.connect(self._on_edited)
        self.kind.currentIndexChanged.connect(self._on_kind)
        self.target.valueChanged.connect(self._on_edited)
        session.question_changed.connect(self.show_question)
        self.retheme()
        self.show_question()

    def adapt(self, room: Room) -> None:
        """All words, the needed ones, or a summary."""
        self._room = room
        if not self._lent:
            for part in self._parts:
                if part.property("inShort") is not None:
                    part.setVisible(room is Room.WIDE or (room is Room.NARROW and bool(part.property("inShort"))))
                else:
                    part.setVisible(room is not Room.COMPACT)
            self._show_floor()
        self._show_summary()

    def lend_to(self, sheet: QLayout) -> None:
        """Put words and controls into another layout, which gives them more room; `take_back` ends it."""
        self._lent = True
        for part in self._parts:
            self._row.removeWidget(part)
            sheet.addWidget(part)
            part.show()
        self._show_floor()
        self._show_summary()

    def _show_summary(self) -> None:
        is_summary = self._room is Room.COMPACT or self._lent
        self.summary.setVisible(is_summary)
        self._holder.setVisible(not is_summary)

    def take_back(self) -> None:
        """Have words and controls in the line again."""
        for at, part in enumerate(self._parts):
            self._row.insert(at, part)
        self._lent = False
        self.adapt(self._room)

    def retheme(self) -> None:
        """Draw the sign of the whole question in the ink of the theme."""
        self.whole.setIcon(glyph("More", tokens.current().ink))

    def _show_floor(self) -> None:
        question = self._session.question
        has_floor = question is None or question.terms.floor is not None
        kind = kind_asked(question)
        is_asked = not kind.sets_nothing
        shown = self._lent or self._room is not Room.COMPACT
        for part in (self.target, self.unit):
            part.setVisible(has_floor and is_asked and shown)
        self.floor.setVisible(is_asked and shown)
        self.holding.setVisible(is_asked and shown and question is not None and not kind.asks_floor)

    def show_question(self) -> None:
        """Show the session's question and what can be chosen."""
        session, question = self._session, self._session.question
        own, gone = question.rig if question else "", session.archived
        self.rig.offer(
            [(k, str(e.body["name"])) for k, e in session.newest("rig").items() if k == own or f"rig/{k}" not in gone]
        )
        slots = {one.key for one in session.rig.slots} if question and session.rig is not None else set()
        self.slot.offer(
            [
                (e.body["key"], str(e.body["name"]))
                for key, e in session.newest("slot").items()
                if key.startswith(f"{own}/")
                and (e.body["key"] in slots or (question and e.body["key"] == question.slot))
            ]
        )
        titles = {key: str(e.body["name"]) for key, e in session.newest("title").items()}
        self.scene.offer(
            [
                (key, f"{titles.get(key.split('/')[0], key)} · {e.body['name']}")
                for key, e in session.newest("scene").items()
                if f"title/{key.split('/')[0]}" not in gone or (question and key == question.keys["scene"])
            ]
        )
        self.setEnabled(question is not None)
        if question is None:
            return
        self.rig.show_key(question.rig)
        self.slot.show_key(question.slot)
        self.source.show_key(question.source.value)
        self.kind.show_key(question.kind)
        self.scene.show_key(question.keys["scene"])
        floor = question.terms.floor
        figure = floor.figure if floor is not None else NOTHING
        self.floor.show_key(f"{figure}/{question.school.value}" if figure in (LOW, LOW_TENTH) else figure)
        self.unit.setText(_UNITS.get(figure, "frames with"))
        blocked = self.target.blockSignals(True)
        self.target.setRange(1, 1000 if floor is None or floor.is_of_frames else 1e7)
        self.target.blockSignals(blocked)
        self.target.show_value(question.target_fps)
        self._show_floor()
        self._row.invalidate()
        floor_words = self.floor.currentText()
        asks = f"{question.target_fps:g} {floor_words}" if floor is not None else floor_words
        asks = self.kind.currentText() if kind_asked(question).sets_nothing else f"{self.kind.currentText()} {asks}"
        self.summary.setText(f"{self.scene.currentText()}: {asks}, {self.source.currentText()}, "
                             f"{self.rig.currentText()}, {self.slot.currentText()}")  # fmt: skip

    def _slots_of(self, rig: str) -> list[str]:
        """Keys of the OS slots that a rig has now."""
        found = self._session.newest("rig").get(rig)
        return [str(slot["key"]) for slot in (found.body.get("slots") or ())] if found is not None else []

    def _on_scene(self) -> None:
        """Another scene: where it yields something else, so does its floor."""
        question = self._session.question
        title, _, scene = self.scene.key().partition("/")
        found = self._session.notebook.newest_of("scene", self.scene.key())
        if question is not None and found is not None:
            asked = question.with_(title=title, scene=scene).for_scene_that(Scene.from_dict(found.body).yields)
            if asked.title != question.title and asks_for(question, "how") and not self._is_measured(asked):
                asked = of_kind(asked, "first-look")  # nothing is known of it: ten minutes first
            if asked != question:
                set_question(self._session, asked)

    def _is_measured(self, question: Question) -> bool:
        """Whether there are passes of a title on any machine."""
        return any(place[2] == question.title for place in self._session.notebook.places())

    def _on_kind(self) -> None:
        """Another kind of question about the same place."""
        question, kind = self._session.question, self.kind.key()
        notebook = self._session.notebook
        asked = asked_again(notebook, question, kind) if question is not None and kind else None
        if asked is not None and question is not None and (asked.kind, question.is_known) != (question.kind, True):
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


class QuestionSheet(Overlay):
    """The whole question over the page; it borrows the controls of the line while it is open."""

    def __init__(self, line: QuestionLine, parent: QWidget) -> None:
        super().__init__("The whole question", parent)
        self._line = line
        holder = QWidget()
        self._flow = FlowLayout(holder, line_gap=6)
        self.body.addWidget(holder)
        done = button("Done (Esc)")
        done.clicked.connect(self.dismiss)
        self.body.addWidget(done, 0, Qt.AlignmentFlag.AlignRight)
        self.body.addStretch()
        self.closed.connect(line.take_back)

    def open(self) -> None:
        """Borrow the controls and show them."""
        super().open()
        self._line.lend_to(self._flow)
        self._line.rig.setFocus()
