"""A design whose passes a person has put in another order, left out, repeated, pinned, or set controls between."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ..passes.purpose import CONTROL, HEAT
from .design import Design, Told
from .steps import Asked, Wanted

A_CONTROL = -1  # in an order: the setup in the middle of those that the design wants, as a control


@dataclass(frozen=True)
class Order:
    """The order that a person gave a plan. places : of passes in what the design wants first, empty: as it wants them;
    pinned : positions whose pass stays there, whatever else is moved, and is never dropped to save time."""

    places: tuple[int, ...] = ()
    pinned: frozenset[int] = frozenset()

    def __bool__(self) -> bool:
        return bool(self.places)

    def moved(self, at: int, to: int) -> Order:
        """A pass taken to another position; pinned ones stay, and it goes round them."""
        if at in self.pinned:
            return self

        def move(free: list[int]) -> list[int]:
            own = [position for position in range(len(self.places)) if position not in self.pinned]
            before = sum(position < to if to < at else position <= to for position in own if position != at)
            free.insert(before, free.pop(own.index(at)))
            return free

        return self._around(move)

    def with_controls(self) -> Order:
        """Controls at start, middle and end."""

        def control(free: list[int]) -> list[int]:
            plain = [place for place in free if place != A_CONTROL]
            half = len(plain) // 2
            return [A_CONTROL, *plain[:half], A_CONTROL, *plain[half:], A_CONTROL]

        return self._around(control)

    def repeated(self, at: int) -> Order:
        """A pass made once more, right after it."""
        places = (*self.places[: at + 1], self.places[at], *self.places[at + 1 :])
        return Order(places, frozenset(one + (one > at) for one in self.pinned))

    def kept(self, positions: Sequence[int]) -> Order:
        """Some of the passes, in their order."""
        pinned = frozenset(new for new, old in enumerate(positions) if old in self.pinned)
        return Order(tuple(self.places[old] for old in positions), pinned)

    def toggled(self, at: int) -> Order:
        """A pass pinned where it stands, or let go."""
        return replace(self, pinned=self.pinned ^ {at})

    def _around(self, change: Callable[[list[int]], list[int]]) -> Order:
        """The passes that are not pinned changed, the others where they were."""
        free = change([place for at, place in enumerate(self.places) if at not in self.pinned])
        total, taken = len(free) + len(self.pinned), iter(free)
        places = tuple(self.places[at] if at in self.pinned else next(taken) for at in range(total))
        return Order(places, self.pinned)


@dataclass(frozen=True)
class EditedDesign:
    """inner : the design; order : in which what it wants first is to be made."""

    inner: Design
    order: Order

    def ask(self, told: Told) -> Asked:
        """What the design wants, as edited; what it wants later is its own affair."""
        asked = self.inner.ask(told)
        if told.batches:
            return asked
        return replace(asked, wanted=edited(asked.wanted, self.order))


def edited(wanted: Sequence[Wanted], order: Order) -> tuple[Wanted, ...]:
    """The passes of an order; places that are not there are left out."""
    found = []
    for position, at in enumerate(order.places):
        if at == A_CONTROL and wanted:
            one = replace(control_of(wanted), purpose=CONTROL, why="control")
        elif 0 <= at < len(wanted):
            one = wanted[at]
        else:
            continue
        found.append(replace(one, pinned=position in order.pinned))
    return tuple(found)


def control_of(wanted: Sequence[Wanted]) -> Wanted:
    """The pass that controls are made like: of the middle limit, else the first."""
    plain = [one for one in wanted if one.purpose != HEAT] or list(wanted)
    limited = sorted((one for one in plain if one.setup.static_limit_w), key=lambda w: w.setup.static_limit_w or 0.0)
    return limited[len(limited) // 2] if limited else plain[0]
