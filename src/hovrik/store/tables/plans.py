"""Plans, the steps that their designs gave batch by batch, and the journal of runs."""

from __future__ import annotations

import time
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ...core.errors import StoreError
from ...core.facts.setup import Snapshot
from ...core.plan.steps import MEASURE, Batch, Step
from ..opened import OpenedFile, dump
from ..packing import seal
from ..sound import json_of, setup_from, snapshot_of, table_of
from .versions import freeze


@dataclass(frozen=True)
class JournalEntry:
    """A run whose snapshot is not confirmed back on the machine."""

    id: str
    plan_id: str
    machine: dict[str, Any]
    snapshot: Snapshot
    position: int


class Plans(OpenedFile):
    """What is to be measured, and which runs are under way."""

    def keep_plan(self, body: Mapping[str, Any], batch: Batch | None = None) -> str:
        """Store a plan with its first batch; its id."""
        made, context = str(uuid.uuid4()), body.get("context") or {}
        with self.writing() as connection:
            connection.execute(
                "INSERT INTO plan (id, body, noted_at) VALUES (?, ?, ?)", (made, dump(body), time.time_ns())
            )
            freeze(connection, context.values())
            if batch is not None:
                _insert_batch(connection, made, batch)
        return made

    def plan(self, plan_id: str) -> dict[str, Any]:
        """A stored plan. Raises StoreError where there is none."""
        rows = self.read_rows("SELECT body FROM plan WHERE id = ?", plan_id)
        if not rows:
            raise StoreError(f"Plan {plan_id} is not in {self.path.name}.")
        try:
            return table_of(rows[0][0])
        except ValueError as fault:
            raise StoreError(f"Plan {plan_id} in {self.path.name} cannot be read: {fault}.") from fault

    def plans(self) -> list[tuple[str, dict[str, Any], int]]:
        """(id, body, UTC ns) of every plan, newest first."""
        rows = self.read_rows("SELECT id, body, noted_at FROM plan ORDER BY seq DESC")
        return self.each("plan", rows, lambda name, body, at: (name, table_of(body), at))

    def keep_batch(self, plan_id: str, batch: Batch) -> None:
        """Store what a design gave when it was asked once more. Raises StoreError, as where that batch is there."""
        with self.writing() as connection:
            _insert_batch(connection, plan_id, batch)

    def batches(self, plan_id: str) -> tuple[Batch, ...]:
        """Every batch of a plan with its steps, in order; none for a plan of before there were steps."""
        found: dict[int, list[Step]] = {}
        told: dict[int, tuple[str, ...]] = {}
        heads = self.read_rows(
            "SELECT number, told, why, is_last FROM batch WHERE plan_id = ? ORDER BY number", plan_id
        )
        for number, ids, _, _ in heads:
            told[number] = tuple(_ids(plan_id, ids))
        steps = self.read_rows(
            "SELECT id, batch, position, kind, body FROM step WHERE plan_id = ? ORDER BY batch, position", plan_id
        )
        made = self.each("step", steps, lambda *row: _step(row, told))
        if len(made) < len(steps):  # a plan is run as it is or not at all
            faults = [one.fault for (table, _), one in self.spoiled.items() if table == "step"]
            raise StoreError(f"A step of plan {plan_id} in {self.path.name} cannot be read: {faults[-1]}.")
        for step in made:
            found.setdefault(step.batch, []).append(step)
        return tuple(
            Batch(number, tuple(found.get(number, ())), told[number], why, bool(last)) for number, _, why, last in heads
        )

    def edit_steps(self, plan_id: str, number: int, steps: Sequence[Step]) -> None:
        """Replace the steps of a batch that are not begun; those that are must be among `steps`, in their places.
        Raises StoreError; then nothing is changed."""
        with self.writing() as connection:
            begun = {
                row[0] for row in connection.execute(
                    "SELECT id FROM step WHERE plan_id = ? AND batch = ? AND begun_at IS NOT NULL", (plan_id, number)
                )
            }  # fmt: skip
            if not begun <= {step.id for step in steps}:
                raise StoreError("A step that is begun cannot be taken out of the plan. Edit those that are to come.")
            connection.execute(
                "DELETE FROM step WHERE plan_id = ? AND batch = ? AND begun_at IS NULL", (plan_id, number)
            )
            connection.executemany(_STEP, [_row(plan_id, number, step) for step in steps if step.id not in begun])

    # -- the journal

    def passes_planned(self, plan_id: str) -> int:
        """How many passes a plan holds so far."""
        return int(self.read_rows("SELECT count(*) FROM step WHERE plan_id = ? AND kind = ?", plan_id, MEASURE)[0][0])

    def begin_run(self, plan_id: str, machine: Mapping[str, Any], snapshot: Snapshot) -> str:
        """Store the snapshot before the first Apply; the journal entry's id. An open entry of the same machine is
        taken over: its snapshot, older and so the true one, stays."""
        open_entry = next((e for e in self.open_runs() if e.machine == dict(machine)), None)
        if open_entry is not None and open_entry.plan_id == plan_id:
            return open_entry.id
        kept = open_entry.snapshot if open_entry is not None else snapshot
        made = str(uuid.uuid4())
        with self.writing() as connection:
            if open_entry is not None:
                connection.execute("UPDATE journal SET restored_at = ? WHERE id = ?", (time.time_ns(), open_entry.id))
            row = (made, plan_id, dump(machine), dump(kept.as_dict()))
            connection.execute(
                "INSERT INTO journal (id, plan_id, machine, snapshot, began_at, checksum) VALUES (?, ?, ?, ?, ?, ?)",
                (*row, time.time_ns(), seal(*row)),
            )
        return made

    def run_at(self, run_id: str, position: int, steps: Sequence[str] = ()) -> None:
        """Store which planned pass is about to be made; from here on its steps can be neither edited nor taken out."""
        now = time.time_ns()
        with self.writing() as connection:
            connection.execute("UPDATE journal SET position = ? WHERE id = ?", (position, run_id))
            connection.executemany(
                "UPDATE step SET begun_at = ? WHERE id = ? AND begun_at IS NULL", [(now, step) for step in steps]
            )

    def end_run(self, run_id: str) -> None:
        """The snapshot is back, or the user chose to leave the machine as it is."""
        with self.writing() as connection:
            connection.execute("UPDATE journal SET restored_at = ? WHERE id = ?", (time.time_ns(), run_id))

    def open_runs(self) -> list[JournalEntry]:
        """Runs whose machine was not confirmed to be put back."""
        rows = self.read_rows(
            "SELECT id, plan_id, machine, snapshot, checksum, position FROM journal WHERE restored_at IS NULL "
            "ORDER BY seq"
        )
        positions = {row[0]: row[5] for row in rows}
        return self.each_sealed(
            "journal", [row[:5] for row in rows],
            lambda name, plan, machine, snap: JournalEntry(
                name, plan, table_of(machine), snapshot_of(snap), positions[name]
            ),
        )  # fmt: skip


