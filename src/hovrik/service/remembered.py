"""What a notebook remembers of the last day: question, plan being edited, room. What cannot be is as if it were not
there, and told."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from ..core.errors import HovrikError
from ..core.plan.grid import LadderDesign
from ..core.questions.question import Question
from ..store.notebook import Notebook
from ..store.sound import WRONG

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
    made = Question.from_dict(body)
    scope = made.scope
    keys = (*scope.rigs, *scope.slots, *scope.titles, *scope.scenes)
    if not all(isinstance(key, str) for key in keys):
        raise ValueError("its places must be words")
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
