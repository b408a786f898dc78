"""The bottleneck, in two parts: what the frame waits for, and what holds that down.

From frame times, utilisation, clocks and powers of a level and of its neighbours. Only a cap or a panel is told as a
share of frames: frames say it themselves; utilisation is far too slow for that.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby, pairwise

import numpy as np

from ...facts.knob import REFRESH, Knob, Level, is_number
from ...facts.setup import Setup
from ...finding import About, Finding
from ...message import Message, Value, say
from ..group import Counted, Group, cap_of, paced_share
from ..response import Response
from .rule import Looked, Rule, Whole, advice, finding

CPU, GPU, CAP, PANEL, MEMORY, POOL, ENGINE, MIXED, UNTOLD = (
    "cpu", "gpu", "cap", "panel", "bandwidth", "pool", "engine", "mixed", "untold",
)  # fmt: skip
LIMIT, HEAT, CLAMP, CEILING, NOTHING = "limit", "heat", "clamp", "ceiling", "nothing"

PACED, HARDLY = 0.75, 0.2  # shares of paced frames from which a cap, and up to which something else, is waited for
BUSY = 95.0  # % of time from which a GPU alone is told to be busy
APART = 0.06  # log of GPU over CPU time under which neither is told from the other
BINDS, BINDS_W = 0.97, 0.3  # of a limit, and W under it
SAME_CLOCK, LESS_LIMIT = 0.015, 0.08  # a clock that stays while the limit moves by this much stands at its ceiling
RISES, FOLLOWS = 0.10, 0.25  # a GPU clock that rises by this share and a rate that follows it by less: not its clock
LADDER = 3  # levels from which a response beside the fullest is worth a word
OFTEN = 0.5  # share of a level's passes from which what their checks found is the level's


@dataclass(frozen=True)
class Waits:
    """What a level's frames wait for and what holds that down; paced : share of frames that cap or panel paced."""

    what: str
    held: str
    paced: float = 0.0


def waits_of(response: Response, whole: Whole) -> list[Waits]:
    """Of each group of a response, in its order."""
    groups = list(response.groups)
    looked = [whole.members(group) for group in groups]
    found = [_waits(own, whole) for own in looked]
    bandwidth = _not_its_clock(groups, [one.what for one in found])
    found = [Waits(MEMORY, "", one.paced) if at in bandwidth else one for at, one in enumerate(found)]
    return [Waits(one.what, _held(at, one.what, groups, looked), one.paced) for at, one in enumerate(found)]


def _waits(looked: Sequence[Looked], whole: Whole) -> Waits:
    members = [one.one for one in looked]
    if not members:
        return Waits(UNTOLD, "")
    if _often(looked, "memory-full"):
        return Waits(POOL, "")
    paced = paced_share(members)
    if paced >= PACED:
        return Waits(CAP, "", paced)
    if cap_of(members) is None and _often(looked, "dynamic-resolution"):
        return Waits(ENGINE, "")
    if _at_panel(members):
        return Waits(PANEL, "")
    if paced > HARDLY:
        return Waits(MIXED, "", paced)
    gpu, cpu = (_mean(members, key) for key in ("gpu_share", "cpu_share"))
    if gpu is not None and gpu >= BUSY and (cpu is None or cpu < BUSY):
        return Waits(GPU, "", paced)
    if gpu is None or cpu is None or gpu <= 0 or cpu <= 0 or gpu + cpu < 100.0 * (1 - paced):
        return Waits(UNTOLD, "", paced)  # a CPU's share of all its threads is none of the frame's
    apart = math.log(gpu / cpu)
    return Waits(MIXED if abs(apart) < APART else GPU if apart > 0 else CPU, "", paced)


def _often(looked: Sequence[Looked], *checks: str) -> bool:
    return sum(bool(one.checks & set(checks)) for one in looked) > OFTEN * len(looked)


def _at_panel(members: Sequence[Counted]) -> bool:
    """Whether synced frames come as often as the panel shows any."""
    setup, rates = members[0].point.setup, [one.figures.value("mean_fps") for one in members]
    refresh, sync = setup.get(REFRESH), setup.get("sync")
    known = [rate for rate in rates if rate is not None]
    if sync not in ("on", "variable") or not is_number(refresh) or not refresh or not known:
        return False
    return float(np.mean(known)) >= 0.985 * float(refresh)


def _mean(members: Sequence[Counted], key: str) -> float | None:
    known = [value for one in members if (value := one.figures.value(key)) is not None]
    return float(np.mean(known)) if known else None


