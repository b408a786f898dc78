"""What the gates ask of every world, odd plant or shipped stand-in."""

from __future__ import annotations

from . import passes
from .passes import Made, Swept
from .plants import Plant
from .shipped import Shipped

Machine = Plant | Shipped


def sweep(machine: Machine, seed: int, heat_at: str) -> Swept:
    """A heat pass and five rounds over the ladder."""
    if isinstance(machine, Shipped):
        return machine.sweep(seed, heat_at=heat_at)
    return passes.sweep(machine, seed, heat_at=heat_at)


def extra(machine: Machine, seed: int, limit_w: float, count: int) -> list[Made]:
    """Further passes at a level."""
    if isinstance(machine, Shipped):
        return machine.extra(seed, limit_w, count)
    return passes.extra(machine, seed, limit_w, count)


def hours(swept: Swept, draw_w: float) -> float:
    """True hours of the machine of a sweep at a draw, from full to 5 %."""
    if isinstance(swept.plant, Shipped):
        return swept.plant.hours(swept, draw_w)
    assert swept.pack is not None
    return swept.pack.hours(draw_w)
