"""The thresholds of the checks and of the guards, each with its reason; undo takes a change back."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Generic

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ...core.errors import InputError
from ...core.facts.sheet import Sheet
from ...core.facts.sheets import GUARDS, THRESHOLDS
from ...core.passes.checks import Thresholds
from ...core.passes.guards import GuardThresholds
from ...service.thresholds import AnyThresholds, thresholds_of
from ..commands import set_thresholds
from ..session import Session
from ..widgets.fields import button, label
from ..widgets.pages import ScrollTabs
from ..widgets.sheet_form import SheetForm


class ThresholdsPage(QWidget, Generic[AnyThresholds]):
    """A form over the thresholds of one kind."""

    def __init__(self, session: Session, kind: type[AnyThresholds], sheet: Sheet, words: str) -> None:
        super().__init__()
        self._session, self._kind = session, kind
        self.form = SheetForm(sheet)
        self.form.edited.connect(self._on_edited)
        self.fault = label("", "bad", wrap=True)
        self.fault.hide()
        defaults = button("Back to the defaults")
        defaults.clicked.connect(lambda: self._set(kind()))
        for part in (self.form, defaults):
            part.setEnabled(not session.notebook.read_only)
        column = QVBoxLayout(self)
        column.addWidget(label(words, "soft", wrap=True))
        column.addWidget(self.form, 1)
        column.addWidget(self.fault)
        column.addWidget(defaults, alignment=Qt.AlignmentFlag.AlignLeft)
        session.thresholds_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the thresholds in force."""
        self.fault.hide()
        self.form.show_body(self._in_force())

    def _in_force(self) -> AnyThresholds:
        return thresholds_of(self._session.notebook, self._kind)

    def _on_edited(self, name: str, value: Any) -> None:
        known = value if value is not None else getattr(self._kind(), name)
        try:
            self._set(replace(self._in_force(), **{name: known}))
        except InputError as fault:
            self.refresh()
            self.fault.setText(str(fault))
            self.fault.show()

    def _set(self, thresholds: AnyThresholds) -> None:
        if thresholds != self._in_force():
            set_thresholds(self._session, thresholds)
        else:
            self.refresh()


_CHECKS_WORDS = "Empty takes the default; its reason shows on hover. Every pass is judged anew at once."
_GUARDS_WORDS = (
    "Empty takes the default; its reason shows on hover. A run in progress keeps those it began with. Guards stop "
    "measuring and put the limits back; what the maker limits in firmware stays in force whatever is set."
)


class ChecksDialog(QDialog):
    """Checks of a pass on one page, guards of a run on the other."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Checks and guards")
        self.resize(1080, 720)
        self.pages = ScrollTabs()
        self._checks = self.pages.add(
            "Checks of a pass", lambda: ThresholdsPage(session, Thresholds, THRESHOLDS, _CHECKS_WORDS)
        )
        self._guards = self.pages.add(
            "Guards of a run", lambda: ThresholdsPage(session, GuardThresholds, GUARDS, _GUARDS_WORDS)
        )
        close = button("Close", "main")
        close.clicked.connect(self.accept)
        column = QVBoxLayout(self)
        column.addWidget(self.pages, 1)
        column.addWidget(close, alignment=Qt.AlignmentFlag.AlignRight)

    @property
    def checks(self) -> ThresholdsPage[Thresholds]:
        """The thresholds of the checks."""
        return self._checks()

    @property
    def guards(self) -> ThresholdsPage[GuardThresholds]:
        """The thresholds of the guards."""
        return self._guards()
