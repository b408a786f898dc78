"""Setups weighed by a player's own points: which is worth most, and how far a weight can move before that flips."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..facts.terms import MOST_WEIGHT
from ..message import Message, Value, say
from ..model.worth import FIGURES, USUAL_ROOM_C, counting, terms_of, worth_of
from .trade import Point


@dataclass(frozen=True)
class Ranked:
    """points : numbers of those that count, best first; worths : of each, in percent (100 x its log less that of the
    best); flips : figure to the weights between which the first stays first (its own weight within), 0 and inf
    where it always does; parts : figure to what it adds to the first less the second, weighed."""

    points: tuple[int, ...]
    worths: tuple[float, ...]
    flips: Mapping[str, tuple[float, float]]
    parts: Mapping[str, float]


def ranked(points: Sequence[Point], weights: Mapping[str, float], room_c: float | None) -> Ranked | None:
    """Those that fit by their weights, best first; None where none can be weighed."""
    room = USUAL_ROOM_C if room_c is None else room_c
    worths = {
        at: worth for at, one in enumerate(points)
        if one.fits and not one.incidents and (worth := worth_of(one.values, weights, room)) is not None
    }  # fmt: skip
    if not worths:
        return None
    order = sorted(worths, key=lambda at: -worths[at])
    best = worths[order[0]]
    own = {at: terms_of(points[at].values, room) for at in order}
    wanted = counting(weights)
    flips = {key: _stays(own, order, wanted, key) for key in wanted}
    parts = {
        key: wanted[key] * (own[order[0]][key] - own[order[1]][key]) for key in flips
    } if len(order) > 1 else {}  # fmt: skip
    return Ranked(tuple(order), tuple(100.0 * (worths[at] - best) for at in order), flips, parts)


def _stays(
    own: Mapping[int, Mapping[str, float]], order: Sequence[int], weights: Mapping[str, float], key: str
) -> tuple[float, float]:
    """Between which weights of a figure the first stays first, the others as they are: worths are linear in it."""
    low, high, first = 0.0, math.inf, own[order[0]]
    for at in order[1:]:
        slope = first[key] - own[at][key]
        rest = sum(w * (first[k] - own[at][k]) for k, w in weights.items() if k != key)
        if slope > 0:
            low = max(low, -rest / slope)
        elif slope < 0:
            high = min(high, rest / -slope)
    return low, high


def told(points: Sequence[Point], found: Ranked, weights: Mapping[str, float], names: Sequence[str]) -> list[Message]:
    """The first and the second by the weights, what tells them apart, and where the order flips. names : of the points,
    in words."""
    first = names[found.points[0]]
    if len(found.points) < 2:
        return [say("weighed.alone", setup=first)]
    second = names[found.points[1]]
    parts = sorted(found.parts.items(), key=lambda pair: -abs(pair[1]))
    apart = tuple(
        say("weighed.part", figure=FIGURES[key], by=Value(100.0 * size, digits=1))
        for key, size in parts
        if abs(size) > 5e-4
    )
    said = [say("weighed.first", setup=first, other=second, by=Value(-found.worths[1], digits=1), parts=apart)]
    for key, (low, high) in found.flips.items():
        if low > 0:
            said.append(say("weighed.flips-under", figure=FIGURES[key], weight=Value(low, digits=2)))
        if high <= MOST_WEIGHT:
            said.append(say("weighed.flips-over", figure=FIGURES[key], weight=Value(high, digits=2)))
    return said
