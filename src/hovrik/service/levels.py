"""The table of levels: every level of what is asked about, in each slot and setup, with its figures, and what is not
known of it for want of a pass that counts, with the reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any, NamedTuple

from ..core import degrees, words
from ..core.errors import HovrikError
from ..core.facts.knob import Level
from ..core.facts.setup import describe
from ..core.message import Message
from ..core.passes.record import End
from ..core.questions.question import Question
from ..core.read.answer import hours_of
from ..core.read.group import Group
from ..core.read.marks import Mark, find, over_library
from ..core.read.response import level_of
from ..core.stats.estimate import Estimate
from ..store.files.write.table import csv_text, ends_of
from ..store.notebook import Notebook
from . import library
from .gather import Evaluation, PassView, evaluate
from .memory import Cancelled, Memory
from .planning import with_part

FIGURES = ("mean_fps", "judged", "draw_w", "hours", "die_c", "package_w")


@dataclass(frozen=True)
class LevelRow:
    """level, words : of the factor; shared : what else is set, in words; slot : name of the OS slot, "" several;
    passes : that count; figures : by name of FIGURES, those that are known; holds : chance that the floor is held;
    out : why passes do not count, with how many."""

    level: Level
    words: str
    shared: str
    slot: str
    passes: int
    figures: Mapping[str, Estimate]
    holds: float | None
    out: tuple[tuple[str, int], ...] = ()

    @property
    def tried(self) -> int:
        """Passes that count and those that do not."""
        return self.passes + sum(many for _, many in self.out)

    @property
    def out_words(self) -> str:
        """'did not start (3 of 3)'."""
        return "; ".join(f"{why} ({many} of {self.tried})" for why, many in self.out)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "level": self.level, "words": self.words, "setup": self.shared, "slot": self.slot, "passes": self.passes,
            "holds": self.holds, "figures": {name: one.as_dict() for name, one in self.figures.items()},
            "left_out": [{"why": why, "passes": many} for why, many in self.out],
        }  # fmt: skip


def level_rows(evaluation: Evaluation) -> list[LevelRow]:
    """A row a level of each response, levels without a pass that counts after those of the first."""
    factor, left = evaluation.factor, _left_out(evaluation)
    names = {slot.key: slot.name for slot in (evaluation.rig.slots if evaluation.rig is not None else ())}
    keys = {view.record.id: view.point.place.slot.rpartition("/")[2] for view in evaluation.views}
    slots = {name: names.get(key, key) for name, key in keys.items()}
    rows, taken = [], set()
    for response in evaluation.responses:
        shared = describe(response.family) if response.family else ""
        for group in response.groups:
            own = [one for one in left if one.view.record.id not in taken and factor.same(one.level, group.level)
                   and one.view.record.asked.has(group.setup)]  # fmt: skip
            taken |= {one.view.record.id for one in own}
            rows.append(LevelRow(
                group.level, factor.words(group.level), shared, _only(slots.get(one, "") for one in group.passes),
                len(group.passes), _figures(group, evaluation), group.holds, _counted(own),
            ))  # fmt: skip
    rest = [one for one in left if one.view.record.id not in taken]
    for level in factor.sorted(one.level for one in rest):
        own = [one for one in rest if factor.same(one.level, level)]
        slot = _only(slots[one.view.record.id] for one in own)
        rows.append(LevelRow(level, factor.words(level), "", slot, 0, {}, None, _counted(own)))
    return rows


@dataclass(frozen=True)
class LibraryRow:
    """A level of one title and scene in one OS slot: their names, and what is known of it."""

    title: str
    scene: str
    slot: str
    row: LevelRow

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"title": self.title, "scene": self.scene, **self.row.as_dict(), "slot": self.slot}


@dataclass(frozen=True)
class Library:
    """rows : levels of every title; says : from which watts on nothing of it gains any more."""

    rows: tuple[LibraryRow, ...]
    says: tuple[Message, ...]


def library_of(
    notebook: Notebook, question: Question, over: str = "", wanted: Callable[[], bool] = lambda: True,
    memory: Memory | None = None,
) -> Library:  # fmt: skip
    """The levels of every title and scene in every OS slot of the question's rig, whatever was held the same there.
    Raises Cancelled where it is no longer wanted."""
    memory = memory or Memory(notebook)
    rig = memory.places.newest_rig(question.rig)
    found: list[LibraryRow] = []
    ceilings: dict[str, list[Mark]] = {}
    anywhere = with_part(question, base=None, versions=None)
    for key, title in library.titles(notebook).items():
        for scene, slot in product(title.scenes, rig.slots if rig is not None else ()):
            if not wanted():
                raise Cancelled
            asked = anywhere.with_(title=key, scene=scene.key, slot=slot.key)
            try:
                made = evaluate(notebook, asked, over=over, memory=memory)
            except HovrikError:  # a factor that this title or slot does not have
                continue
            found += [LibraryRow(title.name, scene.name, slot.name, row) for row in level_rows(made)]
            own = [mark for one in made.responses for mark in find(one, question) if mark.id == "ceiling"]
            if own:
                ceilings.setdefault(title.name, []).extend(own)
    return Library(tuple(found), tuple(over_library(ceilings)))


class _Left(NamedTuple):
    """A pass of the question that does not count, with its level and why."""

    level: Level
    why: str
    view: PassView


def _only(names: Iterable[str]) -> str:
    """The one that all are, "" where they differ."""
    found = set(names)
    return found.pop() if len(found) == 1 else ""


def _counted(left: Sequence[_Left]) -> tuple[tuple[str, int], ...]:
    return tuple(Counter(one.why for one in left).most_common())


def _left_out(evaluation: Evaluation) -> list[_Left]:
    return [
        _Left(level, _why(view), view) for view in evaluation.views
        if not view.beside and view.was_tried and not view.is_good
        and (level := level_of(evaluation.factor, view.point)) is not None
    ]  # fmt: skip


def _why(view: PassView) -> str:
    if view.record.outcome is End.FAILED:
        return view.record.reason.partition(":")[0] or "failed"
    void = view.verdict.reason.check if view.verdict.reason is not None else ""
    return view.verdict.overruled or void or "left out"


def _figures(group: Group, evaluation: Evaluation) -> dict[str, Estimate]:
    hours = hours_of(group, evaluation.question, evaluation.context)
    means = {"mean_fps": group.rate, "judged": group.judged, "package_w": group.package, "draw_w": group.draw,
             "die_c": group.mean("die_c")}  # fmt: skip
    found = {name: mean.estimate() for name, mean in means.items() if mean is not None}
    return {**found, "hours": hours} if hours is not None else found


def headings(evaluation: Evaluation) -> tuple[str, ...]:
    """Of the table, as `cells` fills it."""
    judged = next((one.figure.label for one in evaluation.responses if one.figure is not None), "Judged")
    return (evaluation.factor.label, "Passes", "Mean rate, fps", f"{judged}, fps", "Draw, W", "Hours",
            f"Die, settled {degrees.unit()}", "Package, W", "Holds", "Left out", "Also set")  # fmt: skip


def cells(row: LevelRow) -> tuple[str, ...]:
    """A row in words."""
    said = []
    for name in FIGURES:
        one = row.figures.get(name)
        if one is None:
            said.append("–")
        elif name == "hours":
            said.append(words.hours_span_short(one))
        else:
            said.append(words.span(one.through(degrees.shown) if name == "die_c" else one))
    also = ", ".join(part for part in (row.shared, row.slot) if part)
    holds = words.percent(row.holds) if row.holds is not None else "–"
    return (row.words, str(row.passes), *said, holds, row.out_words, also)


def library_headings(evaluation: Evaluation) -> tuple[str, ...]:
    """Of the table over titles, as `library_cells` fills it."""
    return ("Title", "Scene", "System", *headings(evaluation))


def library_cells(one: LibraryRow) -> tuple[str, ...]:
    """A row of it in words."""
    return (one.title, one.scene, one.slot, *cells(replace(one.row, slot="")))


def csv_over(rows: Sequence[LibraryRow]) -> str:
    """The table over titles as CSV."""
    lines = [(one.title, one.scene, *_line(one.row, one.slot)) for one in rows]
    return csv_text([("title", "scene", *_csv_headings()), *lines])


def csv_of(rows: Sequence[LevelRow]) -> str:
    """The table as CSV, every figure with its interval and unit."""
    return csv_text([_csv_headings(), *(_line(row, row.slot) for row in rows)])


def _csv_headings() -> list[str]:
    units = {"mean_fps": "fps", "judged": "fps", "package_w": "W", "draw_w": "W", "hours": "h", "die_c": "C"}
    names = [f"{name}{end}, {units[name]}" for name in FIGURES for end in ("", ".low", ".high")]
    return ["level", "setup", "slot", "passes", *names, "holds, share", "left out"]


def _line(row: LevelRow, slot: str) -> list[Any]:
    ends = [end for name in FIGURES for end in ends_of(row.figures.get(name))]
    return [row.words, row.shared, slot, row.passes, *ends, row.holds, row.out_words]
