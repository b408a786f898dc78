"""A live knob switched back and forth in ordinary play: pairs of equal blocks, each in the order of a fair coin."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..facts.knob import Level
from ..facts.setup import Setup
from ..passes.purpose import FLIP
from ..read.group import Counted
from ..stats.flips import Flip, judged
from .design import Told
from .lengths import Lengths
from .steps import Asked

BLOCK_S, SETTLE_S = 16.0, 4.0
MOST_PAIRS = 60
RATE_SCALE, WATT_SCALE = 0.08, 0.03  # what pairs differ by in lively play, logs
A_TIME = 2  # pairs asked for at once


@dataclass(frozen=True)
class FlipDesign:
    """states : the two levels of the knob; base : what else is set; margin : of the rate, a share; most : pairs."""

    knobs: tuple[str, ...]
    states: tuple[Level, Level]
    base: Setup
    like: Lengths
    margin: float = 0.02
    most: int = MOST_PAIRS

    def ask(self, told: Told) -> Asked:
        """Two more pairs, until the rate is decided."""
        if told.batches * A_TIME >= self.most:
            return Asked((), "enough pairs")
        if told.batches and judged(*pairs_of(told.passes, self.states, self.knobs[0], "mean_fps"), self.margin).is_over:
            return Asked((), "decided")
        wanted = []
        for number in range(told.batches * A_TIME, min((told.batches + 1) * A_TIME, self.most)):
            coin = bool(np.random.default_rng((self.like.seed, number)).random() < 0.5)
            for state in self.states[:: -1 if coin else 1]:
                setup = self.base.with_(**dict.fromkeys(self.knobs, state))
                wanted.append(replace(self.like.wanted(setup, number), purpose=FLIP))
        return Asked(tuple(wanted), "the next pairs", done=False)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "knobs": list(self.knobs), "states": list(self.states), "base": self.base.as_dict(),
            "margin": self.margin, "most": self.most,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> FlipDesign:
        """The inverse of `as_dict`."""
        one, other = body["states"]
        return cls(
            tuple(body["knobs"]), (one, other), Setup(body["base"]), Lengths.from_dict(body),
            float(body["margin"]), int(body["most"]),
        )  # fmt: skip


def pairs_of(
    passes: Sequence[Counted], states: tuple[Level, Level], knob: str, figure: str
) -> tuple[np.ndarray, float]:
    """(log of the first state over the second, pair by pair; their usual scale) of blocks in their order. A pair of
    which a block does not count is left out."""
    by_pair: dict[str, dict[Level, float]] = {}
    for one in passes:
        value, state = one.figures.value(figure), one.asked.get(knob)
        if value and value > 0 and state in states and one.pair:
            by_pair.setdefault(one.pair, {})[state] = float(np.log(value))
    signed = [row[states[0]] - row[states[1]] for row in by_pair.values() if len(row) == 2]
    return np.array(signed), RATE_SCALE if figure == "mean_fps" else WATT_SCALE


def flip_of(
    passes: Sequence[Counted], states: tuple[Level, Level], knob: str, figure: str, margin: float
) -> Flip | None:
    """What the blocks say of one figure, None where no pair carries it."""
    signed, scale = pairs_of(passes, states, knob, figure)
    return judged(signed, scale, margin) if signed.size else None
