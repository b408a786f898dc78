"""What a panel shows evenly: caps that divide its refresh rates, or lie in its variable range; sizes of a render that
fill whole pixels of it."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from ..errors import InputError
from .knob import CAP, REFRESH, is_number
from .rig import OsSlot, Rig
from .setup import Setup

LEAST_FPS = 20.0
LOCKED = "locked on"  # of an OS slot's sync
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


MOST_RATES = 16
LEAST_HZ, MOST_HZ = 1.0, 1000.0
_RANGE = re.compile(r"^\s*([0-9.]+)\s*(?:-|–|to)\s*([0-9.]+)\s*(?:hz)?\s*$", re.IGNORECASE)


def caps_of_words(text: str, rigs: Iterable[Rig]) -> tuple[EvenCap, ...]:
    """Even caps of a panel that is named: a rig by name or key, fixed rates ("60, 90"), or a variable range ("48 to
    120"). Raises InputError for anything else."""
    named = next((one for one in rigs if text.strip().lower() in (one.name.lower(), one.key.lower())), None)
    if named is not None:
        return even_caps_of(named)
    span = _RANGE.match(text)
    parts = span.groups() if span else re.sub(r"(?i)hz", " ", text).replace(",", " ").split()
    try:
        rates = [float(one) for one in parts]
    except ValueError:
        rates = []
    if not 1 <= len(rates) <= MOST_RATES or not all(LEAST_HZ <= one <= MOST_HZ for one in rates):
        raise InputError(f"'{text[:60]}' is no panel: neither a rig of this notebook nor 1 to {MOST_RATES} rates from "
                         f"{LEAST_HZ:g} to {MOST_HZ:g} Hz. Give rates (60, 90) or a range (48 to 120).")  # fmt: skip
    if span is None:
        return even_caps(tuple(rates), None)
    if rates[0] >= rates[1]:
        raise InputError(f"A range from {rates[0]:g} to {rates[1]:g} Hz is none. Give the lower end first.")
    return even_caps((), (rates[0], rates[1]))


def is_even(cap_fps: float, refresh_hz: float) -> bool:
    """Whether a fixed panel can show a cap evenly: refresh / cap is whole."""
    ratio = refresh_hz / cap_fps
    return ratio >= 1 - 1e-9 and abs(ratio - round(ratio)) < 1e-6


def uneven_cap(setup: Setup, rig: Rig | None = None, slot: OsSlot | None = None) -> tuple[float, float] | None:
    """(cap, refresh in Hz) of a setup whose frames wait for the ticks of a fixed refresh that does not show its cap
    evenly; None of any other. Sync as it is set, else as the slot locks it; the refresh as set, else the panel's only
    one."""
    cap, refresh, sync = setup.get(CAP), setup.get(REFRESH), setup.get("sync")
    if sync is None and slot is not None and slot.sync == LOCKED:
        sync = "on"
    if refresh is None and rig is not None and len(rig.refresh_hz) == 1 and rig.variable_range_hz is None:
        refresh = rig.refresh_hz[0]
    if sync != "on" or not is_number(cap) or not is_number(refresh) or not cap or not refresh:
        return None
    pair = float(cap), float(refresh)
    return None if is_even(*pair) else pair


WHOLE, UNEVEN, BORDERS = "whole", "uneven", "borders"
SCALES = (0.9, 0.8, 0.75, 2 / 3, 0.6)  # between whole divisors; of the sides
ASPECTS = ((16, 10), (16, 9), (3, 2), (4, 3))
LEAST_ROWS, EVERY = 360, 8  # of a render; sides are whole multiples of it
NEAR_ASPECT = 0.01


@dataclass(frozen=True)
class RenderSize:
    """One size. width, height : rendered; how : each of its pixels covers a whole number of the panel's, it is
    stretched unevenly, or it is whole with dark borders; times : panel pixels a side for each of its own; border_px :
    rows (or columns) that stay dark on each side."""

    width: int
    height: int
    how: str
    times: int = 1
    border_px: int = 0

    @property
    def pixels(self) -> int:
        """Pixels that are rendered."""
        return self.width * self.height


def render_sizes(resolution: tuple[int, int]) -> tuple[RenderSize, ...]:
    """Sizes that a panel of (width, height) shows, most pixels first: whole divisors of it; stretched ones between
    them; sizes of other aspects, pixel for pixel, with borders."""
    width, height = resolution
    found: dict[tuple[int, int], RenderSize] = {}
    for times in range(1, max(height // LEAST_ROWS, 1) + 1):
        if width % times == 0 and height % times == 0:
            found[width // times, height // times] = RenderSize(width // times, height // times, WHOLE, times)
    for across, down in ASPECTS:
        is_taller = width * down <= height * across
        own = (width, width * down // across) if is_taller else (height * across // down, height)
        if abs(width * down / (height * across) - 1.0) > NEAR_ASPECT and own not in found and own[1] >= LEAST_ROWS:
            found[own] = RenderSize(*own, BORDERS, 1, max(width - own[0], height - own[1]) // 2)
    for scale in SCALES:
        own = round(width * scale / EVERY) * EVERY, round(height * scale / EVERY) * EVERY
        if own not in found and own[1] >= LEAST_ROWS:
            found[own] = RenderSize(*own, UNEVEN)
    return tuple(sorted(found.values(), key=lambda one: -one.pixels))
