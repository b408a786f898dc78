"""OS slots side by side: a column a slot, a row an entry."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem

from ...core.errors import InputError
from ...core.facts.rig import DoesNotRun, KnobPlace, OsSlot
from ...core.facts.sheet import fault_of, parse, shown
from ...core.facts.sheets import PLACE, SLOT

_FIELDS = tuple(f for f in SLOT.fields if f.name != "key")
_KNOBS = "Knobs changed elsewhere"
_STOPPED = "Titles that do not run"


def knobs_words(places: Sequence[KnobPlace]) -> str:
    """'smt: restart; gpu_ceiling_mhz: not at all'."""
    return "; ".join(f"{p.knob}: {p.where}" for p in places)


def parse_knobs(text: str) -> tuple[KnobPlace, ...]:
    """The inverse. Raises InputError."""
    found = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        knob, colon, where = (piece.strip() for piece in part.partition(":"))
        if not colon or fault_of(PLACE.field("where"), where) is not None:
            allowed = ", ".join(PLACE.field("where").choices)
            raise InputError(f"{part!r} cannot be read. Write knob: place; the place one of {allowed}.")
        found.append(KnobPlace(knob, where))
    return tuple(found)


def stopped_words(titles: Sequence[DoesNotRun]) -> str:
    """'quarry-eight: refused by its service (3.1)'."""
    return "; ".join(f"{t.title}: {t.why}" + (f" ({t.version})" if t.version else "") for t in titles)


def parse_stopped(text: str) -> tuple[DoesNotRun, ...]:
    """The inverse. Raises InputError."""
    found = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        title, colon, why = (piece.strip() for piece in part.partition(":"))
        if not colon or not why:
            raise InputError(f"{part!r} cannot be read. Write title: why it does not run (version).")
        version = None
        if why.endswith(")") and " (" in why:
            why, _, version = why[:-1].rpartition(" (")
        found.append(DoesNotRun(title, why, version))
    return tuple(found)


_WORDS: dict[str, tuple[str, Callable[[Any], str], Callable[[str], Any]]] = {
    _KNOBS: ("knobs", knobs_words, parse_knobs),
    _STOPPED: ("does_not_run", stopped_words, parse_stopped),
}


class SlotTable(QTableWidget):
    """Signals: edited (list of OsSlot), failed (text)."""

    edited = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__(len(_FIELDS) + len(_WORDS), 0)
        self._slots: list[OsSlot] = []
        self._refused = False  # a cell holds what was refused
        self.setAccessibleName("OS slots side by side")
        self.setTabKeyNavigation(False)
        self.setWordWrap(True)
        self.setVerticalHeaderLabels([f.label for f in _FIELDS] + list(_WORDS))
        header, side = self.horizontalHeader(), self.verticalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        if side is not None:
            side.setDefaultSectionSize(36)
        self.itemChanged.connect(self._on_changed)

    def show_slots(self, slots: Sequence[OsSlot]) -> None:
        """Show slots without telling; nothing is made anew where they are as they were."""
        if list(slots) == self._slots and self.columnCount() == len(self._slots) and not self._refused:
            return
        self._refused = False
        self._slots = list(slots)
        blocked = self.blockSignals(True)
        self.setColumnCount(len(self._slots))
        self.setHorizontalHeaderLabels([slot.name for slot in self._slots])
        for column, slot in enumerate(self._slots):
            for row, entry in enumerate(_FIELDS):
                item = QTableWidgetItem(shown(entry, getattr(slot, entry.name)))
                item.setToolTip(", ".join(entry.choices) or entry.hint)
                self.setItem(row, column, item)
            for row, (name, words, _) in enumerate(_WORDS.values(), len(_FIELDS)):
                self.setItem(row, column, QTableWidgetItem(words(getattr(slot, name))))
        self.blockSignals(blocked)
        self.resizeRowsToContents()

    def _on_changed(self, item: QTableWidgetItem) -> None:
        slot = self._slots[item.column()]
        try:
            if item.row() < len(_FIELDS):
                entry = _FIELDS[item.row()]
                name, value = entry.name, parse(entry, item.text())
                value = () if value is None and isinstance(getattr(slot, name), tuple) else value
            else:
                name, _, read = list(_WORDS.values())[item.row() - len(_FIELDS)]
                value = read(item.text())
        except InputError as fault:
            self.failed.emit(str(fault))
            self._refused = True
            self.show_slots(self._slots)
            return
        if getattr(slot, name) != value:
            self.edited.emit([replace(s, **{name: value}) if s is slot else s for s in self._slots])
