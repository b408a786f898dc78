"""Every figure of a pass, declared once: what it is called, in which unit, on which scale, how it is got.

Tables, groups, answers, exports and plots take their rows from here. Ids are final.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from ..facts.terms import School


@dataclass(frozen=True)
class Figure:
    """One figure.

    channel : telemetry whose mean between the marks it is, "" where it comes otherwise; peak : its highest value
    instead; log : means and spreads are taken on the log scale; prior_sd : spread between passes of scenes measured
    before, on that scale; digits : decimals in tables; less_is_better; floor : the name a floor calls it by.
    """

    id: str
    label: str
    unit: str
    channel: str = ""
    peak: bool = False
    log: bool = True
    prior_sd: float = 0.015
    digits: int = 1
    less_is_better: bool = False
    floor: str = ""

    @property
    def possible(self) -> tuple[float, float]:
        """Ends of what it can be at all: no interval goes beyond them."""
        most = {"%": 100.0, "share": 1.0}.get(self.unit, math.inf)
        return (-math.inf, math.inf) if self.unit in ("C", "dB") else (0.0, most)


def low_id(school: School, share: str = "1pct") -> str:
    """Id of a low by its school; share : "1pct" or "0_1pct"."""
    return f"low_{share}_fps_{school.value}"


def _low(school: School, share: str, words: str) -> Figure:
    spread = 0.05 if school is School.SLOWEST_MEAN else 0.02
    name = low_id(school, share)
    return Figure(name, f"{words} low, {school.words}", "fps", prior_sd=spread, floor=f"low_{share}")


_LOWS = tuple(
    _low(school, share, words) for share, words in (("1pct", "1 %"), ("0_1pct", "0.1 %")) for school in School
)

FIGURES: tuple[Figure, ...] = (
    Figure("mean_fps", "Mean rate", "fps", prior_sd=0.015, floor="mean"),
    *_LOWS,
    Figure("min_fps", "Slowest frame", "fps", prior_sd=0.1),
    Figure("score", "Score", "points", prior_sd=0.015, digits=0, floor="score"),
    Figure("time_s", "Time of the job", "s", prior_sd=0.015, less_is_better=True, floor="time"),
    Figure("energy_wh", "Energy of the job", "Wh", prior_sd=0.02, digits=2, less_is_better=True),
    Figure("stutters_per_min", "Stutters", "a minute", log=False, prior_sd=1.0, less_is_better=True),
    Figure("stutter_seconds_per_min", "Stutter seconds", "s a minute", log=False, prior_sd=0.1, digits=2,
           less_is_better=True),
    Figure("judder_ms", "Judder", "ms", log=False, prior_sd=0.5, less_is_better=True),
    Figure("rendered_fps", "Rendered rate", "fps", prior_sd=0.015),
    Figure("shown_fps", "Shown rate", "fps", prior_sd=0.015),
    Figure("package_w", "Package power", "W", "package_w", prior_sd=0.009, less_is_better=True),
    Figure("draw_w", "Draw", "W", "battery_w", prior_sd=0.008, less_is_better=True),
    Figure("wall_w", "Wall power", "W", "wall_w", prior_sd=0.012, less_is_better=True),
    Figure("input_w", "DC input power", "W", "input_w", prior_sd=0.012, less_is_better=True),
    Figure("cpu_w", "CPU power", "W", "cpu_w", prior_sd=0.03, less_is_better=True),
    Figure("gpu_w", "GPU power", "W", "gpu_w", prior_sd=0.03, less_is_better=True),
    Figure("cpu_mhz", "CPU clock", "MHz", "cpu_mhz", prior_sd=0.01, digits=0),
    Figure("gpu_mhz", "GPU clock", "MHz", "gpu_mhz", prior_sd=0.01, digits=0),
    Figure("memory_mhz", "Memory clock", "MHz", "memory_mhz", prior_sd=0.01, digits=0),
    Figure("cpu_share", "CPU utilisation", "%", "cpu_share", log=False, prior_sd=1.0, digits=0),
    Figure("gpu_share", "GPU utilisation", "%", "gpu_share", log=False, prior_sd=1.0, digits=0),
    Figure("memory_mb", "Graphics memory at most", "MB", "memory_mb", peak=True, prior_sd=0.01, digits=0,
           less_is_better=True),
    Figure("fan_rpm", "Fan speed", "rpm", "fan_rpm", prior_sd=0.02, digits=0, less_is_better=True),
    Figure("noise_db", "Noise", "dB", "noise_db", log=False, prior_sd=0.5, less_is_better=True),
    Figure("die_c", "Die, settled", "C", log=False, prior_sd=0.5, digits=0, less_is_better=True),
    Figure("shell_c", "Shell, settled", "C", log=False, prior_sd=0.3, digits=0, less_is_better=True),
    Figure("die_least_c", "Die, settles no lower than", "C", log=False, prior_sd=0.5, digits=0, less_is_better=True),
    Figure("package_end_w", "Package power at the end", "W", prior_sd=0.012, less_is_better=True),
    Figure("die_end_c", "Die at the end", "C", log=False, prior_sd=0.5, digits=0, less_is_better=True),
    Figure("shell_end_c", "Shell at the end", "C", log=False, prior_sd=0.3, digits=0, less_is_better=True),
    Figure("charge_start_share", "Charge at the start", "share", log=False, prior_sd=0.002, digits=3),
    Figure("charge_used_share", "Charge used", "share", log=False, prior_sd=0.002, digits=3, less_is_better=True),
)  # fmt: skip
BY_ID: Mapping[str, Figure] = {figure.id: figure for figure in FIGURES}


def floor_figure(name: str, school: School) -> Figure | None:
    """The figure that a floor names, by the school of lows; None for a name that is no figure of a pass itself."""
    own = [figure for figure in FIGURES if figure.floor == name]
    return next((f for f in own if f.id.endswith(school.value)), own[0] if own else None)
