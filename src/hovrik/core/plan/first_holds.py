"""Setups in an order of preference, each measured until it is settled whether it holds; ends at the first that does."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..facts.setup import Setup
from ..read.generated import is_barred
from .design import Told
from .lengths import Lengths
from .steps import Asked

MOST_EACH = 4


@dataclass(frozen=True)
class FirstHoldsDesign:
    """setups : best first; sure : from when one is settled either way; most : passes, None as many as it takes."""

    setups: tuple[Setup, ...]
    like: Lengths
    sure: float = 0.95
    most: int | None = None

    def ask(self, told: Told) -> Asked:
        """One more pass of the first setup that is not settled, until one holds."""
        if self.most is not None and told.batches >= self.most:
            return Asked((), "the budget is spent")
        if told.batches >= MOST_EACH * len(self.setups):
            return Asked((), "every setup was tried")
        groups = {
            group.setup: group for response in told.responses for group in response.groups if group.holds is not None
        }
        for setup in self.setups:
            if is_barred(setup, told.barred):
                continue
            group = next((one for own, one in groups.items() if all(own.get(k) == v for k, v in setup.items())), None)
            if group is None or group.holds is None:
                return Asked((self.like.wanted(setup, told.batches),), "the best that is not tried", done=False)
            if group.holds >= self.sure:
                return Asked((), "it holds")
            if group.holds > 1 - self.sure and len(group.passes) < MOST_EACH:
                return Asked((self.like.wanted(setup, told.batches),), "to settle it", done=False)
        return Asked((), "none holds")

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        setups = [setup.as_dict() for setup in self.setups]
        return {**self.like.as_dict(), "setups": setups, "sure": self.sure, "most": self.most}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> FirstHoldsDesign:
        """The inverse of `as_dict`."""
        setups = tuple(Setup(one) for one in body["setups"])
        return cls(setups, Lengths.from_dict(body), float(body["sure"]), body.get("most"))
