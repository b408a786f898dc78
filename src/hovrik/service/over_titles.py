"""Two OS slots, or two rigs, over every title of a notebook: matched passes title by title, then pooled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..core.errors import HovrikError
from ..core.facts.rig import Rig
from ..core.passes.record import End
from ..core.questions.question import Question
from ..core.read.contrast import Contrast, contrasts
from ..core.stats.ratios import PooledRatio, pooled_ratio
from ..store.notebook import Notebook
from . import library
from .gather import Evaluation, evaluate
from .memory import Cancelled, Memory
from .planning import of_kind, with_part

FIGURES = ("mean_fps", "draw_w", "package_w")
Wanted = Callable[[], bool]


@dataclass(frozen=True)
class TitleRow:
    """One title and scene. found : figure id to its contrast, a over b, none where it was not measured in both; why :
    it has none."""

    title: str
    scene: str
    found: dict[str, Contrast]
    why: str = ""


@dataclass(frozen=True)
class OverTitles:
    """factor : slot or rig; a, b : its levels; rows : a title each; pooled : figure id to the ratio over all."""

    factor: str
    a: str
    b: str
    rows: tuple[TitleRow, ...]
    pooled: dict[str, PooledRatio]


def over_titles(
    notebook: Notebook, question: Question, factor: str, a: str, b: str, wanted: Wanted = lambda: True,
    memory: Memory | None = None,
) -> OverTitles:  # fmt: skip
    """Every title that was measured at either level of a factor ("slot" or "rig"), beside the source of the question.
    Raises Cancelled where it is no longer wanted."""
    memory = memory or Memory(notebook)
    rows = []
    rig = memory.places.newest_rig(question.rig)
    for key, title in library.titles(notebook).items():
        for scene in title.scenes:
            if not wanted():
                raise Cancelled
            asked = with_part(of_kind(question.with_(title=key, scene=scene.key), "which-os"), over=factor)
            try:
                found = evaluate(notebook, asked, over=factor, memory=memory)
            except HovrikError:
                continue
            if found.views or _why_not(found, rig, title.name, (a, b)):
                rows.append(_row(found, title.name, scene.name, (a, b), rig))
    pooled = {}
    for name in FIGURES:
        own = [row.found[name] for row in rows if name in row.found]
        made = pooled_ratio([one.delta for one in own], [one.se for one in own])
        if made is not None:
            pooled[name] = made
    return OverTitles(factor, a, b, tuple(rows), pooled)


def _row(found: Evaluation, title: str, scene: str, levels: tuple[str, str], rig: Rig | None) -> TitleRow:
    counted = [view.counted for view in found.views if view.counts]
    made: Sequence[Contrast] = ()
    if counted:
        of_slot = found.factor.place == "slot"
        a, b = (f"{found.question.rig}/{level}" if of_slot else level for level in levels)
        made = contrasts(counted, found.factor, a, b, FIGURES, equal_watts=not of_slot)
    fair = {one.figure: one for one in made if not one.beside}
    if fair:
        return TitleRow(title, scene, fair)
    beside = sorted({what for one in made for what in one.beside})
    why = _why_not(found, rig, title, levels)
    return TitleRow(title, scene, {}, why or (f"differs in {', '.join(beside)}" if beside else "measured in one only"))


def _why_not(found: Evaluation, rig: Rig | None, title: str, levels: tuple[str, str]) -> str:
    """A title that does not run somewhere, as noted or as it was tried."""
    noted = [
        f"does not run in {slot.name}: {one.why or 'unknown'}"
        for slot in (rig.slots if rig is not None else ()) if slot.key in levels
        for one in slot.does_not_run if one.title in (title, found.question.title)
    ]  # fmt: skip
    failed = [view for view in found.views if view.record.outcome is End.FAILED]
    tried = [f"failed {len(failed)} of {len(found.views)} tries"] if failed else []
    return "; ".join((*noted, *tried))


def levels_of(notebook: Notebook, question: Question, factor: str) -> list[tuple[str, str]]:
    """(key, name) of what can be compared: the rig's OS slots, or the rigs of the notebook."""
    if factor == "rig":
        return [(key, str(entity.body.get("name", key))) for key, entity in notebook.newest("rig").items()]
    rig = Memory(notebook).places.newest_rig(question.rig)
    return [(slot.key, slot.name) for slot in rig.slots] if rig is not None else []
