"""The best setup overall: several knobs at once, searched pass by pass, for most hours, frames or quiet."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import product

import numpy as np

from ..errors import PlanError
from ..facts.factor import LIMIT, set_by
from ..facts.knob import CAP, LIMITS, NO_CAP, Level, is_number
from ..facts.knobs import OF_PICTURE, knobs_of
from ..facts.panel import even_caps_of
from ..facts.setup import Setup, describe
from ..facts.terms import HOURS, LOW, MEAN, Aim, Floor, Terms
from ..message import Message, Value, say
from ..model.battery import gives
from ..model.twins import BOOST, CPU, GPU
from ..model.worth import JUDGED
from ..passes.figure import floor_figure
from ..plan.design import Design
from ..plan.front import unbeaten
from ..plan.rounds import Cell
from ..plan.search.design import FRESH, MOST, WORTH, SearchDesign
from ..plan.search.goal import Goal
from ..plan.search.judged import Found
from ..plan.search.space import MOST_CANDIDATES, SLOT, plain
from ..read.answer import Answer, build, generated_reasons, option_of, stated
from ..read.generated import barred, is_barred
from ..read.group import Group
from ..read.response import Response
from .caps import LEAST_FPS
from .kind import USUAL as USUAL_FIELDS
from .kind import Ask, Kind, Limits, Seen

WEIGHED = frozenset({HOURS, JUDGED, "die_c"})  # figures that a belief holds
USUAL = (LIMIT, BOOST, CPU, GPU, CAP)  # that are varied where nobody names knobs
MOST_LEVELS = {LIMIT: 32, CAP: 6, CPU: 5, GPU: 6}


def design(ask: Ask) -> Design:
    """A search over the knobs that are named, else over limits, boost, clock ceilings and cap, as far as the machine
    offers them. Raises PlanError where there are none, or the aim is one that passes cannot tell."""
    terms = ask.question.terms
    names = [
        name for name in dict.fromkeys((*(ask.varied or USUAL), LIMIT))
        if not set(set_by(name)) & set(ask.base) and (ask.varied.get(name) or set(set_by(name)) & set(ask.knobs))
    ]  # fmt: skip
    levels: dict[str, tuple[Level, ...]] = {}
    slots = _slots(ask)
    offered_by = {slot: {one.id for one in knobs_of(ask.rig, ask.rig.slot(slot), ask.title)} for slot in slots}
    left_out: list[str] = []
    for name in names:
        keys = ask.bundle(name)
        without = [ask.rig.slot(slot).name for slot, ids in offered_by.items() if not set(keys) <= ids]
        if without:
            left_out.append(f"{ask.knobs[keys[0]].label} cannot be set under {', '.join(without)}.")
            continue
        offered = _caps(ask) if name == CAP and not ask.varied.get(CAP) else ask.levels(name, MOST_LEVELS.get(name, 6))
        cells = [Cell(ask.base.with_(**dict.fromkeys(keys, level))) for level in offered]
        kept, why = ask.feasible(cells)
        left_out += why
        found = tuple(level for level, cell in zip(offered, cells) if cell in kept)
        if len(found) > 1:
            levels[name] = found
    if not levels:
        raise PlanError("Nothing can be varied here: name knobs with two or more levels.")
    levels = _thinned({**levels, SLOT: slots} if slots else levels)
    forbidden = _excluding(ask, levels)
    edge = terms.floor.edge if terms.floor is not None else 0.0
    figure = floor_figure(terms.floor.figure, terms.school) if terms.floor is not None else None
    if terms.floor is not None and terms.floor.figure not in (LOW, MEAN):
        raise PlanError("This search holds a floor of the 1 % low or of the mean rate. Choose one of them.")
    picture = tuple(name for name in levels if name in OF_PICTURE)
    if terms.aim is Aim.PICTURE and not terms.weights and not picture:
        raise PlanError(
            "For the picture a knob of it has to vary: name preset, textures, render_scale or upscaler with levels "
            "from the poorest to the best, or ask which set-up of the title holds."
        )
    weights = tuple((key, weight) for key, weight in (terms.weights or {}).items() if weight > 0)
    if any(key not in WEIGHED for key, _ in weights):
        raise PlanError(
            "This search weighs hours, frames and a cool die. Take the weight of quiet out, or limit noise."
        )
    goal = Goal(
        terms.aim, edge, terms.floor.value if terms.floor is not None else Floor().value,
        figure.id if figure is not None else Goal().figure, _at_most(terms, "die_c"),
        terms.room_c if terms.room_c is not None else Goal().room_c, terms.sure, _draw_limit(ask),
        _at_most(terms, "noise_db"), bool(ask.question.parts.get("front")), picture,
        weights,
    )  # fmt: skip
    base = ask.base.without(*(key for name in levels for key in set_by(name)))
    highest = ask.rig.limit_high_w or max((w for w in _numbers(levels.get(LIMIT, ()))), default=30.0)
    return SearchDesign(
        levels, base, goal, highest, ask.like, ask.most or MOST, forbidden, (), tuple(dict.fromkeys(left_out))
    )


def _slots(ask: Ask) -> tuple[str, ...]:
    """The OS slots that are searched at once, that of the question first; none where it is this one alone."""
    wanted = [str(one) for one in ask.question.parts.get("slots") or ()]
    known_ones = [slot.key for slot in ask.rig.slots if slot.key in wanted]
    first = sorted(known_ones, key=lambda key: key != ask.question.slot)
    return tuple(first) if len(first) > 1 else ()


def _at_most(terms: Terms, figure: str) -> float:
    return next((one.at_most for one in terms.limits if one.figure == figure and one.at_most is not None), math.inf)


def _draw_limit(ask: Ask) -> float:
    """The draw at which the battery lasts as long as is asked, W; inf where nothing is. Raises PlanError where the
    battery is not known, or cannot last so long at all."""
    wanted = next((one.at_least for one in ask.question.terms.limits if one.figure == HOURS and one.at_least), None)
    if wanted is None:
        return math.inf
    low, high = 0.5, 300.0
    if gives(ask.rig, low) is None:
        raise PlanError(f"The battery's energy is not known: {wanted:g} hours cannot be asked for. Note it in Rig.")
    for _ in range(40):
        middle = math.sqrt(low * high)
        found = gives(ask.rig, middle)
        low, high = (middle, high) if found is not None and found.wh / middle >= wanted else (low, middle)
    return low


def _numbers(levels: Sequence[Level]) -> list[float]:
    return [float(level) for level in levels if is_number(level)]


def _caps(ask: Ask) -> tuple[Level, ...]:
    """Caps that the panel shows evenly, about what is asked and above, and none."""
    floor = ask.question.terms.floor
    least = max(LEAST_FPS, 0.97 * floor.value if floor is not None and floor.is_of_frames else 0.0)
    even = sorted({round(one.cap_fps, 3) for one in even_caps_of(ask.rig) if one.cap_fps >= least})
    if floor is not None and floor.is_of_frames:
        even = sorted({*even, float(floor.value)})
    knob = ask.knobs[CAP]
    found: list[Level] = [cap for cap in even if knob.refusal(cap) is None]
    kept = found[: MOST_LEVELS[CAP] - 1]
    return (*kept, NO_CAP) if knob.refusal(NO_CAP) is None else tuple(kept)


def _thinned(levels: dict[str, tuple[Level, ...]]) -> dict[str, tuple[Level, ...]]:
    """At most MOST_CANDIDATES of the product: the longest list loses every second level but its ends."""
    found = dict(levels)
    while math.prod(map(len, found.values())) > MOST_CANDIDATES:
        longest = max((name for name in found if name != SLOT), key=lambda name: len(found[name]))
        own = found[longest]
        if len(own) < 3:
            raise PlanError(f"More than {MOST_CANDIDATES} setups. Name fewer knobs.")
        found[longest] = tuple(level for at, level in enumerate(own) if at % 2 == 0 or at == len(own) - 1)
    return found


def _excluding(ask: Ask, levels: dict[str, tuple[Level, ...]]) -> tuple[Setup, ...]:
    """Setups that functions which exclude each other leave out."""
    keys = set(levels.get(SLOT, (ask.question.slot,)))
    if not any(one.exclusions for one in ask.rig.slots if one.key in keys):
        return ()
    setups = [
        ask.base.with_(**{k: v for n, v in zip(levels, own) for k in set_by(n)}) for own in product(*levels.values())
    ]
    cells = {setup: Cell(plain(setup), str(setup.get(SLOT) or "")) for setup in setups}
    kept = set(ask.feasible(list(cells.values()))[0])
    return tuple(setup for setup, cell in cells.items() if cell not in kept)


def answer(seen: Seen) -> Answer:
    """The setup that is believed best among those measured, how sure that is, and what another pass promises."""
    design_ = seen.design
    if not isinstance(design_, SearchDesign) or not seen.counted:
        return build(seen.responses, seen.question, seen.context)
    out = barred(seen.responses, seen.question, seen.context.live_opponents)
    found = design_.found(seen.counted, seen.failed, seen.responses, out)
    told = generated_reasons(seen.responses, seen.question, seen.context)
    believed = design_.believed(found)
    about = say("best.of", setups=len(design_.setups), passes=int(found.counts.sum()))
    if design_.goal.front:
        return _front(seen, design_, found, about, out)
    if found.pick is None:
        seen_ = np.flatnonzero(found.counts) if found.counts.any() else np.arange(len(design_.setups))
        likely = int(seen_[np.lexsort((believed.low_fps[seen_], found.chances[seen_].round(1)))[-1]])
        says = say("best.none", setup=_words(design_, likely), sure=float(found.chances[likely]))
        return Answer(says, float(found.chances[likely]), None, because=(*told, about, *_next(design_, found)),
                      lacks=(say("missing.search"),), believed=believed)  # fmt: skip
    setup, chance = design_.setups[found.pick], float(found.chances[found.pick])
    at = _group(seen, design_, setup)
    if at is None:
        return build(seen.responses, seen.question, seen.context)
    response, group = at
    group = replace(group, holds=chance)
    made = stated(response, group, seen.question, seen.context, seen.responses, alone=True)
    says = say("best.under", slot=_slot_name(seen, str(setup[SLOT])), says=made.says) if SLOT in setup else made.says
    because = (say("best.sure", sure=found.sure), about, *told, *_next(design_, found), *made.because)
    lacks = made.lacks
    if found.counts[found.pick] < 1 + FRESH:
        lacks = (say("missing.fresh", passes=1 + FRESH - int(found.counts[found.pick])), *lacks)
    sure = seen.question.terms.sure
    if chance < sure:
        says = say("best.open", setup=_words(design_, found.pick), sure=chance, asked=sure)
        return Answer(says, chance, None, because=because, lacks=lacks, believed=believed)
    rival = _rival(found)
    if rival is not None:
        gain = float(np.median(found.worth[:, rival]) - np.median(found.worth[:, found.pick]))
        says = say("best.rival", says=says, setup=_words(design_, rival), sure=float(found.chances[rival]),
                   gain=Value(100 * math.expm1(gain), "%", digits=0))  # fmt: skip
    return replace(made, says=says, holds=chance, because=because, lacks=lacks, believed=believed)


def _rival(found: Found) -> int | None:
    """What was not settled and would give most in place of the pick, were it to hold; None where nothing would."""
    gains = found.gains.copy()
    gains[found.pick] = 0.0
    ahead = np.median(found.worth, axis=0) - np.median(found.worth[:, found.pick])
    gains[(found.chances < 0.05) | (ahead < WORTH)] = 0.0
    at = int(gains.argmax())
    return at if gains[at] >= WORTH else None


MOST_OF_FRONT = 6  # that are named


def _front(
    seen: Seen, design_: SearchDesign, found: Found, about: Message, out: Sequence[Setup]
) -> Answer:  # fmt: skip
    """The measured setups of which none is beaten in hours and frames both, most hours first. out : setups that may not
    be stated."""
    believed = design_.believed(found)
    at = np.array([one for one in np.flatnonzero(found.counts) if not is_barred(plain(design_.setups[one]), out)], int)
    figure = found.belief.rate if design_.goal.figure == "mean_fps" else found.belief.low
    frames = np.exp(np.median(figure, axis=0))
    own = at[unbeaten(np.column_stack((-believed.draw_w[at], frames[at])))] if at.size else at
    shown = own if own.size <= MOST_OF_FRONT else own[np.linspace(0, own.size - 1, MOST_OF_FRONT).round().astype(int)]
    parts = tuple(
        say("best.front-one", setup=_words(design_, int(one)), draw=Value(float(believed.draw_w[one]), "W", digits=1),
            frames=Value(float(frames[one]), "fps", digits=0))
        for one in shown
    )  # fmt: skip
    option = None
    if found.pick is not None and (place := _group(seen, design_, design_.setups[found.pick])) is not None:
        option = option_of(place[1], seen.question, seen.context)
    says = say("best.front", setups=int(own.size), parts=parts)
    return Answer(says, None, option, because=(about, *_next(design_, found)), believed=believed)


def _next(design_: SearchDesign, found: Found) -> list[Message]:
    if found.next is None:
        return []
    gain = Value(100 * math.expm1(found.gain), "%", digits=1)
    if design_.goal.front:
        return [say("best.next-front", setup=_words(design_, found.next), gain=gain)]
    return [say("best.next", setup=_words(design_, found.next), gain=gain, sure=float(found.chances[found.next]))]


def _group(seen: Seen, design_: SearchDesign, setup: Setup) -> tuple[Response, Group] | None:
    """The group of a candidate, in its OS slot where it names one."""
    slots = {one.id: one.point.place.slot for one in seen.counted}
    own = (
        (response, group) for response in seen.responses for group in response.groups
        if group.setup.has(plain(setup)) and (
            SLOT not in setup or design_.space.candidate(group.setup, slots.get(group.passes[0], "")) == setup
        )
    )  # fmt: skip
    return next(own, None)


def _slot_name(seen: Seen, key: str) -> str:
    slots = seen.context.rig.slots if seen.context.rig is not None else ()
    return next((one.name for one in slots if one.key == key), key)


def _words(design_: SearchDesign, at: int) -> str:
    return describe(design_.setups[at])


KIND = Kind(
    "best", "find", "find the best setup overall", LIMIT, design, answer, of_plan=True, limits=Limits.RANGE,
    fields=USUAL_FIELDS | {"options", "sought", "slots"}, options="May vary",
    example="boost=off,on; cap_fps=40,60,none", over_slots=True, in_campaign=True,
    varies=frozenset({*LIMITS, BOOST, CPU, GPU, CAP}), keeps_cap=True,
    passes=(2, 30),
)  # fmt: skip
