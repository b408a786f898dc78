"""Along which factors the passes of a question can be read: those that they, or passes like them, differ in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..core.errors import InputError
from ..core.facts.factor import VERSION, Factor, factor_named, of_knob, static_limit
from ..core.facts.knob import LIMITS, Knob, named
from ..core.facts.known_knobs import known
from ..core.facts.rig import Rig
from ..core.passes.point import Point
from ..core.questions.question import Question
from ..store.notebook import Notebook
from .points import Places, levels_along

PLACES_ALONG = ("slot", "title", "scene", "source")


def factor_of(name: str, knobs: Sequence[Knob], rig: Rig | None, places: Places) -> Factor:
    """The factor of an id, the static limit of "". Raises InputError for one that nothing is called."""
    step = rig.limit_step_w if rig is not None else None
    if not name:
        return static_limit(step)
    found = factor_named(name, knobs, step=step)
    if found is None:
        allowed = ", ".join(knob.id for knob in knobs) or "cap_fps"
        raise InputError(
            f"Nothing is called {name}. Use limit_w, slot, title, scene, source, version, room, day, or a knob: "
            f"{allowed}."
        )
    return replace(found, names=places.names(found.place)) if found.place else found


def factors_along(
    notebook: Notebook, question: Question, points: Sequence[Point], knobs: Sequence[Knob], rig: Rig | None,
    places: Places,
) -> tuple[Factor, ...]:  # fmt: skip
    """The static limit, then every knob and part of the place at more than one level. points : of the
    passes that count."""
    found = [static_limit(rig.limit_step_w if rig is not None else None)]
    own = named(knobs)
    for key in dict.fromkeys(key for point in points for key in point.setup):
        levels = {point.setup[key] for point in points if key in point.setup}
        if key not in LIMITS and len(levels) > 1:
            found.append(of_knob(own.get(key) or known(key)))
    for part in PLACES_ALONG:
        if len(levels_along(notebook, question, part)) > 1:
            found.append(factor_of(part, knobs, rig, places))
    if len({_told(point.versions) for point in points}) > 1:
        found.append(factor_of(VERSION, knobs, rig, places))
    return tuple(found)


def _told(versions: Mapping[str, str | None]) -> tuple[tuple[str, str | None], ...]:
    return tuple(sorted((what, installed) for what, installed in versions.items()))
