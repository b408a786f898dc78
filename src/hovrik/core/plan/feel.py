"""A blind test of what a player feels: caps or limits are switched while they play, unseen, and a key says "bad".

Over caps, or over limits that no cap holds, the axis is the rate that was really shown. Over limits under a cap it is
the share of frames that came late for it: what a player bears of stutter.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..facts.knob import CAP, Level, is_number
from ..facts.setup import Setup
from ..passes.purpose import FEEL, FEEL_LATE
from ..read.looks import LATE_SCALE, LEAST_LOOKS, RATE_SCALE, Look, belief_of, felt_of, late_cap, looks_of
from .design import Told
from .lengths import Lengths
from .steps import Asked

LOOK_S, SETTLE_S = 12.0, 1.0  # a key pressed while it settles may still be about the look before
MOST_LOOKS = 60
ENOUGH = 36  # looks from which an end that is open stays so
A_TIME = 2  # looks asked for at once
EVERY_GOOD = 6  # each such look is at the best level: what is pressed there is a mistake
NARROW = 0.2  # of the interval, shares of the scale, from which enough was seen


@dataclass(frozen=True)
class FeelDesign:
    """knobs : that are switched together; levels : of them; base : what else is set; most : looks."""

    knobs: tuple[str, ...]
    levels: tuple[Level, ...]
    base: Setup
    like: Lengths
    most: int = MOST_LOOKS

    def ask(self, told: Told) -> Asked:
        """Two more looks, until the place is narrow enough or nothing more is to be had."""
        if told.batches * A_TIME >= self.most:
            return Asked((), "enough looks")
        looks = looks_of(told.passes, self.knobs[0], self.base)
        found = felt_of(looks)
        is_late = late_cap(self.knobs[0], self.base) is not None
        purpose, scale = (FEEL_LATE, LATE_SCALE) if is_late else (FEEL, RATE_SCALE)
        if found is not None and found.looks >= LEAST_LOOKS and found.width <= NARROW * scale:
            return Asked((), "decided")
        if found is not None and found.looks >= ENOUGH and found.width == math.inf:
            return Asked((), "it lies beyond what can be tried")
        numbers = range(told.batches * A_TIME, min((told.batches + 1) * A_TIME, self.most))
        chosen = self._chosen(looks, numbers)
        wanted = [
            replace(self.like.wanted(self.base.with_(**dict.fromkeys(self.knobs, level)), number), purpose=purpose)
            for number, level in zip(numbers, chosen, strict=True)
        ]
        return Asked(tuple(wanted), "the next looks", done=False)

    def _chosen(self, looks: Sequence[Look], numbers: Sequence[int]) -> list[Level]:
        """A level a number. Chance has a say in it, so that nobody knows what comes."""
        rng = np.random.default_rng((self.like.seed, numbers[0]))
        xs = self._expected(looks)
        new = [at for at in rng.permutation(len(self.levels)).tolist() if xs[at] is None]
        if new:  # every level is looked at once before anything is weighed
            by_chance = [*new, *rng.permutation(len(self.levels)).tolist()]
            return [self.levels[at] for at in by_chance[: len(numbers)]]
        known = np.array([float(x) for x in xs if x is not None])
        belief = belief_of(looks, known)
        best = belief.next_best(known)
        picked = [best[min(at, len(best) - 1)] for at in range(len(numbers))]
        if numbers[0] % EVERY_GOOD < A_TIME:
            picked[-1] = int(np.argmax(known))
        return [self.levels[picked[at]] for at in rng.permutation(len(picked)).tolist()]

    def _expected(self, looks: Sequence[Look]) -> list[float | None]:
        """Where each level lies: the mean of its looks; a cap that was not looked at at its own rate."""
        found: list[float | None] = []
        for level in self.levels:
            own = [one.x for one in looks if one.level == level]
            is_cap = self.knobs[0] == CAP and is_number(level)
            found.append(float(np.mean(own)) if own else math.log(float(level or 1)) if is_cap else None)
        return found

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "knobs": list(self.knobs), "levels": list(self.levels), "base": self.base.as_dict(),
            "most": self.most,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Any) -> FeelDesign:
        """The inverse of `as_dict`."""
        return cls(
            tuple(body["knobs"]), tuple(body["levels"]), Setup(body["base"]), Lengths.from_dict(body),
            int(body["most"]),
        )  # fmt: skip
