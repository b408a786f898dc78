"""A plan that has to fit into less time: passes go where they are missed least."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass

from ..passes.purpose import HEAT
from .steps import PlannedPass

EDGE = 0.25  # weight of a setup of which nothing is known: as uncertain as can be
LEAST = 0.02


@dataclass(frozen=True)
class Trimmed:
    """kept : indices in their order; dropped : indices; minutes : of what is kept; once : setups left with one pass;
    gone : setups left with none; over : it costs more than there is even so, since what is left is pinned."""

    kept: tuple[int, ...]
    dropped: tuple[int, ...]
    minutes: float
    once: int
    gone: int
    over: bool = False


def minutes_of(one: PlannedPass) -> float:
    """Machine time of a pass, minutes."""
    return one.seconds / 60.0


def trimmed(
    passes: Sequence[PlannedPass], most: float, chance: Callable[[PlannedPass], float | None] = lambda _: None,
    cost: Callable[[PlannedPass], float] = minutes_of,
) -> Trimmed:  # fmt: skip
    """Drop the passes whose loss is least for what they cost until the rest costs no more than `most`.

    cost : of a pass (> 0): minutes, or Wh where one charge has to do.

    What is lost of a setup with n passes left is its weight / n: how uncertain it is whether it holds (chance(pass) is
    the probability, where one is known) over how well it is measured. A heat pass goes before a setup is left without
    any. Of equal passes the later one goes. A pass that a person pinned stays.
    """
    left = list(passes)
    counts: dict[Hashable, int] = {}
    for one in left:
        counts[_cell(one)] = counts.get(_cell(one), 0) + 1

    def loss(one: PlannedPass) -> float:
        known = chance(one)
        weight = EDGE if known is None else max(known * (1 - known), LEAST)
        n = counts[_cell(one)]
        missed = weight * (1.0 / (n - 1) - 1.0 / n) if n > 1 else 4.0 * weight
        return (2.0 * EDGE if one.purpose == HEAT else missed) / max(cost(one), 1e-6)

    dropped: list[int] = []
    while left and sum(cost(one) for one in left) > most + 1e-9:
        free = [one for one in reversed(left) if not one.pinned]
        if not free:
            break
        gone = min(free, key=loss)
        left.remove(gone)
        counts[_cell(gone)] -= 1
        dropped.append(gone.index)
    after: dict[Hashable, int] = {_cell(one): 0 for one in passes}
    for one in left:
        after[_cell(one)] += 1
    return Trimmed(
        tuple(one.index for one in left), tuple(sorted(dropped)), sum(minutes_of(one) for one in left),
        sum(count == 1 for count in after.values()), sum(count == 0 for count in after.values()),
        sum(cost(one) for one in left) > most + 1e-9,
    )  # fmt: skip


def _cell(one: PlannedPass) -> Hashable:
    return one.setup, one.slot, one.purpose
