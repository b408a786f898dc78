"""Reading the passes: rate against watts, what a watt buys, every pass, one pass in full."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QVBoxLayout, QWidget

from ...core import degrees, words
from ...core.facts.knob import Level, inside, named
from ...core.facts.setup import Setup, describe
from ...core.finding import About, Finding
from ...core.passes.purpose import PLAY
from ...core.passes.remedy import is_remedy
from ...core.read.marks import Mark, find
from ...core.read.response import RATE, Response
from ...core.stats.estimate import Estimate
from ...service.gather import PassView, own_factor
from ...service.next_steps import asked_by
from ..commands import act, annotate, bring_back, put_aside, set_question, take_out
from ..plots.response_plot import RatePlot, WorthPlot
from ..session import Session
from ..widgets.compare_page import ComparePage
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Choice, allow, button
from ..widgets.findings_panel import FindingsPanel
from ..widgets.flow import FlowLayout
from ..widgets.level_table import LevelTable, LibraryTable
from ..widgets.overlay_page import OverlayPage
from ..widgets.pass_page import PassPage
from ..widgets.pass_table import PassTable
from ..widgets.residual_page import ResidualPage
from ..widgets.splits import beside
from ..widgets.stack import Stack
from ..widgets.waste_page import WastePage
from .base import EMPTY, Stage

CHOICE_PX = 320
MANNERS = {
    "one": "One response", "over": "Several responses", "table": "As a table", "titles": "Every title and system",
    "left": "What passes leave over",
}  # fmt: skip
ALONE = ("over", "table", "titles")  # what shows more than one response


class ReadStage(Stage):
    """Curves, one pass in full, all of them in a table; findings beside.

    Signals: import_asked, checks_asked, stills_asked, plan_asked.
    """

    title = "Read"
    import_asked = pyqtSignal()
    checks_asked = pyqtSignal()
    stills_asked = pyqtSignal()
    plan_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._response: Response | None = None
        self._marks: tuple[Mark, ...] = ()
        self._families: tuple[Setup, ...] = ()
        self.one_pass = PassPage(session)
        self.manner = Choice("One response or several", list(MANNERS.items()))
        self.response_choice = Choice("Which setups are shown")
        self.along = Choice("Along what the passes are read")
        self.section = Choice("Which section of the scene")
        self.rate = RatePlot()
        self.worth = WorthPlot()
        self.notes = FindingsPanel()
        self.table = PassTable()
        self.overrule = button("Overrule …", tip="Count a void pass after all, or leave a valid one out, with a reason")
        self.take_out = button("Take out", tip="Take the selected pass out of every figure; undo brings it back")
        self.checks = button("Checks …", tip="Thresholds of the checks, each with its reason")
        self.marks = button(
            "Marks", tip="Move the start and end mark on the trace; raw data stay, undo brings them back"
        )
        self.marks.setCheckable(True)
        self.import_ = button("Import …", tip="Import passes measured elsewhere")
        self.stills = button("Stills …", tip="Pictures of set-ups, side by side")
        self.stills.clicked.connect(self.stills_asked)
        self.compare_with = button("Compare with …", tip="The level of the selected pass beside another one")
        self.compare_with.clicked.connect(self._on_compare_with)
        self.overlay = OverlayPage(session)
        self.residuals: ResidualPage | None = None  # made when it is first asked for
        self.pages.add("Responses", self._responses_page())
        self.waste = WastePage(session)
        self.pages.add("Waste", self.waste)
        self.pages.add("Pass", self.one_pass)
        self.compare = ComparePage(session, self.plan_asked.emit)
        self.pages.add("Compare", self.compare)
        self.pages.add("Passes", self.table)
        self.pages.beside("Notes", self.notes)
        self.message = ElidedLabel("", "warn", lines=2)
        self.message.setAccessibleName("Message")
        self.foot(
            self.message, self.compare_with, self.overrule, self.take_out, self.marks, self.checks, self.stills,
            self.import_,
        )  # fmt: skip
        self.table.activated.connect(lambda _index: self.pages.show_page("Pass"))
        self.table.pass_chosen.connect(session.select_pass)
        self.table.picked.connect(self._allow)
        self.table.take_out_asked.connect(self._on_take_out)
        self.table.taken_out_wanted.connect(lambda _on: self.refresh())
        self.rate.level_chosen.connect(self._on_level_chosen)
        self.rate.pairs.paired.connect(self._on_levels_paired)
        self.overlay.paired.connect(self._on_compared)
        self.response_choice.currentIndexChanged.connect(self._show_response)
        self.along.currentIndexChanged.connect(self._on_along)
        self.section.currentIndexChanged.connect(lambda _: session.read_within(self.section.key()))
        self.overrule.clicked.connect(self._on_overrule)
        self.take_out.clicked.connect(self._on_take_out)
        self.import_.clicked.connect(self.import_asked)
        self.checks.clicked.connect(self.checks_asked)
        self.marks.toggled.connect(lambda _on: self._show_pass())
        self.one_pass.marks_moved.connect(self._on_marks_moved)
        self.follow(self.refresh, session.evaluation_changed)
        self.follow(self._show_pass, session.selection_changed)
        self.follow(self._show_response, session.aside_changed)
        self.notes.shown_asked.connect(self._on_shown)
        self.notes.acted.connect(self._on_acted)
        self.notes.aside_asked.connect(self._on_aside)
        self.notes.back_asked.connect(lambda finding: put_aside(session, finding, ""))
        self.refresh()

    def _responses_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        chosen = QWidget()
        row = FlowLayout(chosen)
        row.setContentsMargins(0, 0, 0, 2)
        for one in (self.manner, self.response_choice, self.along, self.section):
            one.setMaximumWidth(CHOICE_PX)
            row.addWidget(one)
        column.addWidget(chosen)
        self.manners = Stack()
        self.manners.addWidget(beside(self.rate, self.worth, [560, 440]))
        self.manners.addWidget(self.overlay)
        self.levels = LevelTable()
        self.manners.addWidget(self.levels)
        self.every_title = LibraryTable(self.session)
        self.manners.addWidget(self.every_title)
        self.manner.currentIndexChanged.connect(self._on_manner)
        column.addWidget(self.manners, 1)
        return page

    # -- figures

    def refresh(self) -> None:
        """Show the newest evaluation."""
        evaluation, question = self.session.evaluation, self.session.question
        if evaluation is None or question is None:
            if question is None:
                self.rate.hint(EMPTY)
            return
        self.along.offer([(one.id, f"Along: {inside(one.label)}") for one in evaluation.along])
        self.along.show_key(evaluation.factor.id)
        self.along.setVisible(len(evaluation.along) > 1)
        names = [(one.name, f"Section: {one.name}") for one in evaluation.sections]
        self.section.offer([("", "All of the scene"), *names])
        self.section.show_key(evaluation.within)
        self.section.setVisible(bool(names))
        families = tuple(one.family for one in evaluation.every)
        self.response_choice.offer([(str(i), _family_words(one)) for i, one in enumerate(evaluation.every)])
        self.response_choice.setVisible(len(families) > 1 and self.manner.key() not in ALONE)
        if families != self._families:
            self._families = families
            self.response_choice.show_key(self._best_response())
        shown = [view for view in evaluation.views if self.table.shows_taken_out or not view.deleted]
        self.table.show_passes(shown, question.school, self.session.selected_pass)
        self._show_response()
        self._show_pass()
        self.overlay.refresh()
        self._show_levels()
        self.every_title.refresh()
        self.compare.refresh()
        self.waste.refresh()

    def _show_levels(self) -> None:
        """Fill the table where it is looked at."""
        if self.manner.key() == "table" and self.session.evaluation is not None:
            self.levels.show_levels(self.session.evaluation)

    def _on_manner(self, at: int) -> None:
        self._show_levels()
        if self.manner.key() == "left" and self.residuals is None:
            self.residuals = ResidualPage(self.session)
            self.manners.addWidget(self.residuals)
            for plot in (self.residuals.along, self.residuals.order):
                plot.pass_chosen.connect(self.session.select_pass)
                plot.pass_opened.connect(self._on_pass_opened)
            self.residuals.show_response(self._response)
        self.manners.setCurrentIndex(at)
        evaluation = self.session.evaluation
        self.response_choice.setVisible(
            self.manner.key() not in ALONE and evaluation is not None and len(evaluation.every) > 1
        )

    def _best_response(self) -> str:
        evaluation = self.session.evaluation
        option = evaluation.answer.option if evaluation else None
        if evaluation is not None and option is not None:
            for index, one in enumerate(evaluation.every):
                if any(group.setup == option.setup and group.level == option.level for group in one.groups):
                    return str(index)
        return "0"

    def _show_response(self) -> None:
        evaluation, question = self.session.evaluation, self.session.question
        if evaluation is None or question is None:
            return
        key = self.response_choice.key()
        self._response = evaluation.every[int(key)] if key and int(key) < len(evaluation.every) else None
        answer = evaluation.answer
        option, shown = answer.option, self._response
        stated = None
        if option is not None and shown is not None:
            places = zip(shown.groups, shown.places.tolist())
            stated = next((at for g, at in places if g.setup == option.setup and g.level == option.level), None)
        own = stated is not None
        self._marks = (answer.marks if own else find(self._response, question)) if self._response else ()
        figure = shown.figure if shown is not None else None
        low_words = figure.label if figure is not None else "no floor"
        floor = question.terms.floor if question.floor.is_of_frames else None  # a score has no place among rates
        rig = self.session.rig
        presets = [(mode.name, mode.sustained_w) for mode in (rig.modes if rig is not None else ()) if mode.sustained_w]
        dots = self._dots(shown, figure.id if figure is not None else "")
        self.rate.show_response(shown, self._marks, floor, low_words, stated, presets, dots)
        if self.residuals is not None:
            self.residuals.show_response(shown)
        self.worth.show_response(shown, question.terms.price)
        found = evaluation.findings
        self.notes.show_notes(self._margin_notes(), found, self.session.aside, self._is_here)

    def _dots(self, shown: Response | None, judged: str) -> dict[str, list[tuple[float, float]]]:
        """Single passes of a response: ("rate" and "low") to (place, value) each."""
        views = {view.record.id: view for view in (self.session.evaluation.views if self.session.evaluation else ())}
        found: dict[str, list[tuple[float, float]]] = {"rate": [], "low": []}
        for at, group in zip(shown.places.tolist(), shown.groups) if shown is not None else ():
            for view in (views[one] for one in group.passes if one in views):
                for name, key in (("rate", RATE), ("low", judged)):
                    if (value := view.figures.value(key)) is not None:
                        found[name].append((at, value))
        return found

    def _on_levels_paired(self, a: Level, b: Level) -> None:
        shown = self._response
        one, other = (shown.group(level) for level in (a, b)) if shown is not None else (None, None)
        if one is not None and other is not None:
            self._on_compared(one.passes, other.passes)

    def _on_compare_with(self) -> None:
        view = self._view()
        groups = [g for one in self._responses() for g in one.groups if view is not None and view.record.id in g.passes]
        if groups:
            self._on_compared(groups[0].passes, ())

    def _on_compared(self, a: tuple[str, ...], b: tuple[str, ...]) -> None:
        self.compare.choose(a, b)
        self.pages.show_page("Compare")

    def _on_pass_opened(self, pass_id: str) -> None:
        self.session.select_pass(pass_id)
        self.pages.show_page("Pass")

    def _responses(self) -> tuple[Response, ...]:
        return tuple(self.session.evaluation.every) if self.session.evaluation is not None else ()

    def _is_here(self, finding: Finding) -> bool:
        """Whether a finding is about the response that is shown, or about no single one."""
        shown = self._response
        if shown is None or finding.about is About.SETTING or not finding.of:
            return True
        return any(finding.of in group.passes for group in shown.groups)

    def _on_shown(self, finding: Finding) -> None:
        """The passes that a finding is about: the response they are in, and the first of them."""
        evaluation = self.session.evaluation
        for at, one in enumerate(evaluation.every if evaluation else ()):
            if any(finding.of in group.passes for group in one.groups):
                self.response_choice.show_key(str(at))
                self._show_response()
                break
        self.session.select_pass(finding.of)
        self.pages.show_page("Pass" if finding.about is About.PASS else "Responses")

    def _on_acted(self, action: str) -> None:
        question = self.session.question
        if act(self.session, action):
            if is_remedy(action):
                self.plan_asked.emit()
            return
        asked = asked_by(action, question) if question is not None else None
        if asked is not None:
            set_question(self.session, asked)
            self.plan_asked.emit()

    def _on_aside(self, finding: Finding) -> None:
        reason, ok = QInputDialog.getText(self, "Put a finding aside", f"{words.sentence(finding.evidence)} Because:")
        if ok and reason.strip():
            put_aside(self.session, finding, reason.strip())

    def _margin_notes(self) -> list[tuple[str, str]]:
        evaluation = self.session.evaluation
        found: list[tuple[str, str]] = []
        number = 0
        for mark in self._marks:
            if mark.value is not None or mark.span:
                number += 1
                found.append(("", f"{number}  {_mark_words(mark)}"))
            else:
                found.append(("soft", f"{mark.label}: {mark.words}"))
            if mark.note and mark.value is not None:
                found.append(("soft", mark.words))
        other = self._answered_elsewhere()
        if other:
            found.append(("soft", other))
        elif evaluation is not None:
            reasons = [text for text in evaluation.answer.reasons if not self._is_mark_note(text)]
            found += [("warn" if "void" in text else "soft", text) for text in reasons]
        if evaluation is not None:
            if evaluation.why_no_constants:
                found.append(("warn", f"Settled temperatures: {evaluation.why_no_constants}."))
            line = evaluation.context.overhead
            if line is not None:
                low, high = line.base_interval_w()
                beside = words.span(Estimate(line.base_w, low, high))
                text = f"draw = {beside} W beside the package + {line.k:.2f} x package power ({line.n} passes)"
                found.append(("soft", text))
        return found

    def _answered_elsewhere(self) -> str:
        """Where the answer is about another set than the one shown: which; "" else."""
        evaluation = self.session.evaluation
        if evaluation is None or len(evaluation.every) < 2 or self._response is None:
            return ""
        best = evaluation.every[int(self._best_response())]
        return "" if best is self._response else f"The answer above, with its reasons, is about {_family_words(best)}."

    def _is_mark_note(self, text: str) -> bool:
        return any(mark.words and text.endswith(mark.words) for mark in self._marks)

    # -- one pass

    def _view(self) -> PassView | None:
        evaluation = self.session.evaluation
        views = evaluation.views if evaluation else ()
        return next((v for v in views if v.record.id == self.session.selected_pass and not v.deleted), None)

    def _show_pass(self) -> None:
        view, question = self._view(), self.session.question
        self._allow()
        if view is None or question is None:
            self.one_pass.show_pass(None, "Select a pass in the table, or click a level in the plot.")
            return
        self.table.choose(view.record.id)
        evaluation = self.session.evaluation
        surprise = evaluation.surprises.get(view.record.id, "") if evaluation is not None else ""
        self.one_pass.whole = self.marks.isChecked()
        self.one_pass.show_pass(view, _pass_words(view, surprise))

    def _on_marks_moved(self, start_ns: int, end_ns: int) -> None:
        view = self._view()
        if view is not None:
            body = {"start_ns": start_ns, "end_ns": end_ns}
            annotate(self.session, view.record.id, "mark", body)

    def _on_along(self) -> None:
        question, key = self.session.question, self.along.key()
        own = own_factor(question, named(self.session.knobs)) if question is not None else ""
        self.session.read_along("" if key in ("", own) else key)

    def _on_level_chosen(self, level: Level) -> None:
        group = self._response.group(level) if self._response else None
        if group is None or not group.passes:
            return
        at = group.passes.index(self.session.selected_pass) + 1 if self.session.selected_pass in group.passes else 0
        self.session.select_pass(group.passes[at % len(group.passes)])

    def _on_overrule(self) -> None:
        view = self._view()
        if view is None:
            return
        new = "valid" if not view.verdict.counts else "void"
        reason, ok = QInputDialog.getText(self, "Overrule the verdict", f"Make this pass {new}, because:")
        if ok:
            self.overrule_selected(new, reason.strip())

    def overrule_selected(self, state: str, reason: str) -> None:
        """Overrule the selected pass's verdict, undoable; a reason is needed."""
        view = self._view()
        self.message.setText("")
        if not reason:
            self.message.setText("Nothing was overruled: a reason is needed, it stands beside the verdict from now on.")
        elif view is not None:
            body = {"state": state, "reason": reason}
            annotate(self.session, view.record.id, "overrule", body)

    def _allow(self) -> None:
        """What can be done with what is selected; what was in use keeps the focus as long as it can."""
        writable, picked = not self.session.notebook.read_only, self._picked()
        view = self._view()
        back = bool(picked) and all(one.deleted for one in picked)
        self.take_out.setText("Bring back" if back else "Take out" if len(picked) < 2 else f"Take out {len(picked)}")
        for made, on in (
            (self.compare_with, view is not None and any(view.record.id in g.passes for one in self._responses()
                                                         for g in one.groups)),
            (self.overrule, view is not None), (self.take_out, bool(picked)), (self.marks, view is not None),
        ):  # fmt: skip
            allow(made, on and writable, self.table)

    def _picked(self) -> list[PassView]:
        """The passes that are selected, in the table or anywhere else."""
        evaluation, view = self.session.evaluation, self._view()
        ids = set(self.table.picked_ids()) or ({view.record.id} if view is not None else set())
        return [one for one in evaluation.views if one.record.id in ids] if evaluation is not None else []

    def _on_take_out(self) -> None:
        picked = self._picked()
        if picked and all(one.deleted for one in picked):
            bring_back(self.session, [one.record.id for one in picked])
        elif picked:
            ids = [one.record.id for one in picked if not one.deleted]
            self.session.select_pass(self.table.beside(ids))  # so that the next one can be looked at, or taken out too
            take_out(self.session, ids)


