"""Tonight: the legs of an evening or a journey, what each is played with, and whether the charge lasts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import (
    QCheckBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...core.choose.journey import CHARGE, FILM, IDLE, MOST_LEGS, Journey, JourneyEnd, Leg, Way, ways_of
from ...core.choose.journey import says as said_of
from ...core.errors import HovrikError
from ...service.tonight import Means, ahead, means_of, titles_of
from ...store.files.write.card import evening_card
from ..commands import set_evening
from ..file_names import ask_save, write_or_ask
from ..plots.charge_plot import ChargePlot
from ..session import Session
from ..theme.tokens import TARGET_PX
from ..worker import Wanted, Worker
from .fields import Choice, Notice, NumberField, allow, button, label
from .flow import FlowLayout
from .plain_table import plain_table
from .room import PICTURE_PX

HEADINGS = ("Leg", "Minutes", "Must", "Charger, W", "Played with", "Charge after")
TIPS = ("", "", "Has to be played; else only where there is enough", "What a charger or a power bank gives meanwhile",
        "Setup that it is played with", "With nine of ten draws between")  # fmt: skip
NO_TITLES = {IDLE: "nothing, screen on", FILM: "a film", CHARGE: "charging stop"}
USUAL_MIN = 60.0


class TonightPage(QWidget):
    """means, outcome : what is shown, None while there is none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.means: Means | None = None
        self.outcome: JourneyEnd | None = None
        self._asked: tuple[Any, ...] = ()
        self._worker = Worker("tonight", self)
        self._worker.finished.connect(self._on_found)
        self._worker.failed.connect(lambda fault: self.words.say(str(fault), "warn"))
        self.words = Notice("What comes of the evening")
        self.steps = Notice("What one step of a leg buys")
        self.plot = ChargePlot()
        self.plot.setMinimumHeight(PICTURE_PX)
        self.plot.leg_moved.connect(lambda leg, minutes: self._change(leg, "minutes", minutes))
        self.plot.reserve_moved.connect(lambda share: self._set(reserve=round(share, 2)))
        self.charge = NumberField("Charge now", "%", 1, 100, 5)
        self.reserve = NumberField("Charge to be left", "%", 0, 100, 5)
        self.charge.valueChanged.connect(lambda value: self._set(charge=value / 100.0))
        self.reserve.valueChanged.connect(lambda value: self._set(reserve=value / 100.0))
        self.add = button("Add a leg", "main")
        self.remove, self.up, self.down = button("Remove it"), button("Earlier"), button("Later")
        self.card = button("Write a card …", tip="What to set on each leg, on one page to take along (PDF or web page)")
        for one, act in ((self.add, self.add_leg), (self.remove, self.remove_leg), (self.card, self._on_card),
                         (self.up, lambda: self._move(-1)), (self.down, lambda: self._move(1))):  # fmt: skip
            one.clicked.connect(lambda _on, run=act: run())
        self.table = self._made_table()
        chosen = QWidget()
        flow = FlowLayout(chosen)
        flow.setContentsMargins(0, 0, 0, 2)
        for text, field in (("charge now", self.charge), ("leave", self.reserve)):
            flow.addWidget(label(text, "soft"))
            flow.addWidget(field)
        for one in (self.add, self.remove, self.up, self.down, self.card):
            flow.addWidget(one)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(chosen)
        column.addWidget(self.words)
        column.addWidget(self.plot, 3)
        column.addWidget(self.table, 2)
        column.addWidget(self.steps)

    def _made_table(self) -> QTableWidget:
        table = plain_table("Legs of the evening", HEADINGS, 4, TIPS)
        table.setMinimumHeight(4 * TARGET_PX)
        if (rows := table.verticalHeader()) is not None:
            rows.setDefaultSectionSize(TARGET_PX + 4)
        return table

    # -- edits

    def _set(self, **changes: Any) -> None:
        evening = self._session.evening
        edited = replace(evening, **changes)
        if edited != evening:
            set_evening(self._session, edited, next(iter(changes)))

    def _change(self, leg: int, field: str, value: Any) -> None:
        evening = self._session.evening
        if leg >= len(evening.legs):
            return
        try:
            own = replace(evening.legs[leg], **{field: value})
        except HovrikError as fault:
            self.words.say(str(fault), "warn")
            return
        if own != evening.legs[leg]:
            legs = (*evening.legs[:leg], own, *evening.legs[leg + 1 :])
            set_evening(self._session, replace(evening, legs=legs), f"{field} {leg}")

    def add_leg(self) -> None:
        """One more at the end: the title of the question, else a film."""
        evening, question = self._session.evening, self._session.question
        what = question.title if question is not None else FILM
        set_evening(self._session, replace(evening, legs=(*evening.legs, Leg(what, USUAL_MIN))))
        self.table.setCurrentCell(len(evening.legs), 4)

    def remove_leg(self) -> None:
        """Take the chosen leg out."""
        evening, row = self._session.evening, self.table.currentRow()
        if 0 <= row < len(evening.legs):
            set_evening(self._session, replace(evening, legs=(*evening.legs[:row], *evening.legs[row + 1 :])))

    def _move(self, by: int) -> None:
        evening, row = self._session.evening, self.table.currentRow()
        if 0 <= row < len(evening.legs) and 0 <= row + by < len(evening.legs):
            legs = list(evening.legs)
            legs.insert(row + by, legs.pop(row))
            set_evening(self._session, replace(evening, legs=tuple(legs)))
            self.table.setCurrentCell(row + by, 4)

    # -- what comes of it

    def refresh(self, *, anew: bool = True) -> None:
        """Show the evening; anew : what was measured may have changed."""
        session, evening = self._session, self._session.evening
        self._show_fields(evening)
        question = session.question
        if question is None:
            self.words.say("Note a rig and a title first.")
            return
        titles = titles_of(evening)
        asked = (question.rig, question.slot, question.school, question.target_fps, tuple(titles))
        means = self.means if self.means is not None and not anew and asked == self._asked else None
        self._asked = asked
        notebook = session.notebook

        def work(wanted: Wanted) -> tuple[Journey, Means, JourneyEnd | None]:
            if means is not None:
                return evening, means, ahead(evening, means)
            with notebook.sibling() as own:
                found = means_of(own, question, titles, wanted=wanted)
            return evening, found, ahead(evening, found)

        self._worker.ask(work)

    def _on_found(self, found: tuple[Journey, Means, JourneyEnd | None]) -> None:
        evening, self.means, self.outcome = found
        if evening != self._session.evening:  # edited since; the newer one is under way
            return
        why = self.means.why_not(evening)
        said = said_of(evening, self.outcome, self._names(evening)) if self.outcome is not None else []
        texts = [*([why] if why else []), *(words.render(one) for one in said)]
        good = not why and self.outcome is not None and self.outcome.chance >= 0.9 and not self.outcome.unplayed
        self.words.say(" ".join(texts) or "Add the legs of the evening: what is played, and for how long.",
                       "good" if good and evening.legs else "warn" if evening.legs else "soft")  # fmt: skip
        self._show_ways(evening)
        self.plot.show_evening(evening, self.outcome, self._names(evening))
        self._show_steps(evening)

    def _names(self, evening: Journey) -> list[str]:
        known = self.means.names if self.means is not None else {}
        return [NO_TITLES.get(leg.what) or known.get(leg.what, leg.what) for leg in evening.legs]

    def _ways(self, leg: Leg) -> tuple[Way, ...]:
        return ways_of(leg, self.means.ways if self.means is not None else {})

    def _show_fields(self, evening: Journey) -> None:
        self.charge.show_value(100.0 * evening.charge)
        self.reserve.show_value(100.0 * evening.reserve)
        may = not self._session.notebook.read_only
        allow(self.add, may and len(evening.legs) < MOST_LEGS, self.charge)
        for one in (self.remove, self.up, self.down):
            allow(one, may and bool(evening.legs), self.add)
        allow(self.card, bool(evening.legs), self.add)
        if self.table.rowCount() != len(evening.legs):
            self._make_rows(len(evening.legs))
        titles = [(key, str(one.body.get("name", key))) for key, one in self._session.newest("title").items()]
        offered = [*titles, *NO_TITLES.items()]
        for row, leg in enumerate(evening.legs):
            what, minutes, must, charger = (self.table.cellWidget(row, at) for at in range(4))
            if isinstance(what, Choice):
                what.offer(offered if any(leg.what == key for key, _ in offered) else [*offered, (leg.what, leg.what)])
                what.show_key(leg.what)
            if isinstance(minutes, NumberField):
                minutes.show_value(leg.minutes)
            if isinstance(charger, NumberField):
                charger.show_value(leg.charger_w)
            if isinstance(must, QCheckBox):
                blocked = must.blockSignals(True)
                must.setChecked(leg.must)
                must.blockSignals(blocked)

    def _make_rows(self, count: int) -> None:
        chosen = self.table.currentRow()
        self.table.setRowCount(0)
        self.table.setRowCount(count)
        for row in range(count):
            what = Choice(f"What is played on leg {row + 1}")
            minutes = NumberField(f"Minutes of leg {row + 1}", "", 1, 1440, 15)
            must = QCheckBox()
            must.setAccessibleName(f"Leg {row + 1} has to be played")
            charger = NumberField(f"Charger on leg {row + 1}", "", 0, 500, 5, 0)
            charger.setSpecialValueText("none")
            what.currentIndexChanged.connect(lambda _at, row=row, what=what: self._change(row, "what", what.key()))
            minutes.valueChanged.connect(lambda value, row=row: self._change(row, "minutes", value))
            must.toggled.connect(lambda on, row=row: self._change(row, "must", on))
            charger.valueChanged.connect(lambda value, row=row: self._change(row, "charger_w", value))
            for column, widget in enumerate((what, minutes, must, charger)):
                self.table.setCellWidget(row, column, widget)
            for column in (4, 5):
                self.table.setItem(row, column, QTableWidgetItem(""))
        if 0 <= chosen < count:
            self.table.setCurrentCell(chosen, 4)
        self.table.resizeColumnsToContents()

    def _show_ways(self, evening: Journey) -> None:
        for row, leg in enumerate(evening.legs):
            texts = ("", "")
            if self.outcome is not None:
                texts = self.row_words(leg, row)
            for column, text in zip((4, 5), texts):
                if (item := self.table.item(row, column)) is not None:
                    item.setText(text)
                    item.setToolTip(text)

    def row_words(self, leg: Leg, row: int) -> tuple[str, str]:
        """What a leg is played with, and the charge after it."""
        if self.outcome is None:
            return "", ""
        pick = self.outcome.picks[row]
        low, middle, high = (100.0 * float(ends[row + 1]) for ends in self.outcome.line)
        after = f"{max(middle, 0):.0f} % ({max(low, 0):.0f} to {max(high, 0):.0f})"
        if pick is None:
            return "not played", after
        way = self._ways(leg)[pick]
        if not leg.is_title:
            return f"{way.draw_w:.1f} W, {'typed' if leg.watts else 'usual, not measured'}", after
        return f"{way.words}: {way.worth:.0f} fps, {way.draw_w:.1f} W", after

    def _show_steps(self, evening: Journey) -> None:
        said = []
        for step in self.outcome.steps if self.outcome is not None else ():
            way = self._ways(evening.legs[step.leg])[step.way]
            gain = f"{step.gain:+.0f} fps" if abs(step.gain) >= 0.5 else "no fewer frames"
            said.append(f"leg {step.leg + 1} with {way.words}: {gain}, {words.percent(step.chance)}")
        self.steps.say(f"One step otherwise, and the chance then: {'; '.join(said)}." if said else "")

    # -- to take along

    def _on_card(self) -> None:
        path = ask_save(self, "export", "Card", "evening", "PDF (*.pdf);;Web page (*.html)", ".pdf")
        if path is not None:
            self.card_to(path)

    def card_to(self, path: Path) -> None:
        """Write the card as a PDF, or as HTML where the name says so."""
        from ..printing import write_page  # loads what the first paint does not need

        write_or_ask(
            self, lambda force: write_page(path, self.document(), force=force),
            lambda text: self.words.say(text, "warn"),
        )  # fmt: skip

    def document(self) -> str:
        """The evening as one HTML page."""
        evening = self._session.evening
        rows: list[Sequence[str]] = []
        for row, (leg, name) in enumerate(zip(evening.legs, self._names(evening))):
            way, after = self.row_words(leg, row)
            charger = f"{leg.charger_w:.0f} W" if leg.charger_w else "–"
            rows.append((name, words.hours_minutes(leg.minutes / 60.0), charger, way, after))
        return evening_card(self._session.name("rig", self._session.question.rig) if self._session.question else "",
                            self.words.text(), rows)  # fmt: skip
