"""From a question, what a rig offers and what is set on it to what its kind is asked: for the window, the command line
and campaigns alike."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..errors import PlanError
from ..facts.factor import LIMIT, set_by
from ..facts.knob import CAP, LIMITS, NO_CAP, Knob, Level, Where, named
from ..facts.knobs import knobs_of
from ..facts.known_knobs import is_voltage
from ..facts.rig import OsSlot, Rig
from ..facts.setup import Setup
from ..facts.title import Title
from ..plan.grid import LadderDesign, first_design
from ..plan.lengths import Lengths
from ..plan.steps import PlannedPass
from ..questions.question import BASE, VERSIONS, Question
from .kind import FINEST, Ask, Kind, Limits
from .table import kind_of


def completed(question: Question, rig: Rig, knobs: Sequence[Knob], title: Title | None = None) -> Question:
    """The question with what its kind fills in itself, and the knobs that the machine alone knows."""
    if not question.is_known:
        return question
    told = {one.id for one in knobs_of(rig, _slot(rig, question), title, absent=True)}
    own = [one.as_dict() for one in knobs if one.id not in told and one.id not in LIMITS and not is_voltage(one.id)]
    more = {**kind_of(question.kind).complete(question.parts, named(knobs)), **({"knobs": own} if own else {})}
    return replace(question, parts={**question.parts, **more}) if more else question


def ask_of(
    question: Question, rig: Rig, knobs: Sequence[Knob], lengths: Lengths, now: Setup, *, title: Title | None = None,
    most: int | None = None, range_w: tuple[float, float, float] | None = None, cap_fps: float | None = None,
) -> Ask:  # fmt: skip
    """What is to be played is asked of a kind with this. knobs : on offer; now : what is set, as far as it is known;
    range_w : from, to and step of the limits, cap_fps : cap, that a person chose.

    Raises PlanError for a kind that this version does not know, a recipe or a display that is not on offer.
    """
    if not question.is_known:
        raise PlanError(f"A question of the kind {question.kind!r} is not known to this version. Choose another one.")
    kind, parts = kind_of(question.kind), question.parts
    own = {key: knob for key, knob in named(knobs).items() if kind.voltage or not is_voltage(key)}
    varied: dict[str, tuple[Level, ...]] = {
        str(key): tuple(levels) for key, levels in dict(parts.get("levels") or {}).items()
    }  # fmt: skip
    over, recipe = str(parts.get("over") or ""), _recipe(question, own)
    if set(recipe) & set(LIMITS):
        varied.pop(LIMIT, None)
    slots = tuple(parts.get("slots") or ()) or tuple(slot.key for slot in rig.slots)
    like = lengths if "heat" in kind.fields else replace(lengths, heat_s=0.0)
    bare = Ask(question, rig, own, Setup(), now, varied, over, slots, like, most, title, range_w)
    base = {**_limits(bare, kind), **_cap(bare, kind, cap_fps), **_display(question, own)}
    base |= dict(recipe)
    return replace(bare, base=Setup({**_as_noted(bare, kind, base), **base}))


def noted(ask: Ask, passes: Sequence[PlannedPass]) -> Question:
    """The question with what it holds the same: every knob that is known and that it does not vary, the versions of
    today. passes : those that it wants first."""
    question = ask.question
    varied = varied_by(question)
    varied |= {key for one in passes for key, level in one.setup.items() if passes[0].setup.get(key) != level}
    slot = None if any(one.slot for one in passes) else _slot(ask.rig, question)
    held = {**dict(ask.now), **dict(ask.base), **(dict(passes[0].setup) if passes else {})}
    versions = {
        f"{whose}/{one.what}": one.installed
        for whose, thing in (("rig", ask.rig), ("slot", slot), ("title", ask.title))
        for one in (thing.versions if thing is not None else ()) if one.installed
    }  # fmt: skip
    base = {key: level for key, level in held.items() if key not in varied}
    return replace(question, parts={**question.parts, BASE: base, VERSIONS: versions})


def _slot(rig: Rig, question: Question) -> OsSlot | None:
    return next((one for one in rig.slots if one.key == question.slot), None)


def varied_by(question: Question) -> set[str]:
    """Knobs that a question varies by what it is, its recipe aside."""
    kind, parts = kind_of(question.kind), question.parts
    over = str(parts.get("over") or kind.over)
    found = {*kind.varies, *(one for key in (*(parts.get("levels") or {}), over) for one in set_by(key))}
    found |= set(LIMITS) if kind.is_ranged(question) else set()
    return found - set(parts.get("recipe") or {})


def _as_noted(ask: Ask, kind: Kind, base: Mapping[str, Level]) -> dict[str, Level]:
    """What the question holds the same and is set otherwise now, as far as that can be set while the title runs."""
    held = ask.question.base
    if held is None or kind.sets_nothing:
        return {}
    return {
        key: level for key, level in held.items()
        if key in ask.knobs and key in ask.now and key not in (*base, *ask.varied, ask.over, *kind.varies)
        and not (kind.is_ranged(ask.question) and key in LIMITS) and ask.knobs[key].where is Where.LIVE
        and not ask.knobs[key].by_hand and not is_voltage(key) and ask.knobs[key].refusal(level) is None
        and not ask.knobs[key].agrees(level, ask.now[key])
    }  # fmt: skip


def ask_within(question: Question, rig: Rig, knobs: Sequence[Knob], ladder: LadderDesign, now: Setup, *,
               title: Title | None = None, most: int | None = None) -> Ask:  # fmt: skip
    """The same with limits, cap and lengths of a ladder that a person laid out; all limits where nobody has."""
    own, first = ((one.from_w, one.to_w, one.step_w) for one in (ladder, first_design(rig)))
    range_w = own if own != first else None
    return ask_of(
        question, rig, knobs, ladder.lengths, now, title=title, most=most, range_w=range_w, cap_fps=ladder.cap_fps
    )


def at_w(ask: Ask, kind: Kind) -> float | None:
    """The static limit at which a question stays: as chosen, else its place in the range; None where there is none."""
    chosen = ask.question.parts.get("at_w")
    if chosen is not None:
        return float(chosen)
    try:
        levels = ask.levels(LIMIT, FINEST)
    except PlanError:
        return None
    return float(levels[min(int(kind.at * len(levels)), len(levels) - 1)])


def _limits(ask: Ask, kind: Kind) -> dict[str, Level]:
    """Limits that are held: as chosen, else as they are set; in the range where that is not known."""
    own = [key for key in LIMITS if key in ask.knobs]
    if kind.limits is not Limits.ONE or kind.is_ranged(ask.question) or not own:
        return {}
    if ask.question.parts.get("at_w") is None and kind.at < 1.0 and any(key in ask.now for key in own):
        return {}
    watts = at_w(ask, kind)
    return dict.fromkeys(own, watts) if watts is not None else {}


def _cap(ask: Ask, kind: Kind, cap_fps: float | None) -> dict[str, Level]:
    """The cap that is held: as chosen, else as it is set, or none where the kind wants frames to run free."""
    if CAP not in ask.knobs or kind.sets_nothing or CAP in ask.varied or ask.over == CAP:
        return {}
    if cap_fps is not None and (kind.keeps_cap or CAP not in kind.varies):
        return {CAP: cap_fps}
    if CAP in kind.varies:
        return {}
    is_free = kind.uncapped or CAP not in ask.now
    return {CAP: NO_CAP} if is_free and ask.knobs[CAP].refusal(NO_CAP) is None else {}


def _display(question: Question, knobs: Mapping[str, Knob]) -> dict[str, Level]:
    """One display of several, as a campaign asks of it."""
    display = question.parts.get("display")
    if not display:
        return {}
    if "display" not in knobs or knobs["display"].refusal(str(display)):
        raise PlanError(f"The display {display} is not offered here. Note it in Rig, under displays.")
    return {"display": str(display)}


def _recipe(question: Question, knobs: Mapping[str, Knob]) -> Setup:
    """The recipe that a question is asked around. Raises PlanError where the machine cannot set it."""
    recipe = Setup(dict(question.parts.get("recipe") or {}))
    missing = [key for key in recipe if key not in knobs]
    if missing:
        offered = ", ".join(knobs) or "none"
        raise PlanError(f"The recipe sets {', '.join(missing)}, which is not offered here. Offered: {offered}.")
    wrong = [why for key, level in recipe.items() if (why := knobs[key].refusal(level))]
    if wrong:
        raise PlanError(f"The recipe cannot be planned. {wrong[0]}")
    return recipe
