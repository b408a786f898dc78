"""What a search goes over: every candidate, in the order of the product of its levels."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product

import numpy as np
from numpy.typing import NDArray

from ...facts.factor import LIMIT, set_by
from ...facts.knob import CAP, LIMITS, NO_CAP, Level, is_number
from ...facts.known_knobs import SLOT as OF_SLOT
from ...facts.known_knobs import known
from ...facts.setup import Setup
from ...model.belief import features
from ...read.group import Counted

Array = NDArray[np.float64]

MOST_CANDIDATES = 4000
LEAN = 0.005  # log of the aim, from the lowest limit to the highest
SLOT = OF_SLOT.id  # candidates in several OS slots name theirs, beside their knobs


def plain(setup: Setup) -> Setup:
    """What is set of a candidate, wherever it is."""
    return setup.without(SLOT)


@dataclass(frozen=True)
class Space:
    """levels : knob (or the three limits as one, or the OS slot) to its levels; base : what else is set; highest_w :
    the limit where none is varied."""

    levels: Mapping[str, tuple[Level, ...]]
    base: Setup
    highest_w: float

    @cached_property
    def setups(self) -> tuple[Setup, ...]:
        """Every candidate, in the order of the product of the levels."""
        names = list(self.levels)
        found = []
        for chosen in product(*(self.levels[name] for name in names)):
            values = {key: level for name, level in zip(names, chosen) for key in set_by(name)}
            found.append(self.base.with_(**values))
        return tuple(found)

    @cached_property
    def caps(self) -> Array:
        """(c,) fps, inf where nothing caps."""
        return np.array([float(v) if is_number(v := one.get(CAP)) and v else math.inf for one in self.setups])

    @cached_property
    def where(self) -> Array:
        """(c, f) their places along what a belief goes by."""
        return features(self.setups)

    @property
    def middle(self) -> int:
        """The candidate that is measured before anything is known: nothing held back, three fifths up the limits."""
        free = {key: levels[-1] for key, levels in self.levels.items()}
        free |= {key: "on" for key, levels in self.levels.items() if "on" in levels}
        free |= {SLOT: self.levels[SLOT][0]} if SLOT in self.levels else {}
        free |= {CAP: NO_CAP} if NO_CAP in self.levels.get(CAP, ()) else {}
        if LIMIT in self.levels:
            limits = self.levels[LIMIT]
            free |= dict.fromkeys(LIMITS, limits[round(0.6 * (len(limits) - 1))])
        alike = [sum(one.get(key) == level for key, level in free.items()) for one in self.setups]
        return int(np.argmax(alike))

    @property
    def lean(self) -> Array:
        """(c,) how far each is put behind one of a lower limit that does the same: a limit that does not bind today
        does on a warmer day, or in a heavier scene."""
        limits = np.log([float(one.static_limit_w or self.highest_w) for one in self.setups])
        found: Array = LEAN * (limits - limits.min()) / max(float(np.ptp(limits)), 1e-9)
        return found

    def candidate(self, setup: Setup, slot: str) -> Setup:
        """The part of a setup, and of where it was made, that the candidates speak of. slot : key of the OS slot, with
        the rig's before it or without."""
        keys = set(self.setups[0]) if self.setups else set()
        found = {key: value for key, value in setup.items() if key in keys}
        return Setup({**found, SLOT: slot.rpartition("/")[2]} if SLOT in self.levels else found)

    def of(self, one: Counted) -> Setup:
        """The candidate that a pass was made at."""
        return self.candidate(one.asked, one.point.place.slot)

    def minutes(self, last: Counted | None, each_s: float) -> Array:
        """(c,) minutes that a pass of each takes, with what its change from the last one costs. each_s : a pass."""
        own = self.of(last) if last is not None else None
        cost = np.full(len(self.setups), each_s / 60.0)
        for key in self.levels:
            minutes = known(key).cost_min
            if minutes and own is not None:
                cost += minutes * np.array([one.get(key) != own.get(key) for one in self.setups])
        return cost

    def picture(self, by: Sequence[str]) -> Array:
        """(c,) how good each looks by some knobs, 0 the poorest, 1 the best of all of them."""
        found = np.zeros(len(self.setups))
        for key in by:
            places = {level: at for at, level in enumerate(self.levels[key])}
            found += np.array([places[one[key]] / max(len(places) - 1, 1) for one in self.setups])
        return found / max(len(by), 1)
