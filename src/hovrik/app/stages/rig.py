"""The machine as it really is: facts, modes, OS slots side by side, versions, where the watts go, the list before
measuring. Every edit is a new version; none overwrites an old one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.errors import HovrikError
from ...core.facts.cautions import CAUTIONS
from ...core.facts.rig import (
    DelayCount,
    Exclusion,
    NoiseReading,
    OsSlot,
    Panel,
    PowerMode,
    Rig,
    Version,
    missing_minimum,
)
from ...core.facts.sheet import Field
from ...core.facts.sheets import DELAY, EXCLUSION, MODE, NOISE, OWN_KNOB, PANEL, RIG, VERSION
from ...core.model.noise import ODD, noise_of
from ...core.words import render, sentence
from ...service import battery_life, library
from ...service.memory import Cancelled
from ...store.files.write import exchange
from ..commands import answer, save_rig, set_question
from ..file_names import ask_open, ask_save, write_or_ask
from ..session import Session
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, Choice, button, label
from ..widgets.preflight_list import PreflightList
from ..widgets.sheet_form import RowsTable, SheetForm
from ..widgets.slot_table import SlotTable
from ..widgets.watt_picture import WattPicture
from ..worker import Wanted, Worker
from .base import EMPTY, Stage, set_aside, show_aside
from .made_rows import FIRST_KNOB, made, own_knobs_of
from .watts import flows_of

THE_RIG = "the rig"
PREFLIGHT, BATTERY = "Preflight", "Battery"
ROWS_PX = 220  # of a table on a page that scrolls
DELAYS = (
    "Delays counted on slow motion, from a press to what it changes: three with generated frames or more, three without"
)
FIRST_DELAY = {"generation": "off", "rendered_fps": 40.0, "camera_fps": 240.0, "frames": 20.0}
FIRST_EXCLUSION = {
    "knob": "frame_generation", "level": "on", "other": "overlay", "other_level": "on", "why": "seen once",
}  # fmt: skip


class RigStage(Stage):
    """Pages about one rig. Signals of the session drive it; edits go through undo."""

    title = "Rig"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.message = ElidedLabel("", "warn", lines=2)
        self.message.setAccessibleName("Message")
        self.new = button("New rig", tip="A rig of which only the name is known; every entry may stay unknown")
        self.import_ = button("Import …", tip="A rig or title from JSON or TOML, checked as a whole")
        self.export = button("Export …", tip="This rig as JSON or TOML")
        self.archive = button("Archive", tip="Offer this rig no longer; its passes and its history stay")
        self.archive.clicked.connect(lambda: set_aside(self.session, "rig", self.session.rig))
        self.drop_slot = button(
            "Take out the slot", tip="The one whose cell is selected; its passes stay, undo brings it back"
        )
        self.drop_slot.clicked.connect(self._on_drop_slot)
        self.form = SheetForm(RIG)
        self.modes = RowsTable(MODE, "Power modes", {"name": "new mode"})
        self.displays = RowsTable(PANEL, "External displays", {"name": "new display"})
        self.noise = RowsTable(NOISE, "Sound levels", {"rpm": 3000.0, "db": 35.0})
        self.delays = RowsTable(DELAY, "Delays on slow motion", FIRST_DELAY)
        self.noise_words = label("", "soft", wrap=True)
        self.noise_words.setAccessibleName("How loud the fan is")
        self.slots = SlotTable()
        self.versions = RowsTable(VERSION, "Versions", {"what": "firmware"}, (Field("whose", "Of"),))
        self.knobs_of = Choice("Whose knobs are shown")
        self.own_knobs = RowsTable(OWN_KNOB, "Knobs of your own", FIRST_KNOB)
        self.exclusions = RowsTable(EXCLUSION, "What excludes what", FIRST_EXCLUSION)
        self.picture = WattPicture()
        self.preflight = PreflightList()
        self.history = label("", "soft", wrap=True)
        for words, page in (
            ("Machine", self._machine_page()),
            ("OS slots", self._slots_page()),
            (PREFLIGHT, self.preflight),
            (BATTERY, self._battery_page()),
        ):
            self.pages.add(words, page)
        self.foot(self.message, self.archive, self.new, self.import_, self.export)
        self._history_of: tuple[str, int] | None = None
        self._connect()
        self.refresh()

    # -- assembly

    def _machine_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.minimum = Card("Enough for a first sweep?")
        self.minimum_words = label("", wrap=True)
        self.minimum.body.addWidget(self.minimum_words)
        column.addWidget(self.minimum)
        column.addWidget(self.form)
        for words, table in (
            ("The maker's presets: what each sets, and whether it wants the adapter", self.modes),
            ("External displays", self.displays),
            ("Sound levels: a meter where your head is, at three fan speeds or more", self.noise),
            (DELAYS, self.delays),
        ):
            column.addWidget(label(words, "heading", wrap=True))
            table.setFixedHeight(ROWS_PX)
            column.addWidget(table)
            if table is self.noise:
                column.addWidget(self.noise_words)
        column.addStretch()
        return page

    def _battery_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setSpacing(10)
        watts = Card("Where the watts go")
        self.watts_words = label("", "soft", wrap=True)
        watts.body.addWidget(self.watts_words)
        watts.body.addWidget(self.picture)
        life = Card("What a full charge gives")
        self.life_words = label("", "soft", wrap=True)
        self.life_words.setAccessibleName("What a full charge gives")
        life.body.addWidget(self.life_words)
        self._life = Worker("battery life", self)
        self._life.finished.connect(
            lambda found: self.life_words.setText("\n".join(sentence(render(one)) for one in battery_life.told(found)))
        )
        self._life.failed.connect(lambda fault: self.life_words.setText(str(fault)))
        cautions = Card("Cautions")
        for text in CAUTIONS:
            cautions.body.addWidget(label(text, "soft", wrap=True))
        for card in (watts, life, cautions):
            column.addWidget(card)
        column.addStretch()
        return page

    def _slots_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.add_slot = button("Add an OS slot")
        self.slots.setMinimumHeight(ROWS_PX + 60)
        column.addWidget(self.slots)
        row = QHBoxLayout()
        row.addWidget(self.add_slot)
        row.addWidget(self.drop_slot)
        row.addStretch()
        column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(label("Knobs of your own that are there on", "heading"))
        row.addWidget(self.knobs_of)
        row.addStretch()
        column.addLayout(row)
        column.addWidget(
            label(
                "Whatever you set by hand: instructed before a pass, asked back, compared and kept.", "soft", wrap=True
            )
        )
        column.addWidget(self.own_knobs)
        self.exclusions_heading = label("What cannot be had together there", "heading")
        column.addWidget(self.exclusions_heading)
        column.addWidget(self.exclusions)
        column.addWidget(label("Versions", "heading"))
        column.addWidget(
            label(
                "Note what is installed, not what an update channel says. Passes point at what they ran under.", "soft",
                wrap=True,
            )
        )  # fmt: skip
        column.addWidget(self.versions)
        for table in (self.own_knobs, self.exclusions, self.versions):
            table.setFixedHeight(ROWS_PX)
        history = Card("History")
        history.body.addWidget(self.history)
        column.addWidget(history)
        column.addStretch()
        return page

    def _connect(self) -> None:
        session = self.session
        self.follow(self.refresh, session.question_changed, session.library_changed)
        self.follow(self._show_watts, session.evaluation_changed)
        self.follow(self._show_preflight, session.answers_changed, session.machine_looked)
        self.pages.changed.connect(self._on_page)
        self.form.edited.connect(self._on_field)
        self.modes.edited.connect(lambda rows: self._change("modes", made(PowerMode, rows)))
        self.displays.edited.connect(lambda rows: self._change("displays", made(Panel, rows)))
        self.noise.edited.connect(lambda rows: self._change("noise_readings", made(NoiseReading, rows)))
        self.delays.edited.connect(lambda rows: self._change("delays", made(DelayCount, rows)))
        self.slots.edited.connect(lambda slots: self._change("slots", tuple(slots)))
        self.versions.edited.connect(self._on_versions)
        self.own_knobs.edited.connect(lambda rows: self._on_own("own_knobs", own_knobs_of(rows)))
        self.exclusions.edited.connect(lambda rows: self._on_own("exclusions", made(Exclusion, rows)))
        self.knobs_of.currentIndexChanged.connect(self._show_own)
        for table in (self.modes, self.displays, self.noise, self.delays, self.slots, self.versions, self.own_knobs,
                      self.exclusions):  # fmt: skip
            table.failed.connect(self.message.setText)
        self.add_slot.clicked.connect(self._on_add_slot)
        self.preflight.answered.connect(lambda name, text: answer(self.session, name, text))
        self.new.clicked.connect(self.new_rig)
        self.import_.clicked.connect(self._on_import)
        self.export.clicked.connect(self._on_export)

    # -- showing

    def refresh(self) -> None:
        """Show the rig of the question."""
        rig = self.session.rig
        writable = not self.session.notebook.read_only
        self.pages.setEnabled(rig is not None)
        for one in (self.new, self.import_):
            one.setEnabled(writable)
        for table in (
            self.form, self.modes, self.displays, self.noise, self.delays, self.slots, self.versions, self.add_slot,
            self.drop_slot, self.preflight, self.own_knobs, self.exclusions,
        ):  # fmt: skip
            table.setEnabled(writable)
        self.export.setEnabled(rig is not None)
        show_aside(self.session, "rig", rig, self.archive)
        self.message.setText("")
        if rig is None:
            self.message.setText("This notebook knows no rig yet. Make a new one, or import one.")
            return
        self.form.show_body(rig)
        self.modes.show_rows([asdict(m) for m in rig.modes])
        self.displays.show_rows([asdict(d) for d in rig.displays])
        self.noise.show_rows([asdict(one) for one in rig.noise_readings])
        self.noise_words.setText(noise_words(rig))
        self.delays.show_rows([asdict(one) for one in rig.delays])
        self.slots.show_slots(rig.slots)
        rows = [{"whose": whose, **asdict(v)} for whose, versions in _owners(rig) for v in versions]
        self.versions.show_rows(rows)
        self.knobs_of.offer([("", THE_RIG), *((slot.key, slot.name) for slot in rig.slots)])
        self._show_own()
        self._show_minimum(rig)
        self._show_history(rig)
        self._show_watts()
        self._show_preflight()

    def _show_own(self) -> None:
        """The owner's knobs of the rig or of the slot that is chosen; what excludes what belongs to a slot."""
        rig = self.session.rig
        if rig is None:
            return
        slot = next((one for one in rig.slots if one.key == self.knobs_of.key()), None)
        self.own_knobs.show_rows([asdict(one) for one in (slot or rig).own_knobs])
        self.exclusions.show_rows([asdict(one) for one in slot.exclusions] if slot is not None else [])
        for shown in (self.exclusions_heading, self.exclusions):
            shown.setVisible(slot is not None)

    def _show_minimum(self, rig: Rig) -> None:
        missing = missing_minimum(rig)
        if missing:
            self.minimum_words.setText("Still needed for a first sweep: " + ", ".join(missing) + ". Fill it in below.")
        else:
            low, high = rig.limit_range_w()
            hz = f"{rig.variable_range_hz[0]:g} to {rig.variable_range_hz[1]:g} Hz" if rig.variable_range_hz else (
                ", ".join(f"{r:g}" for r in rig.refresh_hz) + " Hz"
            )  # fmt: skip
            known = f"limits {low:g} to {high:g} W, {rig.full_charge_wh:.0f} Wh, panel {hz}"
            self.minimum_words.setText(f"Yes: {known}. All else may stay unknown.")

    def _show_history(self, rig: Rig) -> None:
        at_version = (rig.key, self.session.notebook.newest_version())
        if at_version == self._history_of:
            return
        self._history_of = at_version
        lines = [
            f"{_day(at)}  {whose}: {v.what} {v.installed or 'unknown'} ({change})"
            for at, whose, change, v in reversed(library.version_history(self.session.notebook, rig.key))
        ]
        self.history.setText("\n".join(lines) if lines else "No version is noted yet.")

    def _show_watts(self) -> None:
        flows, words = flows_of(self.session.evaluation)
        words = EMPTY if self.session.question is None else words
        self.picture.setVisible(bool(flows))
        self.picture.show_flows(flows)
        self.watts_words.setText(words)

    def _on_page(self, name: str) -> None:
        if name == PREFLIGHT:
            self._show_preflight()
            self.session.look_at_machine()
        elif name == BATTERY:
            self._ask_life()

    def _ask_life(self) -> None:
        """Read what full charges gave, off the interface thread."""
        notebook, rig = self.session.notebook, self.session.rig
        if rig is None:
            return

        def read(wanted: Wanted) -> list[battery_life.Month]:
            with notebook.sibling() as own:
                try:
                    return battery_life.months(own, rig.key, lambda done, total: wanted())
                except Cancelled:  # a newer reading is asked for, or the window closes
                    return []

        self.life_words.setText("Being read …")
        self._life.ask(read)

    def _show_preflight(self) -> None:
        if self.pages.page == PREFLIGHT:  # reading the machine only where it is shown
            self.preflight.show_items(self.session.preflight())

    # -- editing

    def _change(self, field: str, value: Any) -> None:
        rig = self.session.rig
        if rig is not None and getattr(rig, field) != value:
            known = value if value is not None else Rig.__dataclass_fields__[field].default
            self._push(replace(rig, **{field: known}), field)

    def _push(self, after: Rig, what: str) -> None:
        save_rig(self.session, after, what)

    def _on_field(self, field: str, value: Any) -> None:
        kept = getattr(self.session.rig, field, None)
        if value is None and isinstance(kept, tuple):
            value = ()
        self._change(field, value)

    def _on_own(self, field: str, value: tuple[Any, ...]) -> None:
        rig, key = self.session.rig, self.knobs_of.key()
        if rig is None:
            return
        if not key:
            after = replace(rig, **{field: value})
        else:
            slots = tuple(replace(one, **{field: value}) if one.key == key else one for one in rig.slots)
            after = replace(rig, slots=slots)
        self._push(after, "knobs of your own") if after != rig else self._show_own()

    def _on_versions(self, rows: Sequence[dict[str, Any]]) -> None:
        rig = self.session.rig
        if rig is None:
            return
        names = {THE_RIG, *(slot.name for slot in rig.slots)}
        wrong = {str(row.get("whose") or THE_RIG) for row in rows} - names
        if wrong:
            self.message.setText(f"{', '.join(sorted(wrong))} is not here. Choose one of: {', '.join(sorted(names))}.")
            self.refresh()
            return

        def of(whose: str) -> tuple[Version, ...]:
            return made(Version, [r for r in rows if (r.get("whose") or THE_RIG) == whose])

        slots = tuple(replace(slot, versions=of(slot.name)) for slot in rig.slots)
        after = replace(rig, versions=of(THE_RIG), slots=slots)
        if after != rig:
            self._push(after, "versions")
        else:
            self.refresh()

    def _on_add_slot(self) -> None:
        rig = self.session.rig
        if rig is not None:
            self._push(library.with_new_slot(rig), "OS slots")

    def _on_drop_slot(self) -> None:
        rig, at = self.session.rig, self.slots.currentColumn()
        if rig is None or not 0 <= at < len(rig.slots):
            self.message.setText("Select a cell of the slot that is to go.")
        elif len(rig.slots) == 1:
            self.message.setText("A rig needs an OS slot: add another one first.")
        else:
            self._push(replace(rig, slots=(*rig.slots[:at], *rig.slots[at + 1 :])), "OS slots")

    def new_rig(self) -> None:
        """Make a rig of which only the name is known and show it."""
        try:
            rig = library.new_rig(self.session.notebook)
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        self._show_rig(rig)
        self.pages.show_page("Machine")
        line = self.form.entries["name"].line
        if line is not None:
            line.setFocus()
            line.selectAll()

    def _show_rig(self, rig: Rig) -> None:
        question = self.session.question or self.session.first_question()
        slot = rig.slots[0].key if rig.slots else ""
        if question is not None:
            asked = question.with_(rig=rig.key, slot=slot)
            set_question(self.session, asked)
        self.session.library_changed.emit()

    # -- files

    def _on_import(self) -> None:
        path = ask_open(self, "rig", "Import a rig or title", "Rigs and titles (*.json *.toml)")
        if path is not None:
            self.import_from(path)

    def import_from(self, path: Path) -> None:
        """Read a rig or title; all problems are told at once and nothing is changed where there is one."""
        try:
            kind, body = exchange.read(path)
            key = library.import_body(self.session.notebook, kind, body)
        except HovrikError as fault:
            self.message.setText("\n".join([str(fault).split(" file:")[0], *map(str, getattr(fault, "problems", ()))]))
            return
        if kind == "rig":
            self._show_rig(library.rigs(self.session.notebook)[key])
        else:
            self.session.library_changed.emit()
        self.message.setText(f"Imported the {kind} of {path.name}.")

    def _on_export(self) -> None:
        rig = self.session.rig
        kinds = "TOML (*.toml);;JSON (*.json)"
        path = ask_save(self, "rig", "Export the rig", rig.name if rig else "rig", kinds, ".toml")
        if path is not None:
            self.export_to(path)

    def export_to(self, path: Path) -> None:
        """Write the rig; the message tells how it went."""
        rig = self.session.rig
        if rig is None:
            return
        body = rig.as_dict()
        write_or_ask(
            self, lambda force: exchange.write(path, "rig", body, force=force), self.message.setText,
            f"Written to {path}.",
        )  # fmt: skip


