"""What limits the rate: single steps of each knob from a centre, and how much the rate follows each."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ..errors import PlanError
from ..facts.factor import LIMIT, set_by
from ..facts.knob import CAP, LIMITS, NONE, Knob, Level, inside, is_number
from ..facts.known_knobs import known
from ..facts.setup import Setup
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, build
from ..read.contrast import Side, contrast
from ..read.group import Counted
from ..read.rules import waits
from ..read.rules.rule import Looked, Whole
from .kind import Ask, Kind, Seen

STEP = 0.15  # by which each knob is moved, down where that is allowed
KNOBS = (LIMIT, "cpu_ceiling_ghz", "gpu_ceiling_mhz", "render_scale", CAP)
PIXELS = "render_scale"  # pixels go with its square, and the rate falls with them
CENTRES, STEPS = 4, 2  # passes at the centre, and at each step
FOLLOWS = 0.2  # an elasticity from which a knob limits the rate


def design(ask: Ask) -> Design:
    """The centre and one step of every knob that the machine offers as a number. Raises PlanError where there is none
    or where the machine does not tell where they stand."""
    base = dict(ask.base)
    centre: dict[str, Level] = {}
    for name in KNOBS:
        keys = [key for key in set_by(name) if key in ask.knobs]
        value = next((ask.base.get(key, ask.now.get(key)) for key in keys), None)
        if keys and is_number(value) and value is not None:
            centre[name] = value
            base.update(dict.fromkeys(keys, value))
    cells = [Cell(Setup(base))] * (CENTRES // STEPS)
    for name, value in centre.items():
        keys = [key for key in set_by(name) if key in ask.knobs]
        other = _moved(float(value), [ask.knobs[key] for key in keys])
        if other is not None:
            cells.append(Cell(Setup({**base, **dict.fromkeys(keys, other)})))
    if len(cells) <= CENTRES // STEPS:
        raise PlanError("No knob that can be set as a number tells where it stands. Give a centre, such as limit_w=12.")
    return RoundsDesign(tuple(cells), ask.lengths(repeats=STEPS, heat_s=0.0), most=ask.most)


def _moved(value: float, knobs: Sequence[Knob]) -> float | None:
    """A step down, else up, on every one of the knobs; None where neither is allowed."""
    for factor in (1 - STEP, 1 + STEP):
        step = knobs[0].step
        moved = value * factor
        if step:
            moved = round(round(moved / step) * step, 6)
            moved = moved if abs(moved - value) > step / 2 else value + math.copysign(step, factor - 1)
        if moved > 0 and all(knob.refusal(moved) is None for knob in knobs):
            return moved
    return None


@dataclass(frozen=True)
class Elasticity:
    """By how many percent the rate follows one percent of a knob; low, high : 95 % interval; between : the levels of
    the knob that tell it, the centre's first."""

    name: str
    value: float
    low: float
    high: float
    between: tuple[float, float]


def elasticities(setups: Mapping[Setup, Sequence[Counted]], centre: Setup | None) -> list[Elasticity]:
    """Of each knob that was moved alone from the centre, by its least step there, the strongest first. setups : passes
    of each."""
    found: dict[str, Elasticity] = {}
    for setup, passes in setups.items():
        moved = [key for key in setup if centre is not None and setup[key] != centre.get(key)]
        if centre is None or not moved or not (set(moved) <= set(LIMITS) or len(moved) == 1) or moved[0] not in centre:
            continue
        name = LIMIT if moved[0] in LIMITS else moved[0]
        a, b = setup[moved[0]], centre[moved[0]]
        if not (is_number(a) and is_number(b)) or NONE in (a, b) or not (float(a) > 0 and float(b) > 0):
            continue
        before = found.get(name)
        if before is not None and _apart(float(a), float(b)) >= _apart(*before.between):
            continue  # further off it tells of other places than the centre
        sides = (Side(a, tuple(passes), (0,) * len(passes)), Side(b, tuple(setups[centre]), (0,) * len(setups[centre])))
        made = contrast(*sides, BY_ID["mean_fps"])
        if made is None or made.percent is None:
            continue
        span = math.log(float(a) / float(b)) * (-2.0 if name == PIXELS else 1.0)
        ends = sorted(math.log1p(percent / 100) / span for percent in made.percent[1:])
        value = math.log1p(made.percent[0] / 100) / span
        found[name] = Elasticity(name, value, ends[0], ends[1], (float(b), float(a)))
    return sorted(found.values(), key=lambda one: -one.value)


def _by_setup(seen: Seen) -> dict[Setup, list[Counted]]:
    setups: dict[Setup, list[Counted]] = {}
    for one in seen.counted:
        setups.setdefault(one.asked, []).append(one)
    return setups


def _centre(setups: Mapping[Setup, Sequence[Counted]]) -> Setup | None:
    """The setup that was measured most often: every other one is held against it."""
    return max(setups, key=lambda setup: len(setups[setup]), default=None)


def _apart(one: float, other: float) -> float:
    return abs(math.log(one / other))


def answer(seen: Seen) -> Answer:
    """The knob that the rate follows most; where none is told to be followed, what the frames themselves say that they
    wait for, else that none is."""
    setups, whole = _by_setup(seen), _whole(seen)
    centre = _centre(setups)
    found = elasticities(setups, centre)
    seen_of = [one.message for rule in waits.RULES for one in rule.finds(whole)]
    if not found:
        said = build(seen.responses, seen.question, seen.context)
        return replace(said, because=(*seen_of, *said.because))
    names = {LIMIT: "power limit", CAP: "cap", PIXELS: "number of pixels"}
    because = [*seen_of, *(_follows(one, names, seen.knobs) for one in found)]
    sure = [one for one in found if one.low > FOLLOWS]
    loose = [one for one in found if one.high > FOLLOWS and one not in sure]
    if sure:
        says = say("limits.by", knobs=tuple(_name(one.name, names, seen.knobs) for one in sure))
    elif centre is not None and (waited := waits.told_at(whole, centre)) is not None:
        says = say("limits.waits", waits=waited[1])
    elif loose:
        says = say("limits.open", knobs=tuple(_name(one.name, names, seen.knobs) for one in loose))
    else:
        says = say("limits.none")
    return Answer(says, None, None, because=tuple(because))


def _whole(seen: Seen) -> Whole:
    """What the rules of what frames wait for look at."""
    looked = [Looked(one) for one in seen.counted]
    return Whole.of(seen.responses, looked, question=seen.question, context=seen.context, knobs=seen.knobs)


def _follows(one: Elasticity, names: Mapping[str, str], knobs: Mapping[str, Knob]) -> Message:
    """By how much the rate follows a knob, and between which of its levels."""
    key = LIMITS[0] if one.name == LIMIT else one.name
    knob = knobs.get(key) or known(key)
    start, end = (Value(level, knob.unit) if knob.unit else Value(level) for level in one.between)
    return say(
        "limits.follows", knob=_name(one.name, names, knobs), start=start, end=end,
        by=Value(100 * one.value, "%", 100 * one.low, 100 * one.high),
    )  # fmt: skip


def _name(key: str, names: Mapping[str, str], knobs: Mapping[str, Knob]) -> str:
    if key in names:
        return names[key]
    label = knobs[key].label if key in knobs else key
    return inside(label)


KIND = Kind("limits-it", "look", "see what limits the rate", LIMIT, design, answer, asks_floor=False,
            button="See what limits it")  # fmt: skip
