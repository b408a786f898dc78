"""Logs that are parts of logs: told as that, and not counted a second time."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from ...core.passes.overlap import SHARED, Prints, prints_of, shared
from ...core.passes.record import Origin, PassRecord
from ...core.passes.trace import Trace
from ...store.notebook import Notebook

ALGORITHM, VERSION = "log-prints", 1
_NONE: Prints = np.empty(0, np.int64)


class Known:
    """What tells the imported passes of a notebook, made once for a batch; it grows with it."""

    def __init__(self, notebook: Notebook) -> None:
        gone = notebook.taken_out()
        imported = [one for one in notebook.passes() if one.origin is Origin.IMPORTED and one.id not in gone]
        cached = notebook.cached(ALGORITHM, VERSION, [one.id for one in imported])
        self._prints: dict[str, Prints] = {}
        self._logs: dict[str, str] = {}
        fresh: dict[str, Mapping[str, Any]] = {}
        for one in imported:
            body = cached.get(one.id)
            if body is None:
                trace = notebook.load(one.id).trace
                body = fresh[one.id] = {"prints": prints_of(trace.frames_ns) if trace is not None else _NONE}
            self._note(one, body["prints"])
        notebook.cache(ALGORITHM, VERSION, fresh)

    def _note(self, record: PassRecord, prints: Prints) -> None:
        self._prints[record.id] = prints
        log = record.conditions.get("log")
        self._logs[record.id] = str(log.value) if log is not None else record.id[:8]

    def add(self, record: PassRecord, trace: Trace) -> None:
        """A pass that came in."""
        self._note(record, prints_of(trace.frames_ns))

    def part_of(self, trace: Trace) -> str:
        """What of the notebook the frames of a log are a part of, or hold a part of, in words; "" nothing."""
        own = prints_of(trace.frames_ns)
        for name, other in self._prints.items():
            share, back = shared(own, other), shared(other, own)
            if max(share, back) < SHARED:
                continue
            log = self._logs[name]
            if share >= back:
                return f"It is a part of {log}, which is in the notebook already: it is no further pass."
            return f"It is longer than {log}, a part of it that is in the notebook already. Take that out first."
        return ""
