"""The lowest level of an ordered knob that holds a floor, searched pass by pass: bisection over what the model believes
of every level, until the level and the one below it are settled.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..facts.knob import Level, is_number
from ..facts.setup import Setup
from ..model.held import more_to_settle
from ..read.group import Group
from ..read.response import Response
from .design import Told
from .lengths import Lengths
from .steps import Asked, Wanted

MOST = 40  # passes, where no budget is given
ENOUGH = 6  # passes at a level after which one that stays open is left open
FAR = 8  # more passes at a level than this are not spent to settle it


@dataclass(frozen=True)
class LowestDesign:
    """levels : of the knobs (a bundle is set as one), least first; base : what else is set; sure : from when a level is
    settled either way; most : passes; like : lengths, seed, and a heat pass that comes first."""

    levels: tuple[Level, ...]
    knobs: tuple[str, ...]
    base: Setup
    like: Lengths
    sure: float = 0.95
    most: int = MOST

    def ask(self, told: Told) -> Asked:
        """One more pass, until the lowest level that holds is settled."""
        if not told.batches:
            first: list[Wanted] = []
            middle = len(self.levels) // 2
            if self.like.heat_s > 0:
                first.append(self.like.heat(self._setup(middle)))
            return Asked((*first, self.like.wanted(self._setup(middle))), "the middle", done=self.most <= 1)
        groups = self._groups(told.responses)
        made = sum(len(group.passes) for group in groups.values())
        if told.batches >= self.most or made >= self.most:
            return Asked((), "the budget is spent")
        known = {at: chance for at, group in groups.items() if (chance := _floor_chance(group)) is not None}
        failed = {at for at in range(len(self.levels)) if self._setup(at) in told.failed}
        failed |= {at for at, group in groups.items() if group.incidents}
        usable = [at for at in range(len(self.levels)) if at not in failed]
        if not known:
            if told.batches >= 6 or not usable:
                return Asked((), "no pass tells whether the floor is held")
            middle = min(usable, key=lambda at: abs(at - len(self.levels) // 2))
            return self._again(middle, told.batches, "no pass counts yet")
        at, why = self._next(known, groups)
        if at is not None and at in failed:  # what crashes is not proposed again: the nearest that is not known
            open_, wanted = [one for one in usable if one not in known], at
            at = min(open_, key=lambda one: (abs(one - wanted), one < wanted), default=None)
            why = "the level that was wanted failed"
        return Asked((), why) if at is None else self._again(at, told.batches, why)

    def _again(self, at: int, number: int, why: str) -> Asked:
        return Asked((self.like.wanted(self._setup(at), number),), why, done=False)

    def _setup(self, at: int) -> Setup:
        return self.base.with_(**dict.fromkeys(self.knobs, self.levels[at]))

    def _groups(self, responses: Sequence[Response]) -> dict[int, Group]:
        """Groups by place in the list of levels."""
        found: dict[int, Group] = {}
        for response in responses[:1]:
            for group in response.groups:
                for at, level in enumerate(self.levels):
                    if response.factor.same(level, group.level):
                        found[at] = group
        return found

    def _next(self, known: Mapping[int, float], groups: Mapping[int, Group]) -> tuple[int | None, str]:
        """Place of the level to measure next, None where all is settled; and why."""
        holding = [at for at in sorted(known) if known[at] >= 0.5]
        top = len(self.levels)
        high = holding[0] if holding else top
        under = [at for at in known if at < high]
        low = max(under, default=-1)
        if high - low > 1:
            return self._between(low, high, groups), "bisection"
        edges = [at for at in (low, high) if at in known and not self._is_settled(known[at], groups[at])]
        if high < top and known[high] < self.sure and high not in edges and high + 1 < top:
            return self._above(high, known, groups)  # it will not be settled: the next one up must be
        if not edges:
            if low > 0 and low in known and low - 1 not in groups:
                return low - 1, "whether the one above it is a dent"
            return None, "settled"
        return max(edges, key=lambda at: known[at] * (1 - known[at]) / (len(groups[at].passes) + 1)), "to settle it"

    def _above(self, at: int, known: Mapping[int, float], groups: Mapping[int, Group]) -> tuple[int | None, str]:
        for place in range(at + 1, len(self.levels)):
            if place not in known:
                return place, "the one below is too close to settle"
            if known[place] >= self.sure:
                return None, "settled but for one that is too close"
            if not self._is_settled(known[place], groups[place]):
                return place, "to settle it"
        return None, "nothing is sure to hold"

    def _is_settled(self, holds: float, group: Group) -> bool:
        if holds >= self.sure or holds <= 1 - self.sure:
            return True
        if len(group.passes) >= ENOUGH:
            return True
        return len(group.passes) >= 3 and group.margin is not None and (
            more_to_settle(group.margin, self.sure, FAR) is None
        )  # fmt: skip

    def _between(self, low: int, high: int, groups: Mapping[int, Group]) -> int:
        """Where the margins of two measured levels cross, within the middle half; else the middle."""
        middle = (low + high) // 2
        one, other = groups.get(low), groups.get(high)
        if one is None or other is None or one.margin is None or other.margin is None:
            return middle
        rise = one.margin.delta - other.margin.delta
        if not rise > 0:
            return middle
        at = low + (high - low) * one.margin.delta / rise
        quarter = (high - low) / 4
        return min(max(round(min(max(at, low + quarter), high - quarter)), low + 1), high - 1)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "levels": list(self.levels), "knobs": list(self.knobs), "base": self.base.as_dict(),
            "sure": self.sure, "most": self.most,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> LowestDesign:
        """The inverse of `as_dict`."""
        levels = tuple(float(one) if is_number(one) else one for one in body["levels"])
        return cls(
            levels, tuple(body["knobs"]), Setup(body["base"]), Lengths.from_dict(body), float(body["sure"]),
            int(body["most"]),
        )  # fmt: skip


def _floor_chance(group: Group) -> float | None:
    """Probability that the floor is held, whatever its bounds: only that rises along the levels."""
    return group.holds if group.floor_holds is None else group.floor_holds
