"""Bounds that a setup has to keep beside its floor: whether each does joins the probability that it holds."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from ..facts.knob import inside
from ..facts.terms import Limit
from ..message import Message, Value, say
from ..passes.figure import BY_ID
from .group import Group
from .response import Response


def with_limits(responses: Sequence[Response], limits: Sequence[Limit]) -> list[Response]:
    """Responses whose groups hold floor and limits; one whose figure is not known is not judged by it."""
    if not limits:
        return list(responses)
    return [replace(one, groups=tuple(_judged(group, limits) for group in one.groups)) for one in responses]


def _judged(group: Group, limits: Sequence[Limit]) -> Group:
    chances = [chance for limit in limits if (chance := kept(group, limit)) is not None]
    if not chances or group.holds is None:
        return group
    factor = math.prod(chances)
    of_100 = group.of_100 * factor if group.of_100 is not None else None
    return replace(group, holds=group.holds * factor, of_100=of_100, floor_holds=group.holds)


def kept(group: Group, limit: Limit) -> float | None:
    """Probability that a group keeps a bound; None where its figure is not known."""
    from scipy.special import ndtr

    mean = group.mean(limit.figure)
    if mean is None:
        return None
    value, se = mean.value, max(mean.value_se, 1e-9)
    found = 1.0
    if limit.at_most is not None:
        found *= float(ndtr((limit.at_most - value) / se))
    if limit.at_least is not None:
        found *= float(ndtr((value - limit.at_least) / se))
    return found


def reasons(group: Group | None, limits: Sequence[Limit]) -> list[Message]:
    """How the stated group keeps its bounds, or that a bound could not be judged."""
    said: list[Message] = []
    for limit in limits:
        figure = BY_ID[limit.figure]
        bound = limit.at_most if limit.at_most is not None else limit.at_least
        mean = group.mean(limit.figure) if group is not None else None
        edge = Value(bound or 0.0, figure.unit)
        if mean is None:
            said.append(say("bound.unknown", figure=inside(figure.label), bound=edge))
            continue
        estimate = mean.estimate(figure.unit)
        value = Value(estimate.value, figure.unit, estimate.low, estimate.high)
        said.append(say("bound.kept", figure=inside(figure.label), value=value, bound=edge))
    return said
