"""One pass over a whole charge: from full, until the gauge stands at the reserve."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..facts.setup import Setup
from ..passes.purpose import DISCHARGE
from .design import Told
from .lengths import Lengths
from .steps import Asked, Wanted


@dataclass(frozen=True)
class WholeChargeDesign:
    """setup : played at; like : lengths before it; longest_s : after which it ends whatever the gauge says."""

    setup: Setup
    like: Lengths
    longest_s: float

    def ask(self, told: Told) -> Asked:
        """The pass at the first ask, nothing after it."""
        if told.batches:
            return Asked(())
        like = self.like
        return Asked((Wanted(self.setup, self.longest_s, like.settle_s, like.soak_s, 0.0, DISCHARGE),))

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {**self.like.as_dict(), "setup": self.setup.as_dict(), "longest_s": self.longest_s}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> WholeChargeDesign:
        """The inverse of `as_dict`."""
        return cls(Setup(body["setup"]), Lengths.from_dict(body), float(body["longest_s"]))
