"""What a panel shows evenly: caps that divide its refresh rates, or lie in its variable range."""

from __future__ import annotations

from dataclasses import dataclass

from .rig import Rig

LEAST_FPS = 20.0
STEP_FPS = 5.0  # between the caps that are offered of a variable range


@dataclass(frozen=True)
class EvenCap:
    """A cap that is shown evenly. refresh_hz : at which refresh, the highest of a variable range; scans : how often a
    frame is scanned; variable : in a variable range."""

    cap_fps: float
    refresh_hz: float
    scans: int
    variable: bool = False


def even_caps(
    refresh_hz: tuple[float, ...], variable_range_hz: tuple[float, float] | None, least_fps: float = LEAST_FPS
) -> tuple[EvenCap, ...]:
    """Caps from `least_fps` up, highest first, each at the refresh that scans it oftenest: whole divisions of each
    fixed refresh; of a variable range steps of 5 fps, and under it those of which a whole multiple lies in it."""
    found: dict[float, EvenCap] = {}
    if variable_range_hz is not None:
        low, high = variable_range_hz
        steps = {high, *(STEP_FPS * n for n in range(1, int(high // STEP_FPS) + 1))}
        for cap in sorted(one for one in steps if one >= least_fps):
            scans = next((n for n in range(1, 9) if low - 1e-9 <= n * cap <= high + 1e-9), None)
            if scans is not None:
                found[cap] = EvenCap(cap, high, scans, variable=True)
    for refresh in sorted(refresh_hz):
        for scans in range(1, int(refresh // least_fps) + 1):
            cap = refresh / scans
            if not any(abs(cap - other) < 0.05 and one.variable for other, one in found.items()):
                found[round(cap, 3)] = EvenCap(round(cap, 3), refresh, scans)
    return tuple(found[cap] for cap in sorted(found, reverse=True))


def even_caps_of(rig: Rig) -> tuple[EvenCap, ...]:
    """Those of a rig's own panel; none where nothing is known of it."""
    return even_caps(rig.refresh_hz, rig.variable_range_hz)
