"""Levels that could not be measured, for the title did not start there or ended: an answer in itself."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from ..facts.factor import Factor
from ..facts.knob import Level
from ..message import Message, say
from ..passes.point import Point
from .response import level_of


@dataclass(frozen=True)
class Attempt:
    """A pass that was tried. failed : the title did not start, or ended before its scene did; why : in words."""

    point: Point
    failed: bool
    why: str = ""


@dataclass(frozen=True)
class Stopped:
    """A level at which every pass that was tried failed. why : the reason that was told most often, "" none."""

    level: Level
    tried: int
    why: str = ""

    def words(self, factor: Factor) -> Message:
        """'Pane 4 never ran (4 of 4 tries: did not start)'."""
        level = factor.words(self.level)
        if self.why:
            return say("stopped.why", level=level, tried=self.tried, why=self.why)
        return say("stopped.plain", level=level, tried=self.tried)


def stopped_of(factor: Factor, attempts: Sequence[Attempt]) -> tuple[Stopped, ...]:
    """Levels of a factor that never ran, in their order."""
    at = [(level, one) for one in attempts if (level := level_of(factor, one.point)) is not None]
    found = []
    for level in factor.sorted(dict.fromkeys(level for level, _ in at)):
        own = [one for other, one in at if factor.same(other, level)]
        if all(one.failed for one in own):
            why = Counter(one.why for one in own if one.why).most_common(1)
            found.append(Stopped(level, len(own), why[0][0] if why else ""))
    return tuple(found)
