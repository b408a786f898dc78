"""Sets of passes that differ in something beside the limit: are they pooled without a word?

Each set is one sweep's passes twice at the same levels; the second half reads back, was noted with or ran under
something else. Forty differences, each alone; frames and telemetry are the same, so that only that can be seen.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from . import program
from .score import Score
from .worlds import passes
from .worlds.plants import REPORTING, drawn


@dataclass(frozen=True)
class Difference:
    """What the second half of a set differs in."""

    name: str
    read: Mapping[str, Any] = field(default_factory=dict)
    conditions: Mapping[str, Any] = field(default_factory=dict)
    versions: Mapping[str, str] = field(default_factory=dict)


def _read(name: str, **values: Any) -> Difference:
    return Difference(name, read=values)


def _noted(name: str, **values: Any) -> Difference:
    return Difference(name, conditions=values)


DIFFERENCES = (
    _read("boost off", boost="off"),
    _read("fan full", fan_policy="full"),
    _read("fan quiet", fan_policy="quiet"),
    _read("refresh 80", refresh_hz=80.0),
    _read("refresh 120", refresh_hz=120.0),
    _read("sync on", sync="on"),
    _read("sync variable", sync="variable"),
    _read("cap 30 read", cap_fps=30.0),
    _read("cap 60 read", cap_fps=60.0),
    _read("limit 2 W more read", sustained_limit_w="+2"),
    _read("limit 8 W more read", sustained_limit_w="+8"),
    _read("peak limit read higher", peak_limit_w="+10"),
    _read("CPU ceiling", cpu_ceiling_ghz=2.0),
    _read("GPU ceiling", gpu_ceiling_mhz=900.0),
    _read("SMT off", smt="off"),
    _read("energy preference", energy_preference="power"),
    _read("governor", governor="powersave"),
    _read("GPU mode", gpu_mode="discrete"),
    _read("memory split", memory_split_gb=4.0),
    _read("render scale", render_scale=0.75),
    _read("upscaler", upscaler="quality"),
    _read("frame generation", frame_generation="on"),
    _read("textures", textures="low"),
    _read("engine target", engine_target=60.0),
    _read("power mode", power_mode="Hush"),
    _read("external display read", display="external"),
    _noted("external display", display="external"),
    _noted("room 6 degrees warmer", room_c="+6"),
    _noted("room 12 degrees cooler", room_c="-12"),
    _noted("on the adapter", source="adapter"),
    _noted("brightness", brightness_share=1.0),
    _noted("overlay on", overlay="on"),
    _noted("fan policy as noted", fan_policy="full"),
    _noted("docked", dock="dock"),
    _noted("online match", load="match"),
    _noted("radio off", radio="off"),
    _noted("lighting on", lighting="on"),
    _noted("power meter elsewhere", meter_place="wall"),
    Difference("firmware", versions={"firmware": "1.1"}),
    Difference("firmware unknown", versions={"firmware": ""}),
)  # fmt: skip


def scores() -> Iterator[Score]:
    """One score a set: a hit where it was pooled without a word."""
    plant = drawn("power", 0, REPORTING)
    bench = passes.Bench(plant, 5)
    bench.relaunch()
    limits = plant.limits_w[2:9:2]
    once = [bench.measure(plant.knobs(w), n) for n in range(2) for w in limits]
    for difference in DIFFERENCES:
        with tempfile.TemporaryDirectory() as folder:
            told = program.told_apart(
                [*once, *once], plant.facts(), Path(folder), read=_moved(difference.read, plant),
                conditions=_moved(difference.conditions, plant), versions=difference.versions,
            )  # fmt: skip
        yield Score("confounded", "pooled without a word", "power", difference.name, not told, 1.0)


def _moved(values: Mapping[str, Any], plant: Any) -> dict[str, Any]:
    """Relative values ("+2") from the plant's own: the room's temperature, or the limit of the middle level."""
    base = {"room_c": plant.room_c, "sustained_limit_w": plant.limits_w[4], "peak_limit_w": plant.limits_w[4]}
    return {k: base[k] + float(v) if isinstance(v, str) and v[:1] in "+-" else v for k, v in values.items()}
