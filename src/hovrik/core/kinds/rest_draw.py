"""What the rest draws: each thing beside the title on and off (light, radio, brightness, refresh, sound), best in a
scene that idles, in watts and in minutes of runtime. Every pair from passes of its own; what is not varied is not told.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import PlanError
from ..facts.knob import Knob, Level, inside, is_number
from ..facts.place import Source
from ..message import Value, say
from ..model import battery
from ..passes.figure import BY_ID
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, build
from ..read.group import Counted
from ..stats.estimate import Estimate, t_quantile
from ..stats.least_squares import fitted
from .kind import USUAL, Ask, Kind, Seen

THINGS = ("brightness_percent", "refresh_hz", "sync", "radio", "lighting", "sound")  # where nobody names any
MOST, REPEATS = 8, 3


def pair_of(ask: Ask, name: str) -> tuple[Level, Level]:
    """The two levels of a knob: those that are named, else its ends. Raises PlanError where it has no two."""
    levels = ask.levels(name)
    if len(levels) < 2:
        raise PlanError(f"{name} has one level only. Name two.")
    return levels[0], levels[-1]


def design(ask: Ask) -> Design:
    """The least of everything, and each thing alone at its most, in rounds. Raises PlanError where there is nothing."""
    names = list(ask.varied) or [name for name in THINGS if name in ask.knobs]
    names += [] if ask.varied else [key for key, knob in ask.knobs.items() if knob.by_hand and key not in names]
    names = [name for name in names if name not in ask.base][:MOST]
    pairs = {}
    for name in names:
        try:
            pairs[name] = pair_of(ask, name)
        except PlanError:
            if name in ask.varied:
                raise
    if not pairs:
        raise PlanError("Nothing beside the title can be switched here: name knobs with two levels each.")
    least = ask.base.with_(**{key: pair[0] for name, pair in pairs.items() for key in ask.bundle(name)})
    cells = [Cell(least)]
    cells += [Cell(least.with_(**dict.fromkeys(ask.bundle(name), pair[1]))) for name, pair in pairs.items()]
    kept, left_out = ask.feasible(cells)
    if len(kept) < 2:
        raise PlanError(f"Nothing is left to compare. {' '.join(left_out)}")
    like = ask.lengths(repeats=max(ask.like.repeats, REPEATS), heat_s=0.0)
    return RoundsDesign(tuple(kept), like, most=ask.most, left_out=left_out)


@dataclass(frozen=True)
class Part:
    """One thing. levels : least and most; watts : what the most draws more."""

    name: str
    levels: tuple[Level, Level]
    watts: Estimate


def parts_of(counted: Sequence[Counted], knobs: Mapping[str, Knob] | None = None) -> tuple[list[Part], Estimate | None]:
    """What each knob that passes vary draws, its least level first, and the draw with all at their least; by least
    squares over passes with a spread drawn towards that measured before."""
    rows = [one for one in counted if one.figures.value("draw_w")]
    keys = [key for key in dict.fromkeys(key for one in rows for key in one.asked)
            if len({one.asked.get(key) for one in rows}) == 2 and all(key in one.asked for one in rows)]  # fmt: skip
    if not keys or len(rows) < len(keys) + 2:
        return [], None
    pairs = {key: _least_first(rows, key, (knobs or {}).get(key)) for key in keys}
    signs = np.array([[float(one.asked[key] == pairs[key][1]) for key in keys] for one in rows])
    y = np.array([one.figures.values["draw_w"] for one in rows])
    found = fitted(np.column_stack((np.ones(len(rows)), signs)), y, BY_ID["draw_w"].prior_sd * float(y.mean()))
    t = t_quantile(0.975, found.dof)
    made = []
    for at, key in enumerate(keys, 1):
        value, half = float(found.coefficients[at]), t * float(found.errors[at])
        made.append(Part(key, pairs[key], Estimate(value, value - half, value + half, "W")))
    base, half = float(found.coefficients[0]), t * float(found.errors[0])
    return made, Estimate(base, base - half, base + half, "W")


def _least_first(rows: Sequence[Counted], key: str, knob: Knob | None) -> tuple[Level, Level]:
    """Numbers by their size; of words first the one that most passes have (everything but one thing is at its least),
    of as many the one that the knob names first."""
    named = list(knob.levels) if knob is not None else []
    distinct = sorted({one.asked[key] for one in rows}, key=str)
    distinct.sort(key=lambda level: named.index(level) if level in named else len(named))
    if all(is_number(level) for level in distinct):
        low, high = sorted(distinct, key=float)
        return low, high
    counts = {level: sum(one.asked[key] == level for one in rows) for level in distinct}
    first = max(distinct, key=lambda level: counts[level])
    return first, next(level for level in distinct if level != first)


def answer(seen: Seen) -> Answer:
    """The dearest thing, and each with its watts and minutes."""
    found, base = parts_of(seen.counted, seen.knobs)
    if not found or base is None:
        return build(seen.responses, seen.question, seen.context)
    dearest = sorted(found, key=lambda one: -one.watts.value)
    because = []
    for one in dearest:
        minutes = _minutes(seen, base.value, one.watts)
        values = {"what": _words(one, seen.knobs), "watts": one.watts.as_value()}
        because.append(
            say("rest.part", **values, minutes=minutes) if minutes is not None else say("rest.watts", **values)
        )
    sure = [one for one in dearest if (one.watts.low or 0.0) > 0.0]
    if not sure:
        return Answer(say("rest.none", watts=base.as_value()), None, None, because=tuple(because))
    names = tuple(_words(one, seen.knobs) for one in sure[:3])
    return Answer(say("rest.most", what=names, watts=base.as_value()), None, None, because=tuple(because))


def _minutes(seen: Seen, base_w: float, watts: Estimate) -> Value | None:
    """Minutes of runtime on a charge that it takes."""
    rig = seen.context.rig
    if rig is None or seen.question.source is not Source.BATTERY or base_w <= 0:
        return None

    def lost(more: float) -> float:
        with_, without = (battery.gives(rig, max(w, 0.2), seen.context.used) for w in (base_w + more, base_w))
        if with_ is None or without is None:
            return float("nan")
        return 60.0 * (without.wh / base_w - with_.wh / max(base_w + more, 0.2))

    if battery.gives(rig, base_w, seen.context.used) is None:
        return None
    low, high = map(lost, watts.ends)
    return Value(lost(watts.value), "min", low, high)


def _words(one: Part, knobs: object) -> str:
    knob: Knob | None = knobs.get(one.name) if hasattr(knobs, "get") else None
    label = inside(knob.label) if knob is not None else one.name.replace("_", " ")
    unit = f" {knob.unit}" if knob is not None and knob.unit else ""
    low, high = (f"{level:g}" if is_number(level) else str(level) for level in one.levels)
    return f"{label} {high}{unit} over {low}{unit}"


KIND = Kind(
    "rest-draw", "does it pay", "see what the rest draws", "", design, answer, asks_floor=False,
    fields=USUAL | {"options"}, options="Switched", example="brightness_percent=10,100",
)  # fmt: skip
