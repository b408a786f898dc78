"""Stills of two set-ups side by side, zoomed and moved together, or one in the other's place at a key."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QPainter, QPixmap, QResizeEvent, QShortcut, QWheelEvent
from PyQt6.QtWidgets import (
    QDialog,
    QGraphicsPixmapItem,
    QGraphicsScene,
    QGraphicsView,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...core.facts.setup import describe
from ...core.message import say
from ...core.stats.estimate import Estimate
from ...service.pictures import pair_of, percent
from ...store import stills as store
from ...store.stills import Still
from ..commands import remove_still
from ..file_names import ask_open_many
from ..pixels import luma_of
from ..session import Session
from ..widgets.fields import PICTURES, Choice, button, label
from ..worker import Wanted, Worker

_NONE = "No stills yet. Select a pass in Read and add screenshots of the same spot, one a set-up."


class Pane(QGraphicsView):
    """One still. Signals: zoomed (factor), moved (horizontal and vertical share 0..1 of the picture)."""

    zoomed = pyqtSignal(float)
    moved = pyqtSignal(float, float)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._scene = QGraphicsScene(self)
        self.setScene(self._scene)
        self._item = QGraphicsPixmapItem()
        self._item.setTransformationMode(Qt.TransformationMode.SmoothTransformation)
        self._scene.addItem(self._item)
        self.setDragMode(QGraphicsView.DragMode.ScrollHandDrag)
        self.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self.factor = 1.0  # 1: the whole picture fits
        self._telling = True
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            if bar is not None:
                bar.valueChanged.connect(self._on_moved)

    def show_pixels(self, data: bytes) -> bool:
        """Show a picture file; whether it could be read. The place and zoom stay."""
        pixmap = QPixmap()
        found = bool(data) and pixmap.loadFromData(data)
        self._item.setPixmap(pixmap)
        self._scene.setSceneRect(self._item.boundingRect())
        self._fit()
        return found

    def _fit(self) -> None:
        share = self.place()
        self._telling = False
        self.resetTransform()
        box = self._item.boundingRect()
        view = self.viewport()
        if box.width() > 0 and view is not None:
            scale = self.factor * min(view.width() / box.width(), view.height() / box.height())
            self.scale(scale, scale)
        self._telling = True
        self.go_to(*share)

    def zoom_to(self, factor: float) -> None:
        """Show at `factor` times the size that fits."""
        self.factor = min(max(factor, 1.0), 16.0)
        self._fit()

    def place(self) -> tuple[float, float]:
        """Where the view stands, as shares of how far it can move."""
        found = []
        for bar in (self.horizontalScrollBar(), self.verticalScrollBar()):
            span = bar.maximum() - bar.minimum() if bar is not None else 0
            found.append((bar.value() - bar.minimum()) / span if bar is not None and span else 0.5)
        return found[0], found[1]

    def go_to(self, across: float, down: float) -> None:
        """Move there without telling."""
        self._telling = False
        for bar, share in ((self.horizontalScrollBar(), across), (self.verticalScrollBar(), down)):
            if bar is not None:
                bar.setValue(round(bar.minimum() + share * (bar.maximum() - bar.minimum())))
        self._telling = True

    def _on_moved(self) -> None:
        if self._telling:
            self.moved.emit(*self.place())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoomed.emit(self.factor * 1.25 ** (event.angleDelta().y() / 120))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()


class StillsDialog(QDialog):
    """Two panes and what each shows. Space swaps the two; + and - zoom, the wheel too."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Stills of two set-ups")
        self.resize(1240, 720)
        self._session = session
        self._adder = Worker("stills", self, every=True)
        self._adder.finished.connect(self._on_added)
        self._adder.failed.connect(lambda fault: self.message.setText(str(fault)))
        self.choices = [Choice("Still on the left"), Choice("Still on the right")]
        self.panes = [Pane("Left still"), Pane("Right still")]
        self.message = label("", "soft", wrap=True)
        self.message.setAccessibleName("Stills message")
        self._compared: list[str] = []
        self.alike = label("", wrap=True)
        self.alike.setAccessibleName("How alike the two look")
        self._looker = Worker("likeness", self)
        self._looker.finished.connect(
            lambda like: self.alike.setText(words.render(say("picture.pair", like=percent(like))))
        )
        self._looker.failed.connect(lambda fault: self.alike.setText(str(fault)))
        self.add = button("Add to the selected pass …")
        self.add.clicked.connect(self._on_add)
        self.swap = button("Swap (Space)", tip="Left and right change places: what differs jumps to the eye")
        self.swap.clicked.connect(self._on_swap)
        self.remove = button("Remove the left one")
        self.remove.clicked.connect(self._on_remove)
        close = button("Close")
        close.clicked.connect(self.reject)
        row = QHBoxLayout()
        for number, (choice, pane) in enumerate(zip(self.choices, self.panes, strict=True)):
            column = QVBoxLayout()
            column.addWidget(choice)
            column.addWidget(pane, 1)
            row.addLayout(column, 1)
            choice.currentIndexChanged.connect(lambda _index, n=number: self._show(n))
            pane.zoomed.connect(self._on_zoomed)
            pane.moved.connect(lambda across, down, n=number: self.panes[1 - n].go_to(across, down))
        foot = QHBoxLayout()
        foot.addWidget(self.message, 1)
        for widget in (self.add, self.remove, self.swap, close):
            foot.addWidget(widget)
        layout = QVBoxLayout(self)
        layout.addLayout(row, 1)
        layout.addWidget(self.alike)
        layout.addLayout(foot)
        for key, act in (("+", self._closer), ("-", self._farther), ("Space", self._on_swap)):
            QShortcut(QKeySequence(key), self).activated.connect(act)  # at once; a button's own is animated
        session.stills_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Offer every still there is."""
        setups = {key: describe(setup) for key, setup in self._session.notebook.setups().items()}
        self.stills = store.stills(self._session.notebook)
        entries = [(s.id, f"{setups.get(s.pass_id, 'no pass')}: {s.name}") for s in self.stills]
        self.message.setText("" if entries else _NONE)
        for number, choice in enumerate(self.choices):
            was = choice.key()
            choice.offer(entries)
            if not was and number < len(entries):
                choice.show_key(entries[number][0])
            self._show(number)
        writable = not self._session.notebook.read_only
        self.add.setEnabled(writable and self._session.selected_pass is not None)
        self.remove.setEnabled(writable and bool(entries))
        self.swap.setEnabled(len(entries) > 1)

    def _show(self, number: int) -> None:
        key = self.choices[number].key()
        data = store.pixels_of(self._session.notebook, key) if key else b""
        if not self.panes[number].show_pixels(data) and key:
            self.message.setText(f"{self.choices[number].currentText()} cannot be shown: its pixels are damaged.")
        self._compare()

    def _compare(self) -> None:
        """How alike the two look, off the interface thread."""
        keys, notebook = [choice.key() for choice in self.choices], self._session.notebook
        if keys == self._compared:
            return
        self._compared = keys
        if not all(keys) or keys[0] == keys[1]:
            self._looker.cancel()
            self.alike.setText("")
            return

        def work(_wanted: Wanted) -> Estimate:
            with notebook.sibling() as own:
                return pair_of(*[store.pixels_of(own, key) for key in keys], decode=luma_of)

        self.alike.setText("Being compared …")
        self._looker.ask(work)

    def _on_zoomed(self, factor: float) -> None:
        for pane in self.panes:
            pane.zoom_to(factor)

    def _closer(self) -> None:
        self._on_zoomed(self.panes[0].factor * 1.25)

    def _farther(self) -> None:
        self._on_zoomed(self.panes[0].factor / 1.25)

    def _on_swap(self) -> None:
        keys = [choice.key() for choice in self.choices]
        for number, choice in enumerate(self.choices):
            choice.show_key(keys[1 - number])
            self._show(number)

    def _on_add(self) -> None:
        names = ask_open_many(self, "stills", "Stills", PICTURES)
        if names:
            self.add_files([Path(name) for name in names])

    def add_files(self, paths: list[Path]) -> None:
        """Attach pictures to the selected pass, off the interface thread."""
        owner, notebook = self._session.selected_pass, self._session.notebook
        if owner is None:
            self.message.setText("Select a pass in Read first.")
            return

        def work(_wanted: Wanted) -> list[Still]:
            with notebook.sibling() as own:
                return store.keep_stills(own, owner, paths)

        self._adder.ask(work)

    def _on_added(self, made: list[Still]) -> None:
        for choice, still in zip(self.choices, reversed(made), strict=False):
            choice.offer([(still.id, "")])
            choice.show_key(still.id)
        self._session.stills_changed.emit()

    def _on_remove(self) -> None:
        if self.choices[0].key():
            remove_still(self._session, self.choices[0].key())

    def done(self, result: int) -> None:
        self._adder.close()
        self._looker.close()
        super().done(result)
