"""Which caps would hold, predicted from passes without one (or with a higher one): off the interface's thread."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ..core.facts.panel import EvenCap, even_caps_of
from ..core.facts.place import Source
from ..core.model import battery
from ..core.model.capped import Capped, capped
from ..core.model.ladder import Ladder
from ..core.passes.figure import low_id
from ..core.read.response import Response
from ..core.stats.estimate import Estimate, Mean
from .gather import Evaluation


@dataclass(frozen=True)
class CapRow:
    """A cap that the panel shows evenly. at : the lowest level that would hold it as surely as is asked, else the one
    that comes nearest; sure : whether it is the former; hours : on a charge, None where they are not known."""

    even: EvenCap
    at: Capped
    sure: bool
    hours: Estimate | None


def predicted_from(evaluation: Evaluation) -> Response | None:
    """The response that caps are predicted from: along watts, without a cap before with one, the fullest first."""
    usable = [one for one in evaluation.responses if one.ladder is not None and one.factor.unit == "W"]

    def rank(one: Response) -> tuple[bool, float, int]:
        caps = [cap for cap in _ladder(one).caps if cap is not None]
        return not caps, max(caps, default=0.0), sum(len(group.passes) for group in one.groups)

    return max(usable, key=rank, default=None)


def caps_of(evaluation: Evaluation, wanted: Callable[[], bool] = lambda: True) -> tuple[CapRow, ...]:
    """A row a cap, highest first; none where the panel is not known or no pass carries frames."""
    rig, response = evaluation.rig, predicted_from(evaluation)
    if rig is None or response is None:
        return ()
    question, found = evaluation.question, []
    low, tolerance = low_id(question.school), question.terms.tolerance
    for even in even_caps_of(rig):
        if not wanted():
            break
        levels = [one for one in capped(_ladder(response), even.cap_fps, tolerance, low) if one is not None]
        judged = [one for one in levels if one.holds is not None]
        if not judged:
            continue
        first = next((one for one in judged if (one.holds or 0.0) >= question.terms.sure), None)
        at = first or max(judged, key=lambda one: one.holds or 0.0)
        hours = _hours(evaluation, at) if question.source is Source.BATTERY else None
        found.append(CapRow(even, at, first is not None, hours))
    return tuple(found)


def _ladder(response: Response) -> Ladder:
    assert response.ladder is not None
    return response.ladder


def _hours(evaluation: Evaluation, at: Capped) -> Estimate | None:
    draw = at.draw
    if draw is None or evaluation.rig is None or draw.low is None or draw.high is None or draw.low <= 0:
        return None
    se = math.log(draw.high / draw.low) / (2 * 1.96)
    mean = Mean(math.log(draw.value), se, 1e6, draw.n)
    return battery.hours(evaluation.rig, mean, evaluation.context.used)
