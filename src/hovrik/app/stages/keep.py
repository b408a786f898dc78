"""Profiles: what was chosen per title x OS slot x source, with its evidence."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core import words
from ...core.errors import HovrikError
from ...core.facts.knob import inside
from ...core.facts.known_knobs import known
from ...core.facts.rig import Rig
from ...core.facts.setup import Setup, describe
from ...core.stats.estimate import Estimate
from ...service import profiles
from ...service.logbook import PROFILE, Entry
from ...store.files.write import profile as profile_file
from ..commands import keep_profile, remove_profile, set_design, set_question
from ..file_names import ask_open, ask_save
from ..session import Session
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, button, emptied, label
from ..widgets.logbook_page import LogbookPage
from .base import Stage, empty_hint


class KeepStage(Stage):
    """Cards of the profiles kept; keep, check again, export, import, remove; the logbook. Signals: plan_asked;
    pass_asked(id)."""

    title = "Keep"
    plan_asked = pyqtSignal()
    pass_asked = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.keep = button("Keep the answer as a profile", "main")
        self.keep.clicked.connect(self.keep_answer)
        self.import_ = button("Import a profile …")
        self.import_.clicked.connect(self._on_import)
        self.table = button("Export all …", tip="Write every profile to one table (CSV)")
        self.table.clicked.connect(self._on_table)
        self.message = ElidedLabel("", lines=2)
        self.message.setAccessibleName("Message")
        self._profiles = self._column("Profiles")
        self.logbook = LogbookPage(session)
        self.logbook.asked.connect(self._on_evidence)
        self.pages.add("Logbook", self.logbook)
        self.foot(self.message, self.keep, self.import_, self.table)
        self.follow(
            self.refresh, session.profiles_changed, session.incidents_changed, session.library_changed,
            session.evaluation_changed,
        )  # fmt: skip
        self.follow(self._on_evaluation_changed, session.evaluation_changed)
        self._on_evaluation_changed()
        self.refresh()

    def _on_evaluation_changed(self) -> None:
        evaluation = self.session.evaluation
        has_answer = evaluation is not None and evaluation.answer.option is not None
        self.keep.setEnabled(has_answer and not self.session.notebook.read_only)
        self.import_.setEnabled(not self.session.notebook.read_only)

    def _column(self, name: str) -> QVBoxLayout:
        """A new page's column."""
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        self.pages.add(name, page)
        return column

    def keep_answer(self) -> None:
        """Keep the present answer as a profile, undoable."""
        evaluation, question = self.session.evaluation, self.session.question
        if evaluation is None or question is None:
            return
        try:
            body = profiles.profile_body(evaluation, profiles.names_of(self.session.notebook, question))
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        if keep_profile(self.session, body):
            self.message.setText(
                "Kept. It replaces a former profile of this title, OS slot and source (undo brings it back)."
            )

    def refresh(self) -> None:
        """Show the profiles in force."""
        shelf = emptied(self._profiles)
        kept = self.session.notebook.profiles()
        if not kept:
            shelf.addWidget(empty_hint("No profile is kept yet. When the answer above suits you, keep it."))
        for profile_id, body in kept:
            shelf.addWidget(self._card(profile_id, body))
        self.table.setEnabled(bool(kept))
        shelf.addStretch()
        self.logbook.read()

    def _on_evidence(self, entry: Entry) -> None:
        """Show what a line of the logbook tells of: its passes in Read, its profile here."""
        asked = entry.asked(self.session.question)
        if entry.kind == PROFILE:
            self.pages.show_page("Profiles")
        elif asked is not None:
            now = self.session.question
            if now is None or (now.keys, now.source) != (asked.keys, asked.source):
                set_question(self.session, asked)
            self.pass_asked.emit(entry.pass_id or "")

    def _card(self, profile_id: str, body: dict[str, Any]) -> Card:
        wrong = profile_file.problems_of(body)
        if wrong:
            return self._spoiled(profile_id, wrong)
        names = body.get("names", {})
        heading = f"{names.get('title', body['title'])} · {names.get('scene', body['scene'])}"
        card = Card(heading)
        where = f"{names.get('rig', body['rig'])}, {names.get('slot', body['slot'])}, on {body['source']}"
        card.body.addWidget(label(where, "soft"))
        card.body.addWidget(label(describe(Setup(body["setup"])), "figure"))
        card.body.addWidget(label(body["sentence"], wrap=True))
        evidence = [words.plural(len(body["passes"]), "pass", "passes") + " at this setup"]
        hours = body["metrics"].get("hours")
        if hours:
            evidence.append(words.hours_span(Estimate(hours["value"], hours["low"], hours["high"])) + " from full")
        if body.get("firmware"):
            evidence.append(f"firmware {body['firmware']}")
        if body.get("kept_at"):
            evidence.append(f"kept {datetime.fromtimestamp(body['kept_at'] / 1e9, UTC):%Y-%m-%d %H:%M} UTC")
        card.body.addWidget(label(" · ".join(evidence), "soft", wrap=True))
        said = profiles.stale(self.session.notebook, body)
        since = profiles.said_since(self.session.notebook, body, self.session.evaluation) if said else None
        if said:
            text = f"Stale: {', '.join(words.render(one) for one in said)}."
            card.body.addWidget(label(text, "warn", wrap=True))
        if since is not None:
            good = since.id == "stale.good"
            card.body.addWidget(label(words.render(since), "good" if good else "warn", wrap=True))
        if body.get("order"):
            order = [inside(known(key).label) for key in body["order"]]
            card.body.addWidget(label(f"Set in this order: {', '.join(dict.fromkeys(order))}", "soft", wrap=True))
        row = QHBoxLayout()
        export = button("Export …", tip="Write this profile as JSON or TOML")
        export.clicked.connect(lambda: self._on_export(body))
        remove = button("Remove")
        remove.setEnabled(not self.session.notebook.read_only)
        remove.clicked.connect(lambda: remove_profile(self.session, profile_id))
        again = button("Check again", "main" if said else "", "A few passes at this setup and a step less, to Plan")
        again.clicked.connect(lambda: self._on_again(body))
        row.addWidget(again)
        row.addWidget(export)
        row.addWidget(remove)
        row.addStretch()
        card.body.addLayout(row)
        card.setAccessibleName(f"Profile {heading}")
        return card

    def _spoiled(self, profile_id: str, wrong: list[str]) -> Card:
        """A profile that cannot be shown: what is wrong with it, and a way to take it off."""
        card = Card("A profile that cannot be read")
        card.body.addWidget(label("; ".join(wrong[:5])[:600] + ".", "warn", wrap=True))
        remove = button("Remove")
        remove.setEnabled(not self.session.notebook.read_only)
        remove.clicked.connect(lambda: remove_profile(self.session, profile_id))
        row = QHBoxLayout()
        row.addWidget(remove)
        row.addStretch()
        card.body.addLayout(row)
        return card

    def _on_again(self, body: dict[str, Any]) -> None:
        """Ask for the passes that tell whether a profile is still good, and show the plan."""
        rig = self.session.newest("rig").get(body["rig"])
        known_rig = Rig.from_dict(rig.body) if rig is not None else None
        if known_rig is None:
            self.message.setText(f"The rig {body['rig']} is not known here: note it first.")
            return
        step, low = known_rig.limit_step_w, known_rig.limit_low_w
        asked, lengths = profiles.control_plan(body, step, low, self.session.design)
        set_question(self.session, asked)
        set_design(self.session, lengths, "the passes that check a profile")
        self.plan_asked.emit()

    def _on_export(self, body: dict[str, Any]) -> None:
        suggestion = str(body.get("names", {}).get("title") or body["title"])
        path = ask_save(self, "profile", "Export the profile", suggestion, "Profiles (*.json *.toml)", ".json")
        if path is not None:
            self.export_to(path, body)

    def export_to(self, path: Path, body: dict[str, Any]) -> None:
        """Write a profile; the message tells how it went."""
        self._written(path, lambda: profile_file.write(path, body))

    def _on_table(self) -> None:
        path = ask_save(self, "profile", "Export all profiles", "profiles", "Tables (*.csv)", ".csv")
        if path is not None:
            self.export_all_to(path)

    def export_all_to(self, path: Path) -> None:
        """Write every profile in force that can be read as a table; the message tells how it went."""
        sound = [body for _, body in self.session.notebook.profiles() if not profile_file.problems_of(body)]
        self._written(path, lambda: profile_file.write_table(path, sound))

    def _written(self, path: Path, write: Callable[[], None]) -> None:
        try:
            write()
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        self.message.setText(f"Written to {path}.")

    def _on_import(self) -> None:
        path = ask_open(self, "profile", "Import a profile", "Profiles (*.json *.toml)")
        if path is not None:
            self.import_from(path)

    def import_from(self, path: Path) -> None:
        """Read a profile, checked; undoable."""
        try:
            body = profile_file.read(path)
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        if keep_profile(self.session, body):
            self.message.setText(f"Imported {path.name}.")
