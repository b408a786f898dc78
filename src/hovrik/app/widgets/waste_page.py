"""Where the watts of a setup go: the setup, a picture, a line each with what would save it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...core.facts.knob import named
from ...core.facts.place import Source
from ...core.facts.setup import describe
from ...core.model import battery
from ...core.read.group import Group
from ...core.read.waste import Part, Waste, waste_of
from ...core.stats.estimate import Estimate, Mean
from ..plots.waste_plot import Bar, WastePlot
from ..session import Session
from .fields import Choice, Notice

HEADINGS = ("Part", "W", "share", "minutes back", "what saves it", "told by")
TABLE_PX, PICTURE_PX, CHOICE_PX = 130, 240, 420
MOST = 60


class WastePage(QWidget):
    """The page."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._groups: list[Group] = []
        self.waste: Waste | None = None
        self.setup = Choice("Whose watts")
        self.setup.setMaximumWidth(CHOICE_PX)
        self.words = Notice("What is told apart")
        self.picture = WastePlot()
        self.picture.setMinimumHeight(PICTURE_PX)
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setAccessibleName("Parts of the draw")
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setMinimumHeight(TABLE_PX)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            for at in range(len(HEADINGS)):
                wide = at in (0, 4)
                mode = QHeaderView.ResizeMode.Stretch if wide else QHeaderView.ResizeMode.ResizeToContents
                columns.setSectionResizeMode(at, mode)
        both = QSplitter(Qt.Orientation.Vertical)
        both.setChildrenCollapsible(False)
        both.addWidget(self.picture)
        both.addWidget(self.table)
        both.setSizes([280, 220])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.setup)
        column.addWidget(self.words)
        column.addWidget(both, 1)
        self.setup.currentIndexChanged.connect(lambda _at: self._show())

    def refresh(self) -> None:
        """Offer the setups of the newest evaluation; the one that was chosen stays, else the answer's."""
        found = self._session.evaluation
        groups = [group for one in (found.responses if found else ()) for group in one.groups][:MOST]
        before = self.setup.currentText()
        self._groups = groups
        texts = [describe(group.setup) for group in groups]
        self.setup.offer([(str(at), text) for at, text in enumerate(texts)])
        option = found.answer.option if found is not None else None
        own = next((at for at, group in enumerate(groups) if option and group.setup == option.setup), 0)
        self.setup.show_key(str(texts.index(before) if before in texts else own))
        self._show()

    def _show(self) -> None:
        found, question, key = self._session.evaluation, self._session.question, self.setup.key()
        self.waste = None
        if found is None or question is None or not key or int(key) >= len(self._groups):
            self._draw(None)
            return
        ids = set(self._groups[int(key)].passes)
        counted = [view.counted for view in found.views if view.is_good]
        floor, rig, used = question.terms.floor, found.rig, found.context.used

        def hours(draw: Mean) -> Estimate | None:
            on_battery = rig is not None and question.source is Source.BATTERY
            return battery.hours(rig, draw, used) if on_battery and rig is not None else None

        self.waste = waste_of(
            [one for one in counted if one.id in ids], counted, found.context.overhead,
            floor_fps=floor.value if floor is not None and floor.is_of_frames else None,
            knobs=named(self._session.knobs), hours=hours,
        )  # fmt: skip
        self._draw(self.waste)

    def _draw(self, waste: Waste | None) -> None:
        parts = waste.parts if waste is not None else ()
        why = "The draw of this setup was not measured." if self._groups else "No passes yet."
        self.picture.show_bars([_bar(one) for one in parts], why)
        saved = [one for one in parts if one.saves is not None]
        if waste is None:
            self.words.say(why)
        elif saved:
            total = sum(one.watts.value for one in saved)
            self.words.say(f"Up to {total:.1f} of {waste.draw.value:.1f} W could be saved, by measured pairs.", "good")
        else:
            self.words.say("No pair tells anything apart here: measure one knob both ways at this setup.")
        self.table.setRowCount(len(parts))
        for place, one in enumerate(parts):
            for column, text in enumerate(_cells(one, waste.draw.value if waste else 1.0)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if column in (1, 2, 3):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(place, column, item)


def _bar(one: Part) -> Bar:
    kind = "saved" if one.saves is not None else "rest" if one.id == "rest" else "stands"
    low, high = (one.watts.value if end is None else end for end in (one.watts.low, one.watts.high))
    return Bar(words.render(one.what), kind, one.watts.value, low, high)


def _cells(one: Part, draw_w: float) -> tuple[str, ...]:
    minutes = f"{one.minutes:.0f}" if one.minutes is not None else "–"
    told = "–" if one.id == "rest" else "the line of draws"
    told = words.plural(len(one.pair), "pass", "passes") if one.pair else told
    saves = words.render(one.saves) if one.saves is not None else "–"
    share = words.share(max(one.watts.value, 0.0) / draw_w)
    return words.sentence(words.render(one.what)).rstrip("."), words.span(one.watts), share, minutes, saves, told
