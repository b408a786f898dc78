"""A pass as a flat row, for tables, the command line and export."""

from __future__ import annotations

from typing import Any

from ..core.facts import condition
from ..core.facts.setup import describe
from .gather import PassView


def metrics_of(view: PassView) -> dict[str, float | None]:
    """Figures of a pass by name, units in the names; None where the data do not carry one."""
    found = view.figures
    frames = found.frames
    low = frames.low_1pct if frames else None
    low_tenth = frames.low_0_1pct if frames else None
    die, shell = found.die, found.shell
    return {
        "mean_fps": found.mean_fps,
        "min_fps": found.min_fps,
        "low_1pct_fps_percentile": low.percentile if low else None,
        "low_1pct_fps_slowest_mean": low.slowest_mean if low else None,
        "low_1pct_fps_time_weighted": low.time_weighted if low else None,
        "low_0_1pct_fps_percentile": low_tenth.percentile if low_tenth else None,
        "stutters_per_min": frames.stutters_per_min if frames else None,
        "missed_share": frames.missed_share if frames else None,
        "steady_share": frames.steady_share if frames else None,
        "frames": frames.frames if frames else None,
        "seconds": frames.seconds if frames else None,
        "package_w": found.package_w,
        "draw_w": found.draw_w,
        "wall_w": found.wall_w,
        "input_w": found.input_w,
        "die_settled_c": die.value_c if die else None,
        "shell_settled_c": shell.value_c if shell else None,
        "die_end_c": found.die_end_c,
        "shell_end_c": found.shell_end_c,
        "score": found.score,
    }


def pass_row(view: PassView) -> dict[str, Any]:
    """The JSON row of `hovrik passes`."""
    record = view.record
    return {
        "id": record.id,
        "verdict": view.verdict.state.value,
        "findings": [f"{f.check}: {f.evidence}" for f in view.verdict.findings],
        "facts": list(view.verdict.facts),
        "overruled": view.verdict.overruled,
        "origin": record.origin.value,
        "purpose": record.purpose,
        "words": describe(record.setup),
        "setup": record.setup.as_dict(),
        "read": record.read.as_dict(),
        "conditions": condition.to_plain(record.conditions),
        "metrics": metrics_of(view),
    }
