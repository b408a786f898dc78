"""Profiles: what was chosen per title x OS slot x source, with its evidence."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...bench.setting import PutBack
from ...core.errors import HovrikError
from ...core.facts.rig import Rig
from ...core.keep.profile import Profile
from ...core.plan.grid import LadderDesign
from ...core.questions.question import Question
from ...service import applying, evenings, library, profiles
from ...service.applying import Applied, ApplyStep
from ...service.logbook import PROFILE, Entry
from ...service.profiles import Spoiled
from ...store.files.write import profile as profile_file
from ...store.notebook import Notebook
from ..commands import keep_profile, remove_profile, set_design, set_question
from ..file_names import ask_open, ask_save, write_or_ask
from ..session import Session
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, button, emptied, label
from ..widgets.logbook_page import LogbookPage
from ..widgets.profile_card import Known, ProfileCard
from ..widgets.report_page import ReportPage
from ..worker import Wanted, Worker
from .base import Stage, empty_hint


class KeepStage(Stage):
    """Cards of the profiles kept; keep, apply, put back, check, export, import, remove; the logbook; reports. Signals:
    plan_asked; pass_asked(id)."""

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
        self._steps: dict[str, Sequence[ApplyStep]] = {}  # of profiles that a person is setting now
        self._setting = Worker("apply", self)
        self._setting.finished.connect(self._on_set)
        self._setting.failed.connect(self._on_not_set)
        self._setting.idle.connect(self.refresh)
        self._profiles = self._column("Profiles")
        self.logbook = LogbookPage(session)
        self.logbook.asked.connect(self._on_evidence)
        self.pages.add("Logbook", self.logbook)
        self.reports = ReportPage(session)
        self.pages.add("Reports", self.reports)
        self.foot(self.message, self.keep, self.import_, self.table)
        self.follow(
            self.refresh, session.profiles_changed, session.incidents_changed, session.library_changed,
            session.evaluation_changed,
        )  # fmt: skip
        self.follow(self._on_evaluation_changed, session.evaluation_changed)
        self.follow(self.logbook.read, session.notes_changed, session.passes_changed)
        self.follow(self.reports.refresh, session.evaluation_changed, session.profiles_changed)
        self._on_evaluation_changed()
        self.refresh()
        self.reports.refresh()

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
            profile = profiles.profile_of(evaluation, profiles.names_of(self.session.notebook, question))
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        if keep_profile(self.session, profile):
            self.message.setText(
                "Kept. It replaces a former profile of this title, OS slot and source (undo brings it back)."
            )

    def refresh(self) -> None:
        """Show the profiles in force."""
        shelf = emptied(self._profiles)
        kept = profiles.on_shelf(self.session.notebook)
        if not kept:
            shelf.addWidget(empty_hint("No profile is kept yet. When the answer above suits you, keep it."))
        for one in kept:
            shelf.addWidget(self._card(one) if isinstance(one, Profile) else self._spoiled(one))
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

    def _card(self, profile: Profile) -> Card:
        notebook, found = self.session.notebook, self.session.evaluation
        said = profiles.stale(notebook, profile)
        applied = applying.on_machine(notebook, profile.rig)
        card = ProfileCard(profile, Known(
            said, profiles.said_since(notebook, profile, found) if said else None,
            profiles.stood(notebook, profile, found), evenings.said_of(notebook, profile),
            applied if applied is not None and applied.profile == profile.id else None,
            self._setting.is_busy, not notebook.read_only, self._steps.get(profile.id, ()),
        ))  # fmt: skip
        card.again_asked.connect(lambda: self._on_again(profile))
        card.long_run_asked.connect(lambda: self._plan(*profiles.long_run(profile, self.session.design)))
        card.evening_asked.connect(lambda: self.note_evening(profile))
        card.apply_asked.connect(lambda: self.apply(profile))
        card.put_back_asked.connect(lambda: self.put_back(profile.rig))
        card.export_asked.connect(lambda: self._on_export(profile))
        card.remove_asked.connect(lambda: remove_profile(self.session, profile.id))
        card.set_by_hand.connect(lambda done: self._on_set_by_hand(profile, done))
        return card

    def note_evening(self, profile: Profile) -> None:
        """Ask for the readings of an evening at a profile's settings."""
        from ..dialogs.evening_dialog import EveningDialog  # loads what the first paint does not need

        self.evening_dialog = EveningDialog(self.session, profile, self)
        self.evening_dialog.open()

    # -- on the machine

    def apply(self, profile: Profile) -> None:
        """Set a profile on its machine, off the interface thread; a machine that is run by hand has its list shown."""
        session = self.session
        if library.address_of(session.notebook, profile.rig) is None:
            try:
                self._steps[profile.id] = applying.checklist(session.notebook, profile)
            except HovrikError as fault:
                self.message.setText(str(fault))
                return
            self.refresh()
            return
        self.message.setText("Setting the machine …")
        self._work(lambda notebook: applying.apply_profile(notebook, profile))

    def put_back(self, rig: str) -> None:
        """Put a machine back to what it was before its profile."""
        self.message.setText("Putting the machine back …")
        self._work(lambda notebook: applying.put_back(notebook, rig))

    def _on_set_by_hand(self, profile: Profile, done: list[str]) -> None:
        self._steps.pop(profile.id, None)
        try:
            applying.set_by_hand(self.session.notebook, profile, done)
        except HovrikError as fault:
            self.message.setText(str(fault))
        self.refresh()

    def _work(self, act: Callable[[Notebook], Applied | PutBack]) -> None:
        notebook = self.session.notebook

        def work(_wanted: Wanted) -> Applied | PutBack:
            with notebook.sibling() as own:
                return act(own)

        self._setting.ask(work)
        self.refresh()

    def _on_set(self, found: Applied | PutBack) -> None:
        if isinstance(found, PutBack):
            whole = "The machine is back at what it was before."
            self.message.setText(whole if found.is_whole else f"Not all of it is back: {found.words}.")
        else:
            whole = "Set, and read back as asked. It stays so until you put it back."
            self.message.setText(whole if found.is_whole else "Set, but not all of it reads back as asked.")
        self.session.look_at_machine()

    def _on_not_set(self, fault: HovrikError) -> None:
        self.message.setText(str(fault))

    def _spoiled(self, spoiled: Spoiled) -> Card:
        """A profile that cannot be shown: what is wrong with it, and a way to take it off."""
        card = Card("A profile that cannot be read")
        card.body.addWidget(label("; ".join(spoiled.problems[:5])[:600] + ".", "warn", wrap=True))
        remove = button("Remove")
        remove.setEnabled(not self.session.notebook.read_only)
        remove.clicked.connect(lambda: remove_profile(self.session, spoiled.id))
        row = QHBoxLayout()
        row.addWidget(remove)
        row.addStretch()
        card.body.addLayout(row)
        return card

    def _on_again(self, profile: Profile) -> None:
        """Ask for the passes that tell whether a profile is still good, and show the plan."""
        rig = self.session.newest("rig").get(profile.rig)
        known_rig = Rig.from_dict(rig.body) if rig is not None else None
        if known_rig is None:
            self.message.setText(f"The rig {profile.rig} is not known here: note it first.")
            return
        step, low = known_rig.limit_step_w, known_rig.limit_low_w
        self._plan(*profiles.control_plan(profile, step, low, self.session.design))

    def _plan(self, asked: Question, lengths: LadderDesign) -> None:
        set_question(self.session, asked)
        set_design(self.session, lengths, "the passes that check a profile")
        self.plan_asked.emit()

    def _on_export(self, profile: Profile) -> None:
        path = ask_save(self, "profile", "Export the profile", profile.title_name, "Profiles (*.json *.toml)", ".json")
        if path is not None:
            self.export_to(path, profile)

    def export_to(self, path: Path, profile: Profile) -> None:
        """Write a profile; the message tells how it went."""
        self._written(path, lambda force: profile_file.write(path, self.as_it_stands(profile), force=force))

    def as_it_stands(self, profile: Profile) -> Profile:
        """A profile with the state that it is in now."""
        notebook = self.session.notebook
        said = profiles.stood(notebook, profile, self.session.evaluation)
        return profile.with_(state=profiles.state_of(profile, profiles.stale(notebook, profile), said))

    def _on_table(self) -> None:
        path = ask_save(self, "profile", "Export all profiles", "profiles", "Tables (*.csv)", ".csv")
        if path is not None:
            self.export_all_to(path)

    def export_all_to(self, path: Path) -> None:
        """Write every profile in force that can be read as a table; the message tells how it went."""
        sound = [self.as_it_stands(one) for one in profiles.sound_ones(self.session.notebook)]
        self._written(path, lambda force: profile_file.write_table(path, sound, force=force))

    def _written(self, path: Path, write: Callable[[bool], None]) -> None:
        write_or_ask(self, write, self.message.setText, f"Written to {path}.")

    def _on_import(self) -> None:
        path = ask_open(self, "profile", "Import a profile", "Profiles (*.json *.toml)")
        if path is not None:
            self.import_from(path)

    def import_from(self, path: Path) -> None:
        """Read a profile, checked; undoable."""
        try:
            profile = profile_file.read(path)
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        if keep_profile(self.session, profile):
            self.message.setText(f"Imported {path.name}.")
