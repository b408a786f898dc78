"""What each watt buys: a coarse ladder, then the levels between where marks are uncertain."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..facts.setup import Setup
from ..read import marks
from .design import Told
from .lengths import Lengths
from .steps import Asked, Wanted

COARSE_ROUNDS, FINE_ROUNDS = 2, 2
EVERY = 2  # of the levels in the coarse ladder


@dataclass(frozen=True)
class BuysDesign:
    """levels : static limits, W, ascending; base : what else is set; price : fps that a watt must bring; most : passes;
    like : lengths and seed."""

    levels: tuple[float, ...]
    knobs: tuple[str, ...]
    base: Setup
    like: Lengths
    price: float = 1.0
    most: int | None = None

    def ask(self, told: Told) -> Asked:
        """Coarse at the first ask, then where the curve bends, then nothing."""
        rng = np.random.default_rng((self.like.seed, told.batches))
        if not told.batches:
            chosen = sorted({*range(0, len(self.levels), EVERY), len(self.levels) - 1})
            every = self._rounds(chosen, COARSE_ROUNDS, rng, 0)[: self.most]
            return Asked(tuple(every), "coarse", done=len(self.levels) <= 3 or len(every) == self.most)
        if told.batches > 1 or not told.responses:
            return Asked(())
        left = None if self.most is None else max(self.most - len(told.passes), 0)
        wanted = self._rounds(self._uncertain(told), FINE_ROUNDS, rng, COARSE_ROUNDS)[:left]
        return Asked(tuple(wanted), "where the marks are uncertain")

    def _uncertain(self, told: Told) -> list[int]:
        """Places of levels within the intervals of the marks, and of levels named as dents."""
        response = told.responses[0]
        found = marks.of_response(response, self.price)
        dents = [float(level) for level, _ in response.dents if isinstance(level, int | float)]
        step = min(np.diff(self.levels), default=1.0)
        wanted = set()
        for at, level in enumerate(self.levels):
            for mark in found:
                if mark.id == "last_paying" and mark.low is not None and mark.high is not None:
                    if mark.low - step <= level <= mark.high + step:
                        wanted.add(at)
                elif mark.value is not None and abs(level - mark.value) <= step + 1e-9:
                    wanted.add(at)
            if any(abs(level - dent) <= step + 1e-9 for dent in dents):
                wanted.add(at)
        return sorted(wanted)

    def _rounds(self, places: list[int], rounds: int, rng: np.random.Generator, first: int) -> list[Wanted]:
        return [
            self.like.wanted(self.base.with_(**dict.fromkeys(self.knobs, self.levels[at])), first + number)
            for number in range(rounds) for at in rng.permutation(places).tolist()
        ]  # fmt: skip

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "levels": list(self.levels), "knobs": list(self.knobs), "base": self.base.as_dict(),
            "price": self.price, "most": self.most,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> BuysDesign:
        """The inverse of `as_dict`."""
        return cls(
            tuple(float(one) for one in body["levels"]), tuple(body["knobs"]), Setup(body["base"]),
            Lengths.from_dict(body), float(body["price"]), body.get("most"),
        )  # fmt: skip
