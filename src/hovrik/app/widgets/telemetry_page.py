"""Telemetry that another recorder wrote: its columns, where it lies beside the frame log, and what fits how well."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...core.errors import HovrikError, InputError, count_left_out
from ...core.passes import align
from ...core.passes.align import ClockFit, How
from ...core.words import plural
from ...service.imports import telemetry as service
from ...service.imports.mappings import mappings, save_telemetry_mapping
from ...store.files.read.frame_log import Imported
from ...store.files.read.table import Table, read_table
from ...store.files.read.telemetry import Telemetry, TelemetryMap, TimeUnit, convert
from ..file_names import ask_open
from ..plots.overlay_plot import OverlayPlot
from ..session import Session
from ..worker import Worker
from .channel_grid import ChannelGrid
from .fields import TABLES, Choice, Notice, NumberField, button, label
from .flow import Abreast, FlowLayout
from .room import PICTURE_PX

_UNITS = [
    (TimeUnit.S.value, "in s"), (TimeUnit.MS.value, "in ms"), (TimeUnit.US.value, "in µs"),
    (TimeUnit.NS.value, "in ns"), (TimeUnit.CLOCK.value, "dates or times of day"),
]  # fmt: skip
_ROWS = "rows"
_HOW = [
    ("", "by time stamps, else the load"), (How.STAMPS.value, "by time stamps"), (How.LOAD.value, "by the load"),
    (How.GIVEN.value, "as I say"),
]  # fmt: skip
_FIRST = "What a second recorder wrote: power, temperatures, clocks. Its time may differ from the frames', and drift."


class TelemetryPage(QWidget):
    """Signal: changed (what stands beside the log is another). telemetry, fit : None while there is none."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._table: Table | None = None
        self._path: Path | None = None
        self._log: Imported | None = None
        self.telemetry: Telemetry | None = None
        self.fit: ClockFit | None = None
        self.is_waiting = False  # a file is chosen and its place beside the log is still being looked for
        self._reader, self._converter, self._fitter = (Worker(name, self) for name in ("read", "convert", "fit"))
        self._reader.finished.connect(self._on_read)
        self._converter.finished.connect(self._on_converted)
        self._fitter.finished.connect(self._on_fitted)
        for work in (self._reader, self._converter, self._fitter):
            work.failed.connect(self._on_failed)
        self.words = Notice("How the telemetry fits", _FIRST)
        self.grid = ChannelGrid()
        self.grid.changed.connect(self._convert)
        self.plot = OverlayPlot()
        shown = QWidget()
        right = QVBoxLayout(shown)
        right.setContentsMargins(0, 0, 0, 0)
        self.plot.setMinimumHeight(PICTURE_PX)
        right.addWidget(self.words)
        right.addWidget(self.plot, 1)
        middle = Abreast(900)
        middle.row.addWidget(self.grid)
        middle.row.addWidget(shown, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(self._tools())
        layout.addWidget(middle, 1)

    def _tools(self) -> FlowLayout:
        choose, drop = button("Choose telemetry …"), button("Leave it out")
        choose.clicked.connect(self._on_choose)
        drop.clicked.connect(self.clear)
        self.time_column = Choice("Time column", [(_ROWS, "no time column")])
        self.unit = Choice("What the time column holds", _UNITS)
        self.step = NumberField("Seconds between rows", "s a row", 0.01, 600.0, digits=2)
        self.step.show_value(1.0)
        self.how = Choice("How the clocks are brought together", _HOW)
        self.begin = NumberField("Telemetry begins after the first frame", "s after the log", -1e6, 1e6, digits=1)
        self.time_column.currentIndexChanged.connect(self._convert)
        self.unit.currentIndexChanged.connect(self._convert)
        self.step.valueChanged.connect(self._convert)
        self.how.currentIndexChanged.connect(self._align)
        self.begin.valueChanged.connect(self._align)
        row = FlowLayout()
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (choose, drop, label("time", "soft"), self.time_column, self.unit, self.step):
            row.addWidget(widget)
        for widget in (label("clocks", "soft"), self.how, self.begin):
            row.addWidget(widget)
        self._show_fields()
        return row

    def _show_fields(self) -> None:
        rows = self.time_column.key() == _ROWS
        self.unit.setVisible(not rows)
        self.step.setVisible(rows)
        self.begin.setVisible(self.how.key() == How.GIVEN.value)

    # -- the file

    def _on_choose(self) -> None:
        path = ask_open(self, "logs", "Telemetry", TABLES)
        if path is not None:
            self.open_file(path)

    def open_file(self, path: Path) -> None:
        """Read a file off the interface thread and guess its columns."""
        self._forget()
        self._path, self.is_waiting = path, True
        self.changed.emit()
        self.words.say(f"reading {path.name} …")
        self._reader.ask(lambda _wanted: read_table(path))

    def clear(self) -> None:
        """No telemetry beside the log."""
        self._forget()
        self.words.say(_FIRST)

    def _forget(self) -> None:
        for work in (self._reader, self._converter, self._fitter):
            work.cancel()
        self._table = self._path = self.telemetry = self.fit = None
        self.is_waiting = False
        self.plot.show_overlay(None)
        self.changed.emit()

    def _on_read(self, table: Table) -> None:
        self._table = table
        names = [(str(i), name) for i, name in enumerate(table.layout.columns)]
        self.time_column.offer([(_ROWS, "no time column"), *names])
        self.grid.offer(names)
        fault = ""
        try:
            found = mappings(self._session.notebook).of_telemetry(table)
        except HovrikError as refused:
            fault, found = str(refused), TelemetryMap(None, TimeUnit.ROWS)
        self.time_column.show_key(_ROWS if found.time_column is None else str(found.time_column))
        if found.time_unit is not TimeUnit.ROWS:
            self.unit.show_key(found.time_unit.value)
        self.step.show_value(found.step_s)
        self.grid.show_channels(found.channels)
        self._show_fields()
        if fault:
            self.is_waiting = False
            self.words.say(fault, "warn")
            self.changed.emit()
        else:
            self._convert()

    def mapping(self) -> TelemetryMap:
        """The columns as chosen."""
        key = self.time_column.key()
        unit = TimeUnit.ROWS if key == _ROWS else TimeUnit(self.unit.key())
        return TelemetryMap(None if key == _ROWS else int(key), unit, self.step.value(), self.grid.channels())

    def _convert(self) -> None:
        self._show_fields()
        table, path = self._table, self._path
        if table is None or path is None:
            return
        mapping = self.mapping()
        self.telemetry = self.fit = None
        self._fitter.cancel()
        self.is_waiting = True
        self._converter.ask(lambda _wanted: convert(table, mapping, path.name))

    def _on_converted(self, found: Telemetry) -> None:
        self.telemetry = found
        self._align()

    # -- the clocks

    def show_log(self, log: Imported | None) -> None:
        """The frame log it stands beside, None for none."""
        self._log = log
        self._align()

    def _align(self) -> None:
        self._show_fields()
        log, telemetry = self._log, self.telemetry
        self.fit = None
        self._fitter.cancel()
        self.plot.show_overlay(None)
        if telemetry is None:
            return
        self.is_waiting = log is not None
        self.changed.emit()
        if log is None:
            left_out = count_left_out(telemetry.problems)
            odd = f", {plural(left_out, 'row')} left out" if left_out else ""
            self.words.say(
                f"{telemetry.name}: {telemetry.kept_lines.size} rows over {telemetry.length_s:.0f} s, "
                f"{plural(len(telemetry.channels), 'channel')}{odd}. It is put beside each log that is imported."
            )
            return
        how, begin_s = How(self.how.key()) if self.how.key() else None, self.begin.value()
        self.words.say(f"{telemetry.name}: looking where it fits …")
        self._fitter.ask(lambda _wanted: service.fit(log, telemetry, how, begin_s))

    def _on_fitted(self, found: ClockFit) -> None:
        if self._log is None or self.telemetry is None:
            return
        self.fit, self.is_waiting = found, False
        self.words.say(service.words_of(found), "good" if found.how is not How.GIVEN else "soft")
        self.plot.show_overlay(align.overlay(self._log.trace, self.telemetry.channels, found))
        self.changed.emit()

    def _on_failed(self, fault: HovrikError) -> None:
        self.is_waiting = False
        words = str(fault) if isinstance(fault, InputError) else f"{fault} The log goes without telemetry."
        self.words.say(words, "warn")
        self.changed.emit()

    def remember(self) -> None:
        """Keep the columns for telemetry of this shape. Raises StoreError."""
        if self._table is not None and self.telemetry is not None:
            save_telemetry_mapping(self._session.notebook, self._table, self.mapping())

    def finish(self) -> None:
        """End the work; for closing."""
        for work in (self._reader, self._converter, self._fitter):
            work.close()
