"""The best setup of several knobs at once, found pass by pass: what to measure next, when to stop, what to state.

The next pass is where draws of the belief promise most over the setup that would be stated now: expected improvement
times feasibility, both from the same draws, for the minutes that it takes. Where little is promised any more, the pick
is measured afresh, since its own passes are what chose it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from ...facts.knob import Level
from ...facts.setup import Setup, describe
from ...model.belief import Believed, believe
from ...model.known_rig import KnownTitle, twins_of
from ...read.generated import is_barred
from ...read.group import Counted
from ...read.response import Response
from ...words import percent
from ..design import Told
from ..lengths import Lengths
from ..steps import Asked, Wanted
from .goal import Goal
from .judged import ENOUGH, Found, judged
from .space import SLOT, Space, plain
from .told import measured_by, noise_by

MOST = 30  # passes where no budget is given
FRESH = 2  # passes that verify a pick
LAST = 6  # passes of a budget that go to the pick and to what could still take its place
ABLE, LOST = 0.25, 0.1  # chances to hold: from which another is verified in these, under which three passes settle it
WORTH = 0.006  # of the aim: less than this promised on average is not worth a pass
WORTH_FRONT = 0.008  # of the area of a trade-off, likewise


@dataclass(frozen=True)
class SearchDesign:
    """levels : knob (or the three limits as one, or the OS slot) to its levels; base : what else is set; goal;
    highest_w : the limit where none is varied; most : passes; like : lengths and seed; forbidden : setups that are
    never proposed; first : setups to try before all others; known : what other titles measured on the same rig."""

    levels: Mapping[str, tuple[Level, ...]]
    base: Setup
    goal: Goal
    highest_w: float
    like: Lengths
    most: int = MOST
    forbidden: tuple[Setup, ...] = ()
    first: tuple[Setup, ...] = ()
    left_out: tuple[str, ...] = ()
    known: tuple[KnownTitle, ...] = ()

    @cached_property
    def space(self) -> Space:
        """What it goes over."""
        return Space(self.levels, self.base, self.highest_w)

    @property
    def setups(self) -> tuple[Setup, ...]:
        """Every candidate."""
        return self.space.setups

    def found(
        self, passes: Sequence[Counted], failed: Sequence[Setup] = (), responses: Sequence[Response] = (),
        barred: Sequence[Setup] = (),
    ) -> Found:  # fmt: skip
        """What is thought after these passes; deterministic. responses : the same passes read level by level: where a
        setup's own say that it holds with less, no more is thought; barred : what may not be stated."""
        space, last = self.space, passes[-1] if passes else None
        measured = measured_by(passes, space, self.goal)
        made = twins_of(self.setups, self.goal.target_fps, self.highest_w, self.known)
        belief = believe(made, space.where, space.caps, measured, self.like.seed)
        counts = np.bincount(measured.at, minlength=len(self.setups)).astype(np.int64)
        never = {*failed, *self.forbidden}
        gone = np.array([
            one in never or plain(one) in never or is_barred(plain(one), barred) for one in self.setups
        ])  # fmt: skip
        return judged(
            belief, self.goal, counts, gone, space.minutes(last, self.like.each_s), space.lean,
            noise_by(passes, belief, self.goal, self.like.seed), space.picture(self.goal.picture),
            self._own_chances(responses, passes),
        )  # fmt: skip

    def _own_chances(self, responses: Sequence[Response], passes: Sequence[Counted]) -> dict[int, float]:
        """Chance by its own passes that a setup holds the floor, be it one alone."""
        places = {setup: at for at, setup in enumerate(self.setups)}
        slots = {one.id: one.point.place.slot for one in passes}
        found: dict[int, float] = {}
        for group in (group for response in responses for group in response.groups):
            at = places.get(self.space.candidate(group.setup, slots.get(group.passes[0], "")))
            own = group.floor_holds if group.floor_holds is not None else group.holds
            if at is not None and own is not None:
                found[at] = min(own, found.get(at, 1.0))
        return found

    def believed(self, found: Found) -> Believed:
        """What is found as it is drawn."""
        belief = found.belief
        return Believed(
            self.setups, found.chances, np.exp(np.median(belief.draw, axis=0)), np.exp(np.median(belief.low, axis=0)),
            found.counts, found.pick, found.next, found.sure,
            (self._why_front if self.goal.front else self._why)(found, found.next) if found.next is not None else "",
        )  # fmt: skip

    def ask(self, told: Told) -> Asked:
        """One more pass, until nothing promises more than it costs and the pick is verified."""
        never = {*told.failed, *self.forbidden}
        for setup in self.first:
            made = any(self.space.of(one).has(setup) for one in told.passes)
            if setup in self.setups and setup not in never and not made:
                return Asked((self._pass(setup, told.batches),), "you asked for it", done=False)
        if told.batches >= self.most:
            return Asked((), "the budget is spent")
        if not told.passes and not told.failed:
            return self._wanted(
                self.space.middle, told.batches, "everything on at a middle limit tells most of the title"
            )
        found = self.found(told.passes, told.failed, told.responses, told.barred)
        left = self.most - told.batches
        pick = found.pick
        if self.goal.front:
            if found.next is None or found.gain < WORTH_FRONT:
                return Asked((), "nothing widens the trade-off by more than it costs")
            return self._wanted(found.next, told.batches, self._why_front(found, found.next))
        if left <= LAST and (other := self._rival(found, left)) is not None:
            return self._wanted(other, told.batches, self._why(found, other))
        if pick is not None and (found.gain < WORTH or found.next is None or left <= LAST):
            is_sure = found.chances[pick] >= self.goal.sure
            if found.counts[pick] < (1 + FRESH if is_sure else ENOUGH):
                return self._wanted(pick, told.batches, self._why_fresh(found, pick))
            return Asked((), "nothing promises more than it costs")
        if found.next is None:
            return Asked((), "nothing is left to try")
        if pick is None and found.gain < WORTH / 10 and told.batches >= 6:
            return Asked((), "nothing is likely to hold")
        return self._wanted(found.next, told.batches, self._why(found, found.next))

    def _rival(self, found: Found, left: int) -> int | None:
        """Of the last passes: what promises most a pass that it needs to be verified in place of the pick, beside the
        passes that the pick still needs; None where nothing does."""
        keep = 0
        if found.pick is not None:
            own, is_sure = int(found.counts[found.pick]), found.chances[found.pick] >= self.goal.sure
            keep = max(1 + FRESH - own, 0) if is_sure else max(min(ENOUGH - own, 1 + FRESH), 0)
        counts, chances = found.counts, found.chances
        need = np.maximum(1 + FRESH - counts, 1)
        is_settled = (counts >= ENOUGH) | ((counts >= 1 + FRESH) & ((chances < LOST) | (chances >= self.goal.sure)))
        may = (chances >= ABLE) & (need <= left - keep) & ~is_settled & (found.gains > WORTH / 3)
        if found.pick is not None:
            may[found.pick] = False
        rates = np.where(may, found.gains / need, 0.0)
        at = int(rates.argmax())
        return at if rates[at] > 0 else None

    def _wanted(self, at: int, number: int, why: str) -> Asked:
        return Asked((self._pass(self.setups[at], number),), why, done=False)

    def _pass(self, setup: Setup, number: int) -> Wanted:
        return replace(self.like.wanted(plain(setup), number), slot=str(setup.get(SLOT) or ""))

    def _why(self, found: Found, at: int) -> str:
        chance = percent(float(found.chances[at]))
        return (
            f"{describe(self.setups[at])}: meets all limits with {chance}, and promises "
            f"{100 * math.expm1(found.gains[at]):.1f} % more than what would be stated now"
        )

    def _why_front(self, found: Found, at: int) -> str:
        chance = percent(float(found.chances[at]))
        return (
            f"{describe(self.setups[at])}: meets all limits with {chance}, and widens the trade-off of hours and "
            f"frames by {100 * math.expm1(found.gain):.1f} %"
        )

    def _why_fresh(self, found: Found, pick: int) -> str:
        return (
            f"{describe(self.setups[pick])} once more, to verify it: right with {percent(found.sure)}, while the "
            f"best other promises {100 * math.expm1(max(found.gain, 0.0)):.1f} %"
        )

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "levels": {key: list(levels) for key, levels in self.levels.items()},
            "base": self.base.as_dict(), "goal": self.goal.as_dict(), "highest_w": self.highest_w, "most": self.most,
            "forbidden": [one.as_dict() for one in self.forbidden], "first": [one.as_dict() for one in self.first],
            "left_out": list(self.left_out), "known": [one.as_dict() for one in self.known],
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> SearchDesign:
        """The inverse of `as_dict`."""
        return cls(
            {key: tuple(levels) for key, levels in body["levels"].items()}, Setup(body["base"]),
            Goal.from_dict(body["goal"]), float(body["highest_w"]), Lengths.from_dict(body), int(body["most"]),
            tuple(map(Setup, body.get("forbidden") or ())), tuple(map(Setup, body.get("first") or ())),
            tuple(body.get("left_out") or ()), tuple(map(KnownTitle.from_dict, body.get("known") or ())),
        )  # fmt: skip
