"""Plans, the steps that their designs gave batch by batch, and the journal of runs."""

from __future__ import annotations

import time
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ...core.errors import StoreError
from ...core.facts.left import Left
from ...core.facts.setup import Snapshot
from ...core.plan.steps import MEASURE, Batch, Step
from ..opened import OpenedFile, dump
from ..sealed import insert, sound, update, why_not
from ..sound import json_of, left_of, setup_from, snapshot_of, table_of
from .versions import freeze


@dataclass(frozen=True)
class JournalEntry:
    """A run whose machine is not confirmed to be as it was. left : how it was found, and what was touched since."""

    id: str
    plan_id: str
    machine: dict[str, Any]
    left: Left
    position: int

    @property
    def snapshot(self) -> Snapshot:
        """The machine as it was found first."""
        return self.left.snapshot


class Plans(OpenedFile):
    """What is to be measured, and which runs are under way."""

    def keep_plan(self, body: Mapping[str, Any], batch: Batch | None = None) -> str:
        """Store a plan with its first batch; its id."""
        made, context = str(uuid.uuid4()), body.get("context") or {}
        with self.writing() as connection:
            insert(connection, "plan", {"id": made, "body": dump(body), "noted_at": time.time_ns()})
            freeze(connection, context.values())
            if batch is not None:
                _insert_batch(connection, made, batch)
        return made

    def plan(self, plan_id: str) -> dict[str, Any]:
        """A stored plan. Raises StoreError where there is none."""
        rows = self.read_rows(f"SELECT id, body, {sound('plan')} FROM plan WHERE id = ?", plan_id)
        if not rows:
            raise StoreError(f"Plan {plan_id} is not in {self.path.name}.")
        found = self.each_sealed("plan", rows, lambda _, body: table_of(body))
        if not found:
            fault = self.spoiled["plan", plan_id].fault
            raise StoreError(f"Plan {plan_id} in {self.path.name} cannot be read: {fault}.")
        return found[0]

    def plans(self) -> list[tuple[str, dict[str, Any], int]]:
        """(id, body, UTC ns) of every plan, newest first."""
        rows = self.read_rows(f"SELECT id, body, noted_at, {sound('plan')} FROM plan ORDER BY seq DESC")
        return self.each_sealed("plan", rows, lambda name, body, at: (name, table_of(body), at))

    def keep_batch(self, plan_id: str, batch: Batch) -> None:
        """Store what a design gave when it was asked once more. Raises StoreError, as where that batch is there."""
        with self.writing() as connection:
            _insert_batch(connection, plan_id, batch)

    def batches(self, plan_id: str) -> tuple[Batch, ...]:
        """Every batch of a plan with its steps, in order; none for a plan of before there were steps."""
        found: dict[int, list[Step]] = {}
        told: dict[int, tuple[str, ...]] = {}
        heads = self.read_rows(
            f"SELECT number, told, why, is_last, {sound('batch')} FROM batch WHERE plan_id = ? ORDER BY number", plan_id
        )
        for number, ids, _, _, is_sound in heads:
            if is_sound != 1:
                raise StoreError(f"A batch of plan {plan_id} cannot be read: {why_not(is_sound)}.")
            told[number] = tuple(_ids(plan_id, ids))
        steps = self.read_rows(
            f"SELECT id, batch, position, kind, body, {sound('step')} FROM step WHERE plan_id = ? "
            "ORDER BY batch, position", plan_id,
        )  # fmt: skip
        made = self.each_sealed("step", steps, lambda *row: _step(row, told))
        if len(made) < len(steps):  # a plan is run as it is or not at all
            faults = [one.fault for (table, _), one in self.spoiled.items() if table == "step"]
            raise StoreError(f"A step of plan {plan_id} in {self.path.name} cannot be read: {faults[-1]}.")
        for step in made:
            found.setdefault(step.batch, []).append(step)
        return tuple(
            Batch(number, tuple(found.get(number, ())), told[number], why, bool(last))
            for number, _, why, last, _ in heads
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
            _insert_steps(connection, plan_id, number, [step for step in steps if step.id not in begun])

    # -- the journal

    def passes_planned(self, plan_id: str) -> int:
        """How many passes a plan holds so far."""
        return int(self.read_rows("SELECT count(*) FROM step WHERE plan_id = ? AND kind = ?", plan_id, MEASURE)[0][0])

    def begin_run(
        self, plan_id: str, machine: Mapping[str, Any], left: Left, instead_of: JournalEntry | None = None
    ) -> str:
        """Store how the machine was found before anything is touched; the journal entry's id. instead_of : an open
        entry of the same machine, which this one takes over (its own where the plan is the same)."""
        body = dump(left.as_dict())
        with self.writing() as connection:
            if instead_of is not None and instead_of.plan_id == plan_id:
                update(connection, "journal", {"found": body}, "id = ?", instead_of.id)
                return instead_of.id
            if instead_of is not None:
                update(connection, "journal", {"restored_at": time.time_ns()}, "id = ?", instead_of.id)
            made = str(uuid.uuid4())
            row = {"id": made, "plan_id": plan_id, "machine": dump(machine), "snapshot": dump(left.snapshot.as_dict())}
            insert(connection, "journal", {**row, "found": body, "position": -1, "began_at": time.time_ns()})
        return made

    def run_touches(self, run_id: str, left: Left) -> None:
        """Store what a run is about to set beside what it has set."""
        with self.writing() as connection:
            update(connection, "journal", {"found": dump(left.as_dict())}, "id = ?", run_id)

    def run_at(self, run_id: str, position: int, steps: Sequence[str] = ()) -> None:
        """Store which planned pass is about to be made; from here on its steps can be neither edited nor taken out."""
        now = time.time_ns()
        with self.writing() as connection:
            update(connection, "journal", {"position": position}, "id = ?", run_id)
            for step in steps:
                update(connection, "step", {"begun_at": now}, "id = ? AND begun_at IS NULL", step)

    def end_run(self, run_id: str) -> None:
        """The snapshot is back, or the user chose to leave the machine as it is."""
        with self.writing() as connection:
            update(connection, "journal", {"restored_at": time.time_ns()}, "id = ?", run_id)

    def open_runs(self) -> list[JournalEntry]:
        """Runs whose machine was not confirmed to be put back."""
        rows = self.read_rows(
            f"SELECT id, plan_id, machine, snapshot, found, position, restored_at, {sound('journal')} FROM journal "
            f"WHERE restored_at IS NULL OR {sound('journal')} IS NOT 1 ORDER BY seq"
        )
        found = self.each_sealed("journal", rows, _entry)
        return [entry for entry, restored_at in found if restored_at is None]


def _entry(
    name: str, plan: str, machine: str, snapshot: str, found: str | None, position: int, restored_at: int | None
) -> tuple[JournalEntry, int | None]:  # fmt: skip
    left = left_of(found) if found is not None else Left.of_old(snapshot_of(snapshot))
    return JournalEntry(name, plan, table_of(machine), left, position), restored_at


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


def _insert_steps(connection: Any, plan_id: str, number: int, steps: Sequence[Step]) -> None:
    for step in steps:
        row = {"id": step.id or str(uuid.uuid4()), "plan_id": plan_id, "batch": number, "position": step.seq}
        insert(connection, "step", {**row, "kind": step.kind, "body": dump(step.as_dict())})


def _insert_batch(connection: Any, plan_id: str, batch: Batch) -> None:
    row = {"plan_id": plan_id, "number": batch.number, "told": dump(list(batch.told)), "why": batch.why}
    insert(connection, "batch", {**row, "is_last": int(batch.is_last), "noted_at": time.time_ns()})
    _insert_steps(connection, plan_id, batch.number, batch.steps)
