"""Which cap holds with the limits left alone: one uncapped pass predicts every cap, two of them are measured, the one
that is open then once more."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..facts.knob import CAP, NO_CAP, REFRESH, is_number
from ..facts.setup import Setup
from ..facts.terms import School
from ..model import held
from ..model.capped import capped
from ..passes.figure import low_id
from ..read.group import Group
from ..read.response import Response
from .design import Told
from .lengths import Lengths
from .steps import Asked, Wanted

VERIFIED, ROUNDS, MORE, UNCAPPED = 2, 2, 1, 2
HOPELESS = 0.3  # a chance under which one more pass settles nothing


def measured(responses: Sequence[Response], low: str, tolerance: float) -> list[tuple[float, float, Group]]:
    """Caps that were measured, highest first: cap, chance that it is held by its own passes alone, its group."""
    found = []
    for response in responses:
        for at, group in enumerate(response.groups):
            if response.ladder is None or group.level is None or not is_number(group.level):
                continue
            cap = float(group.level)
            chance = held.shares_held(response.ladder.only([at]), low, 1000.0 / ((1 - tolerance) * cap), 0.01)[0]
            if chance is not None:
                found.append((cap, chance.holds, group))
    return sorted(found, key=lambda one: -one[0])


@dataclass(frozen=True)
class CapCheckDesign:
    """caps : (cap, refresh) that the panel shows evenly, highest first; refresh 0 where it cannot be set; sure : chance
    from which a cap is expected to hold; settled : from which it is stated."""

    caps: tuple[tuple[float, float], ...]
    base: Setup
    like: Lengths
    tolerance: float = 0.03
    sure: float = 0.5
    most: int | None = None
    settled: float = 0.95

    def ask(self, told: Told) -> Asked:
        """Without a cap, then the highest cap that is expected to hold and the one next to it."""
        if not told.batches:
            uncapped = self.base.with_(**{CAP: NO_CAP})
            passes = tuple(self.like.wanted(uncapped, number) for number in range(UNCAPPED))[: self.most]
            return Asked(passes, "without a cap", done=self.most == len(passes))
        if told.batches > 2:
            return Asked(())
        likely, rounds = (self._likely(told), ROUNDS) if told.batches == 1 else (self._open(told), MORE)
        left = None if self.most is None else max(self.most - len(told.passes), 0)
        wanted = [self._wanted(at, number) for number in range(rounds) for at in likely][:left]
        why = "what is predicted to hold" if told.batches == 1 else "the cap that is still open"
        return Asked(tuple(wanted), why, done=told.batches > 1)

    def _open(self, told: Told) -> list[int]:
        """The highest cap that is neither stated by what was measured of it nor out."""
        for cap, chance, _ in measured(told.responses, low_id(School.PERCENTILE), self.tolerance):
            if chance >= self.settled:
                return []
            if chance >= HOPELESS:
                return [at for at, (one, _) in enumerate(self.caps) if one == cap][:1]
        return []

    def _wanted(self, at: int, number: int) -> Wanted:
        cap, refresh = self.caps[at]
        more = {REFRESH: refresh} if refresh else {}
        return self.like.wanted(self.base.with_(**{CAP: cap, **more}), UNCAPPED + number)

    def _likely(self, told: Told) -> list[int]:
        """Places of two caps: the highest that is expected to hold, and the one above it, else the one below."""
        chances: dict[int, float] = {}
        for response in told.responses:
            if response.ladder is None:
                continue
            for at, (cap, _) in enumerate(self.caps):
                found = [one for one in capped(response.ladder, cap, self.tolerance, low_id(School.PERCENTILE)) if one]
                if found and found[0].renders is not None:  # what the limiter does is seen by measuring
                    chances[at] = found[0].renders
        first = next((at for at in sorted(chances) if chances[at] >= self.sure), len(self.caps) - 1)
        other = first - 1 if first > 0 and chances.get(first - 1, 0.0) > 0.05 else first + 1
        return [at for at in dict.fromkeys((first, other)) if 0 <= at < len(self.caps)][:VERIFIED]

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "caps": [list(pair) for pair in self.caps], "base": self.base.as_dict(),
            "tolerance": self.tolerance, "sure": self.sure, "most": self.most, "settled": self.settled,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> CapCheckDesign:
        """The inverse of `as_dict`."""
        caps = tuple((float(cap), float(refresh)) for cap, refresh in body["caps"])
        return cls(
            caps, Setup(body["base"]), Lengths.from_dict(body), float(body["tolerance"]), float(body["sure"]),
            body.get("most"), float(body.get("settled", 0.95)),
        )  # fmt: skip
