"""What a full charge of a rig gave month by month, from its own passes on the battery, whatever they were made for."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from ..core.message import Message, Value, say
from ..core.model.battery import full_of, used_in
from ..core.passes.record import End, PassRecord
from ..core.stats.estimate import Estimate
from ..store.notebook import Notebook, PassQuery
from .memory import Memory, Progress

ALGORITHM, VERSION = "charge-use", 1
LEAST_USED = 0.1  # of a charge that the passes of a month used together


@dataclass(frozen=True)
class Month:
    """name : as 2026-11; full : Wh of a whole charge with its 95 % interval, of which what the power sensor is off by
    is common to all months; used : share of a charge behind it; passes."""

    name: str
    full: Estimate
    used: float
    passes: int


def months(notebook: Notebook, rig: str, progress: Progress | None = None) -> list[Month]:
    """Oldest first; a month whose passes used too little of a charge tells nothing. Each pass is read once and kept.
    Raises Cancelled, StoreError."""
    memory = Memory(notebook)
    memory.refresh()
    gone, noted = notebook.taken_out(), notebook.noted_at(rig)
    records = [
        one for one in memory.records(PassQuery(rig=rig, source="battery"))
        if one.id not in gone and one.outcome is End.DONE
    ]  # fmt: skip
    read: dict[str, dict[str, Any]] = memory.derived(ALGORITHM, VERSION, records, dict, _use, dict, progress)
    by_month: dict[str, list[Mapping[str, Any]]] = {}
    for record in records:
        if read[record.id]:
            month = f"{datetime.fromtimestamp(noted.get(record.id, 0) / 1e9, UTC):%Y-%m}"
            by_month.setdefault(month, []).append(read[record.id])
    found = []
    for name in sorted(by_month):
        rows = by_month[name]
        used = used_in([(one["draw_w"], one["used"], one["start"], one["seconds"]) for one in rows])
        if used is not None and used.share >= LEAST_USED:
            found.append(Month(name, full_of(used), used.share, len(rows)))
    return found


def told(found: Sequence[Month]) -> list[Message]:
    """A line a month, and what they come to over time where that can be told."""
    if not found:
        return [say("battery.untold")]
    lines = [
        say("battery.month", month=one.name, full=one.full.as_value(), passes=one.passes,
            used=Value(100.0 * one.used, "%", digits=0)) for one in reversed(found)
    ]  # fmt: skip
    if len(found) > 1:
        first, last = found[0], found[-1]
        change = math.log(last.full.value / first.full.value)
        half = math.hypot(*(math.log(one.full.high / one.full.value) for one in (first, last) if one.full.high))
        low, middle, high = (100 * math.expm1(change + way * half) for way in (-1, 0, 1))
        kind = "battery.changed" if low * high > 0 else "battery.unchanged"
        by = Value(middle, "%", low, high)
        lines.insert(0, say(kind, first=first.name, last=last.name, by=by))
    return lines


def _use(record: PassRecord) -> dict[str, float]:
    """What a pass drew against its gauge; nothing where it did not read both on the battery."""
    trace = record.trace
    power = trace.measured("battery_w") if trace is not None else None
    charge = trace.measured("charge_share") if trace is not None else None
    if trace is None or power is None or charge is None or charge.values.size < 2:
        return {}
    draw, used = power.mean(), float(charge.values[0] - charge.values[-1]) / 100.0
    if draw is None or draw <= 0 or used < 0:
        return {}
    return {"draw_w": draw, "used": used, "start": float(charge.values[0]) / 100.0, "seconds": trace.seconds}
