"""The thresholds of the checks, each with its reason; a change judges every pass anew."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from ..core.checks import Thresholds
from ..core.sheets import THRESHOLDS
from .commands import SetThresholds
from .session import Session
from .stages.base import scrolling
from .widgets.fields import button, label
from .widgets.sheet_form import SheetForm


class ChecksDialog(QDialog):
    """A form over the thresholds; undo takes a change back."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Checks of a pass")
        self.resize(1080, 640)
        self._session = session
        self.form = SheetForm(THRESHOLDS, columns=2)
        self.form.setEnabled(not session.notebook.read_only)
        self.form.edited.connect(self._on_edited)
        defaults = button("Back to the defaults")
        defaults.setEnabled(not session.notebook.read_only)
        defaults.clicked.connect(lambda: self._set(Thresholds()))
        close = button("Close", "main")
        close.clicked.connect(self.accept)
        column = QVBoxLayout(self)
        column.addWidget(
            label("Empty takes the default; its reason shows on hover. Every pass is judged anew at once.", "soft")
        )
        column.addWidget(scrolling(self.form), 1)
        foot = QHBoxLayout()
        foot.addWidget(defaults)
        foot.addStretch()
        foot.addWidget(close)
        column.addLayout(foot)
        session.thresholds_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the thresholds in force."""
        self.form.show_body(self._session.thresholds)

    def _on_edited(self, name: str, value: Any) -> None:
        known = value if value is not None else getattr(Thresholds(), name)
        self._set(replace(self._session.thresholds, **{name: known}))

    def _set(self, thresholds: Thresholds) -> None:
        if thresholds != self._session.thresholds:
            self._session.undo_stack.push(SetThresholds(self._session, thresholds))
        else:
            self.refresh()
