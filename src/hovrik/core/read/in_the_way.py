"""What is in the way where nothing that was tried holds: named by the evidence of the findings, before more of what was
tried is advised."""

from __future__ import annotations

from dataclasses import replace

from ..message import Message, say
from .answer import Answer
from .group import Group
from .rules import waits
from .rules.rule import Whole

MORE_WATTS = frozenset({"missing.limits-to", "missing.top"})
NO_WATTS_HELP = frozenset({waits.CEILING, waits.HEAT, waits.CLAMP})
NOT_OF_WATTS = frozenset({waits.CAP, waits.PANEL, waits.ENGINE, waits.POOL, waits.MEMORY})


def with_what_is_in_the_way(answer: Answer, whole: Whole) -> Answer:
    """The answer, with what frames wait for at its best level as the first reason; in its sentence, too, where more
    watts would not change that. One that something holds in is left as it is, as is one whose frames do not tell."""
    first = answer.says.values.get("one", answer.says)
    if not isinstance(first, Message) or first.id != "none-holds":
        return answer
    best = _named(whole, str(first.values["level"]))
    told = waits.told_at(whole, best.setup) if best is not None else None
    if told is None:
        return answer
    waited, message = told
    because = (say("in-the-way", what=message), *answer.because)
    is_told = waited.held in NO_WATTS_HELP or waited.what in NOT_OF_WATTS
    if not is_told or not any(one.id in MORE_WATTS for one in answer.lacks):  # what it advises is another thing
        return replace(answer, because=because)
    says = say("two-sentences", one=first, other=say("in-the-way", what=message))
    lacks = tuple(one for one in answer.lacks if one.id not in MORE_WATTS)
    return replace(answer, says=says, because=because, lacks=lacks)


def _named(whole: Whole, level: str) -> Group | None:
    """The level that is named as the best."""
    groups = ((one, group) for one in whole.responses for group in one.groups)
    return next((group for one, group in groups if one.factor.words(group.level) == level), None)
