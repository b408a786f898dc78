"""What recurs at the same scene in most of its passes is the scene, not a fault: doors, a heavier last third, hitches
of its own. Such a finding becomes a fact of the pass."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..finding import Finding
from ..message import Value, say
from .verdict import Verdict, worst

OF_SCENES = ("unsettled", "shaders-compiling", "slow-stretches")  # checks that a scene itself can set off
FEWEST = 3  # passes of it in which the same was found
SHARE = 0.4  # of the others
NEAR_S = 3.0


def without_scenes_own(verdicts: Mapping[str, Verdict], scenes: Mapping[str, str]) -> dict[str, Verdict]:
    """Verdicts by pass in which what recurs at the same scene is no finding any more. scenes : pass to scene."""
    found = dict(verdicts)
    by_scene: dict[str, list[str]] = {}
    for pass_id, scene in scenes.items():
        by_scene.setdefault(scene, []).append(pass_id)
    for members in by_scene.values():
        if len(members) >= FEWEST:
            own = [verdicts[pass_id] for pass_id in members]
            marked = [verdict for verdict in own if any(one.id in OF_SCENES for one in verdict.findings)]
            for pass_id in members:
                found[pass_id] = _settled(marked, len(own), verdicts[pass_id])
    return found


def _settled(marked: Sequence[Verdict], passes: int, own: Verdict) -> Verdict:
    recurs = [one for one in own.findings if one.id in OF_SCENES and _recurs(one, marked, passes)]
    if not recurs:
        return own
    kept = tuple(one for one in own.findings if one not in recurs)
    facts = (*own.facts, *(say("recurs", what=one.message) for one in recurs))
    return replace(own, state=worst(kept), findings=kept, facts=facts)


def _recurs(one: Finding, marked: Sequence[Verdict], passes: int) -> bool:
    """marked : those of its scene's passes that have such findings at all."""
    if len(marked) < FEWEST or len(marked) - 1 < SHARE * (passes - 1):
        return False
    alike = sum(any(_same(one, other) for other in verdict.findings) for verdict in marked)
    return alike >= FEWEST and alike - 1 >= SHARE * (passes - 1)


def _same(one: Finding, other: Finding) -> bool:
    if one.id != other.id:
        return False
    for name in ("drift", "at"):
        mine, its = one.message.values.get(name), other.message.values.get(name)
        if isinstance(mine, Value) and isinstance(its, Value):
            if name == "drift":
                return mine.number * its.number > 0
            return abs(mine.number - its.number) <= NEAR_S
    return True
