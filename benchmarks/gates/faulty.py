"""Are faults found? Those of benchmarks/faults.py, and four that only frames or the battery's power can show.

The four are put into passes of odd plants that record no channel which would say so by name.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from . import program
from .score import Score
from .worlds import passes
from .worlds.passes import Made
from .worlds.plants import KINDS, REPORTING, drawn

sys.path.insert(0, str(Path(__file__).parents[1]))
import faults as injected

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Unnamed:
    """A fault that no channel names. wanted : checks of which one must speak (House and Sound may add names)."""

    name: str
    make: Callable[[int], tuple[Made, dict]]


def _measured(seed: int, disturbed: Callable[[Array], Array] | None = None) -> tuple[Made, dict]:
    rng = np.random.default_rng((seed, 3))
    kinds = [kind for kind in KINDS if kind not in ("ticks", "tails")]
    plant = drawn(str(rng.choice(kinds)), 2 * int(rng.integers(3)), REPORTING)
    bench = passes.Bench(plant, seed)
    bench.relaunch()
    limit = plant.limits_w[int(rng.integers(3, 9))]
    return bench.measure(plant.knobs(limit), 0, disturbed=disturbed), plant.facts()


def lost_frames(seed: int) -> tuple[Made, dict]:
    """A logger that loses 2 % of its rows, here and there."""
    made, facts = _measured(seed)
    rng = np.random.default_rng((seed, 4))
    return replace(made, frames_ns=made.frames_ns[rng.random(made.frames_ns.size) >= 0.02]), facts


def bursts(seed: int) -> tuple[Made, dict]:
    """Two to four stretches of 2 to 4 s in which another program makes frames 1.5 to 2 times as long."""
    rng = np.random.default_rng((seed, 4))
    starts = rng.uniform(3.0, 54.0, int(rng.integers(2, 5)))
    length, factor = rng.uniform(2.0, 4.0), rng.uniform(1.5, 2.0)
    return _measured(seed, lambda s: np.where(_inside(s, starts, length), factor, 1.0))


def collapse(seed: int) -> tuple[Made, dict]:
    """One to three times the GPU falls to its floor for 3 to 5 s: frames 2 to 3 times as long, no clock recorded."""
    rng = np.random.default_rng((seed, 4))
    starts = rng.uniform(3.0, 54.0, int(rng.integers(1, 4)))
    length, factor = rng.uniform(3.0, 5.0), rng.uniform(2.0, 3.0)
    made, facts = _measured(seed, lambda s: np.where(_inside(s, starts, length), factor, 1.0))
    channels = {k: v for k, v in made.channels.items() if k not in ("gpu_mhz", "gpu_share")}
    return replace(made, channels=channels), facts


def adapter_seen_in_battery(seed: int) -> tuple[Made, dict]:
    """Plugged in or pulled in the middle: the battery's power falls to nothing, turns its sign, or comes back."""
    made, facts = _measured(seed)
    rng = np.random.default_rng((seed, 4))
    at = made.start_ns + int(rng.uniform(10.0, 50.0) * 1e9)
    stamps, watts = made.channels["battery_w"]
    plugged = (stamps >= at) if rng.random() < 0.5 else (stamps < at)
    charging = -rng.uniform(0.0, 25.0) if rng.random() < 0.5 else 0.05
    moved = np.where(plugged, charging + 0.02 * rng.standard_normal(watts.size), watts)
    channels = {k: v for k, v in made.channels.items() if k not in ("charge_share", "voltage_v")}
    return replace(made, channels={**channels, "battery_w": (stamps, moved)}), facts


def _inside(seconds: Array, starts: Array, length: float) -> NDArray[np.bool_]:
    return np.any((seconds[:, None] >= starts) & (seconds[:, None] < starts + length), axis=1)


UNNAMED = (
    Unnamed("logger loses 2 % of frames", lost_frames),
    Unnamed("bursts of another program, in frames only", bursts),
    Unnamed("adapter change, in the battery's power only", adapter_seen_in_battery),
    Unnamed("GPU clock collapse, in frames only", collapse),
)


def unnamed(index: int, seed: int) -> Score:
    """Whether one of the four is found: the pass is no valid one."""
    fault = UNNAMED[index]
    made, facts = fault.make(seed)
    state, _ = program.verdict(made, facts)
    return Score("faults", fault.name, "odd", f"{fault.name}/{seed}", state != "valid", 1.0)


def named(index: int, seed: int) -> Iterator[Score]:
    """Whether a fault of the stand-in is found by one of the checks meant for it."""
    fault = injected.FAULTS[index]
    _, _, happened, found, _, _ = injected.one((index, 1000 + seed))
    if happened:
        yield Score("faults", fault.__name__.replace("_", " "), "shipped", f"{fault.__name__}/{seed}", found, 1.0)
