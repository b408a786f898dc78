"""What a person reads off a machine: a gauge in its own unit, the moments it steps, an outside meter at its place.

Each becomes a draw with the standard deviation that the reading allows. Powers at different places are different
quantities: a meter's place names its channel, and nothing here adds or averages two of them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

import numpy as np

from ..errors import InputError
from ..facts.rig import Rig
from .energy import gauge_sd_wh

LEAST_TICKS = 3
MARK_SD_S = 0.5  # a person's press or glance, s: assumed
GAUGE_LAG_S, BEFORE_SD = 8.0, 0.3  # by how much a gauge lags, s, and how far the draw before may lie off: assumed


class GaugeUnit(StrEnum):
    """What a gauge counts in."""

    WH = "Wh"
    MAH = "mAh and V"
    PERCENT = "%"


class MeterPlace(StrEnum):
    """Where an outside meter sits."""

    WALL = "at the wall"
    INPUT = "at the DC input"
    BATTERY = "at the battery"

    @property
    def channel(self) -> str:
        """The channel its watts belong to."""
        return {"at the wall": "wall_w", "at the DC input": "input_w", "at the battery": "battery_w"}[self.value]


@dataclass(frozen=True)
class GaugeReading:
    """A gauge before and after. start, end : in `unit`; start_v, end_v : battery voltage for mAh, None: not read."""

    unit: GaugeUnit
    start: float
    end: float
    start_v: float | None = None
    end_v: float | None = None


@dataclass(frozen=True)
class MeterReading:
    """An outside meter over the scene. value : mean W, or Wh used where is_energy."""

    place: MeterPlace
    value: float
    is_energy: bool = False


@dataclass(frozen=True)
class HandDraw:
    """Watts as read by hand. channel : which power it is; sd_w : standard deviation; how : in words."""

    channel: str
    watts: float
    sd_w: float
    how: str


def last_digit(*readings: float) -> float:
    """The step of a display, by the last decimal that was read off it: 39.85 and 40 give 0.01; at most 1."""
    return min(1.0, *(10.0 ** int(Decimal(repr(value)).normalize().as_tuple().exponent) for value in readings))


def step_wh(reading: GaugeReading, rig: Rig) -> float:
    """The step of a gauge, Wh: as noted for the rig, else the last digit that was read.

    Raises InputError where a share needs the pack's energy and the rig has none.
    """
    digit = last_digit(reading.start, reading.end)
    if reading.unit is GaugeUnit.WH:
        return rig.gauge_step_wh or digit
    if reading.unit is GaugeUnit.PERCENT:
        return digit / 100.0 * _full_wh(rig)
    return rig.gauge_step_wh or digit / 1000.0 * _volts(reading)


def used_wh(reading: GaugeReading, rig: Rig) -> float:
    """Energy between the two readings, Wh. Raises InputError where it cannot be told or is not over 0."""
    if reading.end >= reading.start:
        raise InputError(
            f"The gauge went from {reading.start:g} to {reading.end:g} {reading.unit.value.split()[0]}: a pass must "
            "take some. Correct one, or leave both empty."
        )
    used = reading.start - reading.end
    if reading.unit is GaugeUnit.PERCENT:
        return used / 100.0 * _full_wh(rig)
    return used / 1000.0 * _volts(reading) if reading.unit is GaugeUnit.MAH else used


def _full_wh(rig: Rig) -> float:
    if rig.full_charge_wh is None:
        raise InputError(f"{rig.name} has no battery energy noted: a gauge in % says nothing. Note it in Rig.")
    return rig.full_charge_wh


def _volts(reading: GaugeReading) -> float:
    known = [v for v in (reading.start_v, reading.end_v) if v is not None]
    if not known:
        raise InputError("A gauge in mAh needs the battery's voltage too. Read V with it, or use Wh or %.")
    return sum(known) / len(known)


def draw_from_gauge(reading: GaugeReading, seconds: float, rig: Rig) -> HandDraw:
    """Mean draw between two readings, `seconds` (> 0) apart.

    Its uncertainty: the gauge's step (a difference of two, q / sqrt(6)), the moment of each reading (MARK_SD_S), the
    gauge's lag, and for mAh the last digit of the voltage, evenly spread. A gauge that lags by tau shows what had been
    used tau earlier: a difference is off by tau times what the draw before it differs from that at its end.
    """
    energy, hours = used_wh(reading, rig), seconds / 3600.0
    parts = [
        gauge_sd_wh(step_wh(reading, rig)) / energy, math.sqrt(2.0) * MARK_SD_S / seconds,
        GAUGE_LAG_S * BEFORE_SD / seconds,
    ]  # fmt: skip
    if reading.unit is GaugeUnit.MAH:
        known = [v for v in (reading.start_v, reading.end_v) if v is not None]
        parts.append(last_digit(*known) / math.sqrt(12.0) / _volts(reading))
    watts = energy / hours
    return HandDraw("battery_w", watts, watts * math.hypot(*parts), f"gauge in {reading.unit.value.split()[0]}")


def draw_from_ticks(seconds: Sequence[float], step_wh: float) -> HandDraw:
    """Draw from the moments a gauge stepped, each by one step (Wh, > 0).

    The time of a step by least squares over all ticks: from tick to tick the step itself is exact, and only the
    moments are not. Their spread is MARK_SD_S, or what the ticks themselves show where there are four or more.
    Raises InputError under LEAST_TICKS ticks or where they do not advance.
    """
    at = np.asarray(seconds, np.float64)
    if at.size < LEAST_TICKS:
        raise InputError(f"{at.size} ticks tell no draw; {LEAST_TICKS} are needed.")
    if np.any(np.diff(at) <= 0) or not step_wh > 0:
        raise InputError("Ticks must follow each other, each by a step over 0 Wh.")
    number = np.arange(at.size) - (at.size - 1) / 2.0
    each_s = float(number @ at / (number @ number))
    left = at - at.mean() - each_s * number
    spread = math.sqrt(float(left @ left) / (at.size - 2)) if at.size > LEAST_TICKS else 0.0
    watts = step_wh * 3600.0 / each_s
    share = max(spread, MARK_SD_S) / math.sqrt(float(number @ number)) / each_s
    return HandDraw("battery_w", watts, watts * share, f"{at.size} gauge ticks")


def draw_from_meter(reading: MeterReading, seconds: float) -> HandDraw:
    """Watts of an outside meter over `seconds` (> 0): the last digit of its display, evenly spread, is what it can
    tell at best. Raises InputError for a value not over 0."""
    if not reading.value > 0:
        raise InputError(f"The meter reads {reading.value:g}: over 0 is needed. Correct it, or leave it empty.")
    hours = seconds / 3600.0
    watts = reading.value / hours if reading.is_energy else reading.value
    sd_w = last_digit(reading.value) / math.sqrt(12.0)
    if reading.is_energy:
        sd_w = math.hypot(math.sqrt(2.0) * sd_w / hours, math.sqrt(2.0) * MARK_SD_S / seconds * watts)
    return HandDraw(reading.place.channel, watts, sd_w, f"meter {reading.place.value}")


def best_draws(found: Sequence[HandDraw]) -> dict[str, HandDraw]:
    """The most certain reading of each power, by channel."""
    best: dict[str, HandDraw] = {}
    for one in found:
        if one.channel not in best or one.sd_w < best[one.channel].sd_w:
            best[one.channel] = one
    return best
