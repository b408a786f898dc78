"""What each watt buys: a ladder that is finer where the curve bends; the pick is the last watt that pays."""

from __future__ import annotations

from ..errors import PlanError
from ..facts.factor import LIMIT
from ..facts.knob import is_number
from ..message import Value, say
from ..plan.buys import BuysDesign
from ..plan.design import Design
from ..read import marks
from ..read.answer import Answer, build, option_of, reasons_of
from ..read.response import Response
from .kind import Ask, Kind, Limits, Seen


def design(ask: Ask) -> Design:
    """Two stages over static limits."""
    levels = [float(level) for level in ask.levels(LIMIT, 24) if is_number(level)]
    if len(levels) < 3:
        raise PlanError(f"{len(levels)} limits show no curve. Choose three or more.")
    return BuysDesign(
        tuple(levels), ask.bundle(LIMIT), ask.base, ask.like, ask.question.terms.price, ask.most
    )  # fmt: skip


def answer(seen: Seen) -> Answer:
    """The last level up to which every watt brings what it costs."""
    response = max(seen.responses, key=lambda one: sum(len(g.passes) for g in one.groups), default=None)
    found = {mark.id: mark for mark in marks.find(response, seen.question)} if response is not None else {}
    pays = found.get("last_paying")
    if response is None or pays is None:
        return build(seen.responses, seen.question, seen.context)
    top = pays.value if pays.value is not None else (response.groups[-1].at if pays.low is not None else None)
    reasons = reasons_of(response, seen.question, seen.context, tuple(found.values()))
    if top is None:
        says = say(
            "buys.nothing", level=response.factor.words(response.groups[0].level), price=seen.question.terms.price
        )
        return Answer(says, None, None, marks=tuple(found.values()), because=reasons)
    group = max((one for one in response.groups if one.at <= top + 1e-6), key=lambda one: one.at, default=None)
    if group is None:
        group = response.groups[0]
    option = option_of(group, seen.question, seen.context)
    at = response.groups.index(group)
    up = response.groups[at + 1] if at + 1 < len(response.groups) else None
    says = say(
        "buys.to", level=response.factor.words(group.level), price=seen.question.terms.price,
        span=_ends(pays, response), rate=_rate(group),
    )  # fmt: skip
    return Answer(
        says, group.holds, option, up=option_of(up, seen.question, seen.context) if up else None,
        marks=tuple(found.values()), because=reasons,
    )  # fmt: skip


def _ends(mark: marks.Mark, response: Response) -> Value:
    low = mark.low if mark.low is not None else response.groups[0].at
    high = mark.high if mark.high is not None else response.groups[-1].at
    return Value(mark.value if mark.value is not None else high, "W", low, high)


def _rate(group: object) -> Value:
    mean = getattr(group, "rate", None)
    if mean is None:
        return Value(0.0)
    estimate = mean.estimate()
    return Value(estimate.value, "", estimate.low, estimate.high)


KIND = Kind("watts-buy", "does it pay", "see what each watt buys", LIMIT, design, answer, asks_floor=False,
            limits=Limits.RANGE, uncapped=True, passes=(20, 36))  # fmt: skip
