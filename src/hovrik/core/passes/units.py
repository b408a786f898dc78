"""Units of what a machine tells: declared, and by what its values can only mean."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..errors import BenchError, InputError
from .trace import CHANNELS, Trace

LEAST_SAMPLES = 5
_SHARES = ("cpu_share", "gpu_share", "charge_share")


def check_declared(channels: Iterable[tuple[str, str]]) -> None:
    """Raises InputError where a channel (name, unit) is declared in another unit than its name stands for."""
    for name, unit in channels:
        if name in CHANNELS and unit != CHANNELS[name][1]:
            raise InputError(
                f"The machine declares {name} in {unit or 'no unit'}; it is told in {CHANNELS[name][1]}. Give its "
                "values in that unit and declare it so."
            )


def check_told(trace: Trace) -> None:
    """Raises BenchError where percents were told as shares: over a pass that made frames, none is over 1, and not all
    are whole."""
    if not trace.frames_ns.size:
        return
    for name in _SHARES:
        channel = trace.channels.get(name)
        values = channel.values[np.isfinite(channel.values)] if channel is not None else np.empty(0)
        if values.size < LEAST_SAMPLES or not 0.0 < values.max() <= 1.0 or np.isin(values, (0.0, 1.0)).all():
            continue
        raise BenchError(
            f"{CHANNELS[name][0]} ({name}) read {values.min():.2g} to {values.max():.2g} over a pass that made frames: "
            "that looks like shares of 0 to 1. Tell it in percent, 0 to 100. Nothing was kept of the pass."
        )
