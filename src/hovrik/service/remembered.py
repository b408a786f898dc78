"""What a notebook remembers of the last day: question, plan being edited, room. What cannot be is as if it were not
there, and told."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from ..core.errors import HovrikError
from ..core.facts.knob import Knob
from ..core.kinds.table import question_from
from ..core.plan.grid import LadderDesign
from ..core.questions.question import BASE, VERSIONS, Question
from ..store.notebook import Notebook
from ..store.sound import WRONG, setup_from

T = TypeVar("T")


@dataclass(frozen=True)
class Remembered:
    """None where nothing is remembered. faults : what could not be read, in words."""

    question: Question | None
    design: LadderDesign | None
    room_c: float | None
    faults: tuple[str, ...] = ()


def remembered(notebook: Notebook) -> Remembered:
    """What is remembered, each part checked. Raises StoreError."""
    faults: list[str] = []
    notebook.look_at_rows("state")

    def part(key: str, words: str, make: Callable[[Any], T]) -> T | None:
        body = notebook.get_state(key)
        try:
            return make(body) if body is not None else None
        except (*WRONG, HovrikError) as fault:
            faults.append(f"the {words} it remembers cannot be read ({fault})")
            return None

    return Remembered(
        part("question", "question", question_of), part("design", "plan", design_of), part("room_c", "room", _room),
        tuple(faults),
    )  # fmt: skip


def question_of(body: Any) -> Question:
    """A question of plain values. Raises ValueError, TypeError, KeyError, AttributeError for one that cannot be."""
    made = question_from(body)
    scope = made.scope
    keys = (*scope.rigs, *scope.slots, *scope.titles, *scope.scenes)
    if not all(isinstance(key, str) for key in keys):
        raise ValueError("its places must be words")
    _check_parts(made.parts)
    if not isinstance(made.kind, str):
        raise ValueError("its kind must be a word")
    floor, terms = made.terms.floor, made.terms
    numbers = [terms.sure, terms.price, *([floor.value, floor.tolerance, floor.missed_share] if floor else [])]
    if terms.room_c is not None:
        numbers.append(terms.room_c)
    for number in numbers:
        if isinstance(number, bool) or not isinstance(number, int | float) or not math.isfinite(number):
            raise ValueError(f"{number!r} is no number")
    if floor is not None and (not isinstance(floor.figure, str) or not 0 <= floor.value <= 1e9):
        raise ValueError(f"a floor of {floor.value!r} cannot be")
    if not 0.5 <= terms.sure < 1 or (
        floor is not None and not (0 <= floor.tolerance < 1 and 0 <= floor.missed_share <= 1)
    ):
        raise ValueError("a share in it is not possible")
    return made


def _check_parts(parts: Mapping[str, Any]) -> None:
    """Raises ValueError, TypeError, KeyError where a part of a question that is known is not what it can be."""
    for key in ("over", "how", "display"):
        if not isinstance(parts.get(key), str | None):
            raise ValueError(f"its {key} must be a word")
    for key in ("recipe", BASE):
        if parts.get(key) is not None:
            setup_from(parts[key])
    versions = parts.get(VERSIONS)
    if versions is not None and not (
        isinstance(versions, Mapping) and all(isinstance(one, str) for pair in versions.items() for one in pair)
    ):
        raise ValueError("its versions must be words")
    knobs, levels, slots = parts.get("knobs"), parts.get("levels"), parts.get("slots")
    if knobs is not None:
        if not isinstance(knobs, list | tuple):
            raise ValueError("its knobs must be a list")
        for body in knobs:
            Knob.from_dict(body)
    if levels is not None and not (
        isinstance(levels, Mapping) and all(isinstance(one, list | tuple) for one in levels.values())
        and all(isinstance(level, str | int | float) for one in levels.values() for level in one)
    ):  # fmt: skip
        raise ValueError("its levels must be lists of words and numbers")
    if slots is not None and not (isinstance(slots, list | tuple) and all(isinstance(one, str) for one in slots)):
        raise ValueError("its OS slots must be words")


def design_of(body: Any) -> LadderDesign:
    """A plan being edited. Raises ValueError, TypeError for one that cannot be."""
    made = LadderDesign.from_dict(body)
    for name, value in made.as_dict().items():
        if name == "until_settled" or (name == "cap_fps" and value is None):
            continue
        if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) < 1e9:
            raise ValueError(f"{name} {value!r} is no number")
    return made


def _room(body: Any) -> float:
    if isinstance(body, bool) or not isinstance(body, int | float) or not -60 <= body <= 80:
        raise ValueError(f"{body!r} is no temperature of a room")
    return float(body)
