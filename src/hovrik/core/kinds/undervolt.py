"""How far the undervolt can go: offsets of zero or less, within what the maker allows, step by step, soaked before one
may be kept. Every fault is an incident. What it finds is set by hand: it goes into no profile and no export.
"""

from __future__ import annotations

import numpy as np

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import CAP, LIMITS, NO_CAP
from ..facts.known_knobs import known
from ..message import Value, say
from ..passes.figure import BY_ID
from ..passes.purpose import VERIFY
from ..plan.design import Design
from ..plan.undervolt import UndervoltDesign
from ..read.answer import Answer
from ..stats.estimate import t_quantile
from ..stats.least_squares import fitted
from .kind import USUAL, Ask, Kind, Seen

DOMAINS = ("cpu_offset_mv", "gpu_offset_mv")


def design(ask: Ask) -> Design:
    """The walk over the offsets that the machine has, at one limit without a cap. Raises PlanError without any."""
    own = [key for key in DOMAINS if key in ask.knobs]
    lowest = []
    for key in own:
        low, high = ask.knobs[key].low, ask.knobs[key].high
        if low is None or low >= 0 or high is None or high > 0:
            raise PlanError(f"{ask.knobs[key].label}: what the maker allows is not noted. Note it in Rig.")
        lowest.append(low)
    if not own:
        raise PlanError(
            "No voltage offset can be set here. Where the maker allows one, note how far down in Rig; never further."
        )
    base = ask.base.without(*DOMAINS)
    if not set(base) & set(LIMITS) and any(key in ask.knobs for key in LIMITS):
        levels = ask.possible(LIMIT, 60)
        base = base.with_(**dict.fromkeys(ask.bundle(LIMIT), levels[len(levels) // 2])) if levels else base
    if CAP in ask.knobs and ask.knobs[CAP].refusal(NO_CAP) is None:
        base = base.with_(**{CAP: NO_CAP})  # a cap would hide what it buys
    return UndervoltDesign(tuple(own), tuple(lowest), base, ask.like)


def answer(seen: Seen) -> Answer:
    """What stood its soak, what it buys at equal watts, where the first fault was."""
    design_ = seen.design
    if not isinstance(design_, UndervoltDesign) or not seen.counted:
        return Answer(say("volt.none"), None, None, lacks=(say("missing.volt"),))
    walk = design_.walk(seen.counted, seen.failed)
    faults = [at for setup in seen.failed if (at := design_.offsets(setup)) is not None and any(v < 0 for v in at)]
    told = list(dict.fromkeys(faults))[:4]  # a pass that failed is an incident too
    because = tuple(say("volt.fault", offsets=_words(design_, at)) for at in told)
    lacks = (say("missing.volt"),) if walk.at is not None else ()
    if not any(v < 0 for v in walk.kept):
        stood = any(
            one.purpose == VERIFY and any(v < 0 for v in design_.offsets(one.asked) or ()) for one in seen.counted
        )
        says = say("volt.walking" if walk.at is not None else "volt.little" if stood else "volt.nothing", why=walk.why)
        return Answer(says, None, None, because=because, lacks=lacks)
    gain = _gain(seen, design_, walk.kept)
    values = {"offsets": _words(design_, walk.kept), "minutes": Value(design_.soak_s / 60.0, "min", digits=0)}
    if gain is not None and (gain.low or 0.0) <= 0.0:  # a gain that is not told is none to print
        because, gain = (*because, say("volt.untold")), None
    if gain is None:
        return Answer(say("volt.stands", **values), None, None, because=because, lacks=lacks)
    return Answer(say("volt.gain", **values, gain=gain), None, None, because=because, lacks=lacks)


def _gain(seen: Seen, design_: UndervoltDesign, kept: tuple[float, ...]) -> Value | None:
    """By how much the rate is higher at the same limit, percent with its interval."""
    zero = (0.0,) * len(kept)
    rows = [(rate, at == kept) for one in seen.counted if (rate := one.figures.value("mean_fps"))
            and (at := design_.offsets(one.asked)) in (zero, kept)]  # fmt: skip
    if len({is_kept for _, is_kept in rows}) < 2:
        return None
    y, after = np.log([rate for rate, _ in rows]), np.array([float(is_kept) for _, is_kept in rows])
    found = fitted(np.column_stack((np.ones(y.size), after)), y, BY_ID["mean_fps"].prior_sd)
    value, half = float(found.coefficients[1]), t_quantile(0.975, found.dof) * float(found.errors[1])
    ends = [100.0 * float(np.expm1(end)) for end in (value, value - half, value + half)]
    return Value(ends[0], "%", ends[1], ends[2])


def _words(design_: UndervoltDesign, offsets: tuple[float, ...]) -> str:
    setup = design_.setup(offsets)
    return ", ".join(known(key).words(setup[key]) for key in design_.domains)


CAUTION = (
    "A voltage that is too low crashes the machine and can spoil what is being written. Save and close all else; "
    "stay within what the maker allows. It is never raised, and what is found is set by hand, by you."
)
KIND = Kind(
    "undervolt", "find", "find how far the undervolt can go", "", design, answer, asks_floor=False, of_plan=True,
    fields=USUAL - {"pass_s", "cool_s"}, voltage=True, varies=frozenset(DOMAINS), caution=CAUTION,
    in_window="A person has to be there: the machine may crash.",
    passes=(2, 8),
)  # fmt: skip
