"""How far a voltage can be lowered: a state machine that only ever goes where nothing failed.

All domains together first, then each alone from there. From zero down in small steps, a pass under load each; at the
first fault, or where the maker's range ends or steps surely buy next to nothing, it backs off and soaks long; a fault
in the soak backs off once more. What is kept is one step less than what stood its soak. What failed, and everything at
or under it in every domain, is never set again.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..facts.knob import is_number
from ..facts.setup import Setup
from ..passes.purpose import VERIFY
from ..read.group import Counted
from ..stats.estimate import t_quantile
from ..stats.least_squares import fitted
from .design import Told
from .lengths import Lengths
from .steps import Asked, Wanted

STEP_MV, BACK_MV = 10.0, 20.0
SOAK_S, PASS_S = 900.0, 90.0
NOISE = 0.004  # log of the rate that two steps have to buy
PASS_SD, FEWEST, SURE = 0.01, 5, 0.975  # log of the rate of a pass, as thought before; levels; one side
MOST = 80  # passes of a whole walk

Offsets = tuple[float, ...]  # a domain each, mV, zero or less


@dataclass(frozen=True)
class Walk:
    """Where the walk is. at : offsets that are next, None where it is over; soak : whether they are soaked; why; kept :
    one step less than the lowest offsets that stood their soak so far (zeros where none did or only the first did)."""

    at: Offsets | None
    soak: bool
    why: str
    kept: Offsets


@dataclass(frozen=True)
class UndervoltDesign:
    """domains : ids of the offsets; lowest : what the maker allows of each (mV); base : what else is set; like :
    lengths around passes; step_mv, back_mv; soak_s, pass_s."""

    domains: tuple[str, ...]
    lowest: tuple[float, ...]
    base: Setup
    like: Lengths
    step_mv: float = STEP_MV
    back_mv: float = BACK_MV
    soak_s: float = SOAK_S
    pass_s: float = PASS_S

    def setup(self, offsets: Offsets) -> Setup:
        """What is set at offsets; none is ever over zero or under what the maker allows."""
        inside = (min(max(v, low), 0.0) for v, low in zip(offsets, self.lowest))
        return self.base.with_(**dict(zip(self.domains, inside)))

    def offsets(self, setup: Setup) -> Offsets | None:
        """The offsets of a setup; None where it names not all of them."""
        values = [setup.get(key) for key in self.domains]
        return tuple(float(v) for v in values if is_number(v)) if all(map(is_number, values)) else None  # type: ignore[arg-type]

    def ask(self, told: Told) -> Asked:
        """The next step of the walk."""
        walk = self.walk(told.passes, told.failed)
        if walk.at is None or told.batches >= MOST:
            return Asked((), walk.why)
        like, purpose = self.like, VERIFY if walk.soak else "sweep"
        seconds = self.soak_s if walk.soak else self.pass_s
        wanted = Wanted(self.setup(walk.at), seconds, like.settle_s, like.soak_s, like.cool_s, purpose, relaunch=True)
        return Asked((wanted,), walk.why, done=False)

    def walk(self, passes: Sequence[Counted], failed: Sequence[Setup]) -> Walk:
        """Where passes and faults have brought it; a pure function of both."""
        rates: dict[Offsets, list[float]] = {}
        soaked: set[Offsets] = set()
        for one in passes:
            at = self.offsets(one.asked)
            if at is None:
                continue
            rates.setdefault(at, []).append(one.figures.value("mean_fps") or math.nan)
            if one.purpose == VERIFY:
                soaked.add(at)
        bad = [at for setup in failed if (at := self.offsets(setup)) is not None and any(v < 0 for v in at)]
        kept = (0.0,) * len(self.domains)
        if kept not in rates:
            return Walk(kept, False, "everything at zero, to compare with", kept)
        phases = [tuple(range(len(self.domains)))]
        if len(self.domains) > 1:
            phases += [(domain,) for domain in range(len(self.domains))]
        for phase in phases:
            walk = self._phase(phase, kept, rates, soaked, bad)
            if walk.at is not None:
                return walk
            kept = walk.kept
        return Walk(None, False, "as far down as it goes", kept)

    def _phase(
        self, phase: tuple[int, ...], start: Offsets, rates: Mapping[Offsets, Sequence[float]], soaked: set[Offsets],
        bad: Sequence[Offsets],
    ) -> Walk:  # fmt: skip
        """Domains of a phase lowered together from `start`."""
        deepest = round(max((start[d] - self.lowest[d]) / self.step_mv for d in phase))
        levels = [self._lowered(start, phase, k) for k in range(deepest + 1)]
        levels = list(dict.fromkeys(levels))
        fault = next((k for k, at in enumerate(levels) if k and _is_under(at, bad)), None)
        end = fault
        for k, at in enumerate(levels[1:fault], 1):
            if at not in rates:
                return Walk(at, False, f"{self.step_mv:g} mV less than what stood", start)
            if self._buys_nothing(levels[: k + 1], rates):
                end = k + 1
                break
        back = math.ceil(self.back_mv / self.step_mv) if fault is not None and end == fault else 1
        top = (end if end is not None else len(levels)) - 1
        k = max(top - (back - 1 if fault is not None and end == fault else back), 0)
        while k > 0:
            if _is_under(levels[k], bad):
                k = max(k - math.ceil(self.back_mv / self.step_mv), 0)
            elif levels[k] in soaked:
                return Walk(None, False, "", levels[k - 1])  # a step less than what stood
            else:
                return Walk(levels[k], True, "backed off, and soaked before it may be kept", start)
        return Walk(None, False, "", start)

    def _lowered(self, start: Offsets, phase: tuple[int, ...], steps: int) -> Offsets:
        return tuple(max(v - steps * self.step_mv, self.lowest[d]) if d in phase else v for d, v in enumerate(start))

    def _buys_nothing(self, levels: Sequence[Offsets], rates: Mapping[Offsets, Sequence[float]]) -> bool:
        """Whether two steps surely buy less than is worth them, by a line over all that were made."""
        rows = [(float(k), rate) for k, at in enumerate(levels) for rate in rates.get(at, ()) if rate > 0]
        if len({k for k, _ in rows}) < FEWEST:
            return False
        x, y = np.array(rows).T
        found = fitted(np.column_stack((np.ones(x.size), x)), np.log(y), PASS_SD)
        most = float(found.coefficients[1]) + t_quantile(SURE, found.dof) * float(found.errors[1])
        return 2.0 * most < NOISE

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "domains": list(self.domains), "lowest": list(self.lowest),
            "base": self.base.as_dict(), "step_mv": self.step_mv, "back_mv": self.back_mv, "soak_long_s": self.soak_s,
            "step_s": self.pass_s,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> UndervoltDesign:
        """The inverse of `as_dict`."""
        return cls(
            tuple(map(str, body["domains"])), tuple(float(v) for v in body["lowest"]), Setup(body["base"]),
            Lengths.from_dict(body), float(body["step_mv"]), float(body["back_mv"]), float(body["soak_long_s"]),
            float(body["step_s"]),
        )  # fmt: skip


def _is_under(at: Offsets, bad: Sequence[Offsets]) -> bool:
    """Whether offsets lie at or under something that failed, in every domain."""
    return any(all(v <= other + 1e-9 for v, other in zip(at, one)) for one in bad)
