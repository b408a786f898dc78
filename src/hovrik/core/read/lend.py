"""Which ladder may lend to which: one fuller, of the same scene, that differs by what moves a curve more than it bends
it (boost, a clock ceiling, the OS slot, a version ...). What it lends is its shape, never its height."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..facts.factor import Factor
from ..facts.knob import CAP, Knob
from ..passes.point import Point
from .agree import differences

MOST_DIFFERENCES = 2
LEAST_LEVELS = 3  # that tell of a shape
MOST_LEVELS = 24  # of both together: the work grows with their cube
LENDS = frozenset({
    CAP, "cap_acts_at", "brightness_percent", "boost", "smt", "cpu_ceiling_ghz", "gpu_ceiling_mhz", "energy_preference",
    "governor", "scheduler", "bias", "fan_policy", "slot", "room_c", "overlay", "radios", "radio", "lighting",
})  # fmt: skip
VERSIONS = "version:"


def lenders(
    points: Sequence[Point], passes: Sequence[int], levels: Sequence[int], *, over: Factor,
    knobs: Mapping[str, Knob] | None = None,
) -> list[int | None]:  # fmt: skip
    """Of each ladder the place of the one that lends to it, None where none does: that with the fewest differences, of
    those the fullest. points : one of each ladder; passes, levels : how many each has."""
    found: list[int | None] = []
    for at, point in enumerate(points):
        best: tuple[int, int, int] | None = None
        for other, its in enumerate(points):
            if passes[other] <= passes[at] or levels[other] < LEAST_LEVELS or levels[at] + levels[other] > MOST_LEVELS:
                continue
            off = differences(point, its, over=over, knobs=knobs)
            if len(off) <= MOST_DIFFERENCES and all(_lends(d.key) for d in off):
                best = min(best or (len(off), -passes[other], other), (len(off), -passes[other], other))
        found.append(best[2] if best is not None else None)
    return found


def _lends(key: str) -> bool:
    return key in LENDS or key.startswith(VERSIONS)
