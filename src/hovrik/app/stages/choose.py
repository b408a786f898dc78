"""The answer with its neighbours one step down and up."""

from __future__ import annotations

import contextlib

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QSizePolicy, QVBoxLayout, QWidget

from ...core import degrees, words
from ...core.facts.setup import describe
from ...core.passes.figure import BY_ID
from ...core.questions.question import Question
from ...core.read.answer import Option
from ...service.memory import Cancelled
from ...service.over_scenes import over_scenes, told
from ...service.trade import weighed_words
from ..session import Session
from ..widgets.caps_page import CapsPage
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, button, emptied, label
from ..widgets.flow import Abreast
from ..widgets.map_page import MapPage
from ..widgets.tonight_page import TonightPage
from ..widgets.whatif_page import WhatIfPage
from ..worker import Wanted, Worker
from .base import EMPTY, Stage, empty_hint

_ROWS = (
    ("mean_fps", "mean rate, fps"), ("low", "1 % low, fps"), ("hours", "from a charge"), ("draw_w", "draw, W"),
    ("package_w", "package, W"), ("joules_per_frame", "J a frame"), ("die_c", "die, settled C"),
    ("shell_c", "shell, settled C"),
)  # fmt: skip

OPTIONS = "Options"
AGAINST = frozenset({"gained", "gained.preset"})
SHEET_PX = 290


