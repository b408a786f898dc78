"""A search asked and told by hand, without a notebook or a machine: for a program that measures by itself."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..errors import InputError
from ..facts.knob import Level
from ..facts.setup import Setup
from ..facts.terms import Aim
from ..passes.figure import BY_ID
from ..passes.figures import PassFigures
from ..passes.point import Point
from ..read.group import Counted
from .design import Told
from .lengths import Lengths
from .search.design import MOST, SearchDesign
from .search.goal import Goal
from .search.judged import Found

FIGURE = "low_1pct_fps_percentile"


class Search:
    """Collects what it is told; every decision is the design's. levels : knob id to its levels ("limit_w":
    the three limits as one); target_fps : the 1 % low that has to be held, by `tolerance`; die_limit_c : None for
    no limit; seed : of what it draws.

    Raises InputError for a setup that is no candidate, or a figure that is none.
    """

    def __init__(
        self, levels: Mapping[str, Sequence[Level]], target_fps: float, *, aim: Aim = Aim.HOURS,
        tolerance: float = 0.03, die_limit_c: float | None = None, room_c: float = 23.0, most: int = MOST,
        seed: int = 1,
    ) -> None:  # fmt: skip
        own = {key: tuple(values) for key, values in levels.items()}
        numbers = [float(v) for values in own.values() for v in values if isinstance(v, int | float)]
        if not own or any(len(values) < 1 for values in own.values()):
            raise InputError("A search needs knobs with levels, such as boost: off, on.")
        goal = Goal(
            aim, (1 - tolerance) * target_fps, target_fps, FIGURE,
            float("inf") if die_limit_c is None else die_limit_c, room_c,
        )  # fmt: skip
        like = Lengths(seed=seed)
        self.design = SearchDesign(own, Setup(), goal, max(numbers, default=30.0), like, most)
        self._passes: list[Counted] = []
        self._failed: list[Setup] = []
        self._asked = 0

    def ask(self) -> Setup | None:
        """The setup to measure next, None where no more are worth it."""
        asked = self.design.ask(Told(self._asked, self._passes, failed=self._failed))
        self._asked += bool(asked.wanted)
        return asked.wanted[0].setup if asked.wanted else None

    def tell(self, setup: Setup, **figures: float) -> None:
        """What a pass at a setup measured, by figure id (docs/figures.md); no figures: the title did not run there."""
        if setup not in self.design.setups:
            raise InputError(f"{setup} is no candidate of this search.")
        strange = sorted(set(figures) - set(BY_ID))
        if strange:
            raise InputError(f"There is no figure {strange[0]!r}. Use such as {FIGURE}, draw_w, die_c.")
        if not figures:
            self._failed.append(setup)
            return
        number = len(self._passes)
        found = PassFigures(values={key: float(value) for key, value in figures.items()})
        self._passes.append(Counted(f"told-{number}", Point(setup=setup), setup, found))

    @property
    def found(self) -> Found:
        """What is thought now."""
        return self.design.found(self._passes, self._failed)

    @property
    def pick(self) -> Setup | None:
        """The setup that would be stated now; None where nothing that was told is likely to hold."""
        at = self.found.pick
        return None if at is None else self.design.setups[at]
