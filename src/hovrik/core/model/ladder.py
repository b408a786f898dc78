"""Passes at the levels of one factor as the model sees them: where each level stands, what its passes carry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..passes.figures import PassFigures
from ..passes.tail import Tail

Array = NDArray[np.float64]
Made = TypeVar("Made")

PACED = 1.015  # frames longer than this times the cap's interval were not paced by it
LEAST_FREE = 0.14  # a rate at its cap still spreads by this much of what it does without one


@dataclass(frozen=True, eq=False)
class Ladder:
    """figures : of the passes of each level; launches : what each ran in, "" unknown; levels : (k,) as numbers, nan for
    words; ordered : whether they stand along an axis; rising : whether rates can only rise along it; caps : of each
    level, fps, None without one; rounds : the round that each pass was made in, "" unknown; lender : a fuller ladder of
    the same scene that differs by what moves a curve more than it bends it, None without one; families : of a ladder
    that holds two (`lent`), which of them each level is of."""

    figures: tuple[tuple[PassFigures, ...], ...]
    launches: tuple[tuple[str, ...], ...]
    levels: Array
    ordered: bool
    rising: bool
    caps: tuple[float | None, ...]
    rounds: tuple[tuple[str, ...], ...] = ()
    lender: Ladder | None = None
    families: tuple[int, ...] = ()

    @cached_property
    def _key(self) -> tuple[Any, ...]:
        return (
            tuple(tuple(map(id, row)) for row in self.figures), self.levels.tobytes(), self.ordered, self.rising,
            self.caps, self.by_watts, self.lender._key if self.lender is not None else None,
        )  # fmt: skip

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        """The same figures at the same levels: what is derived of a ladder can be remembered by it."""
        return isinstance(other, Ladder) and other._key == self._key

    @cached_property
    def axis(self) -> Array:
        """(k,) logs of what the levels come to: of package watts where every level has them and the level is in watts
        (`by_watts`), else of the level itself; in units of the range where a level is not above 0."""
        if self.by_watts:
            return np.array([np.mean(np.log([w for w in row if w])) for row in self._watts])
        return _of_numbers(self.levels)

    @cached_property
    def by_watts(self) -> bool:
        """Whether levels stand where their measured package watts are, not where they were set to."""
        return self.rising and self.ordered and all(all(row) for row in self._watts)

    @property
    def _watts(self) -> list[list[float | None]]:
        return [[one.value("package_w") or None for one in row] for row in self.figures]

    def axis_at(self, levels: Array) -> Array:
        """(p,) where further levels stand on the axis: between measured ones by a monotone curve."""
        if not self.by_watts:
            return _of_numbers(levels)
        if self.levels.size < 3:
            return np.asarray(np.interp(levels, self.levels, self.axis))
        from scipy.interpolate import PchipInterpolator

        return np.asarray(PchipInterpolator(self.levels, self.axis)(levels))

    def only(self, chosen: Sequence[int]) -> Ladder:
        """Some of its levels."""
        pick = list(chosen)
        return self._made(pick, [range(len(self.figures[i])) for i in pick], self.lender)

    def among(self, chosen: Sequence[int], most: int) -> Ladder:
        """Some of its levels, and at most so many of its lender's: those nearest to them."""
        pick, lender = list(chosen), None
        if (other := self.lender) is not None and most and self.ordered and other.ordered:
            apart = np.abs(other.axis[:, None] - self.axis[pick]).min(axis=1)
            lender = other.only(sorted(np.argsort(apart, kind="stable")[:most].tolist()))
        return self._made(pick, [range(len(self.figures[i])) for i in pick], lender)

    def carrying(self, name: str, *, frames: bool = False) -> tuple[Ladder, list[int]]:
        """The levels, and of each the passes, that carry a figure, and which levels those are. frames : those too that
        frames were kept of."""
        rows = [
            [at for at, one in enumerate(row) if one.value(name) and (one.tail is not None or not frames)]
            for row in self.figures
        ]
        present = [at for at, row in enumerate(rows) if row]
        lender = self.lender.carrying(name, frames=frames)[0] if self.lender is not None else None
        return self._made(present, [rows[at] for at in present], lender), present

    def _made(self, pick: list[int], passes: Sequence[Sequence[int]], lender: Ladder | None) -> Ladder:
        """Of some levels, and of each of these passes. lender : to borrow from, where it has levels."""

        def some(rows: Sequence[tuple[Made, ...]]) -> tuple[tuple[Made, ...], ...]:
            return tuple(tuple(rows[at][i] for i in own) for at, own in zip(pick, passes))

        caps, lender = tuple(self.caps[i] for i in pick), lender if lender is not None and lender.figures else None
        made = Ladder(
            some(self.figures), some(self.launches), self.levels[pick], self.ordered, self.rising, caps,
            some(self.rounds) if self.rounds else (), lender,
        )  # fmt: skip
        made.__dict__["by_watts"] = self.by_watts
        if self.ordered:
            made.__dict__["axis"] = self.axis[pick]
        return made

    def lent(self, *, same_caps: bool = False) -> Ladder:
        """With the levels of its lender after its own; itself where it has none that stands on the same axis.
        same_caps : only of one under the same caps."""
        other = self.lender
        if other is None or not (self.ordered and other.ordered) or self.by_watts != other.by_watts:
            return self
        if (self.levels <= 0).any() or (other.levels <= 0).any() or (same_caps and set(self.caps) != set(other.caps)):
            return self
        made = Ladder(
            self.figures + other.figures, self.launches + other.launches, np.concatenate((self.levels, other.levels)),
            True, self.rising, self.caps + other.caps, self.rounds + other.rounds if self.rounds else (),
            families=(0,) * len(self.figures) + (1,) * len(other.figures),
        )  # fmt: skip
        made.__dict__.update(by_watts=self.by_watts, axis=np.concatenate((self.axis, other.axis)))
        return made

    @property
    def blocks(self) -> tuple[tuple[tuple[str, ...], ...], ...]:
        """What passes were made in, by launch and by round. Of a launch that ran in one round alone, the round says
        nothing that it does not."""
        if len({round_ for row in self.rounds for round_ in row}) < 2:
            return (self.launches,)
        seen: dict[str, set[str]] = {}
        for launch, round_ in ((a, b) for row in zip(self.launches, self.rounds) for a, b in zip(*row)):
            seen.setdefault(launch, set()).add(round_)
        apart = {launch for launch, rounds in seen.items() if launch and len(rounds) == 1}
        rounds = tuple(
            tuple("" if launch in apart else round_ for launch, round_ in zip(*row))
            for row in zip(self.launches, self.rounds)
        )
        return (self.launches, rounds)

    @property
    def numbers(self) -> Array | None:
        """(k,) number of the family of each level, None where they are of one."""
        return np.array(self.families, float) if self.families else None

    @property
    def tails(self) -> list[list[Tail]]:
        """Of the passes, where frames were kept of them."""
        return [[one.tail for one in row if one.tail is not None] for row in self.figures]

    def logs(self, name: str) -> list[Array]:
        """Logs of a figure of the passes that carry it, (n_i,) a level."""
        return [np.log([value for one in row if (value := one.value(name))]) for row in self.figures]

    def free_shares(self) -> Array:
        """(k,) how much of what it would without a cap a rate spreads: share of frames the cap did not pace."""
        found = np.ones(len(self.figures))
        for at, (row, cap) in enumerate(zip(self.figures, self.caps)):
            if cap is None:
                continue
            shares = [one.tail.slower_than(PACED * 1000.0 / cap) for one in row if one.tail is not None]
            rates = [rate for one in row if (rate := one.value("mean_fps"))]
            free = float(np.mean(shares)) if shares else float(np.mean(rates) < 0.995 * cap) if rates else 1.0
            found[at] = max(free, LEAST_FREE)
        return found


def _of_numbers(levels: Array) -> Array:
    """Logs of levels, or, where one is not above 0, the levels in units of their range."""
    return np.log(levels) if (levels > 0).all() else np.asarray(levels / (float(np.ptp(levels)) or 1.0))
