"""Bounds that a setup has to keep beside its floor: whether each does joins the probability that it holds."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

from ..facts.knob import inside
from ..facts.terms import HOURS, Limit
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from ..stats.estimate import Estimate
from .group import Group
from .response import Response

HoursOf = Callable[[Group], Estimate | None]


def with_limits(responses: Sequence[Response], limits: Sequence[Limit], hours_of: HoursOf) -> list[Response]:
    """Responses whose groups hold floor and limits; one whose figure is not known is not judged by it. hours_of : of a
    group on the battery, None where they are not known."""
    if not limits:
        return list(responses)
    return [replace(one, groups=tuple(_judged(group, limits, hours_of) for group in one.groups)) for one in responses]


def _judged(group: Group, limits: Sequence[Limit], hours_of: HoursOf) -> Group:
    chances = [chance for limit in limits if (chance := kept(group, limit, hours_of)) is not None]
    if not chances or group.holds is None:
        return group
    factor = math.prod(chances)
    of_100 = group.of_100 * factor if group.of_100 is not None else None
    return replace(group, holds=group.holds * factor, of_100=of_100, floor_holds=group.holds)


def kept(group: Group, limit: Limit, hours_of: HoursOf) -> float | None:
    """Probability that a group keeps a bound; None where its figure is not known."""
    from scipy.special import ndtr

    known = _known(group, limit.figure, hours_of)
    if known is None:
        return None
    value, se = known.value, 1e-9
    if known.low is not None and known.high is not None:
        se = max((known.high - known.low) / 3.92, 1e-9)
    found = 1.0
    if limit.at_most is not None:
        found *= float(ndtr((limit.at_most - value) / se))
    if limit.at_least is not None:
        found *= float(ndtr((value - limit.at_least) / se))
    return found


def _known(group: Group | None, figure: str, hours_of: HoursOf) -> Estimate | None:
    if group is None:
        return None
    if figure == HOURS:
        return hours_of(group)
    mean = group.mean(figure)
    return mean.estimate(BY_ID[figure].unit) if mean is not None and figure in BY_ID else None


def reasons(group: Group | None, limits: Sequence[Limit], hours_of: HoursOf) -> list[Message]:
    """How the stated group keeps its bounds, or that a bound could not be judged."""
    said: list[Message] = []
    for limit in limits:
        label, unit = ("hours", "h") if limit.figure == HOURS else (BY_ID[limit.figure].label, BY_ID[limit.figure].unit)
        is_most = limit.at_most is not None
        bound = limit.at_most if is_most else limit.at_least
        known, edge = _known(group, limit.figure, hours_of), Value(bound or 0.0, unit)
        if known is None:
            said.append(
                say("bound.unknown-most" if is_most else "bound.unknown-least", figure=inside(label), bound=edge)
            )
            continue
        value = Value(known.value, unit, known.low, known.high)
        said.append(
            say("bound.kept-most" if is_most else "bound.kept-least", figure=inside(label), value=value, bound=edge)
        )
    return said
