"""The trade map of an evaluation: measured setups, and caps that are predicted."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from ..core import words
from ..core.choose.trade import JOULES, Point, PointKind, Relaxed, points_of, relaxations
from ..core.choose.weighed import ranked, told
from ..core.facts.knob import CAP
from ..core.facts.setup import describe
from ..core.facts.terms import HOURS
from ..core.read.answer import hours_of
from ..core.stats.estimate import Estimate
from .capping import CapRow, caps_of, predicted_from
from .gather import Evaluation


@dataclass(frozen=True)
class Trade:
    """points : measured and predicted; relaxed : what would have to give where none fits; pick : number of the answer's
    point, None where it states none; now : numbers of the references."""

    points: tuple[Point, ...]
    relaxed: tuple[Relaxed, ...]
    pick: int | None
    now: tuple[int, ...]


def trade_of(evaluation: Evaluation, wanted: Callable[[], bool] = lambda: True) -> Trade:
    """The map; predicted caps only where the panel and frame times are known."""
    question, context = evaluation.question, evaluation.context
    of = partial(hours_of, question=question, context=context)
    measured = points_of(evaluation.responses, question.terms, of)
    rows = caps_of(evaluation, wanted) if wanted() else ()
    points = (*measured, *_predicted(evaluation, rows))
    option = evaluation.answer.option
    pick = next((at for at, one in enumerate(points) if option and one.setup == option.setup), None)
    now = tuple(at for at, one in enumerate(points) if one.kind is PointKind.REFERENCE)
    return Trade(points, tuple(relaxations(measured, question.terms)), pick, now)


def weighed_words(evaluation: Evaluation) -> list[str]:
    """Measured setups by the question's weights: which is worth most, and where the order flips."""
    question, context = evaluation.question, evaluation.context
    of = partial(hours_of, question=question, context=context)
    points = points_of(evaluation.responses, question.terms, of)
    weights = question.terms.weights or {}
    found = ranked(points, weights, context.room_c)
    if found is None:
        return ["Nothing that fits can be weighed: a figure that counts is not known of it."]
    return [words.render(one) for one in told(points, found, weights, [describe(one.setup) for one in points])]


def _predicted(evaluation: Evaluation, rows: Sequence[CapRow]) -> list[Point]:
    """A point a cap that no pass was made with."""
    response = predicted_from(evaluation)
    if response is None:
        return []
    made = {group.setup.get(CAP) for one in evaluation.responses for group in one.groups}
    found = []
    for row in rows:
        at = row.at
        group = response.group(at.level)
        if group is None or row.even.cap_fps in made or at.low is None or at.draw is None:
            continue
        values: dict[str, Estimate] = {"judged": at.low, "mean_fps": at.rate, "draw_w": at.draw}
        values |= {HOURS: row.hours} if row.hours is not None else {}
        values |= {"package_w": at.package} if at.package is not None else {}
        values[JOULES] = Estimate(at.draw.value / at.rate.value, None, None, "J")
        setup = group.setup.with_(**{CAP: row.even.cap_fps})
        found.append(Point(setup, PointKind.PREDICTED, values, None, (), group.passes))
    return found
