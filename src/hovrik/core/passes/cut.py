"""Cuts one long recording into passes: at marks that were set, or where nothing was drawn for a while."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from .trace import Trace

IDLE_S = 5.0
SHORTEST_S = 10.0
PULSE_S = 1.0  # a mark that lasts no longer is a press, not a label


@dataclass(frozen=True)
class LogMark:
    """A mark in a recording. at_ns : of its first frame; words : what it says, "" where a label ends."""

    at_ns: int
    words: str


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
        found += _piece(trace, int(stamps[0]), int(stamps[-1]), shortest_s)
    return found


def _piece(trace: Trace, start: int, end: int, shortest_s: float) -> list[Trace]:
    """The part from start to end (ns) with its telemetry; nothing where it is too short."""
    low, high = np.searchsorted(trace.frames_ns, (start, end + 1))
    if end - start < shortest_s * 1e9 or high - low < 2:
        return []
    channels = {name: channel.between(start, end) for name, channel in trace.channels.items()}
    return [Trace(trace.frames_ns[low:high], {n: c for n, c in channels.items() if c.values.size}, start, end)]


def _frame_before(trace: Trace, at_ns: int) -> int:
    return int(trace.frames_ns[max(int(np.searchsorted(trace.frames_ns, at_ns)) - 1, 0)])


def cut_at_marks(trace: Trace, marks: Sequence[LogMark], shortest_s: float = SHORTEST_S) -> list[tuple[Trace, str]]:
    """Pieces of a trace with what their marks say.

    Labels last: a piece is what stands under one. Presses (no longer than PULSE_S each) come in pairs, start and end;
    after an odd one the recording's end is the end. Shorter pieces are dropped.
    """
    ends = [(mark.at_ns, _frame_before(trace, mark.at_ns)) for mark in marks[1:]] + [(trace.end_ns, trace.end_ns)]
    labels = [(mark, *end) for mark, end in zip(marks, ends, strict=False) if mark.words]
    if labels and all(gone - mark.at_ns <= PULSE_S * 1e9 for mark, gone, _ in labels):
        presses = [mark.at_ns for mark, _, _ in labels] + ([trace.end_ns] if len(labels) % 2 else [])
        spans = [(a, b, "") for a, b in zip(presses[::2], presses[1::2], strict=True)]
    else:  # the frame in whose row a label has gone is no part of it: it may be a pause
        spans = [(mark.at_ns, last, mark.words) for mark, _, last in labels]
    return [(piece, words) for start, end, words in spans for piece in _piece(trace, start, end, shortest_s)]
