"""What the user wants to be otherwise: appearance, size, what a new question starts from, thresholds."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QFormLayout, QHBoxLayout, QVBoxLayout

from ...core import degrees
from ...core.facts.terms import School
from ..desktop import SCALE, SCALES, scale_wanted
from ..file_names import FOLDERS, ask_folder, folder_of
from ..settings import DEGREES, SCHOOL, TARGET, remember, remembered
from ..theme import tokens
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Choice, NumberField, button, label

if TYPE_CHECKING:
    from ..main_window import MainWindow


class PreferencesDialog(QDialog):
    """Each choice is kept at once; there is nothing to save."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.setWindowTitle("Preferences")
        self.resize(560, 520)
        self.appearance = Choice("Appearance", tokens.APPEARANCES)
        self.appearance.show_key(tokens.appearance())
        self.appearance.currentIndexChanged.connect(lambda _at: tokens.choose_appearance(self.appearance.key()))
        self.scale = Choice("Size", [(str(one), f"{100 * one:.0f} %") for one in SCALES])
        self.scale.show_key(str(scale_wanted()))
        self.scale.currentIndexChanged.connect(lambda _at: remember(SCALE, float(self.scale.key())))
        self.target = NumberField("Frames that a new question holds", "fps", 1, 1000, 5)
        self.target.show_value(float(remembered(TARGET, 40.0)))
        self.target.valueChanged.connect(lambda value: remember(TARGET, value))
        self.school = Choice("School of lows of a new question", [(s.value, s.words) for s in School])
        self.school.show_key(str(remembered(SCHOOL, School.PERCENTILE.value)))
        self.school.currentIndexChanged.connect(lambda _at: remember(SCHOOL, self.school.key()))
        self.degrees = Choice("Unit of temperatures", [(one, f"degrees {one}") for one in degrees.UNITS])
        self.degrees.show_key(str(remembered(DEGREES, "C")))
        self.degrees.currentIndexChanged.connect(lambda _at: remember(DEGREES, self.degrees.key()))
        form = QFormLayout()
        for words, field in (
            ("Appearance", self.appearance), ("Size, from the next start on", self.scale),
            ("Temperatures, from the next start on", self.degrees),
            ("A new question holds", self.target), ("its 1 % low by", self.school),
        ):  # fmt: skip
            form.addRow(label(words, wrap=True), field)
        self.folders = {purpose: self._folder(purpose, words, form) for purpose, words in FOLDERS.items()}
        checks = button("Thresholds of the checks and guards …")
        checks.clicked.connect(window.open_checks)
        close = button("Close")
        close.clicked.connect(self.accept)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(checks)
        column.addStretch()
        column.addWidget(close)

    def _folder(self, purpose: str, words: str, form: QFormLayout) -> ElidedLabel:
        """A row that says where files of a purpose are asked for first, and lets it be chosen."""
        shown = ElidedLabel(str(folder_of(purpose)))
        other = button("Choose …")
        other.setAccessibleName(f"{words}: choose a folder")

        def choose() -> None:
            found = ask_folder(self, purpose, words)
            if found is not None:
                shown.setText(str(found))

        other.clicked.connect(choose)
        row = QHBoxLayout()
        row.addWidget(shown, 1)
        row.addWidget(other)
        form.addRow(label(words, wrap=True), row)
        return shown
