"""What a setup is held against beside its floor: what is wanted most, how sure, how hot, how long, how loud."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QSizePolicy

from ...core import degrees
from ...core.facts.terms import HOURS, MOST_WEIGHT, Aim, Limit
from ...core.model.worth import EVEN, FIGURES
from ...core.read.generated import COUNT, FROM, FROM_FPS, generated_from
from ...service.planning import with_part
from ..commands import set_question
from ..session import Session
from .fields import Card, Choice, NumberField, add_rows

AIMS = [
    (Aim.HOURS.value, "battery hours"), (Aim.FRAMES.value, "frames"), (Aim.QUIET.value, "quiet and cool"),
    (Aim.PICTURE.value, "picture"), ("weights", "as I weigh it"),
]  # fmt: skip
NO_DIE_C, NO_ROOM_C = 20.0, -21.0  # shown as no limit, as not known


class TermsPage(Card):
    """The form."""

    def __init__(self, session: Session) -> None:
        super().__init__("What counts")
        self.session = session
        form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        form.setVerticalSpacing(4)
        unit = degrees.unit()
        self.aim = Choice("What is wanted most", AIMS)
        self.weights = {
            key: NumberField(f"Weight of {words}", "", 0.0, MOST_WEIGHT, 0.5, 2) for key, words in FIGURES.items()
        }  # fmt: skip
        self.sure = NumberField("Stated when this sure", "%", 50, 99.9, 1, 1)
        self.tolerance = NumberField("How far under the floor still holds", "%", 0, 50, 0.5, 1)
        self.die = NumberField("Die at most", unit, degrees.shown(NO_DIE_C), degrees.shown(130.0), 1)
        self.hours = NumberField("Battery hours at least", "h", 0, 100, 0.25, 2)
        self.noise = NumberField("Noise at most", "dB", 0, 120, 1)
        self.fan = NumberField("Fan at most", "rpm", 0, 20000, 100)
        self.price = NumberField("What a watt more has to bring", "fps", 0, 1000, 0.5, 2)
        self.room = NumberField("Room that you play in", unit, degrees.shown(NO_ROOM_C), degrees.shown(60.0), 1, 1)
        self.generated = Choice("Generated frames", [("", "do not count for the floor"), ("1", "count as frames")])
        self.generated_from = NumberField("Generated from, rendered", "fps", 1, 240, 5)
        self.generated_from.setToolTip("The least rendered rate from which generating frames is thought of")
        self.hours.setToolTip("From the charge limit to the reserve, on the battery of the rig")
        self.noise.setToolTip("By the fan's speed and the sound level that is noted with the rig")
        self.fan.setToolTip("The loudest that you accept, by ear: Bench, By feel")
        for field in (self.die, self.hours, self.noise, self.fan):
            field.setSpecialValueText("no limit")
        self.room.setSpecialValueText("as measured")
        add_rows(form, (
            ("Wanted most", self.aim),
            *((f"Weight of {FIGURES[key]}", field) for key, field in self.weights.items()),
            ("Sure enough at", self.sure), ("Floor holds within", self.tolerance),
            ("Die at most", self.die), ("Hours at least", self.hours), ("Noise at most", self.noise),
            ("Fan at most", self.fan),
            ("A watt must bring", self.price), ("You play at", self.room), ("Generated frames", self.generated),
            ("Generated from", self.generated_from),
        ))  # fmt: skip
        self.form = form
        self.body.addLayout(form)
        self.body.addStretch()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)  # from the top of the page down
        self.aim.currentIndexChanged.connect(lambda _at: self._on_aim())
        for key, field in self.weights.items():
            field.setToolTip("What one percent of it counts; 0 leaves it out")
            field.valueChanged.connect(lambda value, key=key: self._weigh(key, value))
        self.sure.valueChanged.connect(lambda value: self._change(sure=round(value / 100, 6)))
        self.tolerance.valueChanged.connect(lambda value: self._change(tolerance=round(value / 100, 6)))
        self.generated.currentIndexChanged.connect(
            lambda _at: self._part(**{COUNT: bool(self.generated.key()) or None})
        )
        self.generated_from.valueChanged.connect(
            lambda value: self._part(**{FROM: value if value != FROM_FPS else None})
        )
        self.price.valueChanged.connect(lambda value: self._change(price=value))
        self.room.valueChanged.connect(
            lambda value: self._change(room_c=degrees.celsius(value) if value > self.room.minimum() else None)
        )
        self.die.valueChanged.connect(
            lambda value: self._limit("die_c", at_most=degrees.celsius(value) if value > self.die.minimum() else None)
        )
        self.noise.valueChanged.connect(lambda value: self._limit("noise_db", at_most=value or None))
        self.fan.valueChanged.connect(lambda value: self._limit("fan_rpm", at_most=value or None))
        self.hours.valueChanged.connect(lambda value: self._limit(HOURS, at_least=value or None))

    def _change(self, **terms: object) -> None:
        question = self.session.question
        if question is None:
            return
        if "tolerance" in terms and question.terms.floor is None:
            return
        asked = question.with_(**terms)  # type: ignore[arg-type]
        if asked != question:
            set_question(self.session, asked)

    def _part(self, **parts: object) -> None:
        question = self.session.question
        if question is not None and (asked := with_part(question, **parts)) != question:
            set_question(self.session, asked)

    def _on_aim(self) -> None:
        by_weight = self.aim.key() == "weights"
        self._change(**({"weights": dict(EVEN)} if by_weight else {"aim": Aim(self.aim.key()), "weights": None}))

    def _weigh(self, key: str, value: float) -> None:
        question = self.session.question
        own = {**((question.terms.weights if question is not None else None) or {}), key: value}
        kept = {key: weight for key, weight in own.items() if weight > 0}
        if kept:
            self._change(weights=kept)
        else:  # something has to count
            self.refresh()

    def _limit(self, figure: str, at_most: float | None = None, at_least: float | None = None) -> None:
        question = self.session.question
        if question is None:
            return
        others = tuple(one for one in question.terms.limits if one.figure != figure)
        own = (Limit(figure, at_most, at_least),) if at_most is not None or at_least is not None else ()
        self._change(limits=(*others, *own))

    def refresh(self) -> None:
        """Show the terms of the question."""
        question = self.session.question
        self.setEnabled(question is not None)
        if question is None:
            return
        terms = question.terms
        limits = {one.figure: one for one in terms.limits}
        bound = lambda figure, name, otherwise: (  # noqa: E731
            value if figure in limits and (value := getattr(limits[figure], name)) is not None else otherwise
        )
        self.aim.show_key("weights" if terms.weights else terms.aim.value)
        for key, field in self.weights.items():
            field.show_value((terms.weights or {}).get(key, 0.0))
            self.form.setRowVisible(field, bool(terms.weights))
        self.sure.show_value(100 * terms.sure)
        self.tolerance.show_value(100 * terms.tolerance)
        self.tolerance.setEnabled(terms.floor is not None)
        self.die.show_value(degrees.shown(bound("die_c", "at_most", NO_DIE_C)))
        self.hours.show_value(bound(HOURS, "at_least", 0.0))
        self.noise.show_value(bound("noise_db", "at_most", 0.0))
        self.fan.show_value(bound("fan_rpm", "at_most", 0.0))
        self.price.show_value(terms.price)
        of = any(knob.id == "frame_generation" for knob in self.session.knobs)
        for field in (self.generated, self.generated_from):
            self.form.setRowVisible(field, of)
        self.generated.show_key("1" if question.parts.get(COUNT) else "")
        self.generated_from.show_value(generated_from(question))
        self.room.show_value(degrees.shown(terms.room_c if terms.room_c is not None else NO_ROOM_C))
