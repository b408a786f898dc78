"""From a question and what a person chose to the design that answers it: the window's side of `core.kinds`."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from ..core.facts.factor import LIMIT
from ..core.facts.knob import CAP, LIMITS, NO_CAP, Knob, Level, named
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Title
from ..core.kinds import title_setup
from ..core.kinds.best import KIND as BEST
from ..core.kinds.best import USUAL
from ..core.kinds.kind import Ask
from ..core.kinds.table import KINDS
from ..core.plan.design import Design, Told
from ..core.plan.grid import LadderDesign
from ..core.plan.steps import PlannedPass, laid_out, passes_in
from ..core.questions.question import LOWEST_WATTS, Question

SEARCH, LADDER = "search", "ladder"  # how the lowest watts are found: parts["how"] of a question
OF_CHOSEN_LIMITS = frozenset({LOWEST_WATTS, "first-look", "watts-buy", "which-os", BEST.id})
COMPARED_LIMITS = 3


def is_ladder(question: Question) -> bool:
    """Whether a question is answered by every level in rounds, as the ladder itself says."""
    return question.kind == LOWEST_WATTS and question.parts.get("how", LADDER) != SEARCH


def design_of(
    question: Question, rig: Rig, knobs: Sequence[Knob], ladder: LadderDesign, now: Setup | None = None,
    title: Title | None = None,
) -> Design:  # fmt: skip
    """The design of a question by its kind. knobs : on offer; ladder : limits, cap and lengths that a person chose;
    now : what the machine reads; title : that is played, where it is known.

    Raises PlanError, LimitError where it cannot be carried out.
    """
    ladder.check(rig)
    if is_ladder(question):
        return ladder
    own, parts = named([knob for knob in knobs if not knob.by_hand]), question.parts
    varied: dict[str, tuple[Level, ...]] = {
        str(key): tuple(levels) for key, levels in dict(parts.get("levels") or {}).items()
    }  # fmt: skip
    over = str(parts.get("over") or "")
    base: dict[str, Level] = {}
    cap = CAP in own and over != CAP
    if question.kind == BEST.id and not varied:
        varied = {name: () for name in USUAL if name != CAP or ladder.cap_fps is None}
    if question.kind in OF_CHOSEN_LIMITS and (over in ("", LIMIT) or question.kind == BEST.id):
        limits = ladder.levels_w()
        varied[LIMIT] = _thinned(limits, COMPARED_LIMITS) if question.kind == "which-os" else limits
    elif question.kind != "now":
        base = {key: center_w(question, ladder) for key in LIMITS if key in own}
    if cap and question.kind != "now" and CAP not in varied:
        base = {**base, CAP: NO_CAP if ladder.cap_fps is None else ladder.cap_fps}
    slots = tuple(parts.get("slots") or ()) or tuple(slot.key for slot in rig.slots)
    if question.kind in ("knob", "flip"):
        varied = {key: levels for key, levels in varied.items() if key == over}
    if question.kind == "caps":
        base = {key: level for key, level in base.items() if key in LIMITS}
    like = ladder if question.kind == LOWEST_WATTS else replace(ladder, heat_s=0.0)
    if question.kind == title_setup.KIND.id and not over:
        over = title_setup.usual(own)
    ask = Ask(question, rig, own, Setup(base), now or Setup(), varied, over, slots, like, title=title)
    return KINDS[question.kind].design(ask)


def center_w(question: Question, ladder: LadderDesign) -> float:
    """The static limit at which a knob is asked about: as chosen, else the middle of the ladder."""
    levels = ladder.levels_w() or (ladder.from_w,)  # a ladder that ends below its start has none
    return float(question.parts.get("at_w", levels[len(levels) // 2]))


def _thinned(levels: Sequence[float], most: int) -> tuple[float, ...]:
    if len(levels) <= most:
        return tuple(levels)
    return tuple(levels[round(at * (len(levels) - 1) / (most - 1))] for at in range(most))


def first_passes(
    design: Design, question: Question, title: Title | None = None
) -> tuple[tuple[PlannedPass, ...], bool]:
    """The passes that a design wants first, and whether these are all. title : that is played, where it is known."""
    asked, sensitive = design.ask(Told()), title is not None and bool(title.dislikes_changes)
    return passes_in(laid_out(asked.wanted, 0, question.slot, before_launch=sensitive)), asked.done


def with_part(question: Question, **parts: Any) -> Question:
    """A copy with parts replaced; None takes one out."""
    found = {**question.parts, **parts}
    return replace(question, parts={key: value for key, value in found.items() if value is not None})


def of_kind(question: Question, kind: str) -> Question:
    """The same place and terms asked another way. What was asked about goes with the kind it was asked in."""
    return replace(question.with_(), kind=kind, parts={})
