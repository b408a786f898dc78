"""Two sets of passes side by side: chosen, whether they may be compared, every figure with its verdict."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...core import degrees, words
from ...core.facts.factor import set_by
from ...core.facts.knob import LIMITS, inside, named
from ...core.facts.setup import describe
from ...core.facts.terms import NOTHING
from ...core.passes.figure import floor_figure
from ...core.read.contrast import Outcome
from ...core.read.group import Counted, Group
from ...core.read.response import Response
from ...core.read.sheet import NEUTRAL, Line, Sheet, compared, keys_of
from ...core.stats.estimate import Estimate
from ...service.planning import of_kind, with_part
from ..commands import set_question
from ..session import Session
from .fields import Choice, Notice, allow, button, label
from .flow import FlowLayout

HEADINGS = ("Figure", "A", "B", "A less B", "Verdict", "To decide")
TIPS = (
    "What counts most first", "Mean of its passes", "Mean of its passes", "95 % interval; percentages are of B",
    "Better or worse: of A. The first figure at the full level, the others by Holm's rule",
    "Further passes a side after which it would be decided in four of five futures",
)  # fmt: skip
MOST = 60  # sets that can be chosen among
CHOICE_PX = 300


class ComparePage(QWidget):
    """The page. planned : called once the passes that are missing were put to Plan."""

    def __init__(self, session: Session, planned: Callable[[], None]) -> None:
        super().__init__()
        self._session, self._planned = session, planned
        self._sets: list[tuple[Response, Group]] = []
        self.sheet: Sheet | None = None
        self.a, self.b = Choice("Side A"), Choice("Side B")
        self.asked = Choice("What is asked about")
        self.fair = Notice("Whether it is fair")
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setAccessibleName("Side by side")
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        for column, tip in enumerate(TIPS):
            if (item := self.table.horizontalHeaderItem(column)) is not None:
                item.setToolTip(tip)
        rows, columns = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None and columns is not None:
            rows.hide()
            for column in range(len(HEADINGS)):
                wide = column in (0, 3)
                mode = QHeaderView.ResizeMode.Stretch if wide else QHeaderView.ResizeMode.ResizeToContents
                columns.setSectionResizeMode(column, mode)
        self.settle = button("Plan the passes that settle it", tip="Both levels at otherwise equal setups, in rounds")
        self.settle.clicked.connect(self._on_settle)
        chosen = QWidget()
        row = FlowLayout(chosen)
        row.setContentsMargins(0, 0, 0, 2)
        for name, field in (("A", self.a), ("B", self.b), ("about", self.asked)):
            field.setMaximumWidth(CHOICE_PX)
            row.addWidget(label(name))
            row.addWidget(field)
        row.addWidget(self.settle)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(chosen)
        column.addWidget(self.fair)
        column.addWidget(self.table, 1)
        for field in (self.a, self.b):
            field.currentIndexChanged.connect(lambda _at: self._compare(anew=True))
        self.asked.currentIndexChanged.connect(lambda _at: self._compare())

    def refresh(self) -> None:
        """Offer the sets of the newest evaluation; what was chosen stays, else the answer's and its neighbour."""
        found = self._session.evaluation
        before = self.a.currentText(), self.b.currentText()
        pairs = [(one, group) for one in (found.responses if found else ()) for group in one.groups]
        self._sets = pairs[:MOST]
        texts = [_words(response, group) for response, group in self._sets]
        entries = [(str(at), text) for at, text in enumerate(texts)]
        self.a.offer(entries)
        self.b.offer(entries)
        at = [texts.index(text) if text in texts else None for text in before]
        option = found.answer.option if found is not None else None
        own = next((n for n, (_, g) in enumerate(self._sets) if option and g.setup == option.setup), 0)
        first = at[0] if at[0] is not None else own
        other = at[1] if at[1] is not None else (first + 1 if first + 1 < len(texts) else max(first - 1, 0))
        self.a.show_key(str(first))
        self.b.show_key(str(other))
        self._compare(anew=before == ("", ""))

    def _passes(self, choice: Choice) -> list[Counted]:
        found = self._session.evaluation
        key = choice.key()
        if found is None or not key or int(key) >= len(self._sets):
            return []
        ids = set(self._sets[int(key)][1].passes)
        return [view.counted for view in found.views if view.record.id in ids]

    def _compare(self, *, anew: bool = False) -> None:
        """Show the sheet of what is chosen. anew : other sets, so that what is asked about is offered anew."""
        question = self._session.question
        a, b = self._passes(self.a), self._passes(self.b)
        self.sheet = None
        allow(self.settle, False, self.a)
        if question is None or not a or not b or self.a.key() == self.b.key():
            self.table.setRowCount(0)
            self.fair.say("Choose two sets of passes." if question is not None and self._sets else "No passes yet.")
            return
        knobs = named(self._session.knobs)
        floor = question.terms.floor
        main = floor_figure(floor.figure, question.school) if floor and floor.figure != NOTHING else None
        plain = compared(a, b, school=question.school, knobs=knobs)
        keys = keys_of(plain.differs)
        if anew or self.asked.count() != len(keys) + 1:
            kept = self.asked.key()
            labels = {one.key: inside(one.label) for one in plain.differs}
            told = [(key, "power limit" if key in LIMITS else labels[key]) for key in keys]
            self.asked.offer([("", "nothing yet" if len(keys) > 1 else "what differs"), *told])
            self.asked.show_key(kept if kept in keys else "")
        sheet = compared(
            a, b, asked=self.asked.key(), school=question.school, margins=question.terms.margins, knobs=knobs,
            main=main.id if main is not None else "",
        )  # fmt: skip
        self.sheet = sheet
        self.fair.say(*fairness(sheet))
        allow(self.settle, bool(self.asked.key() or len(keys) == 1) and bool(keys), self.a)
        self.table.setRowCount(len(sheet.lines))
        for place, line in enumerate(sheet.lines):
            for column, text in enumerate(cells(line)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if 0 < column < 4:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(place, column, item)

    def _on_settle(self) -> None:
        """Ask whether what is asked about pays, around side A, at the levels of both sides."""
        question, a, b = self._session.question, self._passes(self.a), self._passes(self.b)
        if question is None or not a or not b or self.sheet is None:
            return
        key = self.asked.key() or keys_of(self.sheet.differs)[0]
        if key == "slot":
            asked = with_part(of_kind(question, "which-os"), recipe=self._recipe(a[0], ()))
        else:
            over = "limit_w" if key in LIMITS else key
            own = set_by(over)
            levels = [side.point.setup[own[0]] for side in (a[0], b[0]) if own[0] in side.point.setup]
            if len(levels) < 2:
                self.fair.say("No program sets what is asked about: measure it by hand, all else equal.", "warn")
                return
            asked = with_part(
                of_kind(question, "knob"), over=over, levels={over: levels}, recipe=self._recipe(a[0], own)
            )
        set_question(self._session, asked)
        self._planned()

    def _recipe(self, one: Counted, without: tuple[str, ...]) -> dict[str, object] | None:
        offered = named(self._session.knobs)
        return {k: v for k, v in one.asked.items() if k in offered and k not in without} or None


def fairness(sheet: Sheet) -> tuple[str, str]:
    """What is said of a comparison, and of which kind: good or warn."""
    never = " ".join(f"{words.render(one)}." for one in sheet.withheld)
    unknown = f" One side does not tell: {', '.join(map(inside, sheet.unknown))}." if sheet.unknown else ""
    if sheet.is_fair:
        what = f"Fair: nothing differs but {inside(sheet.asked)}." if sheet.differs else "Nothing differs."
        return f"{what}{unknown} {never}".strip(), "good" if not never else "warn"
    others, verb = ", ".join(map(inside, sheet.beside)), "differs" if len(sheet.beside) == 1 else "differ"
    asked = f" beside {inside(sheet.asked)}" if sheet.asked else ""
    settle = "".join(f" A pass at {describe(one)} would tell them apart." for one in sheet.settle[:1])
    return f"Confounded: {others} {verb}{asked}.{settle}{unknown} {never}".strip(), "warn"


def cells(line: Line) -> tuple[str, ...]:
    """The words of a row."""
    figure, found = line.figure, line.found
    if found.percent is not None:
        low, high = sorted(found.percent[1:])
        differs = f"{_signed(found.percent[0])} % ({_signed(low)} to {_signed(high)})"
    else:
        rise = degrees.shown_rise if figure.unit == "C" else float
        differs = f"{_signed(rise(found.difference))} ({_signed(rise(found.low))} to {_signed(rise(found.high))})"
    is_open = found.verdict is Outcome.UNDECIDED
    more = "–" if not is_open else "over 60" if line.more is None else f"{line.more} more each"
    sides = (_shown(one, figure.unit, figure.digits) for one in (line.a, line.b))
    unit = degrees.unit() if figure.unit == "C" else figure.unit
    verdict = found.verdict.value
    if figure.id in NEUTRAL and found.verdict in (Outcome.BETTER, Outcome.WORSE):
        verdict = "higher" if found.difference > 0 else "lower"
    return f"{figure.label}, {unit}", *sides, differs, "cannot tell yet" if is_open else verdict, more


def _signed(number: float) -> str:
    """With its sign; nothing is no less than nothing."""
    return f"{round(number, 1) + 0.0:+.1f}"


def _shown(one: Estimate, unit: str, digits: int) -> str:
    value = degrees.shown(one.value) if unit == "C" else one.value
    return f"{value:.{digits}f}  ({one.n})"


def _words(response: Response, group: Group) -> str:
    apart = f" [{', '.join(response.apart)}]" if response.apart else ""
    level = "" if response.factor.knobs else f"{response.factor.words(group.level)}: "
    return f"{level}{describe(group.setup)}{apart}"
