"""Passes at the levels of one factor as the model sees them: where each level stands, what its passes carry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..passes.figures import PassFigures
from ..passes.tail import Tail

Array = NDArray[np.float64]

PACED = 1.015  # frames longer than this times the cap's interval were not paced by it
LEAST_FREE = 0.14  # a rate at its cap still spreads by this much of what it does without one


@dataclass(frozen=True, eq=False)
class Ladder:
    """figures : of the passes of each level; launches : what each ran in, "" unknown; levels : (k,) as numbers, nan for
    words; ordered : whether they stand along an axis; rising : whether rates can only rise along it; caps : of each
    level, fps, None without one."""

    figures: tuple[tuple[PassFigures, ...], ...]
    launches: tuple[tuple[str, ...], ...]
    levels: Array
    ordered: bool
    rising: bool
    caps: tuple[float | None, ...]

    @cached_property
    def _key(self) -> tuple[Any, ...]:
        return (
            tuple(tuple(map(id, row)) for row in self.figures), self.levels.tobytes(), self.ordered, self.rising,
            self.caps, self.by_watts,
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
        return self._made(pick, [self.figures[i] for i in pick], [self.launches[i] for i in pick])

    def carrying(self, name: str, *, frames: bool = False) -> tuple[Ladder, list[int]]:
        """The levels, and of each the passes, that carry a figure, and which levels those are. frames : those too that
        frames were kept of."""
        rows = [
            [at for at, one in enumerate(row) if one.value(name) and (one.tail is not None or not frames)]
            for row in self.figures
        ]
        present = [at for at, row in enumerate(rows) if row]
        figures = [tuple(self.figures[at][i] for i in rows[at]) for at in present]
        return self._made(present, figures, [tuple(self.launches[at][i] for i in rows[at]) for at in present]), present

    def _made(
        self, pick: list[int], figures: Sequence[tuple[PassFigures, ...]], launches: Sequence[tuple[str, ...]]
    ) -> Ladder:
        caps = tuple(self.caps[i] for i in pick)
        made = Ladder(tuple(figures), tuple(launches), self.levels[pick], self.ordered, self.rising, caps)
        made.__dict__["by_watts"] = self.by_watts
        if self.ordered:
            made.__dict__["axis"] = self.axis[pick]
        return made

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
