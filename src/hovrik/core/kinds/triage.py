"""Where something is to be gained with a title: five minutes of it, as it is now, capped, without boost, a third less
watts.

One pass each tells no small difference: it says which title is worth a proper question, and which is not.
"""

from __future__ import annotations

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import CAP, LIMITS, NO_CAP, Level, is_number
from ..facts.setup import Setup, describe
from ..facts.terms import Floor
from ..message import Message, Value, say
from ..model.twins import BOOST
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, Option, build, option_of
from ..read.group import Group
from .kind import Ask, Kind, Limits, Seen

PASS_S, SOAK_S, COOL_S = 40.0, 20.0, 5.0
LESS = 2.0 / 3.0
LIKELY = 0.5  # from which a floor counts as held, of single passes
WORTH_MIN = 10.0  # minutes from which a title is worth a proper question


def setups_of(ask: Ask) -> list[Setup]:
    """As it is now, and up to three ways to spend less, each upon the one before where it goes with it."""
    floor = ask.question.terms.floor
    target = floor.value if floor is not None and floor.is_of_frames else Floor().value
    base: dict[str, Level] = {}
    limits = ask.possible(LIMIT, 60) if any(key in ask.knobs for key in LIMITS) else []
    now = ask.now.static_limit_w
    top = now if now is not None and limits and limits[0] <= now <= limits[-1] else (limits[-1] if limits else None)
    if top is not None:
        base |= dict.fromkeys(ask.bundle(LIMIT), top)
    if CAP in ask.knobs:
        base[CAP] = NO_CAP if ask.knobs[CAP].refusal(NO_CAP) is None else target
    if BOOST in ask.knobs:
        base[BOOST] = "on"
    if not base:
        raise PlanError("Neither limits, a cap nor boost can be set here: there is nothing to try.")
    found = [Setup({**base, **ask.base.without(*LIMITS, CAP)})]
    capped = found[0]
    if CAP in ask.knobs and ask.knobs[CAP].refusal(target) is None and base.get(CAP) != target:
        capped = found[0].with_(**{CAP: target})
        found.append(capped)
    if BOOST in ask.knobs and ask.knobs[BOOST].refusal("off") is None:
        found.append(capped.with_(**{BOOST: "off"}))
    if top is not None:
        less = min(limits, key=lambda watts: abs(watts - LESS * top))
        if less < top:
            found.append(capped.with_(**dict.fromkeys(ask.bundle(LIMIT), less)))
    return found


def design(ask: Ask) -> Design:
    """One short pass each. Raises PlanError where nothing can be set."""
    kept, left_out = ask.feasible([Cell(one) for one in setups_of(ask)])
    if len(kept) < 2:
        raise PlanError(f"Nothing is left to try. {' '.join(left_out)}")
    like = ask.lengths(repeats=1, pass_s=PASS_S, soak_s=SOAK_S, cool_s=COOL_S, heat_s=0.0)
    return RoundsDesign(tuple(kept), like, most=ask.most, left_out=left_out)


def answer(seen: Seen) -> Answer:
    """The way that lasts longest of those that likely hold, and how many minutes it gains."""
    groups = [
        (group, option)
        for one in seen.responses
        for group in one.groups
        if (option := option_of(group, seen.question, seen.context)) is not None and group.draw is not None
    ]
    now = _now(groups)
    if now is None or len(groups) < 2:
        return build(seen.responses, seen.question, seen.context)
    held = [one for one in groups if one[0].holds is None or one[0].holds >= LIKELY]
    because = tuple(_told(group, option, now[1]) for group, option in groups)
    if not held:
        return Answer(say("triage.none", setup=describe(now[0].setup)), None, None, because=because)
    group, option = min(held, key=lambda one: one[0].draw.value if one[0].draw is not None else 0.0)
    gain = minutes(now[1], option)
    if gain is None:
        less = 100.0 * (1.0 - option.metrics["draw_w"].value / now[1].metrics["draw_w"].value)
        says = say("triage.watts", setup=describe(group.setup), less=Value(less, "%", digits=0))
        return Answer(says, group.holds, option, because=because)
    values = {"gain": Value(gain, "min", digits=0), "setup": describe(group.setup), "now": describe(now[0].setup)}
    says = say("triage.gain" if gain >= WORTH_MIN else "triage.little", **values)
    return Answer(says, group.holds, option, because=because, lacks=(say("missing.refine"),))


def gain_of(answer_: Answer) -> float | None:
    """Minutes to be gained, of an answer of this kind; None where it tells none."""
    value = answer_.says.values.get("gain")
    return value.number if isinstance(value, Value) else None


def minutes(now: Option, other: Option) -> float | None:
    """Minutes of runtime that one way has over another; None where hours are not known."""
    hours = [option.metrics.get("hours") for option in (now, other)]
    if hours[0] is None or hours[1] is None:
        return None
    return 60.0 * (hours[1].value - hours[0].value)


def _now(groups: list[tuple[Group, Option]]) -> tuple[Group, Option] | None:
    """What comes nearest to the machine as it is: no cap before one, boost on, most watts."""

    def rank(one: tuple[Group, Option]) -> tuple[bool, bool, float]:
        setup = one[0].setup
        cap = setup.get(CAP)
        return (not is_number(cap), setup.get(BOOST) != "off", setup.static_limit_w or 0.0)

    return max(groups, key=rank, default=None)


def _told(group: Group, option: Option, now: Option) -> Message:
    held = {"sure": group.holds} if group.holds is not None else {}
    gain = minutes(now, option)
    values = {"setup": describe(group.setup), **held}
    if gain is None:
        return say("triage.way-watts" if held else "triage.way-plain", **values,
                   watts=Value(option.metrics["draw_w"].value, "W", digits=1))  # fmt: skip
    return say("triage.way" if held else "triage.way-free", **values, gain=Value(gain, "min", digits=0))


KIND = Kind(
    "triage", "find", "find where something is to be gained", LIMIT, design, answer, limits=Limits.RANGE,
    varies=frozenset({*LIMITS, CAP, BOOST}), in_campaign=True, gain=gain_of,
    in_window="It is asked of many titles, as a campaign.",
)  # fmt: skip
