"""Whether a profile is still about the machine that there is: what changed since, and what new passes say of it.

A profile is what was true of certain versions, a battery, a fan; where one of them changed it is no longer known to be.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..message import Message, say
from ..read.group import Group
from ..read.response import Response
from .profile import Profile

HEALTH = 0.05  # of a battery, from which its hours are others
FAN = "fan_policy"


def changes(
    profile: Profile, versions: Mapping[str, str | None], health: float | None, fan: str | None
) -> tuple[Message, ...]:
    """What differs now from when a profile was chosen. versions : installed now, by "rig/firmware" and the like;
    health : of the battery; fan : policy that is noted of the rig. What either side does not tell is no change."""
    said = [
        say("stale.version", what=what.partition("/")[2] or what, then=str(old), now=str(versions[what]))
        for what, old in profile.versions.items() if old and versions.get(what) and versions[what] != old
    ]  # fmt: skip
    before = profile.health
    if isinstance(before, int | float) and health is not None and abs(health - before) > HEALTH:
        said.append(say("stale.health", then=float(before), now=health))
    policy = profile.conditions.get(FAN)
    if policy and fan and policy != fan:
        said.append(say("stale.fan", then=str(policy), now=fan))
    return tuple(said)


def verdict(
    profile: Profile, responses: Sequence[Response], versions_of: Mapping[str, Mapping[str, str | None]],
    versions: Mapping[str, str | None], sure: float,
) -> Message | None:  # fmt: skip
    """What passes at a profile's setup say that were made since the change: still good, to be tuned anew, or not yet.
    versions_of : pass id to the versions that it ran under. None where there are none."""
    for response in responses:
        for group in response.groups:
            if not group.setup.has(profile.setup) or not _made_since(group, versions_of, versions):
                continue
            if group.holds is None:
                return say("stale.open", passes=len(group.passes))
            if group.holds >= sure:
                return say("stale.good", passes=len(group.passes), sure=group.holds)
            if group.holds <= 1.0 - sure:
                return say("stale.retune", passes=len(group.passes), sure=group.holds)
            return say("stale.open", passes=len(group.passes))
    return None


def _made_since(
    group: Group, versions_of: Mapping[str, Mapping[str, str | None]], versions: Mapping[str, str | None]
) -> bool:
    """Whether every pass of a group ran under the versions that there are now."""
    made = [versions_of.get(one, {}) for one in group.passes]
    return bool(made) and all(
        own.get(what) in (None, version) for own in made for what, version in versions.items() if version
    )
