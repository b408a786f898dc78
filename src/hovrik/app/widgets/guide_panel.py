"""One large instruction at a time for a hand-run machine, and the readings after a pass."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QHBoxLayout, QKeySequenceEdit, QLineEdit, QVBoxLayout, QWidget

from ...bench.guided import Readings
from ...core.errors import HovrikError
from ...service.batch import mapping_for
from ...store.importers.frame_log import Imported, convert, guess
from ...store.importers.table import read_table
from ..background import Background
from ..guide import Request
from ..theme import tokens
from .fields import Card, button, label
from .folder_watch import FolderWatch

_READ = (("gauge_start_wh", "gauge at the start (Wh)"), ("gauge_end_wh", "at the end (Wh)"), ("die_c", "die (C)"),
         ("shell_c", "shell (C)"))  # fmt: skip
_KEY = "mark_key"
_SEEN = ("stutter", "artefacts", "latency felt", "noise")


class GuidePanel(Card):
    """Shown while a person is asked for something; a key of their choice or the button confirms. A frame log can be
    dropped on it.

    mappings : those saved for log columns, by file shape, asked for each log.
    """

    def __init__(self, mappings: Callable[[], Mapping[str, Any]] = dict) -> None:
        super().__init__("", "pick")
        self._mappings = mappings
        self.setAcceptDrops(True)
        self.setAccessibleName("What to do now")
        self._request: Request | None = None
        self._imported: Imported | None = None
        self._reader = Background(self)
        self._reader.finished.connect(self._on_read)
        self._reader.failed.connect(lambda fault: self.message.setText(str(fault)))
        self._pending: Path | None = None
        self.watch = FolderWatch("A new log in it is taken as this pass")
        self.watch.arrived.connect(self._on_arrived)
        self.watch.failed.connect(lambda text: self.message.setText(text))
        self.text = label("", wrap=True)
        self.text.setFont(tokens.base_font(24, strong=True))
        self.text.setAccessibleName("Instruction")
        self.message = label("", "warn", wrap=True)
        self.readings = self._readings()
        self.done = button("", "main")
        self.done.clicked.connect(self._on_done)
        self.shortcut = QShortcut(self)  # at once; a button's own shortcut would click a tenth of a second late
        self.shortcut.activated.connect(self._on_done)
        self.key = QKeySequenceEdit()
        self.key.setAccessibleName("Key that marks the moment")
        self.key.setToolTip("The key that confirms; one of a second keyboard in your lap serves too")
        self.key.setMaximumSequenceLength(1)
        self.key.setFixedWidth(110)
        self.key.editingFinished.connect(lambda: self.take_key(self.key.keySequence()))
        self.take_key(QKeySequence(str(QSettings("hovrik", "hovrik").value(_KEY, "Space"))))
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        row.addWidget(label("mark key", "soft"))
        row.addWidget(self.key)
        row.addWidget(self.done)
        for part in (self.text, self.readings):
            self.body.addWidget(part)
        self.body.addLayout(row)
        self.hide()

    def take_key(self, key: QKeySequence) -> None:
        """Confirm by this key from now on; an empty one is Space."""
        key = QKeySequence("Space") if key.isEmpty() else key
        self.key.setKeySequence(key)
        self.done.setText(f"Done ({self._key_words()})")
        self.shortcut.setKey(key)
        QSettings("hovrik", "hovrik").setValue(_KEY, key.toString())
        self.done.setFocus()

    def _key_words(self) -> str:
        return self.key.keySequence().toString(QKeySequence.SequenceFormat.NativeText)

    def _readings(self) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        choose = button("Choose the frame log …", tip="Or drop it here")
        choose.clicked.connect(self._on_choose)
        row.addWidget(choose)
        row.addWidget(self.watch)
        self.fields: dict[str, QLineEdit] = {}
        for name, words in _READ:
            line = QLineEdit()
            line.setAccessibleName(words)
            line.setPlaceholderText("not read")
            line.setFixedWidth(84)
            row.addWidget(label(words, "soft"))
            row.addWidget(line)
            self.fields[name] = line
        row.addStretch()
        tags = QHBoxLayout()
        tags.addWidget(label("seen:", "soft"))
        self.tags = {}
        for words in _SEEN:
            self.tags[words] = QCheckBox(words)
            tags.addWidget(self.tags[words])
        tags.addStretch()
        column.addLayout(row)
        column.addLayout(tags)
        return box

    def ask(self, request: Request) -> None:
        """Show what is asked."""
        self._request, self._imported = request, None
        self.text.setText(request.instruction.text)
        self.readings.setVisible(request.wants_readings)
        self.shortcut.setEnabled(not request.wants_readings)  # there the keys belong to the fields
        self.done.setText("Done" if request.wants_readings else f"Done ({self._key_words()})")
        self.message.setText("No log yet: without one the pass carries no low." if request.wants_readings else "")
        for line in self.fields.values():
            line.clear()
        for tag in self.tags.values():
            tag.setChecked(False)
        self.show()
        self.done.setFocus()
        if request.wants_readings and self._pending is not None:
            self.open_file(self._pending)
        self._pending = None

    def withdraw(self) -> None:
        """Nothing is asked any more."""
        self._request = None
        self.hide()

    def open_file(self, path: Path) -> None:
        """Read a frame log off the interface thread; by the mapping saved for its columns or a guess."""
        self.message.setText(f"reading {path.name} …")
        known = self._mappings()

        def work() -> tuple[Path, Imported]:
            table = read_table(path)
            return path, convert(table, mapping_for(known, table) or guess(table))

        self._reader.run(work)

    def _on_read(self, result: tuple[Path, Imported]) -> None:
        path, self._imported = result
        left_out = sum("left out" in p.text for p in self._imported.problems)
        odd = f", {left_out} lines left out" if left_out else ""
        self.message.setText(f"{path.name}: {self._imported.trace.seconds:.0f} s of frames{odd}.")

    def _on_choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Frame log", "", "Text tables (*.csv *.txt *.tsv);;All files (*)")
        if name:
            self.open_file(Path(name))

    def _on_arrived(self, path: Path) -> None:
        if self._request is not None and self._request.wants_readings:
            self.open_file(path)
        else:
            self._pending = path  # the logger was quicker than the person

    def _on_done(self) -> None:
        request = self._request
        if request is None:
            return
        if not request.wants_readings:
            self.withdraw()
            request.give(True)
            return
        try:
            readings = self._given()
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        self.withdraw()
        request.give(readings)

    def _given(self) -> Readings:
        values = {}
        for name, words in _READ:
            text = self.fields[name].text().strip().replace(",", ".")
            if not text:
                continue
            try:
                values[name] = float(text)
            except ValueError:
                raise HovrikError(f"{words} {text!r} is not a number. Correct it, or leave it empty.") from None
        start, end = values.get("gauge_start_wh"), values.get("gauge_end_wh")
        if start is not None and end is not None and end >= start:
            raise HovrikError(
                f"The gauge went from {start:g} to {end:g} Wh: a pass must take some. Correct one, or leave both empty."
            )
        seen = tuple(words for words, tag in self.tags.items() if tag.isChecked())
        return Readings(self._imported.trace if self._imported else None, seen=seen, **values)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls() and self.readings.isVisible():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if data is not None and data.hasUrls():
            self.open_file(Path(data.urls()[0].toLocalFile()))
