"""Which column of a file is which telemetry channel, and in which unit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from ...core.passes.trace import CHANNELS
from ...store.files.read.columns import IMPORTABLE, UNITS
from .fields import Choice, label


class ChannelGrid(QWidget):
    """A row for each channel that can be imported. Signal: changed (by hand)."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setMaximumWidth(440)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(1)
        self._rows: dict[str, tuple[Choice, Choice]] = {}

    @property
    def rows(self) -> dict[str, tuple[Choice, Choice]]:
        """Choices of column and unit by channel; made when there is a file to choose from."""
        if not self._rows:
            for row, name in enumerate(IMPORTABLE):
                self._rows[name] = self._row(row, name)
            self._grid.setRowStretch(len(IMPORTABLE), 1)
        return self._rows

    def _row(self, row: int, name: str) -> tuple[Choice, Choice]:
        words, unit = CHANNELS[name]
        column = Choice(f"Column of {words}", [("", "not in the file")])
        column.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        column.setMinimumContentsLength(8)
        units = Choice(f"Unit of {words}", [(u, u) for u in UNITS[unit]])
        for field in (column, units):
            field.currentIndexChanged.connect(self.changed)
        self._grid.addWidget(label(words, "soft"), row, 0)
        self._grid.addWidget(column, row, 1)
        self._grid.addWidget(units, row, 2)
        return column, units

    def offer(self, columns: Sequence[tuple[str, str]]) -> None:
        """Columns to choose from, (key, words), without telling; none is chosen."""
        for column, _ in self.rows.values():
            column.offer([("", "not in the file"), *columns])
            column.show_key("")

    def show_channels(self, channels: Mapping[str, tuple[int, str]]) -> None:
        """Choose without telling."""
        for name, (index, unit) in channels.items():
            column, units = self.rows[name]
            column.show_key(str(index))
            units.show_key(unit)

    def channels(self) -> dict[str, tuple[int, str]]:
        """As chosen: channel name to (column, unit)."""
        return {name: (int(column.key()), units.key()) for name, (column, units) in self._rows.items() if column.key()}
