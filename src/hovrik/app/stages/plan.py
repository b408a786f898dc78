"""Choosing what to sweep, and seeing what it takes before it starts."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from ...core import degrees
from ...core.errors import HovrikError, InputError, PlanError
from ...core.facts.knob import LIMITS, Knob, Level, Where, named, shown
from ...core.kinds.best import KIND as BEST
from ...core.passes.energy import Overhead
from ...core.passes.figure import BY_ID
from ...core.passes.purpose import HEAT
from ...core.plan.grid import LadderDesign
from ...core.plan.resolution import detectable
from ...core.plan.schedule import Totals, total
from ...core.plan.steps import PlannedPass
from ...core.questions.question import LOWEST_WATTS
from ...service import run as sweep
from ...service.imports.run_sheet import code_of
from ...service.library import titles
from ...service.planning import LADDER, OF_CHOSEN_LIMITS, SEARCH, center_w, is_ladder, with_part
from ...service.sweeps import levels_of
from ...store.files.write.run_sheet import run_sheet
from ..commands import set_design, set_question, set_room
from ..file_names import ask_save
from ..plots.live import ChargePlot
from ..plots.schedule_plot import SchedulePlot, lane_words
from ..session import Session
from ..theme.tokens import TARGET_PX
from ..widgets.belief_page import BeliefPage
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, Choice, NumberField, button, label
from ..widgets.plan_order import PlanOrder
from ..widgets.room import PICTURE_PX
from .base import Stage

HEAT_S = 900.0
OF_A_KNOB = frozenset({"knob", "flip"})
OF_LEVELS = frozenset({"options-cost", BEST.id})  # several knobs, each with the levels that it may have

_NO_ROOM = -21.0  # shown as not noted


class PlanStage(Stage):
    """Knobs and levels on the left; what the plan takes, its order and the predicted charge on the right.

    Signals: start_asked.
    """

    title = "Plan"
    start_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.totals: Totals | None = None
        self._told: tuple[Any, ...] = ()
        self.pages.add("Knobs", self._knobs())
        self.editor = PlanOrder(session, self.say)
        self.order, self.edits, self.minutes = self.editor.order, self.editor.edits, self.editor.minutes
        self.pages.add("Order", self.editor)
        self.pages.add("Charge", self._charge())
        self.belief = BeliefPage(session)
        self.pages.add("Belief", self.belief)
        self.pages.beside("Schedule", self._takes(), share=1.6)
        self.start = button("Keep the plan and start it (F5)", "main")
        self.start.clicked.connect(self.start_asked)
        self.sheet = button("Print a run sheet …", tip="The order with blanks, as a PDF, for measuring by hand")
        self.sheet.clicked.connect(self._on_sheet)
        self.printed = ElidedLabel("", "soft", lines=2)
        self.printed.setAccessibleName("How the run sheet went")
        self.foot(self.printed, self.sheet, self.start)
        self.follow(
            self.refresh, session.design_changed, session.question_changed, session.room_changed,
            session.library_changed,
        )  # fmt: skip
        self.follow(self._show_totals, session.machine_looked, session.evaluation_changed)  # its line predicts
        self.follow(self.belief.refresh, session.evaluation_changed)
        self.refresh()

    def _knobs(self) -> QWidget:
        card = Card("What to try")
        form = self._form = QFormLayout()
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        form.setVerticalSpacing(4)
        ways = [(LADDER, "every level, in rounds"), (SEARCH, "pass by pass, until settled")]
        self.how = Choice("How it is searched", ways)
        self.knob = Choice("Knob that is asked about")
        self.levels = QLineEdit()
        self.levels.setAccessibleName("Levels of the knob")
        self.levels.setToolTip("Two or more: off,on or 8,10,12 or 8..20:2 (from, to, step)")
        self.options = QLineEdit()
        self.options.setAccessibleName("Options, or knobs with their levels")
        self.options.setPlaceholderText("shadows=low,high; grass=near,far")
        self.options.setToolTip("Of a title the options you would miss most first; of a search, where empty, all knobs")
        self.options.editingFinished.connect(self._on_options)
        self.from_w = NumberField("Lowest limit", "W", 0.5, 500, 1, 1)
        self.to_w = NumberField("Highest limit", "W", 0.5, 500, 1, 1)
        self.step_w = NumberField("Step", "W", 0.1, 50, 1, 1)
        self.has_cap = QCheckBox("cap at")
        self.cap_fps = NumberField("Frame cap", "fps", 1, 1000, 5)
        cap = QWidget()
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
        for words, field in (
            ("Searched", self.how), ("Knob", self.knob), ("Its levels", self.levels), ("Options", self.options),
            ("Static limit from", self.from_w), ("to", self.to_w), ("in steps of", self.step_w), ("Frames", cap),
            ("Repeats of each", self.repeats), ("Pass length", self.pass_s), ("Soak before", self.soak_s),
            ("Soak longer", self.until_settled),
            ("Rest after", self.cool_s), ("Heat", self.has_heat),
            ("Compare with", self.has_references), ("Room", self.room_c), ("Order's seed", self.seed),
        ):  # fmt: skip
            left = label(words, wrap=True)
            left.setMinimumHeight(TARGET_PX)
            left.setBuddy(field)
            form.addRow(left, field)
        card.body.addLayout(form)
        card.body.addStretch()
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
        return card

    def _takes(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        card = Card("What it takes")
        grid = QGridLayout()
        self.figures = {}
        for place, (key, words) in enumerate(
            (("passes", "passes"), ("time", "in all"), ("wh", "watt-hours, at most"), ("recharges", "recharges"))
        ):
            value = label("", "figure")
            value.setAccessibleName(words)
            self.figures[key] = value
            grid.addWidget(value, 0, place)
            grid.addWidget(label(words, "soft"), 1, place)
        card.body.addLayout(grid)
        self.problem = label("", "bad", wrap=True)
        self.problem.setAccessibleName("Problem with the plan")
        card.body.addWidget(self.problem)
        self.note = label("", "soft", wrap=True)
        card.body.addWidget(self.note)
        column.addWidget(card)
        column.addWidget(label("Over time", "heading"))
        self.schedule = SchedulePlot()
        self.schedule.setMinimumHeight(PICTURE_PX)
        self.schedule.chosen.connect(self._on_chosen)
        self.schedule.moved.connect(self.editor.move_to)
        self.order.currentRowChanged.connect(self._on_row)
        column.addWidget(self.schedule, 1)
        return page

    def say(self, text: str) -> None:
        """How the last edit went."""
        self.printed.setText(text)

    def _charge(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("Predicted charge", "heading"))
        self.charge = ChargePlot()
        self.charge.setMinimumHeight(PICTURE_PX)
        column.addWidget(self.charge, 1)
        return page

    def _on_row(self, row: int) -> None:
        self.schedule.choose(row if row >= 0 else None)

    def _on_chosen(self, index: int) -> None:
        self.order.setCurrentRow(index)

    def _on_references(self, on: bool) -> None:
        question = self.session.question
        if question is not None and on is not bool(question.parts.get("references")):
            set_question(self.session, with_part(question, references=True if on else None))

    def _on_how(self) -> None:
        question = self.session.question
        if question is not None and self.how.key() and self.how.key() != question.parts.get("how", LADDER):
            set_question(self.session, with_part(question, how=self.how.key()))

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
        over = next(iter(levels), None) if question.kind != BEST.id else None  # a search is about all of them
        asked = with_part(question, levels=levels or None, over=over)
        if asked != question:
            set_question(self.session, asked)

    def _show_kind(self) -> None:
        """The rows that the kind of question has a use for."""
        question, form = self.session.question, self._form
        kind = question.kind if question is not None else LOWEST_WATTS
        rows = {
            self.how: kind == LOWEST_WATTS, self.knob: kind in OF_A_KNOB, self.levels: kind in OF_A_KNOB,
            self.options: kind in OF_LEVELS,
            self.from_w: kind != "now", self.to_w: kind in OF_CHOSEN_LIMITS, self.step_w: kind in OF_CHOSEN_LIMITS,
            self.pass_s: kind != "flip", self.soak_s: kind != "flip", self.cool_s: kind != "flip",
            self.until_settled: kind != "flip",
            self.repeats: kind in ("knob", "which-os") or question is None or is_ladder(question),
            self.has_heat: kind == LOWEST_WATTS, self.has_references: kind not in ("now", "flip"),
        }  # fmt: skip
        for field, is_of_use in rows.items():
            form.setRowVisible(field, is_of_use)
        self.options.setPlaceholderText(
            "boost=off,on; cap_fps=40,60,none" if kind == BEST.id else "shadows=low,high; grass=near,far"
        )
        words = form.labelForField(self.options)
        if isinstance(words, QLabel):
            words.setText("May vary" if kind == BEST.id else "Options")
        words = form.labelForField(self.from_w)
        if isinstance(words, QLabel):
            words.setText("Static limit from" if kind in OF_CHOSEN_LIMITS else "Static limit")
        if question is None:
            return
        self.how.show_key(str(question.parts.get("how", LADDER)))
        offered = [
            knob for knob in self.session.knobs
            if knob.id not in LIMITS and len(_usual_levels(knob)) > 1 and (kind != "flip" or knob.where is Where.LIVE)
        ]  # fmt: skip
        self.knob.offer([("", "choose one"), *((knob.id, knob.label) for knob in offered)])
        over = str(question.parts.get("over") or "")
        self.knob.show_key(over)
        told = dict(question.parts.get("levels") or {})
        if not self.options.hasFocus() or not self.options.isModified():
            rows_ = (f"{key}={','.join(shown(level) for level in own)}" for key, own in told.items())
            self.options.setText("; ".join(rows_) if kind in OF_LEVELS else "")
        if not self.levels.hasFocus() or not self.levels.isModified():
            levels = dict(question.parts.get("levels") or {}).get(over, ())
            self.levels.setText(",".join(shown(level) for level in levels))

    def _on_edited(self, field: str) -> None:
        before, question = self.session.design, self.session.question
        centred = question is not None and question.kind not in (*OF_CHOSEN_LIMITS, "now")
        if question is not None and centred and field == "from_w":
            if self.from_w.value() != center_w(question, before):
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

    def _on_sheet(self) -> None:
        path = ask_save(self, "run sheet", "Run sheet", "run sheet", "PDF (*.pdf)", ".pdf")
        if path is not None:
            self.print_to(path)

    def print_to(self, path: Path) -> None:
        """Write the plan being edited as a PDF with blanks."""
        from ..printing import write_pdf  # loads what the first paint does not need

        session = self.session
        question, rig = session.question, session.rig
        if question is None or rig is None:
            return
        try:
            passes, _ = session.planned_passes()
            title = titles(session.notebook).get(question.title)
            code = ""
            if not session.notebook.read_only:
                kept = sweep.keep_design(
                    session.notebook, question, session.planned_design(), session.room_c, session.seen(),
                    session.overhead,
                )  # fmt: skip
                code = code_of(kept)
            write_pdf(path, run_sheet(question, rig, title, session.design, passes, session.room_c, code))
        except HovrikError as fault:
            self.printed.setText(str(fault))
            return
        what = f"Plan {code}" if code else "The plan"
        self.printed.setText(f"{what} is written to {path.name}. Type it in under Import passes in Bench.")

    def _on_room_edited(self, value: float) -> None:
        room_c = degrees.celsius(value) if value > degrees.shown(_NO_ROOM) else None
        if room_c != self.session.room_c:
            set_room(self.session, room_c)

    def refresh(self) -> None:
        """Show the design and what it takes."""
        self._show_kind()
        design = self.session.design
        for name in ("from_w", "to_w", "step_w", "repeats", "pass_s", "soak_s", "cool_s", "seed"):
            getattr(self, name).show_value(float(getattr(design, name)))
        if self.session.question is not None and self.session.question.kind not in (*OF_CHOSEN_LIMITS, "now"):
            self.from_w.show_value(center_w(self.session.question, design))
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
        self._show_totals()

    def _tells(self, passes: Sequence[PlannedPass]) -> str:
        """What the plan will be able to tell apart between two of its setups, by this scene's own spread."""
        counts = Counter((one.setup, one.slot) for one in passes if one.purpose != HEAT)
        repeats = min(counts.values(), default=0)
        if len(counts) < 2:
            return ""
        if repeats < 2:
            return "One pass of a setup tells it apart from another only by the spread of other scenes."
        sd, rate = self._spread()
        share = detectable(sd, repeats)
        frames = f" ({share * rate:.1f} frames)" if rate else ""
        how = "this scene's own spread" if rate else "the spread of other scenes"
        part = f"{100 * share:.1g} % of the rate{frames}"
        return f"{repeats} passes a setup tell two of them apart by {part}, by {how}."

    def _spread(self) -> tuple[float, float]:
        """Of the passes read: sd of the log rate in a setup, the usual rate (fps, 0 where none repeat)."""
        found = self.session.evaluation
        groups = [group for one in found.responses for group in one.groups] if found is not None else []
        spreads = [
            (mean.se * math.sqrt(mean.n), mean.value) for group in groups if (mean := group.rate) and mean.n > 1
        ]  # fmt: skip
        if not spreads:
            return BY_ID["mean_fps"].prior_sd, 0.0
        sd, rate = np.median(spreads, axis=0)
        return max(float(sd), 0.003), float(rate)

    def _charge_now(self) -> float:
        """Charge of the machine where it can be read (share), else full."""
        charge = self.session.machine_seen.charge
        return 1.0 if charge is None else charge

    def _show_totals(self) -> None:
        """What the plan takes; nothing is drawn anew where that is as it was."""
        design, rig = self.session.design, self.session.rig
        told = (
            design, rig, self.session.overhead, self.session.machine_seen.charge, self.session.question,
            self.session.sequence, self._spread(),
        )  # fmt: skip
        if told == self._told:
            return
        self._told = told
        self.problem.setText("")
        self.totals, is_all = None, True
        if rig is None:
            self.problem.setText("No rig is chosen: there is nothing to plan for.")
        else:
            try:
                passes, is_all = self.session.planned_passes()
                self.totals = total(passes, rig, start_charge=self._charge_now(), overhead=self.session.overhead)
            except PlanError as fault:
                self.problem.setText(str(fault))
        self.problem.setVisible(bool(self.problem.text()))
        self.printed.setText(self.problem.text())  # in sight on every page, where the button is that it greys
        self.start.setEnabled(self.totals is not None and not self.totals.too_long)
        self.sheet.setEnabled(self.totals is not None and self.session.question is not None)
        if self.totals is None or rig is None:
            for value in self.figures.values():
                value.setText("–")
            self.order.clear()
            self.charge.show_charge((), rig.valid_charge if rig else (0, 1))
            self.schedule.show_passes((), (), 0.0)
            self.note.setText("")
            return
        taken = self.totals
        self.figures["passes"].setText(str(taken.passes))
        hours, minutes = divmod(round(taken.minutes), 60)
        self.figures["time"].setText(f"{hours} h {minutes:02d} min" if hours else f"{minutes} min")
        self.figures["wh"].setText(f"{taken.wh:.0f}")
        self.figures["recharges"].setText(str(taken.recharges) if rig.full_charge_wh is not None else "–")
        low, high = (100 * share for share in rig.valid_charge)
        question = self.session.question
        if question is None or is_ladder(question):
            made = f"{len(design.levels_w())} limits x {design.repeats}, in random order (seed {design.seed})."
        elif is_all:
            made = f"{len({(p.slot, p.setup) for p in passes})} setups (seed {design.seed})."
            made += "".join(f" Left out: {why}" for why in getattr(self.session.planned_design(), "left_out", ()))
        else:
            made = "These passes come first; more follow by what they find."
        self.note.setText(
            f"{made} Passes count "
            f"between {high:.0f} and {low:.0f} % charge"
            + (f"; recharging takes {taken.recharge_minutes:.0f} of the minutes." if taken.recharges else ".")
            + (" A pass is too long for one charge." if taken.too_long else "")
            + (
                " The battery's energy is unknown: recharges cannot be told."
                if rig.full_charge_wh is None
                else f" Charge from {100 * self._charge_now():.0f} % now."
                if self.session.machine_seen.charge is not None
                else " Charge from a full battery, as nobody has read it."
            )
            + f" Draw predicted {_line_words(self.session.overhead)}. {self._tells(passes)}"
        )
        names = {slot.key: slot.name for slot in rig.slots}
        self.order.clear()
        self.order.addItems(
            [f"{p.index + 1}.  {lane_words(p, names)}{'  (heat)' if p.purpose == HEAT else ''}" for p in passes]
        )
        for row, planned in enumerate(passes):
            if (item := self.order.item(row)) is not None:
                item.setToolTip(lane_words(planned, names))
        each = taken.recharge_minutes / taken.recharges if taken.recharges else 0.0
        self.schedule.show_passes(passes, taken.recharged, each, names)
        self.charge.show_charge(taken.charge, rig.valid_charge)


def _usual_levels(knob: Knob) -> tuple[Level, ...]:
    """Levels that are offered first: those the knob has, of a range its ends and middle."""
    if knob.levels and (knob.low is None or knob.high is None):
        return knob.levels
    if knob.low is None or knob.high is None:
        return ()
    middle = (knob.low + knob.high) / 2
    step = knob.step or 1.0
    return (knob.low, round(round(middle / step) * step, 6), knob.high)


def _line_words(line: Overhead) -> str:
    """Where predicted draws come from."""
    how = f"by the line through {line.n} passes" if line.n else "by an assumed line"
    return f"{how}: {line.base_w:.1f} W and {line.k:.2f} W for each of the package"
