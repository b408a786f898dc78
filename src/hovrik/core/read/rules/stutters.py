"""Stutters rather than the rate, and what is to blame for them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ...facts.knob import is_number
from ...finding import About, Finding
from ...message import Message, Value, say
from ...passes.figure import low_id
from ...stats.estimate import Mean
from ..group import Group
from .rule import Rule, Whole, advice, finding
from .waits import levels_of

FEWEST = 8.0  # stutters a minute, lower end of the interval
FAR = 0.6  # of the mean rate, under which a low lies that stutters and not the rate pull down
SHARE = 0.006  # of all frames that stutter, from which they reach into the slowest 1 %
ENDED = 0.4  # of the stutters at the lowest level, up to which the highest one would have ended them
NEARLY = 0.95  # of a pool of memory


def _stutters(whole: Whole) -> Iterable[Finding]:
    """Levels whose low stutters pull down while their rate is fine, where more of the factor does not end it."""
    for response in whole.responses[:1]:
        rows = [(one, _told(one, whole)) for one in response.groups]
        bad = [(one, told) for one, told in rows if told is not None]
        if not bad or len(bad) < 0.5 * len(rows):
            continue
        counts = [count.value for one in response.groups if (count := one.mean("stutters_per_min")) is not None]
        if response.factor.is_number and len(counts) > 2 and counts[-1] < ENDED * counts[0]:
            continue  # what more watts end is told by the answer itself
        groups = [one for one, _ in bad]
        mean, low, often = (sum(told[at] for _, told in bad) / len(bad) for at in range(3))
        cause, values = _cause(whole, groups)
        said = say(
            "rule.stutters", levels=levels_of(response, [one.level for one in groups]), often=Value(often, digits=0),
            mean=Value(mean, digits=0), slow=Value(low, digits=0), cause=cause,
        )  # fmt: skip
        yield finding("stutters", said, About.GROUP, groups[0].passes[0], step=advice(f"stutters.{values}"), worry=True)


def _told(group: Group, whole: Whole) -> tuple[float, float, float] | None:
    """(mean, low, stutters a minute) of a level that stutters; None of any other."""
    count, low = group.mean("stutters_per_min"), group.mean(low_id(whole.question.school))
    if count is None or low is None or group.rate is None:
        return None
    mean, least = group.rate.value, _least(count)
    if least < FEWEST or low.value > FAR * mean or count.value / (60.0 * mean) < SHARE:
        return None
    return mean, low.value, count.value


def _least(count: Mean) -> float:
    return count.estimate().low or count.value - 1.96 * max(count.value, 1.0) ** 0.5


def _cause(whole: Whole, groups: Sequence[Group]) -> tuple[Message, str]:
    """What memory says of it, and what to do: "memory" where it is full or the title wants more than there is."""
    members = [looked.one for group in groups for looked in whole.members(group)]
    used = max((m for one in members if (m := one.figures.value("memory_mb")) is not None), default=None)
    split = members[0].point.setup.get("memory_split_gb") if members else None
    pool = float(split) if is_number(split) and split else None
    wants = whole.title.memory_gb if whole.title is not None else None
    has = pool or (whole.rig.memory_gb if whole.rig is not None else None)
    if used is not None and has and used >= 1000.0 * NEARLY * has:
        return say("rule.stutters.used", used=Value(used / 1000.0, "GB", digits=1), pool=Value(has, "GB")), "memory"
    if wants is not None and has is not None and wants > has:
        return say("rule.stutters.wants", needs=Value(wants, "GB"), pool=Value(has, "GB")), "memory"
    if used is not None and has:
        return say("rule.stutters.spare", used=Value(used / 1000.0, "GB", digits=1), pool=Value(has, "GB")), "other"
    return say("rule.none"), "other"


RULES = (
    Rule("stutters",
         "8 stutters a minute (lower end), 0.6 % of frames, a low under 0.6 of the mean, at the highest level too",
         _stutters),
)  # fmt: skip
