"""Every derived figure of one pass, free of any floor. All of it can be computed again from the record."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from ..facts.condition import number
from ..facts.knob import REFRESH, is_number
from . import frames, heat
from .figure import BY_ID, FIGURES, low_id
from .frames import FrameFigures, Intervals
from .heat import Settled, TimeConstants
from .pacing import Sync, judder_ms, shown_ms
from .record import PassRecord
from .tail import Tail
from .trace import Channel, Trace

ALGORITHM = "pass-figures"
VERSION = 12
MOST = 1e15  # of any figure
LEAST_SAMPLES, RISES_C = 12, 0.3  # from when a die is said to rise: samples of a pass, degrees from third to third


@dataclass(frozen=True)
class PassFigures:
    """Figures of a pass.

    values : figure id to value, those that the data carry; errors : figure id to the standard deviation of the pass's
    own reading, where it is known; frames : everything about its intervals, None without any; tail : what any floor
    needs; why : figure id to the reason it is not given, where that is worth saying.
    """

    frames: FrameFigures | None = None
    tail: Tail | None = None
    values: Mapping[str, float] = field(default_factory=dict)
    errors: Mapping[str, float] = field(default_factory=dict)
    why: Mapping[str, str] = field(default_factory=dict)

    def value(self, key: str) -> float | None:
        """A figure, None where the data do not carry it."""
        return self.values.get(key)

    def with_(self, **values: float) -> PassFigures:
        """A copy with some figures replaced."""
        return replace(self, values={**self.values, **values})

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "frames": self.frames.as_dict() if self.frames else None,
            "tail": self.tail.as_dict() if self.tail else None,
            "values": dict(self.values), "errors": dict(self.errors), "why": dict(self.why),
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> PassFigures:
        """The inverse of `as_dict`. Raises ValueError, TypeError, KeyError where a figure is none that can be."""
        for key in ("values", "errors"):
            for name, value in body[key].items():
                if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) < MOST:
                    raise ValueError(f"{name} {value!r} is no figure")
        return cls(
            FrameFigures.from_dict(body["frames"]) if body["frames"] else None,
            Tail.from_dict(body["tail"]) if body["tail"] else None, body["values"], body["errors"], body["why"],
        )  # fmt: skip


def figures_of(record: PassRecord, constants: TimeConstants | None) -> PassFigures:
    """Every figure that the record carries.

    constants : calibrated time constants of the rig and fan policy; None: settled temperatures are not given.
    """
    trace = record.trace
    own_sd = number(record.conditions, "draw_sd_w")
    errors = {"draw_w": own_sd} if own_sd else {}
    if trace is None:
        return PassFigures(values=_given(record), errors=errors)
    values: dict[str, float] = {}
    found, tail = None, None
    interval_ms = trace.interval_ms()
    usable = interval_ms[interval_ms > 0]
    if usable.size:
        found, tail = frames.figures(usable), Tail.of(np.sort(usable))
        values.update(_of_frames(found))
        values.update(_shown(record, usable, found.mean_fps))
    values.update(_of_channels(trace))
    values.update({k: v for k, v in _given(record).items() if k not in values})  # a score beside a log
    why: dict[str, str] = {}
    for key, channel in (("die_c", "die_c"), ("shell_c", "shell_c")):
        settled = _settled(trace, channel, constants)
        if settled is None:
            why[key] = "no die temperature was recorded" if key == "die_c" else "no shell temperature was recorded"
        elif settled.value_c is None:
            why[key] = settled.reason
            least = _risen_to(trace) if key == "die_c" else None
            values |= {"die_least_c": least} if least is not None else {}
        else:
            values[key], errors[key] = settled.value_c, settled.se_c or 0.0
    return PassFigures(found, tail, values, errors, why)


def _given(record: PassRecord) -> dict[str, float]:
    """Figures that were given instead of, or beside, a trace."""
    names = {"battery_w": "draw_w", "die_c": "die_end_c", "shell_c": "shell_end_c"}
    return {
        names.get(key, key): float(value) for key, value in record.summary.items()
        if isinstance(value, int | float) and names.get(key, key) in BY_ID
    }  # fmt: skip


def _of_frames(found: FrameFigures) -> dict[str, float]:
    values = {
        "mean_fps": found.mean_fps, "min_fps": found.min_fps, "stutters_per_min": found.stutters_per_min,
        "stutter_seconds_per_min": found.stutter_seconds_per_min,
    }  # fmt: skip
    for share, lows in (("1pct", found.low_1pct), ("0_1pct", found.low_0_1pct)):
        for school in frames.School:
            low = lows.by(school)
            if low is not None:
                values[low_id(school, share)] = low
    return values


def _shown(record: PassRecord, usable: Intervals, mean_fps: float) -> dict[str, float]:
    """Judder on the panel, where its refresh and sync are known; with generated frames the rates rendered and shown,
    by what the frames of the pass count (condition "counts"; shown where nothing says)."""
    knobs, values = {**record.asked, **record.read}, {}
    refresh, sync = knobs.get(REFRESH), knobs.get("sync")
    generated = knobs.get("frame_generation") not in (None, "off")
    if is_number(refresh) and refresh and sync in [one.value for one in Sync] and not generated:
        values["judder_ms"] = judder_ms(shown_ms(usable, Sync(str(sync)), float(refresh)))
    if generated:
        factor = knobs.get("generation_factor", 2.0)
        times = float(factor) if is_number(factor) and factor else 2.0
        counts = record.conditions.get("counts")
        rendered = counts is not None and counts.value == "rendered"
        values["rendered_fps"] = mean_fps if rendered else mean_fps / times
        values["shown_fps"] = mean_fps * times if rendered else mean_fps
    return values


def _of_channels(trace: Trace) -> dict[str, float]:
    values = {}
    charge = trace.measured("charge_share")
    for figure in FIGURES:
        channel = trace.measured(figure.channel) if figure.channel else None
        if channel is None or (figure.id == "draw_w" and not _discharging(charge)):
            continue
        value = _peak(channel) if figure.peak else channel.mean()
        if value is not None:
            values[figure.id] = value
    for key, name in (("die_end_c", "die_c"), ("shell_end_c", "shell_c")):
        end = _end_mean(trace, name)
        if end is not None:
            values[key] = end
    package = trace.measured("package_w")
    if package is not None:
        last = package.between(trace.end_ns - (trace.end_ns - trace.start_ns) // 4, trace.end_ns).mean()
        if last is not None:
            values["package_end_w"] = last
    if charge is not None:
        values["charge_start_share"] = float(charge.values[0]) / 100.0
        values["charge_used_share"] = float(charge.values[0] - charge.values[-1]) / 100.0
    return values


def _peak(channel: Channel) -> float | None:
    known = channel.values[np.isfinite(channel.values)]
    return float(known.max()) if known.size else None


def _discharging(charge: Channel | None) -> bool:
    return charge is None or float(charge.values[-1]) <= float(charge.values[0])


def _settled(trace: Trace, name: str, constants: TimeConstants | None) -> Settled | None:
    channel = trace.channels.get(name)
    if channel is None or channel.values.size == 0:
        return None
    if constants is None:
        return Settled(None, None, "no heat pass has calibrated this rig and fan policy yet")
    channel = channel.between(int(channel.stamps_ns[0]), trace.end_ns)
    found = heat.settle(channel.stamps_ns / 1e9, channel.values, constants)
    fan = trace.channels.get("fan_rpm")
    steady = fan is not None and heat.is_steady(fan.between(int(channel.stamps_ns[0]), trace.end_ns).values)
    return heat.with_structure(found, _end_mean(trace, name), is_shell=name == "shell_c", steady_fan=steady)


def _risen_to(trace: Trace) -> float | None:
    """Mean of the second half of a pass whose die rose over both of its halves: it settles no lower. None otherwise."""
    channel = trace.measured("die_c")
    values = channel.values[np.isfinite(channel.values)] if channel is not None else np.empty(0)
    if values.size < LEAST_SAMPLES:
        return None
    first, second, third = (float(part.mean()) for part in np.array_split(values, 3))
    late = float(values[values.size // 2 :].mean())
    return late if third > second + RISES_C and second > first + RISES_C else None


def _end_mean(trace: Trace, name: str) -> float | None:
    channel = trace.channels.get(name)
    if channel is None:
        return None
    end = channel.between(trace.end_ns - 5_000_000_000, trace.end_ns).values
    end = end[np.isfinite(end)]
    return float(end.mean()) if end.size else None
