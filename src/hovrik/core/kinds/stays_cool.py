"""The highest limit that stays cool, or quiet, for ever: long settled passes, and where the cooler meets a limit.

No offset of a voltage belongs in it: what is taken for granted first has to hold without one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import LIMITS
from ..message import Message, Value, say
from ..model.cooler import Cooler, Rise, cooler_of, follows_of
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, Option, build, option_of
from ..read.group import Counted
from ..read.response import Response
from ..stats.estimate import Estimate
from .kind import Ask, Kind, Limits, Seen

PLACES = (0.3, 0.6, 0.95)  # of the range of limits
PASS_S, SOAK_S, COOL_S = 900.0, 60.0, 60.0
MARGIN = 0.2  # common practice, no source: a fifth under what the cooler carries
HOTTER = 10.0
LEAST_S = 600.0  # a pass this long has settled by its end
# log of the rise, of a settled value, of the end of a long pass, of a short one whose watts were taken back
SETTLED_SD, END_SD, SHORT_SD = 0.02, 0.04, 0.15
DIE_C, ROOM_C = 95.0, 23.0  # where nobody noted them
NOISE_SD = 1.0  # dB


def design(ask: Ask) -> Design:
    """Three limits, a quarter of an hour each. Raises PlanError where no limit can be set, or a voltage is moved."""
    if any("offset" in key for key in (*ask.base, *ask.varied)):
        raise PlanError("No voltage offset belongs in this: take it out, and measure without it first.")
    keys = ask.bundle(LIMIT)
    levels = ask.possible(LIMIT, 60)
    if len(levels) < 2:
        raise PlanError("One limit tells no line. Choose a range of limits.")
    chosen = sorted({levels[round(place * (len(levels) - 1))] for place in PLACES}) if len(levels) > 3 else levels
    cells = tuple(Cell(ask.base.with_(**dict.fromkeys(keys, level))) for level in chosen)
    like = ask.lengths(repeats=1, pass_s=PASS_S, soak_s=SOAK_S, cool_s=COOL_S, heat_s=0.0, until_settled=True)
    return RoundsDesign(cells, like, most=ask.most)


def rises_of(passes: Sequence[Counted], room_c: float) -> list[Rise]:
    """Settled rises of passes: as calibrated, else at the end of a long one. room_c : where none was noted."""
    found = []
    for one in passes:
        watts, room = one.figures.value("package_w"), one.point.number("room_c")
        settled, end = one.figures.value("die_c"), one.figures.value("die_end_c")
        long = one.figures.frames is not None and one.figures.frames.seconds >= LEAST_S
        die, sd = (settled, SETTLED_SD) if settled is not None and not long else (end if long else None, END_SD)
        if watts is None or die is None:
            continue
        rise = die - (room if room is not None else room_c)
        own = one.figures.errors.get("die_c", 0.0) if not long else 0.0
        if rise > 1.0:
            found.append(Rise(watts, rise, math.hypot(sd, own / rise)))
    return found


def taken_back(passes: Sequence[Counted], room_c: float) -> list[Rise]:
    """Passes in which the machine took watts back: the die is held where it may be, and what the package takes at the
    end is what the cooler carries away there."""
    found = []
    for one in passes:
        watts, end, room = (one.figures.value("package_end_w"), one.figures.value("die_end_c"),
                            one.point.number("room_c"))  # fmt: skip
        rise = end - (room if room is not None else room_c) if end is not None else 0.0
        long = one.figures.frames is not None and one.figures.frames.seconds >= LEAST_S
        if watts and rise > 1.0:
            found.append(Rise(watts, rise, END_SD if long else SHORT_SD))
    return found


def answer(seen: Seen) -> Answer:
    """The watts that the cooler carries in this room and in a hotter one, and the limit with a margin under them."""
    rig, terms = seen.context.rig, seen.question.terms
    noted = [one for looked in seen.read if (one := looked.point.number("room_c")) is not None]
    own = seen.context.room_c if seen.context.room_c is not None else sum(noted) / len(noted) if noted else ROOM_C
    room = terms.room_c if terms.room_c is not None else own
    bound = next((one.at_most for one in terms.limits if one.figure == "die_c" and one.at_most is not None), None)
    die = bound or (rig.die_limit_c if rig is not None and rig.die_limit_c is not None else DIE_C)
    speeds = [speed for one in seen.counted if (speed := one.figures.value("fan_rpm")) is not None]
    rises = [*rises_of(seen.counted, room), *taken_back(seen.read, room)]
    cooler = cooler_of(rises, follows=follows_of(speeds))
    if cooler is None:
        return build(seen.responses, seen.question, seen.context)
    here, there = cooler.carries(die - room), cooler.carries(max(die - room - HOTTER, 1.0), HOTTER)
    quiet = _quiet(seen)
    bounds = [here, *([quiet] if quiet is not None else [])]
    carried = min(bounds, key=lambda one: one.low or one.value)
    highest = rig.limit_high_w if rig is not None else None
    response = max(seen.responses, key=lambda one: len(one.groups), default=None)
    step = rig.limit_step_w if rig is not None else 1.0
    pick = math.floor((1.0 - MARGIN) * (carried.value) / step + 1e-9) * step
    pick = min(pick, highest) if highest is not None else pick
    least = rig.limit_low_w if rig is not None else None
    top = max(one.watts for one in rises)
    hot = Value(room + HOTTER, "C", digits=0)
    is_beyond = (there.low or 0.0) > top  # no further than was measured
    because = [
        say("cool.hotter-too", room=hot) if is_beyond else say("cool.hotter", room=hot, watts=there.as_value()),
        say("cool.rise", watts=Value(pick, "W"), die=_die(cooler, pick, room)),
        *([say("cool.quiet", noise=_decibels(seen), watts=quiet.as_value())] if quiet else []),
        *_noise_there(seen, pick),
        *_settles(seen),
        say("cool.passes", passes=len(rises)),
    ]  # fmt: skip
    what = Value(die, "C", digits=0)
    tried = max((group.at for one in seen.responses for group in one.groups if math.isfinite(group.at)), default=None)
    if tried is not None and (here.low or 0.0) > top and quiet is None:
        says = say("cool.always", highest=Value(tried, "W"), die=what, room=Value(room, "C", digits=0))
        return Answer(says, None, _option(seen, response, tried), because=tuple(because[:1] + because[2:]))
    if least is not None and pick < least:
        says = say("cool.never", least=Value(least, "W"), watts=carried.as_value(), die=what)
        return Answer(says, None, None, because=tuple(because))
    here_c = Value(room, "C", digits=0)
    says = say("cool.carries", watts=carried.as_value(), die=what, room=here_c, pick=Value(pick, "W"))
    lacks = () if len({round(one.watts) for one in rises}) > 1 else (say("missing.cool-level"),)
    return Answer(says, None, _option(seen, response, pick), because=tuple(because), lacks=lacks)


def _option(seen: Seen, response: Response | None, level: float) -> Option | None:
    """The setup at the pick: a measured group where there is one, else its limits with nothing measured."""
    group = response.group(level) if response is not None else None
    if group is not None:
        return option_of(group, seen.question, seen.context)
    setups = [one.setup for one in response.groups] if response is not None else []
    like = next(iter((*setups, *(one.asked for one in seen.read))), None)
    if like is None:
        return None
    keys = [key for key in LIMITS if key in like]
    return Option(like.with_(**dict.fromkeys(keys, level)), level, None, {}) if keys else None


def _settles(seen: Seen) -> list[Message]:
    """What the highest limit at which watts were taken back came down to."""
    held = [(limit, one) for one in seen.read if (limit := one.asked.static_limit_w) is not None]
    if not held:
        return []
    highest = max(limit for limit, _ in held)
    ends = [(w, d) for limit, one in held if limit == highest
            if (w := one.figures.value("package_end_w")) is not None
            and (d := one.figures.value("die_end_c")) is not None]  # fmt: skip
    if not ends:
        return []
    watts, die = (sum(pair[at] for pair in ends) / len(ends) for at in (0, 1))
    tried = tuple(f"{limit:g} W" for limit in sorted({limit for limit, _ in held}))
    return [say("cool.settles", watts=Value(watts, "W", digits=1), die=Value(die, "C", digits=0), tried=tried)]


def _bound(seen: Seen, figure: str) -> float | None:
    return next((one.at_most for one in seen.question.terms.limits if one.figure == figure), None)


def _quiet(seen: Seen) -> Estimate | None:
    """Watts at which the noise that is asked for is reached, by a line over their log; None where none is asked."""
    most = _bound(seen, "noise_db")
    rows = [(one.figures.value("package_w"), one.figures.value("noise_db")) for one in seen.counted]
    known = [(math.log(w), n) for w, n in rows if w and n is not None]
    if most is None or len({round(x, 2) for x, _ in known}) < 2:
        return None
    x, y = np.array(known).T
    design_ = np.column_stack((np.ones(x.size), x - x.mean()))
    covariance = np.linalg.inv(design_.T @ design_) * NOISE_SD**2
    mean = np.linalg.lstsq(design_, y, rcond=None)[0]
    level, slope = np.random.default_rng((x.size, 7)).multivariate_normal(mean, covariance, 2000).T
    watts = np.exp(np.clip((most - level) / np.maximum(slope, 0.5), -6.0, 6.0) + x.mean())
    low, middle, high = np.quantile(watts, (0.025, 0.5, 0.975))
    return Estimate(float(middle), float(low), float(high), "W")


def _decibels(seen: Seen) -> Value:
    return Value(_bound(seen, "noise_db") or 0.0, "dB")


def _noise_there(seen: Seen, pick: float) -> list[Message]:
    near = [
        (abs(w - pick), n) for one in seen.counted
        if (w := one.figures.value("package_w")) is not None and (n := one.figures.value("noise_db")) is not None
    ]  # fmt: skip
    return [say("cool.noise", noise=Value(min(near)[1], "dB", digits=0))] if near else []


def _die(cooler: Cooler, watts: float, room: float) -> Value:
    rise = cooler.rise_at(max(watts, 0.5))
    return Value(room + rise.value, "C", room + (rise.low or rise.value), room + (rise.high or rise.value))


KIND = Kind("stays-cool", "find", "find the highest limit that stays cool", LIMIT, design, answer, asks_floor=False,
            reads=frozenset({"throttled"}), limits=Limits.RANGE, takes=(0.6, 1.2))  # fmt: skip
