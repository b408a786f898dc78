"""Cuts one long recording into passes where nothing was drawn for a while."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from .trace import Trace

IDLE_S = 5.0
SHORTEST_S = 10.0


def cut_at_idle(trace: Trace, idle_s: float = IDLE_S, shortest_s: float = SHORTEST_S) -> list[Trace]:
    """Pieces of a trace between intervals longer than idle_s.

    idle_s : s, over 0; inf cuts nowhere. shortest_s : s, shorter pieces are dropped (a start-up or a menu blink),
    unless the trace is in one piece. Telemetry goes with the piece it was recorded in.
    """
    long = np.flatnonzero(np.diff(trace.frames_ns) > idle_s * 1e9) + 1
    if long.size == 0:
        return [trace]
    edges = [0, *long.tolist(), trace.frames_ns.size]
    found = []
    for low, high in pairwise(edges):
        stamps = trace.frames_ns[low:high]
        start, end = int(stamps[0]), int(stamps[-1])
        if end - start >= shortest_s * 1e9:
            channels = {name: channel.between(start, end) for name, channel in trace.channels.items()}
            found.append(Trace(stamps, {n: c for n, c in channels.items() if c.values.size}, start, end))
    return found
