"""Notes of a page: what is said beside it, and findings, each with what to do and a way to put it aside."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from ...core import words
from ...core.finding import About, Finding, State
from ...core.read.rules.table import RULES
from ...service.next_steps import words_of
from .fields import Choice, button, label
from .flow import FlowLayout
from .margin_notes import MarginNotes

HERE, ALL, ASIDE = "here", "all", "aside"
STATISTICS: Mapping[str, str] = {rule.id: rule.statistic for rule in RULES}


class FindingsPanel(QWidget):
    """which : beside this page, all of them, or those put aside. Signals: shown_asked (finding), acted (action id),
    aside_asked (finding), back_asked (finding)."""

    shown_asked = pyqtSignal(object)
    acted = pyqtSignal(str)
    aside_asked = pyqtSignal(object)
    back_asked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._notes: list[tuple[str, str]] = []
        self._findings: tuple[Finding, ...] = ()
        self._aside: Mapping[str, str] = {}
        self._here: Callable[[Finding], bool] = lambda _one: True
        self._shown: object = None
        self.which = Choice("Which findings")
        self.list = MarginNotes("Findings")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.which)
        column.addWidget(self.list, 1)
        self.which.currentIndexChanged.connect(lambda _at: self._show())

    def show_notes(
        self, notes: Sequence[tuple[str, str]], findings: Sequence[Finding] = (),
        aside: Mapping[str, str] | None = None, here: Callable[[Finding], bool] = lambda _one: True,
    ) -> None:  # fmt: skip
        """notes : (kind, text) of what the page shows; aside : key of a finding to why it was put aside; here : whether
        a finding is about what the page shows."""
        self._notes, self._findings, self._aside, self._here = list(notes), tuple(findings), aside or {}, here
        self._show()

    @property
    def notes(self) -> tuple[tuple[str, str], ...]:
        """What stands there, (kind, text), findings among it."""
        return self.list.notes

    def _show(self) -> None:
        open_ = [one for one in self._findings if one.key not in self._aside]
        beside = [one for one in open_ if self._here(one)]
        aside = [one for one in self._findings if one.key in self._aside]
        entries = [(HERE, f"Beside this ({len(beside)})"), (ALL, f"All findings ({len(open_)})")]
        self.which.offer([*entries, *([(ASIDE, f"Put aside ({len(aside)})")] if aside else [])])
        key = self.which.key()
        found = {HERE: beside, ALL: open_, ASIDE: aside}.get(key, beside)
        notes = self._notes if key == HERE else []
        now = key, tuple(notes), tuple(found), tuple(sorted(self._aside.items()))
        if now == self._shown:
            return
        self._shown = now
        texts = [("warn" if one.weight is State.SUSPECT else "", words.sentence(one.evidence)) for one in found]
        self.list.show_rows([*texts, *notes], [self._row(one) for one in found])

    def _row(self, one: Finding) -> QWidget:
        """One finding: what, then what to do, then its buttons."""
        row = QFrame()
        row.setObjectName("finding")
        column = QVBoxLayout(row)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        what = label(words.sentence(one.evidence), "warn" if one.weight is State.SUSPECT else "", wrap=True)
        what.setToolTip(f"{one.check}: {STATISTICS.get(one.id, '')}")
        column.addWidget(what)
        put_aside = one.key in self._aside
        if put_aside:
            column.addWidget(label(f"Put aside: {self._aside[one.key]}", "soft", wrap=True))
        elif one.advice:
            column.addWidget(label(one.advice, "soft", wrap=True))
        buttons = QWidget()
        flow = FlowLayout(buttons)
        flow.setContentsMargins(0, 0, 0, 0)
        if one.about in (About.PASS, About.GROUP) and one.of:
            self._add(flow, "Show", f"Show: {one.check}", "The passes it is about", lambda: self.shown_asked.emit(one))
        if (doing := words_of(one.action)) and not put_aside:
            self._add(flow, doing, doing, "To Plan", lambda: self.acted.emit(one.action))
        if put_aside:
            self._add(flow, "Bring back", f"Bring back: {one.check}", "", lambda: self.back_asked.emit(one))
        else:
            tip = "Say why it does not count; it can be brought back"
            self._add(flow, "Put aside …", f"Put aside: {one.check}", tip, lambda: self.aside_asked.emit(one))
        column.addWidget(buttons)
        return row

    def _add(self, flow: FlowLayout, text: str, name: str, tip: str, act: Callable[[], None]) -> None:
        made = button(text, "fold", tip)
        made.setAccessibleName(name)
        made.clicked.connect(lambda _on: act())
        flow.addWidget(made)
