"""Two sets of passes side by side: chosen, whether they may be compared, every figure with its verdict."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core import degrees, words
from ...core.facts.factor import set_by
from ...core.facts.knob import LIMITS, inside, named
from ...core.facts.setup import describe
from ...core.facts.terms import NOTHING
from ...core.passes.figure import floor_figure
from ...core.passes.record import End
from ...core.read.contrast import Comparison, margin_of
from ...core.read.group import Counted, Group
from ...core.read.response import Response
from ...core.read.sheet import NEUTRAL, Line, Sheet, Tries, beside_figures, compared, keys_of, of_slots
from ...core.stats.estimate import Estimate
from ...service.planning import of_kind, with_part
from ...store.files.write.comparison import comparison
from ..commands import set_question
from ..file_names import ask_save, write_or_ask
from ..plots.difference_plot import DifferencePlot, rows_of
from ..session import Session
from .fields import Choice, Notice, allow, button, label
from .flow import FlowLayout
from .stack import Stack
from .titles_page import TitlesPage

HEADINGS = ("Figure", "A", "B", "A less B", "Verdict", "To decide")
TIPS = (
    "What counts most first", "Mean of its passes", "Mean of its passes", "95 % interval; percentages are of B",
    "Better or worse: of A. The first figure at the full level, the others by Holm's rule",
    "Further passes a side after which it would be decided in four of five futures",
)  # fmt: skip
TABLE_PX, PICTURE_PX = 130, 240  # least heights: where there is less room the page scrolls
MOST = 60  # sets that can be chosen among
CHOICE_PX = 300
WHAT = {"sets": "Two sets of passes", "slot": "OS slots, over all titles", "rig": "Rigs, over all titles"}
UNPRINTED = frozenset({"launch", "boot", "round", "planned_s", "day"})


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
        self.print = button("Print …", tip="This comparison as a PDF, or as a page of HTML")
        self.print.clicked.connect(self._on_print)
        self.picture = DifferencePlot()
        self.picture.setMinimumHeight(PICTURE_PX)
        chosen = QWidget()
        row = FlowLayout(chosen)
        row.setContentsMargins(0, 0, 0, 2)
        for name, field in (("A", self.a), ("B", self.b), ("about", self.asked)):
            field.setMaximumWidth(CHOICE_PX)
            row.addWidget(label(name))
            row.addWidget(field)
        row.addWidget(self.settle)
        row.addWidget(self.print)
        self.what = Choice("What is compared", list(WHAT.items()))
        self.titles = TitlesPage(session)
        sets = QWidget()
        self._stack = Stack()
        self._stack.addWidget(sets)
        self._stack.addWidget(self.titles)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addWidget(self.what)
        whole.addWidget(self._stack, 1)
        self.what.setMaximumWidth(CHOICE_PX)
        self.what.currentIndexChanged.connect(lambda _at: self._on_what())
        column = QVBoxLayout(sets)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(chosen)
        column.addWidget(self.fair)
        self.table.setMinimumHeight(TABLE_PX)
        both = QSplitter(Qt.Orientation.Vertical)
        both.setChildrenCollapsible(False)
        both.addWidget(self.table)
        both.addWidget(self.picture)
        both.setSizes([300, 240])
        column.addWidget(both, 1)
        for field in (self.a, self.b):
            field.currentIndexChanged.connect(lambda _at: self._compare(anew=True))
        self.asked.currentIndexChanged.connect(lambda _at: self._compare())

    def _on_what(self) -> None:
        key = self.what.key()
        self._stack.setCurrentIndex(int(key != "sets"))
        if key != "sets":
            self.titles.offer(key)

    def refresh(self) -> None:
        """Offer the sets of the newest evaluation; what was chosen stays, else the answer's and its neighbour."""
        found = self._session.evaluation
        before = self.a.currentText(), self.b.currentText()
        pairs = [(one, group) for one in (found.every if found else ()) for group in one.groups]
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

    def choose(self, a: tuple[str, ...], b: tuple[str, ...]) -> None:
        """Put two sets side by side, each by the ids of its passes; an empty one stays as it is chosen."""
        self.what.show_key("sets")
        self._on_what()
        for ids, choice in ((a, self.a), (b, self.b)):
            at = next((n for n, (_, group) in enumerate(self._sets) if ids and set(group.passes) == set(ids)), None)
            if at is not None:
                choice.show_key(str(at))
        self._compare(anew=True)

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
        for one in (self.settle, self.print):
            allow(one, False, self.a)
        if question is None or not a or not b or self.a.key() == self.b.key():
            self.table.setRowCount(0)
            self.picture.show_rows([], "Choose two sets of passes.")
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
            main=main.id if main is not None else "", tries=self._tries(), ladders=self._ladders(),
            rig=self._session.rig,
        )  # fmt: skip
        self.sheet = sheet
        said, kind = fairness(sheet)
        self.fair.say(" ".join([said, *self._also(sheet)]), kind)
        self.print.setEnabled(True)
        margins = question.terms.margins
        wide = [margins.get(line.figure.id, margin_of(line.figure)) for line in sheet.lines]
        self.picture.show_rows(rows_of(sheet.lines, wide, [cells(line)[3] for line in sheet.lines]))
        allow(self.settle, bool(self.asked.key() or len(keys) == 1) and bool(keys), self.a)
        self.table.setRowCount(len(sheet.lines))
        for place, line in enumerate(sheet.lines):
            for column, text in enumerate(cells(line)):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                if 0 < column < 4:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(place, column, item)

    def _group(self, choice: Choice) -> tuple[Response, Group] | None:
        key = choice.key()
        return self._sets[int(key)] if key and int(key) < len(self._sets) else None

    def _tries(self) -> tuple[Tries, Tries] | None:
        """How often each side was tried and failed: passes that ended so, and incidents noted at its setup."""
        found = self._session.evaluation
        sides = [self._group(choice) for choice in (self.a, self.b)]
        told = []
        for side in sides:
            if side is None or found is None:
                return None
            tried = [view for view in found.views if not view.deleted and view.record.setup == side[1].setup]
            failed = sum(view.record.outcome is End.FAILED for view in tried)
            told.append(Tries(failed + side[1].incidents, len(tried) + side[1].incidents))
        return (told[0], told[1]) if any(one.failed for one in told) else None

    def _ladders(self) -> tuple[list[Counted], list[Counted]] | None:
        """The passes of the responses that both sides are levels of, where these are two."""
        found, sides = self._session.evaluation, [self._group(choice) for choice in (self.a, self.b)]
        if found is None or sides[0] is None or sides[1] is None or sides[0][0] is sides[1][0]:
            return None
        ladders = []
        for side in sides:
            ids = {one for group in side[0].groups for one in group.passes} if side is not None else set()
            ladders.append([view.counted for view in found.views if view.record.id in ids])
        return ladders[0], ladders[1]

    def _also(self, sheet: Sheet) -> list[str]:
        """What decides beside the figures: how often a side failed, rates at equal watts, what a slot lacks."""
        said = beside_figures(sheet)
        rig, title = self._session.rig, self._session.title
        a, b = self._passes(self.a), self._passes(self.b)
        if rig is not None and a and b and "slot" in keys_of(sheet.differs):
            slots = {f"{rig.key}/{one.key}": one for one in rig.slots}
            own = [slots[side[0].point.place.slot] for side in (a, b) if side[0].point.place.slot in slots]
            said += of_slots(own, title.name if title is not None else "")
        return [words.sentence(words.render(one)) for one in said]

    def _on_print(self) -> None:
        path = ask_save(self, "export", "Comparison", "comparison", "PDF (*.pdf);;Web page (*.html)", ".pdf")
        if path is not None:
            self.print_to(path)

    def print_to(self, path: Path) -> None:
        """Write the comparison as a PDF, or as HTML where the name says so."""
        from ..printing import write_page  # loads what the first paint does not need

        write_or_ask(
            self, lambda force: write_page(path, self.document(), force=force), lambda text: self.fair.say(text, "warn")
        )

    def document(self) -> str:
        """The comparison as one HTML document."""
        sheet, session, question = self.sheet, self._session, self._session.question
        if sheet is None or question is None:
            return ""
        a, b = self._passes(self.a), self._passes(self.b)
        names = [session.name(kind, key) for kind, key in question.keys.items()]
        self.picture.catch_up()
        buffer = QBuffer()
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        self.picture.grab().save(buffer, "PNG")
        different = [(inside(one.label), str(one.one), str(one.other)) for one in sheet.differs]
        both = [(key, str(value), str(value)) for key, value in sorted(a[0].point.conditions.items())
                if b[0].point.conditions.get(key) == value and key not in UNPRINTED]  # fmt: skip
        return comparison(
            " · ".join([*names, question.source.value]), (self.a.currentText(), self.b.currentText()), (len(a), len(b)),
            [fairness(sheet)[0], *self._also(sheet)], [cells(line) for line in sheet.lines], [*different, *both],
            bytes(buffer.data().data()) if sheet.lines else b"",
        )  # fmt: skip

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
    never = " ".join(words.sentence(words.render(one)) for one in sheet.withheld)
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
    is_open = found.verdict is Comparison.UNDECIDED
    more = "–" if not is_open else "over 60" if line.more is None else f"{line.more} more each"
    sides = (_shown(one, figure.unit, figure.digits) for one in (line.a, line.b))
    unit = degrees.unit() if figure.unit == "C" else figure.unit
    verdict = found.verdict.value
    if figure.id in NEUTRAL and found.verdict in (Comparison.BETTER, Comparison.WORSE):
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
