"""From a question and what a person chose to the design that answers it: the window's side of `core.kinds`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from ..core.errors import InputError, PlanError
from ..core.facts.factor import LIMIT, set_by
from ..core.facts.knob import CAP, LIMITS, NO_CAP, Knob, Level, Order, named, shown
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Title
from ..core.kinds import title_setup
from ..core.kinds.best import KIND as BEST
from ..core.kinds.best import USUAL
from ..core.kinds.feels import KIND as FEELS
from ..core.kinds.kind import Ask
from ..core.kinds.table import KINDS
from ..core.kinds.undervolt import KIND as UNDERVOLT
from ..core.kinds.undervolt import is_voltage
from ..core.plan.design import Design, Told
from ..core.plan.grid import LadderDesign
from ..core.plan.steps import PlannedPass, laid_out, passes_in
from ..core.questions.question import LOWEST_WATTS, Question

SEARCH, LADDER = "search", "ladder"  # how the lowest watts are found: parts["how"] of a question
OF_CHOSEN_LIMITS = frozenset(
    {LOWEST_WATTS, "first-look", "watts-buy", "which-os", "stays-cool", "use-lasts", "triage", BEST.id}
)
OF_A_RECIPE = frozenset({
    "now", "knob", "flip", "limits-it", "options-cost", "title-setup", "which-os", "caps", "display-path", "use-lasts",
    "rest-draw", "claim", "over-charge", "runtime-true", "plugged", FEELS.id,
})  # fmt: skip
COMPARED_LIMITS = 3


def is_ladder(question: Question) -> bool:
    """Whether a question is answered by every level in rounds, as the ladder itself says."""
    return question.kind == LOWEST_WATTS and question.parts.get("how", LADDER) != SEARCH


def is_of_limits(question: Question) -> bool:
    """Whether a person chooses from where to where limits go."""
    felt = question.kind == FEELS.id and question.parts.get("over") == LIMIT
    return question.kind in OF_CHOSEN_LIMITS or felt


def design_of(
    question: Question, rig: Rig, knobs: Sequence[Knob], ladder: LadderDesign, now: Setup | None = None,
    title: Title | None = None,
) -> Design:  # fmt: skip
    """The design of a question by its kind. knobs : on offer; ladder : limits, cap and lengths that a person chose;
    now : what the machine reads; title : that is played, where it is known.

    Raises PlanError, LimitError where it cannot be carried out.
    """
    if not question.is_known:
        raise PlanError(f"A question of the kind {question.kind!r} is not known to this version. Choose another one.")
    ladder.check(rig)
    if is_ladder(question):
        return ladder
    own, parts = named([knob for knob in knobs if not knob.by_hand]), question.parts
    if question.kind != UNDERVOLT.id:  # what moves a voltage is asked about by itself, and set by nothing else
        own = {key: knob for key, knob in own.items() if not is_voltage(key)}
    varied: dict[str, tuple[Level, ...]] = {
        str(key): tuple(levels) for key, levels in dict(parts.get("levels") or {}).items()
    }  # fmt: skip
    over = str(parts.get("over") or "")
    base: dict[str, Level] = {}
    cap = CAP in own and over != CAP
    if question.kind == BEST.id and not varied:
        varied = {name: () for name in USUAL if name != CAP or ladder.cap_fps is None}
    if is_of_limits(question) and (over in ("", LIMIT) or question.kind == BEST.id):
        limits = ladder.levels_w()
        varied[LIMIT] = _thinned(limits, COMPARED_LIMITS) if question.kind == "which-os" else limits
    elif question.kind != "now":
        base = {key: center_w(question, ladder) for key in LIMITS if key in own}
    if cap and question.kind != "now" and CAP not in varied:
        base = {**base, CAP: NO_CAP if ladder.cap_fps is None else ladder.cap_fps}
    slots = tuple(parts.get("slots") or ()) or tuple(slot.key for slot in rig.slots)
    if question.kind in ("knob", "flip", FEELS.id):
        varied = {key: levels for key, levels in varied.items() if key == over and levels}
    if question.kind == "caps":
        base = {key: level for key, level in base.items() if key in LIMITS}
    if display := parts.get("display"):  # of one display of several, as a campaign asks
        if "display" not in own or own["display"].refusal(str(display)):
            raise PlanError(f"The display {display} is not offered here. Note it in Rig, under displays.")
        base["display"] = str(display)
    recipe = _recipe(question, own)
    base |= {key: level for key, level in recipe.items() if key != CAP or question.kind != "caps"}
    if set(recipe) & set(LIMITS):
        varied.pop(LIMIT, None)
    like = ladder if question.kind == LOWEST_WATTS else replace(ladder, heat_s=0.0)
    if question.kind == title_setup.KIND.id and not over:
        over = title_setup.usual(own)
    ask = Ask(question, rig, own, Setup(base), now or Setup(), varied, over, slots, like, title=title)
    return KINDS[question.kind].design(ask)


def _recipe(question: Question, knobs: Mapping[str, Knob]) -> Setup:
    """The recipe that a question is asked around. Raises PlanError where the machine cannot set it."""
    recipe = Setup(dict(question.parts.get("recipe") or {})) if question.kind in OF_A_RECIPE else Setup()
    missing = [key for key in recipe if key not in knobs]
    if missing:
        offered = ", ".join(knobs) or "none"
        raise PlanError(f"The recipe sets {', '.join(missing)}, which is not offered here. Offered: {offered}.")
    wrong = [why for key, level in recipe.items() if (why := knobs[key].refusal(level))]
    if wrong:
        raise PlanError(f"The recipe cannot be planned. {wrong[0]}")
    return recipe


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


def center_w(question: Question, ladder: LadderDesign) -> float:
    """The static limit at which a knob is asked about: as chosen, else the middle of the ladder; its end where caps are
    felt, so that watts are in no frame's way."""
    levels = ladder.levels_w() or (ladder.from_w,)  # a ladder that ends below its start has none
    return float(question.parts.get("at_w", levels[-1] if question.kind == FEELS.id else levels[len(levels) // 2]))


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
