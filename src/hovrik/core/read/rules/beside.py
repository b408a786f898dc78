"""What passes say that are not the question's own: made at another base, or for another question."""

from __future__ import annotations

from collections.abc import Iterable

from ...facts.known_knobs import known
from ...finding import About, Finding
from ...message import say
from ..group import Group
from .rule import Rule, Whole, advice, finding


def _finds(whole: Whole) -> Iterable[Finding]:
    """The least that holds beside, where it is less than what is stated; one finding."""
    question, pick = whole.question, whole.pick
    if question.base is None or question.terms.floor is None or not whole.beside:
        return
    holding = [
        (group.draw.mean, one.factor.words(group.level), group)
        for one in whole.beside for group in one.groups
        if (group.holds or 0.0) >= question.terms.sure and not group.incidents and group.draw is not None
    ]  # fmt: skip
    draw = pick.metrics.get("draw_w") if pick is not None else None
    least = min(holding, key=lambda one: one[0], default=None)
    if least is None or (draw is not None and least[0] >= 0.98 * draw.value):
        return
    apart = _apart(whole, least[2])
    said = {"level": least[1], "target": question.target_fps}
    message = say("rule.beside", setup=apart, **said) if apart else say("rule.beside-asked", **said)
    yield finding("beside", message, About.SETTING, "beside", step=advice("beside"), action="ask/best")


def _apart(whole: Whole, group: Group) -> str:
    """How its setup differs from the base."""
    base, members = dict(whole.question.base or {}), whole.members(group)
    words = [
        (whole.knobs.get(key) or known(key)).words(level)
        for key, level in (members[0].one.point.setup if members else group.setup).items()
        if key in base and not (whole.knobs.get(key) or known(key)).agrees(base[key], level)
    ]  # fmt: skip
    return ", ".join(words)


RULES = (Rule("beside", "the probability of holding that its own passes give it", _finds),)
