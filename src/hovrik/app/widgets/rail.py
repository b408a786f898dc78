"""The stages, each with what it waits for: words where there is room, signs where there is less, else one button."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QButtonGroup, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ..theme import tokens
from ..theme.glyphs import glyph
from .fields import button
from .room import GLYPHS_PX, RAIL_PX, Room

_WAITS = ("wants", "not ", "nothing")


def is_waiting(state: str) -> bool:
    """Whether the words for a stage say that it waits for something."""
    return state.startswith(_WAITS)


class Rail(QWidget):
    """buttons : by stage; one : the button that stands for all of them in the smallest room. Signals: asked (stage)."""

    asked = pyqtSignal(str)

    def __init__(self, stages: Sequence[str]) -> None:
        super().__init__()
        self.setObjectName("stageRail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._room = Room.WIDE
        self._states: dict[str, str] = {}
        self.buttons: dict[str, QPushButton] = {}
        self.one = button("", tip="Go to another stage")
        self.one.setAccessibleName("Stages")
        self.one.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.menu = QMenu(self)
        self.one.setMenu(self.menu)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(0)
        group = QButtonGroup(self)
        for name in stages:
            made = button(name, "stage")
            made.setCheckable(True)
            made.setAccessibleName(f"{name} stage")
            made.setIconSize(QSize(24, 24))
            made.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
            made.setMaximumHeight(62)
            made.clicked.connect(lambda _on, stage=name: self.asked.emit(stage))
            group.addButton(made)
            self.buttons[name] = made
            column.addWidget(made)
            action = self.menu.addAction(name)
            if action is not None:
                action.triggered.connect(lambda _on, stage=name: self.asked.emit(stage))
        column.addStretch()
        self.adapt(Room.WIDE)

    def adapt(self, room: Room) -> None:
        """Words, signs, or nothing but the one button."""
        self._room = room
        self.setVisible(room is not Room.COMPACT)
        self.one.setVisible(room is Room.COMPACT)
        self.setFixedWidth(RAIL_PX if room is Room.WIDE else GLYPHS_PX)
        self._show()

    def show_states(self, states: Mapping[str, str]) -> None:
        """What each stage waits for."""
        self._states = dict(states)
        self._show()

    def choose(self, stage: str) -> None:
        """Mark a stage as the one that is shown."""
        self.buttons[stage].setChecked(True)
        self._show()

    def retheme(self) -> None:
        """Draw the signs in the ink of the theme."""
        self._show()

    def _show(self) -> None:
        for (name, made), action in zip(self.buttons.items(), self.menu.actions()):
            state = self._states.get(name, "")
            number = list(self.buttons).index(name) + 1
            made.setText(f"{name}\n{state}" if self._room is Room.WIDE else "")
            made.setIcon(
                QIcon() if self._room is Room.WIDE else glyph(name, tokens.current().ink, not is_waiting(state))
            )
            made.setToolTip(f"{name}: {state} (Ctrl+{number})")
            made.setAccessibleDescription(state)
            action.setText(f"{name}: {state}")
            if made.isChecked():
                self.one.setText(name)
