"""What every design shares: how long the parts of a pass are, how often each is repeated, the seed of their order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from ..errors import PlanError
from ..facts.setup import Setup
from ..facts.title import Scene
from ..passes.purpose import HEAT
from .steps import Wanted

SHORTEST_S, LONGEST_S, USUAL_S = 10.0, 7200.0, 60.0  # of a pass


def pass_of(scene: Scene | None) -> float:
    """How long a pass of a scene is, where nobody has chosen, s: as long as it."""
    own = scene.length_s if scene is not None else None
    return min(max(own or USUAL_S, SHORTEST_S), LONGEST_S)


@dataclass(frozen=True)
class Lengths:
    """Lengths in s. soak_s : run-in under the setup before the start mark; cool_s : rest after a pass, so that passes
    start alike; heat_s : length of the one long pass that calibrates the time constants, 0 for none; until_settled :
    soak longer until temperature and rate stand by the data."""

    repeats: int = 3
    pass_s: float = 60.0
    settle_s: float = 4.0
    soak_s: float = 30.0
    cool_s: float = 20.0
    heat_s: float = 0.0
    seed: int = 1
    until_settled: bool = False

    @property
    def each_s(self) -> float:
        """Of one pass with all that is around it."""
        return self.settle_s + self.soak_s + self.pass_s + self.cool_s

    def heat(self, setup: Setup, slot: str = "") -> Wanted:
        """The long pass that calibrates how the machine warms up."""
        return Wanted(setup, self.heat_s, self.settle_s, 0.0, self.cool_s, HEAT, slot=slot)

    def wanted(self, setup: Setup, number: int = 0) -> Wanted:
        """A pass of these lengths. number : of its round."""
        return Wanted(
            setup, self.pass_s, self.settle_s, self.soak_s, self.cool_s, until_settled=self.until_settled, round=number
        )

    def check(self) -> None:
        """Raise PlanError for what is not possible; the first fault found."""
        if not 1 <= self.repeats <= 50:
            raise PlanError(f"{self.repeats} repeats are not possible. Choose 1 to 50.")
        if not SHORTEST_S <= self.pass_s <= LONGEST_S:
            raise PlanError(f"A pass of {self.pass_s:g} s is not possible. Choose 10 to 7200 s.")
        for name in ("settle_s", "soak_s", "cool_s", "heat_s"):
            if not 0 <= getattr(self, name) <= 7200:
                raise PlanError(f"{name[:-2].capitalize()} time {getattr(self, name):g} s: choose 0 to 7200 s.")

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Lengths:
        """The inverse of `as_dict`; unknown keys are ignored."""
        return cls(**{k: v for k, v in body.items() if k in cls.__dataclass_fields__})