def _not_its_clock(groups: Sequence[Group], what: Sequence[str]) -> set[int]:
    """Levels at which the GPU is busy and the rate does not follow its clock: it waits for memory itself."""
    rows = [
        (at, math.log(group.means["gpu_mhz"].value), group.rate.mean, group.rate.se)
        for at, group in enumerate(groups)
        if what[at] == GPU and group.rate is not None and "gpu_mhz" in group.means
        and group.means["gpu_mhz"].value > 0
    ]  # fmt: skip
    if len(rows) < 3 or rows[-1][1] - rows[0][1] < RISES:
        return set()
    found = set()
    for one, after in pairwise(rows):
        rise = after[1] - one[1]
        slope, error = (after[2] - one[2]) / max(rise, 1e-6), math.hypot(one[3], after[3]) / max(rise, 1e-6)
        if rise > RISES / 3 and slope + 2.0 * error < FOLLOWS:
            found |= {one[0], after[0]}
    return found


def _held(at: int, what: str, groups: Sequence[Group], looked: Sequence[Sequence[Looked]]) -> str:
    if what in (CAP, PANEL, ENGINE, POOL, UNTOLD, MIXED):
        return NOTHING
    if _often(looked[at], "throttled"):
        return HEAT
    if _often(looked[at], "clamp-hit", "clamp-at", "under-clamp"):
        return CLAMP
    clock = "cpu_mhz" if what == CPU else "gpu_mhz"
    if what != MEMORY and _at_ceiling(at, clock, groups):
        return CEILING
    package, limit = groups[at].package, groups[at].setup.static_limit_w
    if package is None or limit is None:
        return UNTOLD
    return LIMIT if package.value >= min(BINDS * limit, limit - BINDS_W) else UNTOLD


def _at_ceiling(at: int, clock: str, groups: Sequence[Group]) -> bool:
    """Whether a clock is as high as at a limit that lies well apart: watts do not move it."""
    own, watts = groups[at].means.get(clock), groups[at].setup.static_limit_w
    if own is None or watts is None:
        return False
    top = max(one.means[clock].value for one in groups if clock in one.means)
    others = [
        one.means[clock].value for one in groups
        if clock in one.means and (w := one.setup.static_limit_w) is not None and abs(w - watts) >= LESS_LIMIT * watts
    ]  # fmt: skip
    return own.value >= (1 - SAME_CLOCK) * top and any(one >= (1 - SAME_CLOCK) * top for one in others)


def _finds(whole: Whole) -> Iterable[Finding]:
    """One finding a run of levels that wait for the same thing, of the fullest response and of every ladder. What is
    paced in part is said beside its cap."""
    for at, response in enumerate(whole.responses):
        if at and len(response.groups) < LADDER:
            continue
        told = list(zip(response.groups, waits_of(response, whole)))
        for (what, held), run in groupby(told, key=lambda pair: (pair[1].what, pair[1].held)):
            own = list(run)
            if _is_told(own[0][1]):
                yield _said(response, [group for group, _ in own], what, held, [waits for _, waits in own], whole.knobs)


def told_at(whole: Whole, setup: Setup) -> tuple[Waits, Message] | None:
    """What the frames of one setup wait for, and as its finding says it; None where that is not told."""
    for response in whole.responses:
        for group, waits in zip(response.groups, waits_of(response, whole)):
            if group.setup == setup and _is_told(waits):
                return waits, _said(response, [group], waits.what, waits.held, [waits], whole.knobs).message
    return None


def _is_told(waits: Waits) -> bool:
    """What is paced in part is said beside its cap."""
    return waits.what != UNTOLD and not (waits.what == MIXED and waits.paced > HARDLY)


def _said(
    response: Response, groups: Sequence[Group], what: str, held: str, told: Sequence[Waits],
    knobs: Mapping[str, Knob],
) -> Finding:  # fmt: skip
    where = levels_of(response, [group.level for group in groups])
    share = Value(100 * float(np.mean([one.paced for one in told])), "%", digits=0)
    if what == CAP:
        message = say("rule.waits.cap", levels=where, share=share)
    else:
        by = say(f"rule.held.{held}") if held else say("rule.held.untold")
        message = say(f"rule.waits.{what}", levels=where, by=by)
    about = groups[0].passes[0] if groups[0].passes else ""
    step = advice(f"waits.{held}") if what in (CPU, GPU, MEMORY) and held in (LIMIT, CEILING, HEAT, CLAMP) else None
    boost = what == GPU and held == LIMIT and "boost" in knobs and "boost" not in response.family
    action = "ask/knob/boost" if boost else "ask/limits-it" if what == MIXED else ""
    return finding("waits", message, About.GROUP, about, step=step, action=action)


def levels_of(response: Response, levels: Sequence[Level]) -> Message:
    """Levels in words: one of them, or the first to the last."""
    words = response.factor.words
    if len(levels) == 1 or not response.factor.is_number:
        return say("rule.at", level=tuple(words(level) for level in levels))
    return say("rule.from-to", first=words(levels[0]), last=words(levels[-1]))


RULES = (
    Rule(
        "waits",
        "frames at their cap; utilisation of GPU and CPU, 6 % apart or more; clocks that stay while the limit moves; "
        "package power within 3 % of the limit",
        _finds,
    ),
)
