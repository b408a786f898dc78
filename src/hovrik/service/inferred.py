"""Figures that a pass did not read but others let know: package power from the draw, through the overhead line of the
rig's other passes; noise from the fan's speed, by the sound levels that are noted with the rig."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ..core.facts.knob import is_number
from ..core.facts.rig import Rig
from ..core.model.noise import noise_of
from ..core.passes import energy
from ..core.passes.figures import PassFigures
from ..core.passes.point import Point
from ..core.passes.record import PassRecord
from ..store.notebook import PassQuery
from .memory import Memory, Progress

ALGORITHM, VERSION = "powers", 1
BRIGHTNESS_APART = 5.0  # percent: past it another line holds
LEAST_PASSES = 4
LEAST_K, MOST_K = 0.9, 1.6  # watts of draw a watt of package: outside, the line is of something else
MOST_SHARE = 0.12  # of the package power, that its standard deviation may be


def with_package(
    memory: Memory, rig: str, records: Sequence[PassRecord], points: Mapping[str, Point],
    found: Mapping[str, PassFigures], progress: Progress | None = None,
) -> dict[str, PassFigures]:  # fmt: skip
    """The figures of passes, with the package power (and its error) of those that know their draw alone. progress :
    told of the rig's other passes, each of which is read once."""
    told = dict(found)
    lacking = [one for one in records if found[one.id].value("draw_w") and not found[one.id].value("package_w")]
    if not lacking:
        return told
    every = memory.records(PassQuery(rig=rig))
    powers: dict[str, dict[str, float]] = memory.derived(ALGORITHM, VERSION, every, _plain, _powers, _plain, progress)
    both = [(memory.places.point(one), powers[one.id]) for one in every if len(powers[one.id]) == 2]
    lines: dict[Any, energy.Overhead | None] = {}
    for record in lacking:
        point = points[record.id]
        key = (point.setup.get("display"), point.setup.get("brightness_percent"))
        if key not in lines:
            lines[key] = _line([powers_ for its, powers_ in both if _alike(point, its)])
        line, draw = lines[key], found[record.id].values["draw_w"]
        if line is None:
            continue
        package, sd = line.package_of(draw)
        if 0 < package < draw and sd < MOST_SHARE * package:
            made = told[record.id]
            told[record.id] = replace(
                made, values={**made.values, "package_w": package}, errors={**made.errors, "package_w": sd}
            )
    return told


def with_noise(rig: Rig | None, found: Mapping[str, PassFigures]) -> dict[str, PassFigures]:
    """The figures of passes, with the noise (and its error) of those that read their fan's speed and no noise."""
    line = noise_of(rig) if rig is not None else None
    if line is None:
        return dict(found)
    told = {}
    for key, one in found.items():
        rpm = one.value("fan_rpm")
        told[key] = one
        if rpm and rpm > 0 and one.value("noise_db") is None:
            level, sd = line.at(rpm)
            told[key] = replace(
                one, values={**one.values, "noise_db": level}, errors={**one.errors, "noise_db": sd}
            )  # fmt: skip
    return told


def _plain(powers: dict[str, Any]) -> dict[str, Any]:
    return powers


def _powers(record: PassRecord) -> dict[str, float]:
    """Means of draw and package power, where a pass on battery read them."""
    trace = record.trace
    source = record.conditions.get("source")
    if trace is None or (source is not None and source.value == "adapter"):
        return {}
    means = {name: channel.mean() for name in ("package_w", "battery_w") if (channel := trace.measured(name))}
    return {name: value for name, value in means.items() if value is not None and math.isfinite(value) and value > 0}


def _line(pairs: Sequence[Mapping[str, float]]) -> energy.Overhead | None:
    if len(pairs) < LEAST_PASSES:
        return None
    package, draw = (np.array([one[name] for one in pairs]) for name in ("package_w", "battery_w"))
    line = energy.fit_overhead(package, draw)
    return line if line is not None and LEAST_K <= line.k <= MOST_K else None


def _alike(one: Point, other: Point) -> bool:
    """Same display and brightness, as far as both are known."""
    a, b = one.setup.get("brightness_percent"), other.setup.get("brightness_percent")
    both = is_number(a) and is_number(b) and a is not None and b is not None
    near = not both or abs(float(a or 0) - float(b or 0)) <= BRIGHTNESS_APART
    displays = {one.setup.get("display"), other.setup.get("display")} - {None}
    return near and len(displays) < 2
