"""Responses laid over each other: which of them, which figure, along what."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import degrees
from ...core.facts.setup import describe
from ...core.passes.figure import BY_ID
from ...core.read.response import Response
from ..plots.laid_over_plot import JOULES, LABELS, PER_WATT, LaidOverPlot, line_of
from ..session import Session
from .fields import Choice
from .stack import Stack

FIGURES = ("judged", "mean_fps", "draw_w", "package_w", "die_c", "shell_c", "noise_db", PER_WATT, JOULES)
MOST, AT_FIRST = 12, 4
LIST_PX = 230
SMALL, MOST_SMALL, SMALL_COLUMNS, SMALL_PX = "small", 6, 2, 240


class OverlayPage(QWidget):
    """The page. A line keeps its colour and shape as long as the responses are the same.

    Signal: paired (ids of the passes of one level, of the level that it was dragged onto)."""

    paired = pyqtSignal(tuple, tuple)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._responses: tuple[Response, ...] = ()
        self.list = QListWidget()
        self.list.setAccessibleName("Responses to lay over each other")
        self.list.setMaximumWidth(LIST_PX)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.figure = Choice("Which figure is drawn")
        self.across = Choice("Along what it is drawn", [("", "along the factor"), ("watts", "along package watts")])
        manners = [("", "as lines over each other"), (SMALL, "as small pictures")]
        self.manner = Choice("Lines or small pictures", manners)
        self.plot = LaidOverPlot()
        self.small: list[LaidOverPlot] = []  # made when they are first asked for
        grid = QWidget()
        self._cells = QGridLayout(grid)
        self._cells.setContentsMargins(0, 0, 0, 0)
        self._cells.setSpacing(4)
        self.pictures = Stack()
        self.pictures.addWidget(self.plot)
        self.pictures.addWidget(grid)
        side = QVBoxLayout()
        side.setSpacing(4)
        for one in (self.list, self.figure, self.across, self.manner):
            side.addWidget(one)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addLayout(side)
        row.addWidget(self.pictures, 1)
        self.list.itemChanged.connect(lambda _item: self._draw())
        self.figure.currentIndexChanged.connect(lambda _at: self._draw())
        self.across.currentIndexChanged.connect(lambda _at: self._draw())
        self.manner.currentIndexChanged.connect(lambda _at: self._draw())
        self.plot.pairs.paired.connect(self.paired)

    def refresh(self) -> None:
        """Offer the responses of the newest evaluation; those that were chosen stay chosen."""
        found = self._session.evaluation
        responses = tuple(found.every[:MOST]) if found is not None else ()
        before = {item.text(): item.checkState() for item in self._items()}
        self._responses = responses
        self.list.blockSignals(True)
        self.list.clear()
        for at, one in enumerate(responses):
            item = QListWidgetItem(words_of(one, responses))
            item.setToolTip(item.text())
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            usual = Qt.CheckState.Checked if at < AT_FIRST else Qt.CheckState.Unchecked
            item.setCheckState(before.get(item.text(), usual))
            self.list.addItem(item)
        self.list.blockSignals(False)
        kept = self.figure.key()
        offered = [key for key in FIGURES if any(line_of(0, "", one, key, False).points.at for one in responses)]
        self.figure.offer([(key, self._figure_words(key)) for key in offered])
        self.figure.show_key(kept if kept in offered else next(iter(offered), ""))
        self._draw()

    def _items(self) -> list[QListWidgetItem]:
        return [item for at in range(self.list.count()) if (item := self.list.item(at)) is not None]

    def _figure_words(self, key: str) -> str:
        if key in LABELS:
            return LABELS[key][0]
        if key == "judged":
            named = next((one.figure for one in self._responses if one.figure is not None), None)
            return named.label if named is not None else "What the floor is of"
        return BY_ID[key].label

    def _draw(self) -> None:
        key, by_watts = self.figure.key(), self.across.key() == "watts"
        lines, first = [], None
        for at, (item, one) in enumerate(zip(self._items(), self._responses)):
            if item.checkState() is Qt.CheckState.Checked and key:
                first = first or one
                lines.append(line_of(at, item.text(), one, key, by_watts))
        unit = LABELS[key][1] if key in LABELS else "fps" if key == "judged" else BY_ID[key].unit if key else ""
        unit = degrees.unit() if unit == "C" else unit
        axis = f"{self._figure_words(key)} ({unit})" if key else ""
        small = self.manner.key() == SMALL
        self.pictures.setCurrentIndex(int(small))
        if not small:
            self.plot.show_lines(lines, first, axis, by_watts=by_watts)
            return
        for at in range(len(self.small), MOST_SMALL):
            plot = LaidOverPlot()
            plot.setAccessibleName(f"Small picture {at + 1}")
            plot.setMinimumHeight(SMALL_PX)
            self._cells.addWidget(plot, at // SMALL_COLUMNS, at % SMALL_COLUMNS)
            self.small.append(plot)
        for at, plot in enumerate(self.small):
            own = lines[at : at + 1]
            plot.setVisible(bool(own))
            plot.show_lines(own, first, axis, by_watts=by_watts, beside=lines)


def words_of(response: Response, others: Sequence[Response]) -> str:
    """What a response is called among others: by what they do not all share."""
    shared = [k for k, v in response.family.items() if all(one.family.get(k) == v for one in others)]
    own = response.family.without(*shared) if len(others) > 1 else response.family
    family = describe(own) if own else "as the others"
    return f"{family} [{', '.join(response.apart)}]" if response.apart else family