def _family_words(response: Response) -> str:
    count = sum(len(group.passes) for group in response.groups)
    words_ = describe(response.family) if response.family else "cap unknown"
    return f"{', '.join((words_, *response.apart))} ({words.plural(count, 'pass', 'passes')})"


def _mark_words(mark: Mark) -> str:
    if mark.span or mark.value is None:
        return f"{mark.label}: between {mark.low:.1f} and {mark.high:.1f} W" if mark.low and mark.high else mark.label
    if mark.low is None or mark.high is None:
        return f"{mark.label}: {mark.value:.1f} W"
    return f"{mark.label}: {mark.value:.1f} W ({mark.low:.1f} to {mark.high:.1f})"


def _pass_words(view: PassView, surprise: str) -> str:
    parts = [describe(view.record.setup), view.verdict.state.value]
    if view.record.purpose == PLAY:
        parts.append("an evening of play: it counts for no setup")
    parts += [f"{f.check}: {f.evidence}. {f.advice}".rstrip(". ") for f in view.verdict.findings]
    parts += list(view.verdict.fact_words)
    parts += [
        f"{words} {watts:.1f} W"
        for words, watts in (
            ("at the wall", view.figures.value("wall_w")),
            ("at the DC input", view.figures.value("input_w")),
        )
        if watts
    ]
    parts += [
        f"{words} {degrees.words(celsius)} at the end"
        for words, celsius in (
            ("die", view.figures.value("die_end_c")),
            ("shell", view.figures.value("shell_end_c")),
        )
        if celsius is not None
    ]
    if "telemetry" in view.record.conditions:
        parts.append(str(view.record.conditions["telemetry"].value))
    if view.verdict.overruled:
        parts.append(f"overruled: {view.verdict.overruled}")
    if view.record.origin.value == "summary":
        parts.append(f"summary from {view.record.summary.get('source', 'unknown')}: lows withheld")
    if surprise:
        parts.append(surprise)
    return "; ".join(parts)
