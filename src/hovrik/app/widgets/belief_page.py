"""The page of a search: what was found, how sure, what comes next, and how to steer it."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.errors import HovrikError
from ...core.facts.known_knobs import known
from ...core.facts.setup import describe
from ...core.model.belief import Believed, varied
from ...core.words import percent
from ...service.steering import steer
from ..plots.belief_plot import HATCHES, BeliefPlot, words_of
from ..session import Session
from .elided import ElidedLabel
from .fields import Choice, button, label
from .room import PICTURE_PX


class BeliefPage(QWidget):
    """The newest belief of the session's search."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._believed: Believed | None = None
        self._at: int | None = None
        self.found = ElidedLabel("", "", lines=3)
        self.found.setAccessibleName("What the search has found")
        self.next = ElidedLabel("", "soft", lines=3)
        self.next.setAccessibleName("What comes next")
        self.across, self.up = Choice("Knob across"), Choice("Knob up")
        self.plot = BeliefPlot()
        self.plot.setMinimumHeight(PICTURE_PX)
        self.plot.chosen.connect(self.choose)
        self.chosen = ElidedLabel("", "soft")
        self.chosen.setAccessibleName("Setup that is chosen")
        self.try_next = button("Try this next")
        self.never = button("Never this")
        self.try_next.clicked.connect(lambda: self._steer(never=False))
        self.never.clicked.connect(lambda: self._steer(never=True))
        for one in (self.across, self.up):
            one.currentIndexChanged.connect(lambda _index: self._draw())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.found)
        column.addWidget(self.next)
        line = QHBoxLayout()
        for part in (label("across", "soft"), self.across, label("up", "soft"), self.up):
            line.addWidget(part)
        line.addStretch()
        column.addLayout(line)
        column.addWidget(self.plot, 1)
        marks = ", ".join(words for *_, words in HATCHES)
        key = f"Full to hatched: {marks}; fainter draws more. Star: would be stated. Diamond: next. Dots: passes."
        self.key = label(key, "soft", wrap=True)
        column.addWidget(self.key)
        row = QHBoxLayout()
        row.addWidget(self.chosen, 1)
        row.addWidget(self.try_next)
        row.addWidget(self.never)
        column.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Show what the newest evaluation believes."""
        evaluation = self.session.evaluation
        self._believed = believed = evaluation.answer.believed if evaluation is not None else None
        for one in (self.across, self.up, self.key):
            one.setEnabled(believed is not None)
        if believed is None:
            self._at = None
            self.found.setText("No search has begun. Ask for the best setup in the question line and start it.")
            self.next.setText("")
        else:
            self._offer(varied(believed.setups))
            self._tell(believed)
            if self._at is not None and self._at >= len(believed.setups):
                self._at = None
        self._allow()
        self._draw()

    def _offer(self, knobs: list[str]) -> None:
        for one, usual in ((self.across, 0), (self.up, 1)):
            before = one.key()
            blocked = one.blockSignals(True)
            one.offer([(key, known(key).label) for key in knobs])
            one.show_key(before if before in knobs else knobs[min(usual, len(knobs) - 1)])
            one.blockSignals(blocked)

    def _tell(self, believed: Believed) -> None:
        passes = int(believed.counts.sum())
        if believed.pick is None:
            self.found.setText(f"After {passes} passes nothing that was tried is likely to hold.")
        else:
            self.found.setText(
                f"Found so far: {words_of(believed, believed.pick)}. That it holds and lies within 5 % of the best "
                f"there is: {percent(believed.sure)}."
            )
        self.next.setText(f"Next: {believed.why}." if believed.why else "Nothing is left to try.")

    def choose(self, at: int) -> None:
        """Choose a candidate, to steer by."""
        self._at = at
        self.plot.choose(at)
        self._allow()

    def _allow(self) -> None:
        believed, at = self._believed, self._at
        if believed is None or at is None:
            self.chosen.setText("" if believed is None else "Choose a cell to steer the search by it.")
            can = False
        else:
            self.chosen.setText(words_of(believed, at))
            can = not self.session.notebook.read_only
        self.try_next.setEnabled(can)
        self.never.setEnabled(can)

    def _draw(self) -> None:
        self.plot.show_belief(self._believed, self.across.key(), self.up.key())

    def _steer(self, *, never: bool) -> None:
        believed, at, question = self._believed, self._at, self.session.question
        if believed is None or at is None or question is None:
            return
        setup = believed.setups[at]
        try:
            steer(self.session.notebook, question, setup, never=never)
        except HovrikError as fault:
            self.session.failed.emit(str(fault))
            return
        self.chosen.setText(f"{describe(setup)} {'is left alone from now on' if never else 'comes next'}.")
        self.session.passes_changed.emit()
