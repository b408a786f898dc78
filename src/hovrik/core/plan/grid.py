"""The design of a watt sweep: every level once a round, each round in its own random order."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from ..errors import PlanError
from ..facts.knob import NO_CAP
from ..facts.rig import Rig
from ..facts.setup import Setup, static
from ..facts.title import Scene
from .design import Told
from .lengths import Lengths, pass_of
from .steps import Asked, PlannedPass, Wanted, laid_out, passes_in

FIRST_W, FIRST_SPAN_W = 7.0, 11.0  # of a sweep that nobody has laid out yet
MOST_LEVELS = 100
MOST_PASSES = 1000


@dataclass(frozen=True)
class LadderDesign:
    """What the user chooses. Limits in W; cap_fps None: no cap; the rest as in `Lengths`."""

    from_w: float
    to_w: float
    step_w: float
    cap_fps: float | None = None
    repeats: int = 3
    pass_s: float = 60.0
    settle_s: float = 4.0
    soak_s: float = 30.0
    cool_s: float = 20.0
    heat_s: float = 0.0
    seed: int = 1
    until_settled: bool = False

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> LadderDesign:
        """The inverse of `as_dict`; unknown keys are ignored."""
        return cls(**{k: v for k, v in body.items() if k in cls.__dataclass_fields__})

    def levels_w(self) -> tuple[float, ...]:
        """Limits from low to high; the last one may fall short of `to_w` by less than a step."""
        count = int(np.floor((self.to_w - self.from_w) / self.step_w + 1e-9)) + 1
        return tuple(round(self.from_w + i * self.step_w, 6) for i in range(count))

    def ask(self, told: Told) -> Asked:
        """All passes in their order at the first ask, nothing after it. A heat pass, where asked for, comes first while
        the machine is cool, at the level nearest the middle."""
        if told.batches:
            return Asked(())
        levels = self.levels_w()
        cap = NO_CAP if self.cap_fps is None else self.cap_fps
        like, rng = self.lengths, np.random.default_rng(self.seed)
        found: list[Wanted] = []
        if self.heat_s > 0:
            found.append(like.heat(static(levels[len(levels) // 2], cap)))
        for number in range(self.repeats):
            found += [like.wanted(static(limit, cap), number) for limit in rng.permutation(levels).tolist()]
        return Asked(tuple(found))

    @property
    def lengths(self) -> Lengths:
        """Those alone."""
        return Lengths.from_dict(self.as_dict())

    def check(self, rig: Rig) -> None:
        """Raise PlanError or LimitError where the design cannot be carried out on `rig`; the first fault found."""
        _positive(self.step_w, "Step", "W", "Choose a step such as 1 W.")
        rig.check_limit(self.from_w)
        rig.check_limit(self.to_w)
        if self.to_w < self.from_w:
            raise PlanError(f"The sweep ends at {self.to_w:g} W below its start {self.from_w:g} W. Swap the two.")
        if self.cap_fps is not None:
            _positive(self.cap_fps, "Frame cap", "fps", "Choose a cap such as 40, or none.")
        self.lengths.check()
        if (self.to_w - self.from_w) / self.step_w >= MOST_LEVELS:
            raise PlanError(f"Over {MOST_LEVELS} levels. Choose a larger step or a smaller range.")
        if len(self.levels_w()) * self.repeats > MOST_PASSES:
            raise PlanError(f"Over {MOST_PASSES} passes. Choose fewer repeats or a larger step.")


def first_design(rig: Rig | None, scene: Scene | None = None) -> LadderDesign:
    """What is proposed before anybody has chosen: all limits that a rig has, passes as long as the scene."""
    known = (rig.limit_low_w, rig.limit_high_w) if rig is not None else (None, None)
    low = known[0] if known[0] is not None else min(FIRST_W, known[1] or FIRST_W)
    high = known[1] if known[1] is not None else low + FIRST_SPAN_W
    step = rig.limit_step_w if rig is not None else 1.0
    every = max(math.ceil((high - low) / step / (MOST_LEVELS - 1) - 1e-9), 1)
    return LadderDesign(low, high, every * step, pass_s=pass_of(scene))


def _positive(value: float, name: str, unit: str, advice: str) -> None:
    if not (np.isfinite(value) and value > 0):
        raise PlanError(f"{name} {value:g} {unit} is not possible: it must be over 0. {advice}")


def ordered_passes(design: LadderDesign, rig: Rig) -> tuple[PlannedPass, ...]:
    """Every pass of the design in its seeded random order; checks the design first. Raises PlanError, LimitError."""
    design.check(rig)
    return passes_in(laid_out(design.ask(Told()).wanted))


@dataclass(frozen=True)
class SetupsDesign:
    """Given setups, each once, in a random order kept by the seed; lengths as those of the ladder."""

    setups: tuple[Setup, ...]
    like: Lengths

    def ask(self, told: Told) -> Asked:
        """All of them at the first ask, nothing after it."""
        if told.batches:
            return Asked(())
        order = np.random.default_rng(self.like.seed).permutation(len(self.setups)).tolist()
        return Asked(tuple(self.like.wanted(self.setups[at]) for at in order))
