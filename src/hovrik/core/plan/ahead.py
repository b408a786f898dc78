"""What a plan does to battery and die while it runs: predicted charge and die temperature over its minutes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..facts.knob import CAP, NO_CAP
from ..facts.place import Source
from ..facts.rig import Rig
from ..passes.energy import Overhead
from ..passes.heat import TimeConstants
from .schedule import ASSUMED, IDLE_SHARE, Totals, charge_window, expected_draw_w
from .steps import APPLY, MEASURE, PIN, RECHARGE, SOAK, PlannedPass

Array = NDArray[np.float64]

USUAL = TimeConstants(8.0, 240.0)  # of a handheld, where nothing has calibrated it: assumed
FAST = 0.5  # share of the rise that comes with the fast constant, assumed
IDLE_W = 4.0  # package power between passes, assumed
AT_CAP = 0.95  # of the limit, that a capped title takes at most
EACH_S = 15.0  # of the die's line


@dataclass(frozen=True)
class Warming:
    """How a die warms. rise_c_w : settled rise over the room a watt of package power (K/W); room_c; constants : of its
    response."""

    rise_c_w: float
    room_c: float
    constants: TimeConstants = USUAL


@dataclass(frozen=True)
class Ahead:
    """minutes (n,), charge (n,) shares: after each stretch; die_minutes, die_c (m,), empty where nothing tells how the
    die warms. charge is empty where the battery's energy is not known."""

    minutes: Array
    charge: Array
    die_minutes: Array
    die_c: Array


def warming_of(
    settled: Sequence[tuple[float, float]], room_c: float | None, constants: TimeConstants | None
) -> Warming | None:
    """From settled temperatures (C) and the package powers (W) that they belong to; None without any, or without the
    room that they were measured in."""
    rises = [(die - room_c) / watts for die, watts in settled if watts > 0] if room_c is not None else []
    if not rises or room_c is None:
        return None
    return Warming(float(np.median(rises)), room_c, constants or USUAL)


def ahead(
    passes: Sequence[PlannedPass], rig: Rig, taken: Totals, *, start_charge: float = 1.0, overhead: Overhead = ASSUMED,
    warming: Warming | None = None,
) -> Ahead:  # fmt: skip
    """Walk through passes in their order. taken : what they take, with the passes that a recharge precedes."""
    full, (_, high) = rig.full_charge_wh, charge_window(rig)
    each_s = 60.0 * taken.recharge_minutes / taken.recharges if taken.recharges else 0.0
    at, charge = 0.0, min(start_charge, high)
    line, stretches = [(0.0, charge)], []
    for planned in passes:
        plugged = planned.source == Source.ADAPTER  # it takes nothing from the battery
        draw, watts = 0.0 if plugged else expected_draw_w(planned, overhead), _package_w(planned)
        steps = [(step.kind, step.seconds) for step in planned.steps if step.seconds > 0]
        for kind, seconds in ([(RECHARGE, each_s)] if planned.index in taken.recharged else []) + steps:
            busy = kind in (APPLY, PIN, SOAK, MEASURE)
            at += seconds
            if kind == RECHARGE:
                charge = high
            elif full is not None:
                charge -= seconds * draw * (1.0 if busy else IDLE_SHARE) / 3600.0 / full
            line.append((at / 60.0, charge))
            stretches.append((seconds, watts if busy else min(IDLE_W, watts)))
    minutes, shares = np.array(line).T
    die_minutes, die_c = _die(stretches, warming)
    return Ahead(minutes, shares if full is not None else np.empty(0), die_minutes, die_c)


def _package_w(planned: PlannedPass) -> float:
    limit = planned.setup.static_limit_w or 0.0
    return limit * (AT_CAP if planned.setup.get(CAP, NO_CAP) != NO_CAP else 1.0)


def _die(stretches: Sequence[tuple[float, float]], warming: Warming | None) -> tuple[Array, Array]:
    """Two exponentials towards what each power settles at, exact at every place of the line."""
    if warming is None:
        return np.empty(0), np.empty(0)
    taus, shares = (warming.constants.fast_s, warming.constants.slow_s), (FAST, 1 - FAST)
    rise = [share * warming.rise_c_w * IDLE_W for share in shares]
    at, found = 0.0, [(0.0, warming.room_c + sum(rise))]
    for seconds, watts in stretches:
        count = max(math.ceil(seconds / EACH_S), 1)
        goal = [share * warming.rise_c_w * watts for share in shares]
        for number in range(1, count + 1):
            parts = [
                end + (begin - end) * math.exp(-seconds * number / count / tau)
                for begin, end, tau in zip(rise, goal, taus)
            ]
            found.append(((at + seconds * number / count) / 60.0, warming.room_c + sum(parts)))
        rise, at = parts, at + seconds
    minutes, celsius = np.array(found).T
    return minutes, celsius
