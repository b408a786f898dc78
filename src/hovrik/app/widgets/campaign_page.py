"""A campaign: one question put to several titles and OS slots with nobody beside, and the table that comes of it."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import words
from ...core.errors import HovrikError
from ...core.kinds.table import IN_CAMPAIGN, KINDS
from ...core.plan.campaign import Campaign, Cell, State
from ...service import campaigns
from ..commands import set_campaign, set_question
from ..session import Session
from ..theme.tokens import TARGET_PX
from .fields import Choice, Notice, allow, button, label
from .flow import FlowLayout
from .plain_table import plain_table

HEADINGS = ("Title", "OS slot", "To gain", "With, or how far")
TITLES_PX = 170
WHERE = {"": "this OS slot", "all": "every OS slot", "rigs": "every OS slot of every rig"}


class CampaignPage(QWidget):
    """Signals: start_asked; asked (a cell is to be looked at in Read)."""

    start_asked = pyqtSignal()
    asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.is_on = False
        self._rows: list[int] = []
        kinds = [(key, KINDS[key].words) for key in IN_CAMPAIGN]
        self.kind = Choice("What is asked of every title", kinds)
        self.slots = Choice("In which OS slots", list(WHERE.items()))
        self.displays = Choice("On which displays", [("", "the display in use"), ("all", "every display")])
        self.titles = QListWidget()
        self.titles.setAccessibleName("Titles of the campaign")
        self.titles.setFixedHeight(TITLES_PX)
        self.make = button("Make the campaign", tip="A cell for each title in each OS slot; the former one is replaced")
        self.start = button("Start it", "main", "Cell after cell, with nobody beside; stop it with F8 and go on later")
        self.again = button("Try failed ones again")
        self.make.clicked.connect(lambda _on: self.make_it())
        self.start.clicked.connect(self.start_asked)
        self.again.clicked.connect(lambda _on: self._again())
        self.words = Notice("How far the campaign is")
        self.table = self._made_table()
        row = QWidget()
        flow = FlowLayout(row)
        flow.setContentsMargins(0, 0, 0, 2)
        for widget in (label("ask each to", "soft"), self.kind, label("in", "soft"), self.slots,
                       label("on", "soft"), self.displays, self.make, self.start,
                       self.again):  # fmt: skip
            flow.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.titles)
        column.addWidget(row)
        column.addWidget(self.words)
        column.addWidget(self.table, 1)

    def _made_table(self) -> QTableWidget:
        table = plain_table("Cells of the campaign", HEADINGS, 3)
        table.setMinimumHeight(4 * TARGET_PX)
        table.itemActivated.connect(lambda item: self._on_cell(item.row()))
        return table

    @property
    def chosen(self) -> list[str]:
        """Keys of the titles that are ticked."""
        items = [self.titles.item(at) for at in range(self.titles.count())]
        return [
            str(item.data(Qt.ItemDataRole.UserRole)) for item in items
            if item is not None and item.checkState() is Qt.CheckState.Checked
        ]  # fmt: skip

    def make_it(self) -> None:
        """Make the campaign of what is chosen, undoable."""
        session = self._session
        question, rig = session.question, session.rig
        if question is None or rig is None:
            return
        slots = [one.key for one in rig.slots] if self.slots.key() else [question.slot]
        gone = session.archived
        rigs = [key for key in session.newest("rig") if f"rig/{key}" not in gone] if self.slots.key() == "rigs" else []
        try:
            made = campaigns.made(
                session.notebook, question, self.kind.key(), self.chosen, slots, rigs,
                displays=self.displays.key() == "all",
            )  # fmt: skip
        except HovrikError as fault:
            self.words.say(str(fault), "warn")
            return
        set_campaign(session, made)

    def _again(self) -> None:
        set_campaign(self._session, campaigns.reopened(self._session.campaign))

    def refresh(self) -> None:
        """Show the campaign of the notebook."""
        session, campaign = self._session, self._session.campaign
        self._offer_titles(campaign)
        may = not session.notebook.read_only and session.question is not None and not self.is_on
        left = sum(cell.state.is_left for cell in campaign.cells)
        failed = sum(cell.state is State.FAILED for cell in campaign.cells)
        allow(self.make, may, self.titles)
        allow(self.start, may and left > 0, self.titles)
        allow(self.again, may and failed > 0, self.titles)
        begun = any(cell.state is State.BEGUN or cell.plan_id for cell in campaign.cells)
        self.start.setText("Go on with it" if begun else "Start it")
        self.words.say(self._said(campaign, left, failed), "soft")
        self._rows = _ordered(campaign)
        names = {kind: self._names(kind) for kind in ("title", "slot", "rig")}
        self.table.setRowCount(len(self._rows))
        for row, at in enumerate(self._rows):
            cell = campaign.cells[at]
            gain = f"{cell.gain:.0f} min" if cell.gain is not None else "–"
            rig = campaign.rig_of(cell)
            slot = names["slot"].get(f"{rig}/{cell.slot}", cell.slot)
            slot = " · ".join(filter(None, (names["rig"].get(rig, rig) if cell.rig else "", slot, cell.display)))
            how = cell.setup or (cell.said if cell.said and cell.state is not State.BEGUN else cell.state.value)
            for column, text in enumerate((names["title"].get(cell.title, cell.title), slot, gain, how)):
                item = QTableWidgetItem(text)
                item.setToolTip(cell.said or cell.state.value)
                if column == 2:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)

    def _said(self, campaign: Campaign, left: int, failed: int) -> str:
        if not campaign.cells:
            return "No campaign yet: tick titles, choose what to ask of each, and make it."
        done = sum(cell.state is State.DONE for cell in campaign.cells)
        no = sum(cell.state is State.IMPOSSIBLE for cell in campaign.cells)
        slots = len({(cell.rig, cell.slot) for cell in campaign.cells if cell.state.is_left})
        beside = f" It restarts {words.plural(slots - 1, 'time', 'times')}." if slots > 1 else ""
        return (
            f"{words.plural(len(campaign.cells), 'cell', 'cells')}: {done} done, {left} open, {failed} failed, "
            f"{no} impossible.{beside} Return shows a cell in Read."
        )

    def _names(self, kind: str) -> dict[str, str]:
        return {key: str(one.body.get("name", key)) for key, one in self._session.newest(kind).items()}

    def _offer_titles(self, campaign: Campaign) -> None:
        names = self._names("title")
        if [self._key(at) for at in range(self.titles.count())] == list(names):
            return
        ticked = {cell.title for cell in campaign.cells} or set(names)
        self.titles.clear()
        for key, name in names.items():
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, key)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setSizeHint(QSize(0, TARGET_PX))
            item.setCheckState(Qt.CheckState.Checked if key in ticked else Qt.CheckState.Unchecked)
            self.titles.addItem(item)

    def _key(self, at: int) -> str:
        item = self.titles.item(at)
        return str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""

    def _on_cell(self, row: int) -> None:
        if 0 <= row < len(self._rows):
            try:
                asked = campaigns.asked(self._session.campaign, self._rows[row])
            except HovrikError as fault:
                self.words.say(str(fault), "warn")
                return
            set_question(self._session, asked)
            self.asked.emit()


def _ordered(campaign: Campaign) -> list[int]:
    """Cells with most to be gained first, then what is done, open, failed, impossible."""
    order = (State.DONE, State.BEGUN, State.OPEN, State.FAILED, State.IMPOSSIBLE)

    def rank(at: int) -> tuple[bool, float, int, int]:
        cell: Cell = campaign.cells[at]
        return (cell.gain is None, -(cell.gain or 0.0), order.index(cell.state), at)

    return sorted(range(len(campaign.cells)), key=rank)
