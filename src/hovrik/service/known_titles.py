"""What other titles measured on the rig of a search, kept with its plan so that it goes on as it began."""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence

from ..core.facts.knob import CAP, LIMITS, NO_CAP, is_number
from ..core.facts.setup import Setup
from ..core.facts.terms import School
from ..core.model.known_rig import KnownTitle
from ..core.model.twins import BOOST, CPU, GPU
from ..core.passes.figure import low_id
from ..core.plan.search.told import rise_of
from ..core.questions.question import Question, lowest_watts
from ..core.read.group import Counted
from ..store.notebook import CONTEXT, Notebook
from ..store.sound import WRONG

KEYS = (*LIMITS, CAP, BOOST, CPU, GPU)  # that twins know
MOST_PASSES, MOST_TITLES, LEAST_PASSES = 40, 3, 3
ROOM_C = 23.0  # where nobody noted it


def questions(notebook: Notebook, question: Question) -> list[Question]:
    """One for each scene of another title that was measured on the same rig, slot and source."""
    found = []
    for *keys, source in notebook.places():
        place = dict(zip(CONTEXT, keys, strict=True))
        same = all(place[kind] == question.keys[kind] for kind in ("rig", "slot"))
        if same and place["title"] != question.keys["title"] and (source or "") in ("", question.source.value):
            rig, slot, title, scene = (str(place[kind]) for kind in CONTEXT)
            asked = lowest_watts(rig, slot, title, scene, target_fps=question.target_fps or 40.0)
            found.append(asked.with_(source=question.source))
    return found


def told_by(scenes: Iterable[Sequence[Counted]]) -> tuple[KnownTitle, ...]:
    """What the passes of each scene tell, those with most passes first."""
    found = [one for passes in scenes if (one := _told(passes[-MOST_PASSES:])) is not None]
    return tuple(sorted(found, key=lambda one: -len(one.setups))[:MOST_TITLES])


def _told(passes: Sequence[Counted]) -> KnownTitle | None:
    rows = [
        (Setup({key: value for key, value in one.point.setup.items() if key in KEYS}), one) for one in passes
        if one.point.setup.static_limit_w is not None and one.figures.value("draw_w")
    ]  # fmt: skip
    low = low_id(School.PERCENTILE)
    reached = [
        value if setup.get(CAP, NO_CAP) == NO_CAP else float(cap) if is_number(cap := setup[CAP]) and cap else value
        for setup, one in rows if (value := one.figures.value(low))
    ]  # fmt: skip
    if len(rows) < LEAST_PASSES or not reached:
        return None
    log = lambda one, key: math.log(v) if (v := one.figures.value(key)) and v > 0 else math.nan  # noqa: E731
    return KnownTitle(
        statistics.median(reached), tuple(setup for setup, _ in rows), tuple(log(one, low) for _, one in rows),
        tuple(log(one, "mean_fps") for _, one in rows), tuple(log(one, "draw_w") for _, one in rows),
        tuple(rise_of(one, ROOM_C) for _, one in rows),
    )  # fmt: skip


def kept(notebook: Notebook, plan_id: str) -> tuple[KnownTitle, ...] | None:
    """What was kept with a plan; None where nothing was yet, or what was cannot be read."""
    body = notebook.get_state(_key(plan_id))
    try:
        return tuple(map(KnownTitle.from_dict, body)) if isinstance(body, list) else None
    except WRONG:
        return None


def keep(notebook: Notebook, plan_id: str, known: Sequence[KnownTitle]) -> None:
    """Keep it with a plan. Raises StoreError."""
    notebook.set_state(_key(plan_id), [one.as_dict() for one in known])


def _key(plan_id: str) -> str:
    return f"known/{plan_id}"
