"""Another notebook taken into this one: which of its rigs and titles are which of those here is the person's word."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ...core.errors import HovrikError
from ...service.notes import take_in
from ...store.merge import Merged, Met, Other, merge, met
from ..session import Session
from ..widgets.fields import Choice, Notice, button, emptied, label
from ..worker import Worker

OWN = ""  # a thing of its own
KINDS = {"rig": "Rig", "title": "Title"}


class MergeDialog(QDialog):
    """The dialog. came : called with the report once rows came in."""

    def __init__(self, session: Session, came: Callable[[str], None], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Merge a notebook")
        self._session, self._came = session, came
        self._path: Path | None = None
        self.choices: dict[tuple[str, str], Choice] = {}
        self.message = Notice("What is being merged")
        self._rows = QGridLayout()
        holder = QWidget()
        holder.setLayout(self._rows)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(holder)
        self.accept_ = button("Take it in", "main", tip="Each row once; nothing that is here is changed")
        self.accept_.clicked.connect(self._on_accept)
        self.cancel = button("Cancel")
        self.cancel.clicked.connect(self.reject)
        foot = QHBoxLayout()
        foot.addStretch()
        for one in (self.cancel, self.accept_):
            foot.addWidget(one)
        column = QVBoxLayout(self)
        column.addWidget(self.message)
        column.addWidget(area, 1)
        column.addLayout(foot)
        self.resize(560, 380)
        self._worker = Worker("merge", self)
        self._worker.finished.connect(self._on_done)
        self._worker.failed.connect(self._on_failed)

    def open_file(self, path: Path) -> None:
        """Look at another notebook, and ask."""
        self._path = path
        self._fill(())
        self.accept_.setEnabled(False)
        if path.exists() and path.resolve() == self._session.notebook.path.resolve():
            self.message.say("That is this notebook itself. Choose another one.", "warn")
            return
        self.message.say(f"{path.name} is being looked at.")
        own = self._session.notebook

        def look(wanted: Callable[[], bool]) -> list[Met]:
            with own.sibling() as here, Other(path, wanted) as other:
                return met(here, other.notebook)

        self._worker.ask(look)

    def _fill(self, found: tuple[Met, ...]) -> None:
        emptied(self._rows)
        self.choices = {}
        for row, one in enumerate(found):
            choice = Choice(f"{KINDS[one.kind]} {one.name} is here")
            if one.same:
                name = dict(one.others).get(one.same, one.same)
                choice.offer([(one.same, f"is {name}: the same one")])
                choice.setEnabled(False)
            else:
                choice.offer([(OWN, f"a {one.kind} of its own"), *((key, f"is {name}") for key, name in one.others)])
            self._rows.addWidget(label(f"{KINDS[one.kind]} {one.name}"), row, 0)
            self._rows.addWidget(choice, row, 1)
            self.choices[one.kind, one.key] = choice
        self._rows.setRowStretch(len(found), 1)

    def _on_accept(self) -> None:
        path, own = self._path, self._session.notebook
        if path is None:
            return
        joined = {there: key for there, choice in self.choices.items() if (key := choice.key())}
        self.accept_.setEnabled(False)
        self.message.say("It is being taken in.")

        def take(wanted: Callable[[], bool]) -> Merged:
            with own.sibling() as here, Other(path, wanted) as other:
                found = merge(here, other.notebook, joined, lambda done, total: wanted())
                take_in(here, other.notebook)
                return found

        self._worker.ask(take)

    def _on_done(self, found: list[Met] | Merged) -> None:
        if isinstance(found, Merged):
            self._came(found.words)
            self.accept()
            return
        self._fill(tuple(found))
        asked = any(choice.isEnabled() for choice in self.choices.values())
        self.message.say(
            "Which of these are the same machine or title as one that is here? Nothing is joined by its name alone."
            if asked else "All of its rigs and titles are here already; new passes of them come in."
        )  # fmt: skip
        self.accept_.setEnabled(not self._session.notebook.read_only)

    def _on_failed(self, fault: HovrikError) -> None:
        self.message.say(str(fault), "warn")
        self.accept_.setEnabled(False)

    def done(self, result: int) -> None:
        """What is under way ends with nothing taken in."""
        self._worker.cancel()
        super().done(result)
