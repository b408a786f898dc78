"""Readings as a person types them, for the guided bench and the run sheet alike."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ...bench.by_hand.guided import Readings
from ...core.errors import InputError
from ...core.facts.rig import Rig
from ...core.passes.hand import GaugeReading, GaugeUnit, MeterPlace, MeterReading

# field -> (words, lowest, highest)
FIELDS: dict[str, tuple[str, float, float]] = {
    "gauge_start": ("gauge at the start", 0.0, 1e6),
    "start_v": ("volts at the start", 1.0, 100.0),
    "gauge_end": ("gauge at the end", 0.0, 1e6),
    "end_v": ("volts at the end", 1.0, 100.0),
    "meter": ("outside meter", 0.0, 1e5),
    "mean_fps": ("mean rate (fps)", 0.1, 2000.0),
    "die_c": ("die (C)", -40.0, 130.0),
    "shell_c": ("shell (C)", -40.0, 100.0),
    "step_wh": ("one gauge step (Wh)", 1e-4, 10.0),
}


@dataclass(frozen=True)
class Scales:
    """What the gauge counts in and where an outside meter sits (None: there is none), the same for a whole sweep."""

    unit: GaugeUnit = GaugeUnit.WH
    place: MeterPlace | None = None
    is_energy: bool = False


def parse(texts: Mapping[str, str], scales: Scales, rig: Rig) -> Readings:
    """Readings from what was typed, by field; an empty field was not read.

    Raises InputError naming every field that cannot be.
    """
    values: dict[str, float] = {}
    wrong = []
    for name, (words, low, high) in FIELDS.items():
        text = texts.get(name, "").strip().replace(",", ".")
        if not text:
            continue
        try:
            values[name] = float(text)
        except ValueError:
            wrong.append(f"{words} {text[:20]!r} is not a number")
            continue
        if not low <= values[name] <= high:
            wrong.append(f"{words} {values[name]:g} is outside {low:g} to {high:g}")
    start, end = values.get("gauge_start"), values.get("gauge_end")
    if (start is None) != (end is None) and not wrong:
        wrong.append("the gauge was read only once: read it at the other end too")
    if scales.unit is GaugeUnit.PERCENT and max(start or 0.0, end or 0.0) > 100:
        wrong.append("a gauge in % cannot be over 100")
    if wrong:
        raise InputError("; ".join(wrong).capitalize() + ". Correct it, or leave it empty.")
    gauge = None
    if start is not None and end is not None:
        gauge = GaugeReading(scales.unit, start, end, values.get("start_v"), values.get("end_v"))
    meter = None
    if scales.place is not None and "meter" in values:
        meter = MeterReading(scales.place, values["meter"], scales.is_energy)
    step_wh = values.get("step_wh")
    if step_wh is None and scales.unit is GaugeUnit.PERCENT and rig.full_charge_wh is not None:
        step_wh = rig.full_charge_wh / 100.0  # such a gauge steps by one percent
    found = Readings(
        gauge=gauge, meter=meter, step_wh=step_wh, mean_fps=values.get("mean_fps"), die_c=values.get("die_c"),
        shell_c=values.get("shell_c"),
    )  # fmt: skip
    found.draws(60.0, rig)  # whether they tell a power; how long the scene took does not matter for that
    return found
