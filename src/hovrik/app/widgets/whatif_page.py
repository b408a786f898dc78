"""What the choice would be worth in another room, with an older battery, more drawn beside, a heavier scene."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QTableWidgetItem, QVBoxLayout, QWidget

from ...core import degrees, words
from ...core.choose.whatif import FREE, Change, Outlook, Spread, best_of, outlook, rungs_of, slope_of
from ...core.facts.setup import describe
from ...core.model.noise import follows_die
from ...core.read.group import Counted, Group, paced_share
from ...core.read.response import Response
from ..session import Session
from .fields import Notice, NumberField, label
from .flow import FlowLayout
from .plain_table import plain_table

HEADINGS = ("Setup", "Holds here", "Holds there", "On a charge there", "Die there", "Of 100 drawn")
TIPS = (
    "", "As measured", "With what is typed above", "Hours from the charge limit to the reserve, 95 % interval",
    "Settled, 95 % interval", "In how many of 100 drawn rooms, batteries and scenes it meets everything",
)  # fmt: skip
MOST = 60


class WhatIfPage(QWidget):
    """rows : what the table shows; pick : the best of them there, None where none is sure enough."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.rows: list[Outlook] = []
        self.pick: Outlook | None = None
        unit = degrees.unit()
        self.room = NumberField("Room there", unit, degrees.shown(-20.0), degrees.shown(60.0), 1, 1)
        self.health = NumberField("Battery there, of now", "%", 20, 100, 1)
        self.beside = NumberField("Drawn more beside", "W", 0, 30, 0.5, 1)
        self.heavier = NumberField("Scene heavier by", "%", 0, 100, 1)
        self.room_sd = NumberField("Rooms differ by", unit, 0, 30, 0.5, 1)
        self.scene_sd = NumberField("Scenes differ by", "%", 0, 60, 1)
        self.health.show_value(100.0)
        self.room_sd.show_value(degrees.shown_rise(3.0))
        self.scene_sd.show_value(10.0)
        self.words = Notice("What changes there")
        self.table = plain_table("Setups there", HEADINGS, 0, TIPS)
        chosen = QWidget()
        flow = FlowLayout(chosen)
        flow.setContentsMargins(0, 0, 0, 2)
        fields = (("room", self.room), ("battery", self.health), ("beside", self.beside), ("heavier", self.heavier),
                  ("rooms ±", self.room_sd), ("scenes ±", self.scene_sd))  # fmt: skip
        for name, field in fields:
            flow.addWidget(label(name, "soft"))
            flow.addWidget(field)
            field.valueChanged.connect(lambda _value: self._show())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for widget in (chosen, self.words):
            column.addWidget(widget)
        column.addWidget(self.table, 1)
        self._room_of = 0.0

    def refresh(self) -> None:
        """The setups of the newest evaluation; the room begins as that of the passes."""
        found = self._session.evaluation
        room = found.context.room_c if found is not None else None
        if room is not None and room != self._room_of:
            self._room_of = room
            self.room.show_value(degrees.shown(room))
        self.room.setEnabled(room is not None)
        self._show()

    def _change(self) -> tuple[Change, Spread]:
        room = degrees.celsius(self.room.value()) if self._room_of else None
        change = Change(room, self.health.value() / 100.0, self.beside.value(), self.heavier.value() / 100.0)
        fahrenheit = degrees.unit() == "F"
        rooms = self.room_sd.value() / (1.8 if fahrenheit else 1.0)
        return change, Spread(rooms, 0.10, self.scene_sd.value() / 100.0)

    def _show(self) -> None:
        found, question = self._session.evaluation, self._session.question
        self.rows, self.pick = [], None
        if found is None or question is None or question.terms.floor is None:
            self.table.setRowCount(0)
            self.words.say("Measure some passes first." if question is not None else "")
            return
        change, spread = self._change()
        counted = {view.record.id: view.counted for view in found.views if view.counts}
        pairs = [(one, group) for one in found.responses for group in one.groups if group.margin is not None][:MOST]
        edge = question.terms.floor.edge
        slopes = {id(one): self._slope(one, counted, edge) for one in found.responses}
        ladders = {id(one): rungs_of(one, lambda group: _is_free(group, counted)) for one in found.responses}
        fans = {id(one): _fan_of(one) for one in found.responses}
        for one, group in pairs:
            made = outlook(
                group, ladders[id(one)], slopes[id(one)], question.terms, change, spread, found.rig,
                found.context.room_c, found.context.used, fan=fans[id(one)],
            )  # fmt: skip
            self.rows.append(made)
        draws = {id(row): _draw(group) for row, (_, group) in zip(self.rows, pairs)}
        self.pick = best_of(self.rows, question.terms.sure, lambda row: draws[id(row)])
        self._fill([group for _, group in pairs])
        option = found.answer.option
        self.words.say(*_said(option.setup if option is not None else None, self.pick, self.rows))

    def _slope(self, response: Response, counted: dict[str, Counted], edge: float) -> float | None:
        members = [counted[one] for group in response.groups for one in group.passes if one in counted]
        return slope_of(members, edge)

    def _fill(self, groups: list[Group]) -> None:
        self.table.setRowCount(len(self.rows))
        for place, (row, group) in enumerate(zip(self.rows, groups)):
            for column, text in enumerate(_cells(row, group)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if row is self.pick:
                    font = item.font()
                    font.setBold(True)
                    item.setFont(font)
                self.table.setItem(place, column, item)


def _is_free(group: Group, counted: dict[str, Counted]) -> bool:
    """Whether no cap paces a level."""
    members = [counted[one] for one in group.passes if one in counted]
    return bool(members) and paced_share(members) < FREE


def _fan_of(response: Response) -> float:
    """How the fan of a response follows its die."""
    rows = [(rpm.value, die.value) for group in response.groups
            if (rpm := group.mean("fan_rpm")) is not None and (die := group.mean("die_c")) is not None]  # fmt: skip
    return follows_die([rpm for rpm, _ in rows], [die for _, die in rows])


def _draw(group: Group) -> float:
    return group.draw.value if group.draw is not None else math.inf


def _cells(row: Outlook, group: Group) -> tuple[str, ...]:
    there = words.percent(row.holds) if row.holds is not None else "–"
    return (
        describe(row.setup), words.percent(group.holds) if group.holds is not None else "–",
        f"{there} (a guess)" if row.is_guess and row.holds is not None else there,
        words.hours_span_short(row.hours) if row.hours is not None else "–",
        words.span(row.die.through(degrees.shown)) if row.die is not None else "–",
        f"{row.of_100:.0f}" if row.of_100 is not None else "–",
    )  # fmt: skip


def _said(now: object, pick: Outlook | None, rows: list[Outlook]) -> tuple[str, str]:
    """What changes there, and in how many drawn places the choice does."""
    if not rows:
        return "Measure some passes first.", "soft"
    if pick is None:
        return "There nothing that was measured is sure enough: more watts, a lower floor or a lighter set-up.", "warn"
    often = f"in {pick.of_100:.0f} of 100 drawn rooms, batteries and scenes" if pick.of_100 is not None else ""
    if pick.setup == now:
        return f"The answer stays: {describe(pick.setup)}, which meets everything {often}.", "good"
    return f"There it is {describe(pick.setup)}, which meets everything {often}.", "warn"
