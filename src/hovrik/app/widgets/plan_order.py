"""The passes of a plan in their order: moved, dropped, repeated, fitted into the time there is."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QListWidget, QVBoxLayout, QWidget

from ...core.errors import PlanError
from ...core.facts.setup import Setup
from ...core.plan.edited import Order
from ...core.plan.rehearsal import rehearsed
from ...core.plan.schedule import charge_window, expected_wh
from ...core.plan.trim import trimmed
from ...core.words import plural
from ...service.incidents import incidents_at
from ..commands import set_order
from ..session import Session
from .fields import Choice, NumberField, button, label
from .flow import FlowLayout


class PlanOrder(QWidget):
    """The list with its buttons. say : told how an edit went."""

    def __init__(self, session: Session, say: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._say = session, say
        self.order = QListWidget()
        self.order.setAccessibleName("Order of passes")
        self.order.setMinimumHeight(180)
        self.order.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.order.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)  # long setups end in an ellipsis
        model = self.order.model()
        if model is not None:
            model.rowsMoved.connect(self._on_dragged)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(label("Order of passes", "heading"))
        column.addWidget(self.order, 1)
        column.addWidget(self._edits())

    def _edits(self) -> QWidget:
        """Buttons that change the order, each with a key of its own."""
        holder = QWidget()
        flow = FlowLayout(holder, line_gap=4)
        self.edits = {}
        for key, words, keys, act, tip in (
            ("earlier", "Earlier", "Alt+Up", lambda: self._move(-1), "Make this pass earlier"),
            ("later", "Later", "Alt+Down", lambda: self._move(1), "Make this pass later"),
            ("drop", "Drop", "Del", self._drop, "Leave this pass out"),
            ("repeat", "Repeat", "Ctrl+D", self._repeat, "Make this pass once more, right after it"),
            ("controls", "Controls", "Ctrl+K", self._controls,
             "A pass of the middle setup at start, middle and end: a drift of machine or room shows in them"),
            ("pin", "Pin", "Ctrl+L", self._pin,
             "Keep this pass where it stands: others move round it, and it is never dropped to save time"),
            ("as_was", "As designed", "Ctrl+0", lambda: self._edit(Order(), "order as designed"),
             "The order of the design"),
            ("rehearse", "Rehearse", "Ctrl+R", self._rehearse,
             "Go through the plan dry: what is in its way, and what it asks of you"),
            ("fit", "Fit into …", "Ctrl+M", self._fit, "Drop the passes that are missed least until it fits"),
        ):  # fmt: skip
            made = button(words, tip=f"{tip} ({keys})")
            made.clicked.connect(act)
            action = QAction(words, self.order)
            action.setShortcut(keys)
            action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            action.triggered.connect(act)
            self.order.addAction(action)
            self.edits[key] = made
            flow.addWidget(made)
        self.minutes = NumberField("Minutes there are", "min", 5, 6000, 5)
        self.minutes.show_value(45)
        flow.addWidget(self.minutes)
        self.by = Choice("What it has to fit into", [("minutes", "minutes"), ("charge", "one charge")])
        self.by.currentIndexChanged.connect(lambda _at: self.minutes.setEnabled(self.by.key() == "minutes"))
        flow.addWidget(self.by)
        return holder

    def _order(self) -> Order:
        """The order shown."""
        return self._session.order or Order(tuple(range(self.order.count())))

    def _edit(self, order: Order, what: str, row: int | None = None) -> None:
        if order != self._session.order:
            set_order(self._session, order, what)
        if row is not None:
            self.order.setCurrentRow(row)

    def _move(self, by: int) -> None:
        """Past pinned passes to the next place that is free."""
        row, order, count = self.order.currentRow(), self._order(), self.order.count()
        to = row + by
        while 0 <= to < count and to in order.pinned:
            to += by
        if row >= 0 and 0 <= to < count:
            self.move_to(row, to)

    def _drop(self) -> None:
        row, order = self.order.currentRow(), self._order()
        count = len(order.places)
        if row >= 0 and count > 1:
            left = [at for at in range(count) if at != row]
            self._edit(order.kept(left), "drop a pass", min(row, count - 2))

    def _repeat(self) -> None:
        row = self.order.currentRow()
        if row >= 0:
            self._edit(self._order().repeated(row), "repeat a pass", row + 1)

    def _controls(self) -> None:
        if self.order.count():
            self._edit(self._order().with_controls(), "set controls")

    def _pin(self) -> None:
        row, order = self.order.currentRow(), self._order()
        if row >= 0:
            self._edit(order.toggled(row), "let a pass go" if row in order.pinned else "pin a pass", row)

    def _rehearse(self) -> None:
        """Say what is in the way of the plan, and what it asks of a person."""
        session, question = self._session, self._session.question
        if session.rig is None or question is None:
            self._say("There is no plan yet: choose a rig and a title.")
            return
        try:
            passes, is_all = session.planned_passes()
        except PlanError as fault:
            self._say(str(fault))
            return
        found = rehearsed(
            passes, session.rig, session.knobs, question.slot, session.overhead, charge=session.machine_seen.charge,
            now=session.now,
            incidents=[one.setup for one in incidents_at(session.notebook, question)],
        )  # fmt: skip
        self._say(found.words if is_all else f"{found.words} More passes follow by what these find.")

    def _fit(self) -> None:
        """Drop what is missed least until it takes no longer than there is."""
        try:
            passes, _ = self._session.planned_passes()
        except PlanError:
            return
        chances: dict[Setup, float] = {}
        if self._session.evaluation is not None:
            for response in self._session.evaluation.responses:
                chances |= {group.setup: group.holds for group in response.groups if group.holds is not None}
        rig, overhead = self._session.rig, self._session.overhead
        chance = lambda one: chances.get(one.setup)  # noqa: E731
        if self.by.key() == "charge":
            if rig is None or rig.full_charge_wh is None:
                self._say("The battery's energy is not known: note it in Rig.")
                return
            low, high = charge_window(rig)
            now = self._session.machine_seen.charge
            there_is = max(min(now if now is not None else high, high) - low, 0.0) * rig.full_charge_wh
            found = trimmed(passes, there_is, chance, lambda one: expected_wh(one, overhead))
        else:
            found = trimmed(passes, self.minutes.value(), chance)
        if not found.dropped:
            self._say("Nothing was dropped: what is left is pinned." if found.over else "The plan fits as it is.")
            return
        self._edit(self._order().kept(found.kept), "fit into the time there is")  # clears what was said
        gone = f", {plural(found.gone, 'setup')} altogether" if found.gone else ""
        self._say(
            f"{plural(len(found.dropped), 'pass', 'passes')} dropped{gone}; {plural(found.once, 'setup')} left with "
            f"one pass. It takes {found.minutes:.0f} min{'' if self.by.key() == 'charge' else ' and recharges'}."
        )

    def move_to(self, at: int, to: int) -> None:
        """Take a pass to another place."""
        order = self._order()
        if at in order.pinned:
            self._say("This pass is pinned. Let it go first (Ctrl+L).")
        if at != to:
            self._edit(order.moved(at, to), "move a pass", to)

    def _on_dragged(self, _from: object, first: int, _last: int, _to: object, row: int) -> None:
        to = row if row < first else row - 1
        QTimer.singleShot(0, lambda: self._dragged(first, to))

    def _dragged(self, first: int, to: int) -> None:
        self.move_to(first, to)
        self._session.design_changed.emit()  # a list that was dragged past what is pinned shows the order again
