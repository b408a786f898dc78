"""An evening at a profile's setup, read by its player: charge at the start and the end, and how long."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QFormLayout, QHBoxLayout, QVBoxLayout, QWidget

from ...core.errors import HovrikError
from ...core.keep.evening import EveningReadings
from ...core.keep.profile import Profile
from ...service import evenings
from ..commands import imported
from ..session import Session
from ..widgets.fields import NumberField, add_rows, button, label


class EveningDialog(QDialog):
    """The dialog."""

    def __init__(self, session: Session, profile: Profile, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("An evening")
        self._session, self._profile = session, profile
        self.start = NumberField("Charge at the start", "%", 0, 100, 1)
        self.end = NumberField("Charge at the end", "%", 0, 100, 1)
        self.minutes = NumberField("Played", "min", 0, 60 * evenings.MOST_H, 5)
        self.start.show_value(100)
        self.message = label("", "bad", wrap=True)
        form = QFormLayout()
        add_rows(form, (("Charge at the start", self.start), ("at the end", self.end), ("Played", self.minutes)))
        keep, close = button("Note it", "main"), button("Close")
        keep.clicked.connect(self.keep)
        close.clicked.connect(self.reject)
        foot = QHBoxLayout()
        foot.addStretch()
        foot.addWidget(close)
        foot.addWidget(keep)
        column = QVBoxLayout(self)
        column.addWidget(label("On the battery, at this profile's settings all the time.", "soft", wrap=True))
        column.addLayout(form)
        column.addWidget(self.message)
        column.addLayout(foot)

    def keep(self) -> None:
        """Note it, undoable, and close; what is wrong with it is said."""
        evening = EveningReadings(self.start.value() / 100, self.end.value() / 100, self.minutes.value() / 60)
        try:
            made = evenings.note(self._session.notebook, self._profile, evening)
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        imported(self._session, [made.id])
        self.accept()