def _ids(plan_id: str, text: str) -> list[str]:
    try:
        found = json_of(text)
        if isinstance(found, list) and all(isinstance(one, str) for one in found):
            return found
    except ValueError:
        pass
    raise StoreError(f"A batch of plan {plan_id} cannot be read: the passes it was decided on are no list of ids.")


def _step(row: Sequence[Any], told: Mapping[int, tuple[str, ...]]) -> Step:
    made, number, position, kind, text = row
    body = table_of(text)
    setup_from(body.get("setup", {}))
    step = Step.from_dict(body, id=made, batch=number, seq=position, kind=kind, told=told[number])
    if isinstance(step.seconds, bool) or not isinstance(step.seconds, int | float) or not 0 <= step.seconds <= 1e6:
        raise ValueError(f"{step.seconds!r} seconds of a step are not possible")
    return step


_STEP = "INSERT INTO step (id, plan_id, batch, position, kind, body) VALUES (?, ?, ?, ?, ?, ?)"


def _row(plan_id: str, number: int, step: Step) -> tuple[Any, ...]:
    return step.id or str(uuid.uuid4()), plan_id, number, step.seq, step.kind, dump(step.as_dict())


def _insert_batch(connection: Any, plan_id: str, batch: Batch) -> None:
    connection.execute(
        "INSERT INTO batch (plan_id, number, told, why, is_last, noted_at) VALUES (?, ?, ?, ?, ?, ?)",
        (plan_id, batch.number, dump(list(batch.told)), batch.why, int(batch.is_last), time.time_ns()),
    )
    connection.executemany(_STEP, [_row(plan_id, batch.number, step) for step in batch.steps])
