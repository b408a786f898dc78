"""A run sheet that was filled in on paper, typed in: its passes join those of the plan it was printed from."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from ...bench.by_hand.guided import Readings, constant, told_by_hand
from ...core.errors import HovrikError, ImportRefused, InputError, StoreError
from ...core.facts.condition import Condition, Provenance
from ...core.facts.setup import Setup
from ...core.passes.hand import HandDraw
from ...core.passes.record import End, Origin, PassRecord
from ...core.plan.steps import PlannedPass
from ...store.files.read.frame_log import convert
from ...store.files.read.table import read_table
from ...store.notebook import Notebook
from ..judging import keep_judged
from ..run import Planned, load_plan
from .by_hand import Scales, parse
from .mappings import mappings

FAILED = ("did not start", "crashed", "hung")
Progress = Callable[["RowDone"], bool]


@dataclass(frozen=True)
class SheetRow:
    """One line of the sheet. index : of the planned pass; texts : by field of service.hand.FIELDS, with "log" (a file's
    name, a mean rate, or one of FAILED), "begun" and "seen"."""

    index: int
    texts: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_empty(self) -> bool:
        """Whether nothing was written on it."""
        return not any(text.strip() for text in self.texts.values())


@dataclass(frozen=True)
class RowDone:
    """What became of a line. words : for the person; pass_id : of the pass that was stored; was_kept : before."""

    index: int
    stored: bool
    words: str
    pass_id: str = ""
    was_kept: bool = False


def code_of(plan_id: str) -> str:
    """What a plan is called on paper."""
    return plan_id[:4].upper()


def store(
    notebook: Notebook, plan_id: str, rows: Sequence[SheetRow], scales: Scales, folder: Path | None,
    progress: Progress = lambda _: True,
) -> list[RowDone]:  # fmt: skip
    """Store every filled line as a pass of the plan; a line that cannot be used is told and left.

    folder : of the logs; progress is told of each line, False ends it early. A line whose pass is kept already is
    left alone. Raises StoreError where the notebook cannot be written; what was stored before is kept.
    """
    planned = load_plan(notebook, plan_id)
    kept = planned.done_indices
    done = []
    for row in rows:
        if row.is_empty:
            continue
        if row.index in kept:
            found = RowDone(row.index, False, "kept already; left alone", was_kept=True)
        else:
            found = _store_one(notebook, planned, row, scales, folder)
        done.append(found)
        if not progress(found):
            break
    return done


def _store_one(notebook: Notebook, planned: Planned, row: SheetRow, scales: Scales, folder: Path | None) -> RowDone:
    try:
        record = _record(notebook, planned, row, scales, folder)
    except HovrikError as fault:
        if isinstance(fault, StoreError) and not isinstance(fault, ImportRefused):
            raise
        return RowDone(row.index, False, str(fault))
    verdict = keep_judged(notebook, record, planned.rig)
    return RowDone(row.index, True, f"stored, {verdict.state.value}", record.id)


def _record(notebook: Notebook, planned: Planned, row: SheetRow, scales: Scales, folder: Path | None) -> PassRecord:
    made = next((p for p in planned.passes if p.index == row.index), None)
    if made is None:
        raise InputError(f"The plan has no pass {row.index + 1}; it has {len(planned.passes)}.")
    readings = parse(row.texts, scales, planned.rig)
    said = row.texts.get("log", "").strip()
    base = PassRecord(
        str(uuid.uuid4()), planned.context, made.setup, Setup(), _conditions(planned, made, row), None,
        purpose=made.purpose, plan_id=planned.plan_id, plan_index=made.index, step_id=made.step_id,
    )  # fmt: skip
    if said.lower().startswith(FAILED):
        return replace(base, outcome=End.FAILED, reason=said)
    fps = _number(said)
    if fps is None:
        return _with_log(notebook, base, readings, planned, _find(said, folder))
    draws = readings.draws(made.pass_s, planned.rig)
    summary: dict[str, float | str] = {"mean_fps": fps, "source": "run sheet"}
    summary.update({name: draw.watts for name, draw in draws.items()})
    summary.update({k: v for k, v in (("die_c", readings.die_c), ("shell_c", readings.shell_c)) if v is not None})
    return replace(
        base, origin=Origin.SUMMARY, summary=summary, conditions={**base.conditions, **_told(row, draws)}
    )  # fmt: skip


def _with_log(notebook: Notebook, base: PassRecord, readings: Readings, planned: Planned, path: Path) -> PassRecord:
    table = read_table(path)
    imported = convert(table, mappings(notebook).of_log(table))
    trace = imported.trace
    draws = readings.draws(trace.seconds, planned.rig)
    channels = {
        **readings.end_temperatures(trace.end_ns), **trace.channels, **constant(draws, trace.start_ns, trace.end_ns)
    }  # fmt: skip
    now = time.time_ns()
    conditions = {
        **base.conditions,
        **told_by_hand((), draws, now),
        "log": Condition(path.name, Provenance.READ, now),
    }
    return replace(base, origin=Origin.IMPORTED, trace=replace(trace, channels=channels), conditions=conditions)


def _conditions(planned: Planned, made: PlannedPass, row: SheetRow) -> dict[str, Condition]:
    now = time.time_ns()
    found = {
        **planned.conditions,
        "planned_s": Condition(made.pass_s, Provenance.ASSUMED, now),
        "soak_s": Condition(made.soak_s, Provenance.ASSUMED, now),
        **_told(row, {}),
    }
    begun = row.texts.get("begun", "").strip()
    if begun:
        found["begun_at"] = Condition(begun, Provenance.ASKED, now)
    return found


def _told(row: SheetRow, draws: Mapping[str, HandDraw]) -> dict[str, Condition]:
    seen = [one.strip() for one in row.texts.get("seen", "").split(",") if one.strip()]
    return told_by_hand(seen, draws, time.time_ns())


def _number(text: str) -> float | None:
    try:
        fps = float(text.replace(",", "."))
    except ValueError:
        return None
    if not 0 < fps < 1e5:
        raise InputError(f"A mean of {fps:g} fps cannot be; over 0 is needed.")
    return fps


def _find(said: str, folder: Path | None) -> Path:
    if not said:
        raise InputError(f"A log or a mean rate is needed, or one of: {', '.join(FAILED)}.")
    named = Path(said)
    tried = [named] if named.is_absolute() or folder is None else [folder / named]
    tried += [tried[0].with_name(f"{tried[0].name}{suffix}") for suffix in (".csv", ".txt", ".tsv")]
    found = next((path for path in tried if path.is_file()), None)
    if found is None:
        where = f"in {folder}" if folder is not None else "there; choose the folder of the logs"
        raise InputError(f"No log {said[:60]!r} is {where}. A number is a mean rate.")
    return found
