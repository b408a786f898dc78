"""The trade between hours and frames: every setup as a point, which ones nothing beats, what would have to give.

Knows groups and terms; no files, no Qt. What was measured and what was predicted stay apart.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from ..facts.knob import inside
from ..facts.setup import Setup
from ..facts.terms import HOURS, Limit, Terms
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from ..read.group import Group
from ..read.limits import kept
from ..read.response import Response
from ..stats.estimate import Estimate

LIKELY = 0.5  # from which a limit counts as kept where it is only drawn
JOULES = "joules_per_frame"
AXES = {HOURS: "hours on a charge", "draw_w": "draw (W)", JOULES: "J a frame", "noise_db": "noise (dB)"}
RISING = frozenset({HOURS})  # more of it is better


class PointKind(StrEnum):
    """How a point came to be."""

    MEASURED = "measured"
    REFERENCE = "reference"
    PREDICTED = "predicted"


@dataclass(frozen=True)
class Point:
    """One setup. values : figure to its estimate ("judged" is that of the floor); holds : probability that it meets
    floor and limits, None where that cannot be judged; fails : what it does not meet; passes : behind it."""

    setup: Setup
    kind: PointKind
    values: dict[str, Estimate]
    holds: float | None
    fails: tuple[Message, ...] = ()
    passes: tuple[str, ...] = ()
    incidents: int = 0

    def at(self, figure: str) -> float:
        """A figure; nan where it is not known."""
        found = self.values.get(figure)
        return found.value if found is not None else math.nan

    @property
    def fits(self) -> bool:
        """Whether it likely meets all that is asked."""
        return not self.fails


@dataclass(frozen=True)
class Relaxed:
    """The smallest change of one limit with which something measured would fit. figure : "floor" or that of the limit;
    value : that it would have to be; setup : that fits then."""

    figure: str
    value: float
    setup: Setup
    says: Message = field(compare=False)


def points_of(responses: Sequence[Response], terms: Terms, hours_of: Callable[[Group], Estimate | None]) -> list[Point]:
    """Every group whose draw and judged figure are known."""
    found = []
    for response in responses:
        for group in response.groups:
            values = {key: mean.estimate(BY_ID[key].unit) for key, mean in group.means.items()}
            if group.judged is not None:
                values["judged"] = group.judged.estimate()
            elif group.rate is not None:
                values["judged"] = group.rate.estimate()
            if (hours := hours_of(group)) is not None:
                values[HOURS] = hours
            if group.draw is not None and group.rate is not None:
                joules, half = math.exp(group.draw.mean - group.rate.mean), 2 * math.hypot(group.draw.se, group.rate.se)
                values[JOULES] = Estimate(joules, joules * math.exp(-half), joules * math.exp(half), "J")
            if "judged" not in values or group.draw is None:
                continue
            kind = PointKind.REFERENCE if group.reference else PointKind.MEASURED
            fails = _fails(group, terms, hours_of)
            found.append(Point(group.setup, kind, values, group.holds, fails, group.passes, group.incidents))
    return found


def _fails(group: Group, terms: Terms, hours_of: Callable[[Group], Estimate | None]) -> tuple[Message, ...]:
    said: list[Message] = []
    holds = group.floor_holds if group.floor_holds is not None else group.holds
    if terms.floor is not None and holds is not None and holds < LIKELY:
        said.append(say("trade.short", target=terms.floor.value, sure=holds))
    for limit in terms.limits:
        chance = kept(group, limit, hours_of)
        if chance is not None and chance < LIKELY:
            said.append(say("trade.breaks", limit=_limit(limit), sure=chance))
    if group.incidents:
        said.append(say("trade.incidents", incidents=group.incidents))
    return tuple(said)


def _limit(limit: Limit) -> Message:
    label, unit = ("hours", "h") if limit.figure == HOURS else (BY_ID[limit.figure].label, BY_ID[limit.figure].unit)
    is_most = limit.at_most is not None
    bound = Value((limit.at_most if is_most else limit.at_least) or 0.0, unit)
    return say("trade.at-most" if is_most else "trade.at-least", figure=inside(label), bound=bound)


def unbeaten(points: Sequence[Point], figure: str) -> list[Point]:
    """The measured points that no other beats in both the judged figure and `figure`, along it."""
    sign = 1.0 if figure in RISING else -1.0
    known = [one for one in points if one.kind is not PointKind.PREDICTED and math.isfinite(one.at(figure))]
    best, kept_ = -math.inf, []
    for one in sorted(known, key=lambda one: (-sign * one.at(figure), -one.at("judged"))):
        if one.at("judged") > best:
            best = one.at("judged")
            kept_.append(one)
    return kept_


def relaxations(points: Sequence[Point], terms: Terms) -> list[Relaxed]:
    """Where nothing measured fits: for each limit alone, the smallest change with which something would."""
    own = [one for one in points if one.kind is not PointKind.PREDICTED and not one.incidents]
    if not own or any(one.fits for one in own):
        return []
    found = []
    if terms.floor is not None and not terms.floor.less_is_better:
        free = [one for one in own if all(fail.id != "trade.breaks" for fail in one.fails)]
        if free:
            best = max(free, key=lambda one: _surely(one, "judged", low=True))
            value = math.floor(_surely(best, "judged", low=True) / (1.0 - terms.floor.tolerance))
            if 0 < value < terms.floor.value:
                says = say("trade.relax-floor", value=float(value), asked=terms.floor.value)
                found.append(Relaxed("floor", float(value), best.setup, says))
    for limit in terms.limits:
        others = [one for one in own if all(fail.id == "trade.breaks" and fail.values["limit"] == _limit(limit)
                                            for fail in one.fails)]  # fmt: skip
        known = [one for one in others if math.isfinite(one.at(limit.figure))]
        if known:
            found.append(_relaxed(limit, known))
    return found


def _relaxed(limit: Limit, known: Sequence[Point]) -> Relaxed:
    is_most = limit.at_most is not None
    best = (min if is_most else max)(known, key=lambda one: _surely(one, limit.figure, low=not is_most))
    value = _surely(best, limit.figure, low=not is_most)
    value = math.ceil(value) if is_most else math.floor(value * 10.0) / 10.0
    unit = "h" if limit.figure == HOURS else BY_ID[limit.figure].unit
    return Relaxed(limit.figure, value, best.setup, say("trade.relax", limit=_limit(limit), value=Value(value, unit)))


def _surely(point: Point, figure: str, *, low: bool) -> float:
    estimate = point.values[figure]
    end = estimate.low if low else estimate.high
    return estimate.value if end is None else end