class ChooseStage(Stage):
    """The trade map; three sheets: one step less, the answer, one step more; the caps that would hold; an evening
    ahead. Signals: keep_asked, pass_asked (id)."""

    title = "Choose"
    keep_asked = pyqtSignal()
    pass_asked = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._page = QWidget()
        self._holder = QVBoxLayout(self._page)
        self._beside = QVBoxLayout()
        self._holder.setContentsMargins(0, 0, 0, 0)
        self.map = MapPage(session, self.pass_asked.emit)
        self.pages.add("Map", self.map)
        self.pages.add(OPTIONS, self._page)
        self.caps = CapsPage(session)
        self.pages.add("Caps", self.caps)
        self.what_if = WhatIfPage(session)
        self.pages.add("What if", self.what_if)
        self.tonight = TonightPage(session)
        self.pages.add("Tonight", self.tonight)
        self._looker = Worker("beside the options", self)
        self._looker.finished.connect(self._on_beside)
        self._looker.failed.connect(lambda fault: self._on_beside({"Over your scenes": [str(fault)]}))
        self.keep = button("Keep this as a profile", "main")
        self.keep.clicked.connect(self.keep_asked)
        self.foot(ElidedLabel(), self.keep)
        self.follow(self.refresh, session.evaluation_changed)
        self.pages.changed.connect(lambda _name: self._ask_beside())
        self.follow(self.tonight.refresh, session.evaluation_changed, session.profiles_changed, session.library_changed)
        self.follow(lambda: self.tonight.refresh(anew=False), session.evening_changed)
        self.tonight.refresh()
        self.refresh()

    def _ask_beside(self) -> None:
        """What stands beside the options where they are in sight, read and reckoned off the interface thread."""
        evaluation = self.session.evaluation
        option = evaluation.answer.option if evaluation is not None else None
        if evaluation is None or option is None or self.pages.page != OPTIONS:
            return
        question, title, notebook = evaluation.question, self.session.title, self.session.notebook

        def work(wanted: Wanted) -> dict[str, list[str]]:
            found: dict[str, list[str]] = {}
            if question.terms.weights:
                found["By your weights"] = weighed_words(evaluation)
            if title is not None and len(title.scenes) > 1 and title.key == question.title:
                with notebook.sibling() as own, contextlib.suppress(Cancelled):
                    scenes = over_scenes(own, evaluation, title, option.setup, wanted)
                    found["Over your scenes"] = [words.render(one) for one in told(scenes, question)]
            return found

        self._looker.ask(work)

    def _on_beside(self, found: dict[str, list[str]]) -> None:
        emptied(self._beside)
        for heading, lines in found.items():
            if lines:
                card = Card(heading)
                for text in lines:
                    card.body.addWidget(label(words.sentence(text), wrap=True))
                self._beside.addWidget(card)

    def refresh(self) -> None:
        """Show the map, the answer's options, and the caps."""
        self.map.refresh()
        self.what_if.refresh()
        self.caps.refresh()
        emptied(self._holder)
        self._looker.cancel()
        evaluation, question = self.session.evaluation, self.session.question
        answer = evaluation.answer if evaluation else None
        self.keep.setEnabled(answer is not None and answer.option is not None and not self.session.notebook.read_only)
        if answer is None or question is None or answer.option is None:
            waits = "The notebook is being read." if question is not None else EMPTY
            text = answer.sentence if answer else waits
            self._holder.addWidget(empty_hint(f"Nothing to choose yet. {text}"))
            self._holder.addStretch()
            return
        sheets = Abreast(3 * SHEET_PX, first=1)
        row = sheets.row
        for heading, option, name in (
            ("One step less", answer.down, "card"),
            ("The answer", answer.option, "pick"),
            ("One step more", answer.up, "card"),
        ):
            sheet = self._sheet(heading, option, name, question)
            sheet.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
            sheet.body.addStretch()
            row.addWidget(sheet, 1)
        self._holder.addWidget(sheets)
        beside = [one for one in answer.because if one.id in AGAINST]
        if beside:
            card = Card("Against now and the maker's presets")
            for one in beside:
                card.body.addWidget(label(words.sentence(words.render(one)), wrap=True))
            self._holder.addWidget(card)
        box = QWidget()
        self._beside = QVBoxLayout(box)
        self._beside.setContentsMargins(0, 0, 0, 0)
        self._holder.addWidget(box)
        self._ask_beside()
        why = Card("Why, and what to know")
        for one in answer.because:
            if one.id not in AGAINST:
                why.body.addWidget(label(words.render(one), "soft", wrap=True))
        for text in answer.missing:
            why.body.addWidget(label(f"Missing: {text}", "warn", wrap=True))
        self._holder.addWidget(why)
        self._holder.addStretch()

    def _sheet(self, heading: str, option: Option | None, name: str, question: Question) -> Card:
        card = Card(heading, name)
        if option is None:
            card.body.addWidget(label("Nothing was tried on this side.", "soft", wrap=True))
            return card
        setup = ElidedLabel(describe(option.setup), "figure", lines=2)
        setup.setToolTip(setup.text())
        card.body.addWidget(setup)
        holds = "no low to judge"
        if option.holds is not None:
            holds = f"{words.percent(option.holds)} that it holds {question.target_fps:g}"
        kind = "good" if (option.holds or 0) >= question.terms.sure else "warn"
        card.body.addWidget(label(("✓ " if kind == "good" else "✗ ") + holds, kind))
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.addWidget(label("", "soft"), 0, 0)
        for column, text in ((1, "value"), (2, "95 % interval")):
            grid.addWidget(label(text, "soft"), 0, column, Qt.AlignmentFlag.AlignRight)
        for number, (key, text) in enumerate(_ROWS, 1):
            estimate = option.metrics.get(f"low_1pct_fps_{question.school.value}" if key == "low" else key)
            of_degrees = key in BY_ID and BY_ID[key].unit == "C"
            if of_degrees and estimate is not None:
                estimate = estimate.through(degrees.shown)
            if key == "hours" and self.session.rig is not None:
                limit = self.session.rig.charge_limit
                text = "from full" if limit >= 1 else f"from {words.share(limit)}"
            grid.addWidget(label(degrees.heading(text) if of_degrees else text, "soft"), number, 0)
            value = words.number(estimate)
            span = words.span(estimate) if estimate else "–"
            if key == "hours" and estimate is not None:
                value, span = words.hours_minutes(estimate.value), words.hours_span_short(estimate)
            grid.addWidget(label(value), number, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label(span, "soft"), number, 2, Qt.AlignmentFlag.AlignRight)
        card.body.addLayout(grid)
        if option.difference:
            card.body.addWidget(label(option.difference[0].upper() + option.difference[1:] + ".", wrap=True))
        return card
