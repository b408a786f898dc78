"""What a setup does over all scenes of a title: hours over the player's mix, the floor in the heaviest one."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ..core.errors import HovrikError
from ..core.facts.place import Source
from ..core.facts.setup import Setup
from ..core.facts.title import Scene, Title
from ..core.message import Message, Value, say
from ..core.model import battery
from ..core.questions.question import Question
from ..core.read.group import Group
from ..core.stats.estimate import Estimate, Mean
from ..store.notebook import Notebook
from .gather import Evaluation, evaluate
from .memory import Cancelled, Memory

HEAVIEST = "heaviest"


@dataclass(frozen=True)
class SceneRow:
    """One scene at the setup. group : None where it was not measured there."""

    scene: Scene
    group: Group | None


@dataclass(frozen=True)
class OverScenes:
    """rows : a scene each, as the title has them; hours : over the mix of those that were measured, None where no mix
    is noted or nothing tells; share : of the player's time that these are."""

    rows: tuple[SceneRow, ...]
    hours: Estimate | None = None
    share: float = 0.0


def over_scenes(
    notebook: Notebook, own: Evaluation, title: Title, setup: Setup, wanted: Callable[[], bool] = lambda: True
) -> OverScenes:
    """Every scene of a title at one setup, with all else as in the question of an evaluation, which stands for its own
    scene. Raises Cancelled."""
    memory, rows, last = Memory(notebook), [], None
    for scene in title.scenes:
        if not wanted():
            raise Cancelled
        try:
            is_own = scene.key == own.question.scene
            found = own if is_own else evaluate(notebook, own.question.with_(scene=scene.key), memory=memory)
        except HovrikError:
            continue
        groups = [group for one in found.responses for group in one.groups if group.setup == setup]
        rows.append(SceneRow(scene, groups[0] if groups else None))
        last = found if groups else last
    hours, share = _over_mix(rows, own.question, last)
    return OverScenes(tuple(rows), hours, share)


def _over_mix(rows: list[SceneRow], question: Question, found: Evaluation | None) -> tuple[Estimate | None, float]:
    known = [(row.scene.mix, row.group.draw) for row in rows
             if row.scene.mix and row.group is not None and row.group.draw is not None]  # fmt: skip
    if not known or found is None or found.rig is None or question.source is not Source.BATTERY:
        return None, 0.0
    share = sum(mix for mix, _ in known)
    draw = sum(mix * mean.value for mix, mean in known) / share
    error = math.sqrt(sum((mix * mean.value * mean.se) ** 2 for mix, mean in known)) / share
    dof, passes = min(mean.dof for _, mean in known), sum(mean.n for _, mean in known)
    whole = Mean(math.log(draw), error / draw, dof, passes)
    return battery.hours(found.rig, whole, found.context.used), min(share, 1.0)


def told(found: OverScenes, question: Question) -> list[Message]:
    """What is said of them: hours over the mix, the heaviest scene, and what was not measured."""
    said = []
    if found.hours is not None and sum(row.group is not None for row in found.rows) > 1:
        hours = Value(found.hours.value, "h", found.hours.low, found.hours.high)
        said.append(say("scenes.hours", hours=hours, share=Value(100 * found.share, "%", digits=0)))
    floor = question.terms.floor
    for row in found.rows:
        if row.scene.role == HEAVIEST and floor is not None and row.scene.key != question.scene:
            holds = row.group.holds if row.group is not None else None
            values = {"scene": row.scene.name, "target": floor.value}
            said.append(say("scenes.heaviest", sure=holds, **values) if holds is not None
                        else say("scenes.heaviest-untold", **values))  # fmt: skip
    lacking = tuple(row.scene.name for row in found.rows
                    if row.group is None and row.scene.mix and row.scene.role != HEAVIEST)  # fmt: skip
    if lacking:
        said.append(say("scenes.lacking", scenes=lacking))
    return said
