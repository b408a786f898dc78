"""From a question and what a person chose to what is to be played: one call for the window, the command line, campaigns
and next steps."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..core.errors import InputError
from ..core.facts.factor import LIMIT, set_by
from ..core.facts.knob import LIMITS, Knob, Level, Order, shown
from ..core.facts.known_knobs import is_voltage
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Title
from ..core.kinds.ask import ask_within, at_w, completed, noted
from ..core.kinds.kind import Ask
from ..core.kinds.table import kind_of
from ..core.plan.design import Design, Told
from ..core.plan.grid import LadderDesign, first_design
from ..core.plan.steps import PlannedPass, laid_out, passes_in
from ..core.questions.question import BASE, VERSIONS, Question
from ..store.notebook import Notebook
from ..store.sound import WRONG
from .remembered import question_of

HELD = frozenset({"recipe", "at_w", "display"})  # parts that a person chooses of what is held the same


@dataclass(frozen=True)
class Plan:
    """A question planned: with what its kind filled in, what is asked of the kind, the design, the passes that it wants
    first and whether these are all."""

    question: Question
    ask: Ask
    design: Design
    passes: tuple[PlannedPass, ...]
    is_all: bool

    def price(self, minutes: float) -> tuple[float, float]:
        """Minutes from and to that it takes. minutes : of its first passes, recharges included."""
        return kind_of(self.question.kind).price(minutes, self.passes, is_all=self.is_all, most=self.ask.most)


def planned(
    question: Question, rig: Rig, knobs: Sequence[Knob], ask: Callable[[Question], Ask], title: Title | None = None
) -> Plan:
    """A question planned by its kind. ask : what is asked of the kind for a question. Raises PlanError, LimitError
    where it cannot be carried out."""
    own = completed(question, rig, knobs, title)
    found = ask(own)
    design = kind_of(own.kind).design(found)
    passes, is_all = first_passes(design, own, found.title)
    return Plan(noted(found, passes), found, design, passes, is_all)


def planned_within(
    question: Question, rig: Rig, knobs: Sequence[Knob], ladder: LadderDesign, now: Setup | None = None,
    title: Title | None = None,
) -> Plan:  # fmt: skip
    """The same with limits, cap and lengths that a person laid out. knobs : on offer; now : what the machine reads;
    title : that is played, where it is known."""
    ladder.check(rig)

    def ask(own: Question) -> Ask:
        return ask_within(own, rig, knobs, ladder, now or Setup(), title=title)

    return planned(question, rig, knobs, ask, title)


def with_base(
    question: Question, rig: Rig, knobs: Sequence[Knob], design: Design, now: Setup, title: Title | None = None
) -> Question:  # fmt: skip
    """A question with what it holds the same, for a design that somebody made by hand."""
    own = completed(question, rig, knobs, title)
    return noted(ask_within(own, rig, knobs, first_design(rig), now, title=title), first_passes(design, own)[0])


def center_w(question: Question, ladder: LadderDesign, rig: Rig | None, knobs: Sequence[Knob], now: Setup) -> float:
    """The static limit that a question is asked at, to be shown: as chosen, as set, else its place in the range."""
    set_now = now.static_limit_w
    if rig is None or not question.is_known:
        return ladder.from_w
    if question.parts.get("at_w") is None and set_now is not None and kind_of(question.kind).at < 1.0:
        return set_now
    found = at_w(ask_within(question, rig, knobs, ladder, now), kind_of(question.kind))
    return found if found is not None else ladder.from_w


def recipe_of(text: str, knobs: Mapping[str, Knob]) -> Setup:
    """A recipe as typed, "limit_w=12; boost=off": limit_w stands for all three limits. Raises InputError."""
    knobs = {key: knob for key, knob in knobs.items() if not is_voltage(key)}
    found: dict[str, Level] = {}
    for part in filter(None, (piece.strip() for piece in text.replace(",", ";").split(";"))):
        key, equals, value = (piece.strip() for piece in part.partition("="))
        keys = [one for one in set_by(key) if one in knobs]
        if not equals or not value or not keys:
            offered = ", ".join(dict.fromkeys(LIMIT if one in LIMITS else one for one in knobs)) or "none"
            raise InputError(f"{part} cannot be read. Write knob=level; another=level. Offered: {offered}.")
        levels = {shown(level): level for level in knobs[keys[0]].levels}
        level = levels.get(value, value)
        if value not in levels and knobs[keys[0]].order is Order.NUMBER:
            try:
                level = float(value)
            except ValueError:
                raise InputError(f"{part}: {value} is no number.") from None
        wrong = [why for one in keys if (why := knobs[one].refusal(level))]
        if wrong:
            raise InputError(wrong[0])
        found.update(dict.fromkeys(keys, level))
    return Setup(found)


def recipe_words(recipe: Mapping[str, Level]) -> str:
    """A recipe as it is typed."""
    limit = Setup(dict(recipe)).static_limit_w
    parts = [f"{LIMIT}={limit:g}"] if limit is not None else []
    parts += [f"{key}={shown(level)}" for key, level in recipe.items() if limit is None or key not in LIMITS]
    return "; ".join(parts)


def first_passes(
    design: Design, question: Question, title: Title | None = None
) -> tuple[tuple[PlannedPass, ...], bool]:
    """The passes that a design wants first, and whether these are all. title : that is played, where it is known."""
    asked, sensitive = design.ask(Told()), title is not None and bool(title.dislikes_changes)
    return passes_in(laid_out(asked.wanted, 0, question.slot, before_launch=sensitive)), asked.done


def with_part(question: Question, **parts: Any) -> Question:
    """A copy with parts replaced; None takes one out."""
    found = {**question.parts, **parts}
    if any(question.parts.get(key) != parts[key] for key in HELD & set(parts)):
        found = {key: value for key, value in found.items() if key not in (BASE, VERSIONS)}  # noted anew when planned
    return replace(question, parts={key: value for key, value in found.items() if value is not None})


def of_kind(question: Question, kind: str) -> Question:
    """The same place and terms asked another way. What was asked about goes with the kind it was asked in."""
    return replace(question.with_(), kind=kind, parts=dict(kind_of(kind).usual))


def asked_again(notebook: Notebook, question: Question, kind: str) -> Question:
    """The same place asked another way, as it was asked there last."""
    asked = of_kind(question, kind)
    for _, body, _ in notebook.plans():
        try:
            before = question_of(body["question"])
        except WRONG:
            continue
        if before.kind == asked.kind and before.keys == asked.keys and before.source is asked.source:
            return replace(asked, parts=dict(before.parts))
    return asked


def is_ranged(question: Question | None) -> bool:
    """Whether a person chooses from where to where limits go."""
    return question is None or (question.is_known and kind_of(question.kind).is_ranged(question))
