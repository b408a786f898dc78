"""What a plan is made of: levels, lengths, repeats, and the setup that a knob is asked about at."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QFormLayout, QHBoxLayout, QLabel, QLineEdit, QSlider, QWidget

from ...core import degrees
from ...core.errors import HovrikError, InputError
from ...core.facts.factor import set_by
from ...core.facts.knob import CAP, LIMITS, Hazard, Knob, Level, Where, named, shown
from ...core.facts.setup import Setup, describe
from ...core.kinds.kind import Limits
from ...core.kinds.table import LADDER, SEARCH, is_ladder, kind_asked
from ...core.plan.grid import LadderDesign
from ...core.questions.question import BASE, VERSIONS, Question
from ...service.planning import center_w, is_ranged, recipe_of, recipe_words, with_part
from ...service.profiles import sound_ones
from ...service.sweeps import levels_of
from ..commands import set_design, set_question, set_room
from ..session import Session
from ..theme.tokens import TARGET_PX
from .claim_fields import ClaimFields
from .elided import ElidedLabel
from .fields import Card, Choice, NumberField, add_rows, button, label

HEAT_S = 900.0
FINEST = 12  # repeats at the end of the slider
_NO_ROOM = -21.0  # shown as not noted


class PlanKnobs(Card):
    """The form. problem : a label that says what cannot be read."""

    def __init__(self, session: Session, problem: QLabel) -> None:
        super().__init__("What to try")
        self.session, self.problem = session, problem
        self._profiles: dict[str, dict[str, Level]] = {}
        form = self._form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        form.setVerticalSpacing(4)
        ways = [(LADDER, "every level, in rounds"), (SEARCH, "pass by pass, until settled")]
        self.how = Choice("How it is searched", ways)
        self.sought = Choice("What the search is for", [("", "one setup"), ("front", "hours against frames")])
        self.sought.setToolTip("One setup that meets your limits, or those that none beats in hours and frames both")
        self.sought.currentIndexChanged.connect(self._on_sought)
        self.slots = Choice("OS slots that are searched", [("", "this one"), ("all", "every one, with restarts")])
        self.slots.currentIndexChanged.connect(self._on_slots)
        self.knob = Choice("Knob that is asked about")
        self.levels = QLineEdit()
        self.levels.setAccessibleName("Levels of the knob")
        self.levels.setToolTip("Two or more: off,on or 8,10,12 or 8..20:2 (from, to, step)")
        self.options = QLineEdit()
        self.options.setAccessibleName("Options, or knobs with their levels")
        self.options.setPlaceholderText("shadows=low,high; grass=near,far")
        self.options.setToolTip("Of a title the options you would miss most first; of a search, where empty, all knobs")
        self.options.editingFinished.connect(self._on_options)
        self.claim = ClaimFields(session, problem)
        self.caution = label("", "warn", wrap=True)
        self.caution.setAccessibleName("Caution")
        self.recipe = QLineEdit()
        self.recipe.setAccessibleName("Recipe that it is asked around")
        self.recipe.setPlaceholderText("limit_w=12; boost=off")
        self.recipe.setToolTip(
            "Settings that stay as they are in every pass; what is asked about is varied around them"
        )
        self.recipe.editingFinished.connect(self._on_recipe)
        self.profile = Choice("Profile to take the recipe from")
        self.profile.currentIndexChanged.connect(self._on_profile)
        self.base = ElidedLabel("", "soft", lines=2)
        self.base.setAccessibleName("What is held the same")
        self.renew = button("As set now", tip="Note anew, when it is planned, what the machine is set to then")
        self.renew.clicked.connect(self._on_renew)
        held = self._held = QWidget()
        row = QHBoxLayout(held)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.base, 1)
        row.addWidget(self.renew)
        self.finer = QSlider(Qt.Orientation.Horizontal)
        self.finer.setAccessibleName("Fewer minutes or finer differences")
        self.finer.setRange(1, FINEST)
        self.finer.setTracking(False)
        self.finer.setMinimumHeight(TARGET_PX)
        self.finer.setToolTip("To the right: more repeats, which tell smaller differences apart and take longer")
        self.finer.valueChanged.connect(lambda value: self.repeats.setValue(value))
        self.from_w = NumberField("Lowest limit", "W", 0.5, 500, 1, 1)
        self.to_w = NumberField("Highest limit", "W", 0.5, 500, 1, 1)
        self.step_w = NumberField("Step", "W", 0.1, 50, 1, 1)
        self.has_cap = QCheckBox("cap at")
        self.cap_fps = NumberField("Frame cap", "fps", 1, 1000, 5)
        cap = self._cap = QWidget()
        line = QHBoxLayout(cap)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.has_cap)
        line.addWidget(self.cap_fps, 1)
        self.repeats = NumberField("Repeats", "", 1, 50, 1)
        self.pass_s = NumberField("Pass length", "s", 10, 7200, 10)
        self.soak_s = NumberField("Soak before each pass", "s", 0, 7200, 10)
        self.cool_s = NumberField("Rest after each pass", "s", 0, 7200, 10)
        self.until_settled = QCheckBox("until heat and rate stand")
        self.until_settled.setToolTip("Decided from the data: at most five times the soak and two minutes more.")
        self.has_heat = QCheckBox("a long pass first (15 min)")
        self.has_heat.setToolTip("Calibrates how this machine warms up, so that settled temperatures can be told.")
        self.has_references = QCheckBox("today's setup and the presets")
        self.has_references.setToolTip("One pass each, after the others: the answer then says what is gained by it.")
        self.seed = NumberField("Seed of the random order", "", 0, 999_999, 1)
        self.room_c = NumberField(
            "Room temperature", degrees.unit(), degrees.shown(_NO_ROOM), degrees.shown(60.0), 1, 1
        )
        self.room_c.setSpecialValueText("not noted")
        add_rows(form, (
            ("Searched", self.how), ("Sought", self.sought), ("OS slots", self.slots), ("Knob", self.knob),
            ("Its levels", self.levels), ("Options", self.options), ("Claim", self.claim), ("Mind", self.caution),
            ("Around", self.recipe), ("From a profile", self.profile), ("Held the same", held),
            ("Static limit from", self.from_w), ("to", self.to_w), ("in steps of", self.step_w), ("Frames", cap),
            ("Repeats of each", self.repeats), ("Shorter or finer", self.finer),
            ("Pass length", self.pass_s), ("Soak before", self.soak_s),
            ("Soak longer", self.until_settled),
            ("Rest after", self.cool_s), ("Heat", self.has_heat),
            ("Compare with", self.has_references), ("Room", self.room_c), ("Order's seed", self.seed),
        ))  # fmt: skip
        self.body.addLayout(form)
        self.body.addStretch()
        self.how.currentIndexChanged.connect(self._on_how)
        self.knob.currentIndexChanged.connect(self._on_knob)
        self.levels.editingFinished.connect(self._on_levels)
        for field in ("from_w", "to_w", "step_w", "cap_fps", "repeats", "pass_s", "soak_s", "cool_s", "seed"):
            getattr(self, field).valueChanged.connect(lambda _value, name=field: self._on_edited(name))
        self.has_cap.toggled.connect(lambda _on: self._on_edited("cap_fps"))
        self.until_settled.toggled.connect(lambda _on: self._on_edited("until_settled"))
        self.has_heat.toggled.connect(lambda _on: self._on_edited("heat_s"))
        self.room_c.valueChanged.connect(self._on_room_edited)
        self.has_references.toggled.connect(self._on_references)

    def _on_references(self, on: bool) -> None:
        question = self.session.question
        if question is not None and on is not bool(question.parts.get("references")):
            set_question(self.session, with_part(question, references=True if on else None))

    def _on_how(self) -> None:
        question = self.session.question
        if question is not None and self.how.key() and self.how.key() != question.parts.get("how", LADDER):
            set_question(self.session, with_part(question, how=self.how.key()))

    def _on_sought(self) -> None:
        question, front = self.session.question, self.sought.key() == "front"
        if question is not None and front is not bool(question.parts.get("front")):
            set_question(self.session, with_part(question, front=front or None))

    def _on_slots(self) -> None:
        question, rig, every = self.session.question, self.session.rig, self.slots.key() == "all"
        if question is not None and rig is not None and every is not bool(question.parts.get("slots")):
            set_question(self.session, with_part(question, slots=[one.key for one in rig.slots] if every else None))

    def _on_recipe(self) -> None:
        question = self.session.question
        if question is None or not self.recipe.isModified():
            return
        try:
            found = recipe_of(self.recipe.text(), named(self.session.knobs))
        except HovrikError as fault:
            self.problem.setText(str(fault))
            self.problem.show()
            return
        self.recipe.setModified(False)
        self._ask_around(found)

    def _on_renew(self) -> None:
        """What was noted to be held the same is forgotten: passes made before stand beside the question from then on
        where they differ."""
        question = self.session.question
        if question is not None:
            set_question(self.session, with_part(question, **{BASE: None, VERSIONS: None}))

    def _on_profile(self) -> None:
        found = self._profiles.get(self.profile.key())
        if found is not None:
            offered = named(self.session.knobs)
            self._ask_around(Setup({key: level for key, level in found.items() if key in offered}))

    def _ask_around(self, recipe: Setup) -> None:
        """What the recipe sets beside what is asked about."""
        question = self.session.question
        if question is not None:
            over = set(set_by(str(question.parts.get("over") or "")))
            own = {key: level for key, level in recipe.items() if key not in over}
            asked = with_part(question, recipe=own or None)
            if asked != question:
                set_question(self.session, asked)

    def _show_recipe(self, question: Question) -> None:
        told = dict(question.parts.get("recipe") or {})
        if not self.recipe.hasFocus() or not self.recipe.isModified():
            self.recipe.setText(recipe_words(told))
            self.recipe.setModified(False)
        kept = [one.setup for one in sound_ones(self.session.notebook) if one.title == question.title]
        words = {describe(setup): dict(setup) for setup in kept}
        self._profiles = words
        self.profile.offer([("", "none"), *((text, text) for text in words)])
        self.profile.show_key(next((text for text, own in words.items() if told and told.items() <= own.items()), ""))

    def _on_knob(self) -> None:
        question, key = self.session.question, self.knob.key()
        if question is None or not key or key == question.parts.get("over"):
            return
        knob = named(self.session.knobs)[key]
        set_question(self.session, with_part(question, over=key, levels={key: list(_usual_levels(knob))}))

    def _on_levels(self) -> None:
        question, key = self.session.question, self.knob.key()
        if question is None or not key:
            return
        try:
            levels = list(levels_of(self.levels.text(), named(self.session.knobs).get(key)))
        except HovrikError as fault:
            self.problem.setText(str(fault))
            self.problem.show()
            return
        asked = with_part(question, over=key, levels={key: levels})
        if asked != question:
            set_question(self.session, asked)

    def _on_options(self) -> None:
        question, own = self.session.question, named(self.session.knobs)
        if question is None:
            return
        levels: dict[str, list[Level]] = {}
        try:
            for part in filter(None, (piece.strip() for piece in self.options.text().split(";"))):
                key, equals, text = part.partition("=")
                if not equals:
                    raise InputError(f"{part} cannot be read. Write option=level,level; another=level,level.")
                levels[key.strip()] = list(levels_of(text, own.get(key.strip())))
        except HovrikError as fault:
            self.problem.setText(str(fault))
            self.problem.show()
            return
        asked = with_part(question, levels=levels or None, over=None)
        if asked != question:
            set_question(self.session, asked)

    def _show_kind(self) -> None:
        """The rows that the kind of question has a use for."""
        question, form = self.session.question, self._form
        kind = kind_asked(question)
        fields = kind.fields
        recipe = dict(question.parts.get("recipe") or {}) if question is not None else {}
        of_limits = is_ranged(question)
        is_repeated = "repeats" in fields or ("how" in fields and (question is None or is_ladder(question)))
        if question is not None:
            self._show_recipe(question)
            own = {key: level for key, level in (question.base or Setup()).items() if level not in ("off", 0.0)}
            self.base.setText(describe(Setup(own)))
            self.claim.refresh()
        rows = {
            self.how: "how" in fields, self.sought: "sought" in fields,
            self.slots: "slots" in fields and self.session.rig is not None and len(self.session.rig.slots) > 1,
            self.knob: "knob" in fields, self.levels: "knob" in fields, self.options: "options" in fields,
            self.claim: "claim" in fields, self.caution: bool(kind.caution), self.recipe: "recipe" in fields,
            self.profile: "recipe" in fields and len(self._profiles) > 0,
            self.from_w: kind.limits is not Limits.NONE and not set(recipe) & set(LIMITS),
            self._held: question is not None and question.base is not None,
            self._cap: "cap" in fields and CAP not in recipe, self.to_w: of_limits, self.step_w: of_limits,
            self.pass_s: "pass_s" in fields, self.soak_s: "soak_s" in fields, self.cool_s: "cool_s" in fields,
            self.until_settled: "until_settled" in fields, self.repeats: is_repeated, self.finer: is_repeated,
            self.has_heat: "heat" in fields, self.has_references: "references" in fields,
        }  # fmt: skip
        self.caution.setText(kind.caution)
        for field, is_of_use in rows.items():
            form.setRowVisible(field, is_of_use)
        self.options.setPlaceholderText(kind.example)
        words = form.labelForField(self.options)
        if isinstance(words, QLabel):
            words.setText(kind.options)
        words = form.labelForField(self.from_w)
        if isinstance(words, QLabel):
            words.setText("Static limit from" if of_limits else "Static limit")
        if question is None:
            return
        self.how.show_key(str(question.parts.get("how", LADDER)))
        self.sought.show_key("front" if question.parts.get("front") else "")
        self.slots.show_key("all" if question.parts.get("slots") else "")
        offered = [
            knob for knob in self.session.knobs
            if knob.id not in LIMITS and knob.hazard is not Hazard.VOLTAGE and len(_usual_levels(knob)) > 1
            and ("pass_s" in fields or knob.where is Where.LIVE)
        ]  # fmt: skip
        self.knob.offer([("", "choose one"), *((knob.id, knob.label) for knob in offered)])
        over = str(question.parts.get("over") or "")
        self.knob.show_key(over)
        told = dict(question.parts.get("levels") or {})
        if not self.options.hasFocus() or not self.options.isModified():
            rows_ = (f"{key}={','.join(shown(level) for level in own)}" for key, own in told.items())
            self.options.setText("; ".join(rows_) if "options" in fields else "")
        if not self.levels.hasFocus() or not self.levels.isModified():
            levels = dict(question.parts.get("levels") or {}).get(over, ())
            self.levels.setText(",".join(shown(level) for level in levels))

    def _on_edited(self, field: str) -> None:
        before, question = self.session.design, self.session.question
        centred = question is not None and kind_asked(question).limits is not Limits.NONE and not is_ranged(question)
        if question is not None and centred and field == "from_w":
            if self.from_w.value() != self._center_w(question):
                set_question(self.session, with_part(question, at_w=self.from_w.value()))
            return
        lowest = before.from_w if centred else self.from_w.value()
        edited = LadderDesign(
            lowest, self.to_w.value(), self.step_w.value(),
            self.cap_fps.value() if self.has_cap.isChecked() else None, int(self.repeats.value()),
            self.pass_s.value(), before.settle_s, self.soak_s.value(), self.cool_s.value(),
            (before.heat_s or HEAT_S) if self.has_heat.isChecked() else 0.0, int(self.seed.value()),
            self.until_settled.isChecked(),
        )  # fmt: skip
        if edited != before:
            set_design(self.session, edited, field)

    def _center_w(self, question: Question) -> float:
        session = self.session
        return center_w(question, session.design, session.rig, session.knobs, session.now or Setup())

    def _on_room_edited(self, value: float) -> None:
        room_c = degrees.celsius(value) if value > degrees.shown(_NO_ROOM) else None
        if room_c != self.session.room_c:
            set_room(self.session, room_c)

    def refresh(self) -> None:
        """Show the design of the session."""
        self._show_kind()
        design = self.session.design
        for name in ("from_w", "to_w", "step_w", "repeats", "pass_s", "soak_s", "cool_s", "seed"):
            getattr(self, name).show_value(float(getattr(design, name)))
        blocked = self.finer.blockSignals(True)
        self.finer.setValue(min(design.repeats, FINEST))
        self.finer.blockSignals(blocked)
        asked = self.session.question
        if asked is not None and kind_asked(asked).limits is not Limits.NONE and not is_ranged(asked):
            self.from_w.show_value(self._center_w(asked))
        for box, on in (
            (self.has_cap, design.cap_fps is not None), (self.has_heat, design.heat_s > 0),
            (self.until_settled, design.until_settled),
            (self.has_references, bool(self.session.question and self.session.question.parts.get("references"))),
        ):  # fmt: skip
            blocked = box.blockSignals(True)
            box.setChecked(on)
            box.blockSignals(blocked)
        self.cap_fps.show_value(design.cap_fps or (self.session.question.target_fps if self.session.question else 60))
        self.cap_fps.setEnabled(design.cap_fps is not None)
        self.room_c.show_value(degrees.shown(self.session.room_c if self.session.room_c is not None else _NO_ROOM))


def _usual_levels(knob: Knob) -> tuple[Level, ...]:
    """Levels that are offered first: those the knob has, of a range its ends and middle."""
    if knob.levels and (knob.low is None or knob.high is None):
        return knob.levels
    if knob.low is None or knob.high is None:
        return ()
    middle = (knob.low + knob.high) / 2
    step = knob.step or 1.0
    return (knob.low, round(round(middle / step) * step, 6), knob.high)
