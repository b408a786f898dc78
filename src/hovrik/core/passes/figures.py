"""Every derived figure of one pass. All of it can be computed again from the record."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..facts.condition import number
from ..stats.spread import OnePass, within_pass
from . import frames, heat
from .frames import FrameFigures, Lows
from .heat import Settled, TimeConstants
from .record import Origin, PassRecord

ALGORITHM = "pass-figures"
VERSION = 6
_POWERS = ("package_w", "battery_w", "wall_w", "input_w", "cpu_w", "gpu_w")


@dataclass(frozen=True)
class PassFigures:
    """Figures of a pass; None: not recorded or not carried by the data.

    package_w, draw_w, wall_w, input_w (DC input), cpu_w, gpu_w : mean power between the marks (W), never mixed;
    die, shell : settled temperatures; draw_sd_w : what the readings behind draw_w allow, where taken by hand;
    die_end_c, shell_end_c : mean of the last 5 s (C); charge_used_share : charge at start less at the end.
    """

    frames: FrameFigures | None
    package_w: float | None = None
    draw_w: float | None = None
    draw_sd_w: float | None = None
    wall_w: float | None = None
    input_w: float | None = None
    cpu_w: float | None = None
    gpu_w: float | None = None
    die: Settled | None = None
    shell: Settled | None = None
    die_end_c: float | None = None
    shell_end_c: float | None = None
    charge_used_share: float | None = None
    mean_fps: float | None = None
    min_fps: float | None = None
    score: float | None = None

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        body = {k: getattr(self, k) for k in self.__dataclass_fields__}
        for key in ("frames", "die", "shell"):
            body[key] = body[key].as_dict() if body[key] is not None else None
        return body

    @classmethod
    def from_dict(cls, body: dict[str, Any]) -> PassFigures:
        """The inverse of `as_dict`."""
        found = FrameFigures.from_dict(body["frames"]) if body["frames"] else None
        die, shell = (Settled(**body[k]) if body[k] else None for k in ("die", "shell"))
        return cls(**{**body, "frames": found, "die": die, "shell": shell})


def figures_of(
    record: PassRecord, constants: TimeConstants | None = None, target_fps: float | None = None
) -> PassFigures:
    """Figures of one pass.

    constants : calibrated time constants of its rig and fan policy; without them no settled temperature is given.
    target_fps : floor for steady and missed shares.
    """
    if record.trace is None:
        return _from_summary(record)
    trace = record.trace
    interval_ms = trace.interval_ms()
    usable = interval_ms[interval_ms > 0]
    found = frames.figures(usable, target_fps) if usable.size else None
    means = {name: _mean(record, name) for name in _POWERS}
    charge = trace.measured("charge_share")
    return PassFigures(
        frames=found,
        package_w=means["package_w"],
        draw_w=means["battery_w"] if _discharging(charge) else None,
        draw_sd_w=number(record.conditions, "draw_sd_w"),
        wall_w=means["wall_w"],
        input_w=means["input_w"],
        cpu_w=means["cpu_w"],
        gpu_w=means["gpu_w"],
        die=_settled(record, "die_c", constants),
        shell=_settled(record, "shell_c", constants),
        die_end_c=_end_mean(record, "die_c"),
        shell_end_c=_end_mean(record, "shell_c"),
        charge_used_share=float(charge.values[0] - charge.values[-1]) / 100.0 if charge is not None else None,
        mean_fps=found.mean_fps if found else None,
        min_fps=found.min_fps if found else None,
    )


def _from_summary(record: PassRecord) -> PassFigures:
    given = record.summary

    def figure(key: str) -> float | None:
        value = given.get(key)
        return float(value) if isinstance(value, int | float) else None

    return PassFigures(
        frames=None,
        package_w=figure("package_w"),
        draw_w=figure("battery_w"),
        draw_sd_w=number(record.conditions, "draw_sd_w"),
        wall_w=figure("wall_w"),
        input_w=figure("input_w"),
        mean_fps=figure("mean_fps"),
        min_fps=figure("min_fps"),
        score=figure("score"),
        die_end_c=figure("die_c"),
        shell_end_c=figure("shell_c"),
    )


def _mean(record: PassRecord, name: str) -> float | None:
    channel = record.trace.measured(name) if record.trace else None
    return channel.mean() if channel is not None else None


def _discharging(charge: Any) -> bool:
    return charge is None or float(charge.values[-1]) <= float(charge.values[0])


def _settled(record: PassRecord, name: str, constants: TimeConstants | None) -> Settled | None:
    assert record.trace is not None  # callers have checked
    channel = record.trace.channels.get(name)
    if channel is None:
        return None
    if constants is None:
        return Settled(None, None, "no heat pass has calibrated this rig and fan policy yet")
    channel = channel.between(int(channel.stamps_ns[0]), record.trace.end_ns)
    return heat.settle(channel.stamps_ns / 1e9, channel.values, constants)


def _end_mean(record: PassRecord, name: str) -> float | None:
    assert record.trace is not None  # callers have checked
    trace = record.trace
    channel = trace.channels.get(name)
    if channel is None:
        return None
    end = channel.between(trace.end_ns - 5_000_000_000, trace.end_ns).values
    end = end[np.isfinite(end)]
    return float(end.mean()) if end.size else None


def spread_of(record: PassRecord, load_s: float | None = None) -> OnePass | None:
    """Spread from inside the pass, for where it is the only one of its setup."""
    if record.trace is None or record.origin is Origin.SUMMARY:
        return None
    interval_ms = record.trace.interval_ms()
    return within_pass(interval_ms[interval_ms > 0], load_s=load_s)


def against(found: PassFigures, missed: float | None, steady: float | None) -> PassFigures:
    """The same figures with shares against another target."""
    if found.frames is None:
        return found
    return replace(found, frames=replace(found.frames, missed_share=missed, steady_share=steady))


def low_of(found: PassFigures, school: Any) -> float | None:
    """The pass's 1 % low by a school, fps, or None."""
    lows: Lows | None = found.frames.low_1pct if found.frames else None
    return lows.by(school) if lows is not None else None