def noise_words(rig: Rig) -> str:
    """What the noted sound levels come to, and which of them is odd."""
    line = noise_of(rig)
    if line is None:
        return "Without a level no limit in decibels can be asked for. By ear it goes as well: Bench, By feel."
    speeds = sorted({round(one.rpm) for one in rig.noise_readings} or {round(rig.noise_rpm or 0)})
    told = [(rpm, *line.at(rpm)) for rpm in (speeds if len(speeds) < 3 else (speeds[0], speeds[-1]))]
    parts = [f"{level - 2 * sd:.0f} to {level + 2 * sd:.0f} dB at {rpm:,} rpm" for rpm, level, sd in told]
    odd = " One lies off the others by more than a meter's error: measure it anew in a quieter room."
    return f"By these the fan makes {' and '.join(parts)}.{odd if line.off > ODD else ''}"


def _day(at_ns: int) -> str:
    return f"{datetime.fromtimestamp(at_ns / 1e9, UTC):%Y-%m-%d %H:%M}"


def _owners(rig: Rig) -> list[tuple[str, tuple[Version, ...]]]:
    owners: list[tuple[str, tuple[Version, ...]]] = [(THE_RIG, rig.versions)]
    slots: tuple[OsSlot, ...] = rig.slots
    return owners + [(slot.name, slot.versions) for slot in slots]
