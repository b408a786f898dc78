"""Choosing what to sweep, and seeing what it takes before it starts."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...core.errors import HovrikError, PlanError
from ...core.kinds.table import kind_asked
from ...core.passes.energy import Overhead
from ...core.passes.figure import BY_ID
from ...core.passes.purpose import HEAT
from ...core.plan.ahead import ahead
from ...core.plan.grid import LadderDesign
from ...core.plan.schedule import Totals, total
from ...core.plan.steps import PlannedPass
from ...core.read.rules.pacing import uneven_words
from ...core.stats.power import detectable
from ...core.words import plural
from ...service import run as sweep
from ...service.imports.run_sheet import code_of
from ...service.library import titles
from ...store.files.write.run_sheet import run_sheet
from ..file_names import ask_save, write_or_ask
from ..plots.schedule_plot import SchedulePlot, lane_words
from ..session import Session
from ..widgets.belief_page import BeliefPage
from ..widgets.campaign_page import CampaignPage
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, button, label
from ..widgets.plan_knobs import PlanKnobs
from ..widgets.plan_order import PlanOrder
from ..widgets.room import PICTURE_PX
from ..widgets.terms_page import TermsPage
from .base import Stage


class PlanStage(Stage):
    """Knobs and levels on the left; what the plan takes, its order and the predicted charge on the right.

    Signals: start_asked; campaign_asked; cell_asked (a cell of it is to be read).
    """

    title = "Plan"
    start_asked = pyqtSignal()
    campaign_asked = pyqtSignal()
    cell_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.totals: Totals | None = None
        self._told: tuple[Any, ...] = ()
        self.problem = label("", "bad", wrap=True)
        self.problem.setAccessibleName("Problem with the plan")
        self.knobs = PlanKnobs(session, self.problem)
        self.pages.add("Knobs", self.knobs)
        self.terms = TermsPage(session)
        self.pages.add("Terms", self.terms)
        self.editor = PlanOrder(session, self.say)
        self.order, self.edits, self.minutes = self.editor.order, self.editor.edits, self.editor.minutes
        self.pages.add("Order", self.editor)
        self.belief = BeliefPage(session)
        self.pages.add("Belief", self.belief)
        self.campaign = CampaignPage(session)
        self.campaign.start_asked.connect(self.campaign_asked)
        self.campaign.asked.connect(self.cell_asked)
        self.pages.add("Campaign", self.campaign)
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
        self.follow(self.campaign.refresh, session.campaign_changed, session.library_changed, session.question_changed)
        self.campaign.refresh()
        self.refresh()

    def _takes(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        card = Card("What it takes")
        grid = QGridLayout()
        self.figures = {}
        for place, (key, heading) in enumerate(
            (("passes", "passes"), ("time", "in all"), ("wh", "watt-hours, at most"), ("recharges", "recharges"))
        ):
            value = label("", "figure")
            value.setAccessibleName(heading)
            self.figures[key] = value
            grid.addWidget(value, 0, place)
            grid.addWidget(label(heading, "soft"), 1, place)
        card.body.addLayout(grid)
        card.body.addWidget(self.problem)
        self.caution = label("", "warn", wrap=True)
        self.caution.setAccessibleName("Caution of the plan")
        card.body.addWidget(self.caution)
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

    def _on_row(self, row: int) -> None:
        self.schedule.choose(row if row >= 0 else None)

    def _on_chosen(self, index: int) -> None:
        self.order.setCurrentRow(index)

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
                    session.notebook, session.planned_question(), session.planned_design(), session.room_c,
                    session.seen(), session.overhead,
                )  # fmt: skip
                code = code_of(kept)
        except HovrikError as fault:
            self.printed.setText(str(fault))
            return
        sheet = run_sheet(question, rig, title, session.design, passes, session.room_c, code)
        what = f"Plan {code}" if code else "The plan"
        write_or_ask(
            self, lambda force: write_pdf(path, sheet, force=force), self.printed.setText,
            f"{what} is written to {path.name}. Type it in under Import passes in Bench.",
        )  # fmt: skip

    def refresh(self) -> None:
        """Show the design and what it takes."""
        self.knobs.refresh()
        self.terms.refresh()
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

    def _uneven(self, passes: Sequence[PlannedPass]) -> str:
        """That the panel does not show a planned cap evenly, in the words of the finding that its passes would have."""
        rig, slots = self.session.rig, {one.key: one for one in self.session.rig.slots} if self.session.rig else {}
        own = self.session.question.slot if self.session.question is not None else ""
        for one in passes:
            told = uneven_words(one.setup, rig, slots.get(one.slot or own))
            if told is not None:
                return " ".join(words.sentence(words.render(part)) for part in told)
        return ""

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
            self.session.order, self._spread(), self.session.warming,
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
            self.schedule.show_passes((), (), 0.0)
            self.note.setText("")
            self.caution.setVisible(False)
            return
        taken = self.totals
        self.figures["passes"].setText(str(taken.passes))
        hours, minutes = divmod(round(taken.minutes), 60)
        self.figures["time"].setText(f"{hours} h {minutes:02d} min" if hours else f"{minutes} min")
        self.figures["wh"].setText(f"{taken.wh:.0f}")
        self.figures["recharges"].setText(str(taken.recharges) if rig.full_charge_wh is not None else "–")
        low, high = (100 * share for share in rig.valid_charge)
        question = self.session.question
        ladder = self.session.planned_design() if question is not None else design
        if isinstance(ladder, LadderDesign):
            made = f"{len(ladder.levels_w())} limits x {ladder.repeats}, in random order (seed {ladder.seed})."
        elif is_all:
            count = len({(p.slot, p.source, p.setup) for p in passes})
            made = f"{plural(count, 'setup', 'setups')} (seed {design.seed})."
            made += "".join(f" Left out: {why}" for why in getattr(self.session.planned_design(), "left_out", ()))
        else:
            low, high = kind_asked(question).price(taken.minutes, passes, is_all=False)
            made = f"These passes come first; more follow by what they find, {low:.0f} to {high:.0f} min in all."
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
        self.caution.setText(self._uneven(passes))
        self.caution.setVisible(bool(self.caution.text()))
        names = {slot.key: slot.name for slot in rig.slots}
        self.order.clear()
        self.order.addItems([f"{p.index + 1}.  {lane_words(p, names)}{_marks(p)}" for p in passes])
        for row, planned in enumerate(passes):
            if (item := self.order.item(row)) is not None:
                item.setToolTip(lane_words(planned, names))
        each = taken.recharge_minutes / taken.recharges if taken.recharges else 0.0
        lines = ahead(
            passes, rig, taken, start_charge=self._charge_now(), overhead=self.session.overhead,
            warming=self.session.warming,
        )  # fmt: skip
        self.schedule.show_passes(passes, taken.recharged, each, names, lines, rig.valid_charge)


def _marks(planned: PlannedPass) -> str:
    """What a pass is beside one of its setup."""
    marks = [words for words, on in (("heat", planned.purpose == HEAT), ("pinned", planned.pinned)) if on]
    return f"  ({', '.join(marks)})" if marks else ""


def _line_words(line: Overhead) -> str:
    """Where predicted draws come from."""
    how = f"by the line through {line.n} passes" if line.n else "by an assumed line"
    return f"{how}: {line.base_w:.1f} W and {line.k:.2f} W for each of the package"
