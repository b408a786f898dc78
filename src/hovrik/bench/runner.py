"""Carries out a plan on a machine: steps in, records out. Never sleeps, never reads a clock, never knows a store.

The sink stores; everything is stored before it is announced. Whatever happens, the setup before is put back.
"""

from __future__ import annotations

import contextlib
import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from threading import Event
from typing import Protocol

import numpy as np

from ..core.condition import Condition, Conditions, Provenance
from ..core.errors import BenchError, PassAborted, ReadbackMismatch, Unavailable
from ..core.guards import Guard, Look, Watch, has_settled, newest
from ..core.plan.ladder import PlannedPass
from ..core.plan.schedule import MARGIN, expected_wh
from ..core.question import Source
from ..core.record import Outcome as End
from ..core.record import PassRecord
from ..core.rig import Rig
from ..core.setup import Setup, Snapshot, describe
from ..core.trace import Channel, Trace
from .protocol import Instruction, Machine, Need, Reply, Sample
from .protocol import Outcome as Answered


class Phase(StrEnum):
    """The step a run is in."""

    RECHARGE = "recharge"
    APPLY = "apply"
    SETTLE = "settle"
    SOAK = "soak"
    MEASURE = "measure"
    COOL_DOWN = "cool down"
    PAUSED = "paused"
    RESTORE = "restore"


@dataclass(frozen=True)
class Progress:
    """Where a run is. position, total : passes done and planned; left_s : of this step; sample : newest data; why : it
    is paused; index : of the planned pass."""

    phase: Phase
    position: int
    total: int
    setup: Setup | None = None
    left_s: float = 0.0
    length_s: float = 0.0
    sample: Sample | None = None
    now_ns: int = 0
    charge: float | None = None
    why: str = ""
    index: int | None = None


@dataclass(frozen=True)
class PassDone:
    """A pass that is stored. counts : whether it enters figures, as judged when it was stored."""

    record: PassRecord
    position: int
    total: int
    counts: bool


@dataclass(frozen=True)
class RunEnded:
    """The run is over. reason : "" when all passes are done; restored : the setup before is back, confirmed."""

    reason: str
    restored: bool
    done: int
    total: int


RunEvent = Progress | PassDone | RunEnded


class Sink(Protocol):
    """Where a run is kept. Each call returns only once its data are safe."""

    def begin(self, snapshot: Snapshot) -> None:
        """Keep the snapshot before the first Apply."""

    def at(self, position: int) -> None:
        """Keep which planned pass is about to be made."""

    def keep(self, record: PassRecord) -> bool:
        """Keep a finished record and judge it; whether it counts."""

    def restored(self) -> None:
        """The snapshot is back on the machine, confirmed."""


@dataclass
class Control:
    """The user's hand on a run: stop, pause, skip, repeat. Safe from any thread.

    paused : hold before the next pass; skipped : leave the pass in progress; again : make the last one once more.
    """

    machine: Machine | None = None
    stopped: Event = field(default_factory=Event)
    paused: Event = field(default_factory=Event)
    skipped: Event = field(default_factory=Event)
    again: Event = field(default_factory=Event)

    def skip(self) -> None:
        """Leave the pass in progress and go on with the next; it can be run later."""
        self.skipped.set()
        if self.machine is not None:
            self.machine.stop()

    def stop(self) -> None:
        """End the run at once; the setup before is put back."""
        self.stopped.set()
        if self.machine is not None:
            self.machine.stop()


@dataclass(frozen=True)
class Job:
    """What to run. passes : all planned; done : indices that are already kept; context, title, scene : of each pass;
    slot : OS slot it runs in, None for the one that runs.

    snapshot : what to put back at the end when an interrupted run is continued; else None and it is taken anew;
    guards : what pauses the run; patience_s : how long a machine that is gone is waited for, looking every look_s
    (real time: it has no other).
    """

    plan_id: str
    passes: Sequence[PlannedPass]
    context: Mapping[str, str]
    title: str
    scene: str
    rig: Rig
    slot: str | None = None
    asked: Conditions = field(default_factory=dict)
    done: frozenset[int] = frozenset()
    snapshot: Snapshot | None = None
    guards: Sequence[Guard] = ()
    patience_s: float = 0.0
    look_s: float = 2.0


def run(machine: Machine, job: Job, sink: Sink, control: Control, announce: Callable[[RunEvent], None]) -> RunEnded:
    """Run every pass of `job` that is not done yet. Returns how it ended; a stop is an outcome, not an error.

    Errors of the machine or the store end the run and are raised again after the setup before was put back.
    """
    control.machine = machine
    _prepare(machine, job)
    snapshot, room_c = job.snapshot or machine.snapshot(), machine.room_c()
    if not machine.describe().by_hand:  # what a person set, the person puts back
        _refuse_what_cannot_be_put_back(job, snapshot)
    sink.begin(snapshot)
    done, reason = len(job.done), "stopped with an error"
    restored = False
    try:
        for planned in job.passes:
            if planned.index in job.done:
                continue
            if control.stopped.is_set():
                break
            if not _hold(machine, job, control, announce, done, snapshot):
                break
            counted = _make_until_kept(machine, job, planned, control, announce, done, sink, snapshot, room_c)
            if counted is None:
                break
            done += counted
            if counted and not _cool(machine, job, planned, control, announce, done, snapshot):
                break
        reason = (
            "" if done == len(job.passes) else "stopped" if control.stopped.is_set() else "some passes were skipped"
        )
    finally:
        with contextlib.suppress(Unavailable):  # the machine is gone: the journal stays open and the next start offers
            restored = put_back(machine, snapshot)
        try:
            if restored:
                sink.restored()
        finally:
            ended = RunEnded(reason, restored, done, len(job.passes))
            announce(ended)
    return ended


_ASKS = {Reply.RELAUNCH: Need.RELAUNCH, Reply.RESTART: Need.RESTART, Reply.PERSON: Need.SET_BY_HAND}


def apply(machine: Machine, setup: Setup) -> Answered:
    """Set a setup; where a relaunch, restart or hand is wanted, ask the person for it and set it then."""
    return _with_person(machine, lambda: machine.apply(setup))


def _with_person(machine: Machine, act: Callable[[], Answered]) -> Answered:
    for _ in range(len(_ASKS)):
        outcome = act()
        need = _ASKS.get(outcome.reply)
        if need is None or not machine.needs_person(Instruction(need, outcome.instruction or outcome.reason)):
            return outcome
    return act()


def put_back(machine: Machine, snapshot: Snapshot) -> bool:
    """Restore the confirmed values of a snapshot; True once a read-back confirms every one of them."""
    machine.end_scene()
    if _with_person(machine, lambda: machine.restore(snapshot)).reply is not Reply.DONE:
        return False
    now = machine.read_back().readings
    return all(
        key in now and now[key].confirmed and now[key].value == value for key, value in snapshot.restorable().items()
    )


def _hold(
    machine: Machine, job: Job, control: Control, announce: Callable[[RunEvent], None], done: int, snapshot: Snapshot,
    why: str = "Paused by you.", watch: Watch | None = None,
) -> bool:  # fmt: skip
    """Wait while paused or while a guard is tripped, at the setup before; False when stopped."""
    first = True
    while control.paused.is_set() or (watch is not None and watch.tripped):
        if control.stopped.is_set():
            return False
        if first:
            put_back(machine, snapshot)
            first = False
        machine.wait(max(machine.poll_s, 0.5))
        if watch is not None:
            look(machine, watch, None)
        announce(
            Progress(Phase.PAUSED, done, len(job.passes), now_ns=machine.now_ns(), charge=machine.charge(), why=why)
        )
        if control.paused.is_set():
            control.stopped.wait(0.05)
    return not control.stopped.is_set()


def look(machine: Machine, watch: Watch, sample: Sample | None) -> tuple[str, ...]:
    """One look of the guards at a machine and its newest sample."""
    channels = sample.channels if sample is not None else {}
    source = machine.source()
    seen = Look(
        machine.now_ns() / 1e9, newest(channels.get("die_c")), machine.charge(), source,
        newest(channels.get("battery_w")), source is Source.ADAPTER, machine.room_c(),
    )  # fmt: skip
    if sample is None and seen.die_c is None:
        seen = replace(seen, die_c=_cooled(watch))
    return watch.look(seen)


def _cooled(watch: Watch) -> float | None:
    """Between scenes no channel is read: a tripped temperature counts as cooled, and clears after its time."""
    return -273.0 if "temperature" in watch.tripped else None


def _make_until_kept(
    machine: Machine, job: Job, planned: PlannedPass, control: Control, announce: Callable[[RunEvent], None], done: int,
    sink: Sink, snapshot: Snapshot, room_c: float | None,
) -> int | None:  # fmt: skip
    """One planned pass, made anew as often as a guard or a lost machine cuts it short, or a repeat is asked for.

    1 where it is kept, 0 where it was skipped, None where the run was stopped.
    """
    wanted = job.asked.get("source")
    watch = Watch(job.guards, Source(str(wanted.value)) if wanted is not None and wanted.value else None, room_c)
    counted = 0
    for _ in range(MOST_TRIES):
        sink.at(planned.index)
        control.skipped.clear()
        control.again.clear()
        try:
            record = _make(machine, job, planned, control, announce, done, watch)
        except Unavailable as fault:
            if not _came_back(machine, job, control, announce, done, snapshot, fault):
                return None
            record = _lost(machine, job, planned, f"The machine was gone: {fault}")
        if record is None:
            if control.skipped.is_set() and not control.stopped.is_set():
                machine.end_scene()
                return counted
            return None
        counts = sink.keep(record)
        if record.outcome is not End.ABORTED:
            counted = 1
            announce(PassDone(record, done + 1, len(job.passes), counts))
            if not control.again.is_set():
                return counted
            continue
        announce(PassDone(record, done, len(job.passes), counts))
        if not _hold(machine, job, control, announce, done, snapshot, record.reason, watch):
            return None
    return counted


def _came_back(
    machine: Machine, job: Job, control: Control, announce: Callable[[RunEvent], None], done: int, snapshot: Snapshot,
    fault: Unavailable,
) -> bool:  # fmt: skip
    """Wait for a machine that is gone and put it back once it is there; False when stopped. Raises the fault again
    when patience ends."""
    left_s = job.patience_s
    while left_s > 0:
        why = f"The machine is gone: {fault} It is looked for again for {left_s:.0f} s more."
        announce(Progress(Phase.PAUSED, done, len(job.passes), why=why))
        if control.stopped.wait(job.look_s):
            return False
        left_s -= job.look_s
        with contextlib.suppress(Unavailable):
            put_back(machine, snapshot)
            return True
    raise fault


def _lost(machine: Machine, job: Job, planned: PlannedPass, reason: str) -> PassRecord:
    """A pass whose machine went away: nothing of it is there, but that it was tried."""
    return PassRecord(
        str(uuid.uuid4()), job.context, planned.setup, Setup(), dict(job.asked), None, outcome=End.ABORTED,
        reason=reason, purpose=planned.purpose, plan_id=job.plan_id, plan_index=planned.index,
        started_ns=machine.now_ns(),
    )  # fmt: skip


def _prepare(machine: Machine, job: Job) -> None:
    """Have the machine in the OS slot and on the power source that the plan asks for."""
    if job.slot is not None and machine.describe().slot != job.slot:
        text = f"Restart into {job.rig.slot(job.slot).name}."
        if (
            not machine.needs_person(Instruction(Need.RESTART, text, slot=job.slot))
            or machine.describe().slot != job.slot
        ):
            raise BenchError(f"The machine runs another OS slot than {job.slot}. {text}")
    wanted = job.asked.get("source")
    source = machine.source()
    if wanted is None or source is None or wanted.value == source.value:
        return
    need = Need.PLUG_IN if wanted.value == Source.ADAPTER.value else Need.UNPLUG
    text = "Plug the adapter in." if need is Need.PLUG_IN else "Unplug the adapter."
    if not machine.needs_person(Instruction(need, text)) or machine.source() == source:
        raise BenchError(f"The machine is on the {source.value}, the plan asks for the {wanted.value}. {text}")


def _refuse_what_cannot_be_put_back(job: Job, snapshot: Snapshot) -> None:
    touched = {key for planned in job.passes for key in planned.setup}
    restorable = snapshot.restorable()
    lost = sorted(touched - set(restorable))
    if lost:
        raise BenchError(
            f"The machine does not confirm its present {', '.join(lost)}, so it could not be put back afterwards. "
            "Set it by hand once, or leave it out of the plan."
        )


def _make(
    machine: Machine, job: Job, planned: PlannedPass, control: Control,
    announce: Callable[[RunEvent], None], done: int, watch: Watch,
) -> PassRecord | None:  # fmt: skip
    """One pass from Apply to end mark; None where it was stopped or skipped half way, aborted where a guard tripped."""
    total = len(job.passes)

    def say(phase: Phase, left: float = 0.0, length: float = 0.0, sample: Sample | None = None) -> None:
        now, charge = machine.now_ns(), machine.charge()
        announce(Progress(phase, done, total, planned.setup, left, length, sample, now, charge, "", planned.index))

    if not _charge_enough(machine, job, planned, control, say):
        return None
    say(Phase.APPLY)
    outcome = apply(machine, planned.setup)
    if outcome.reply is not Reply.DONE:
        return _failed(machine, job, planned, f"{outcome.reply.value}: {outcome.reason}")
    _check_read_back(machine, planned.setup)
    if not _spend(machine, planned.settle_s, control, lambda left, s: say(Phase.SETTLE, left, planned.settle_s, s)):
        return None
    charge_start = machine.charge()
    began = machine.now_ns()
    machine.sample()
    outcome = machine.start_scene(job.title, job.scene)
    if outcome.reply is not Reply.DONE:
        return _failed(machine, job, planned, f"did not start: {outcome.reason}")
    samples: list[Sample] = []

    def hear(phase: Phase, length: float) -> Callable[[float, Sample], None]:
        def on(left: float, sample: Sample) -> None:
            samples.append(sample)
            look(machine, watch, sample)
            say(phase, left, length, sample)

        return on

    def spend(seconds: float, phase: Phase) -> bool:
        return _spend(machine, seconds, control, hear(phase, seconds), watch)

    going = spend(planned.soak_s, Phase.SOAK)
    while going and planned.until_settled and not _settled(samples, machine.now_ns() - began, planned.soak_s):
        going = spend(5.0, Phase.SOAK)
    start = machine.now_ns()
    going = going and spend(planned.pass_s, Phase.MEASURE)
    end = machine.now_ns()
    if not going:
        if not watch.tripped:
            return None
        return _cut_short(machine, job, planned, samples, (start, end), "; ".join(watch.tripped.values()))
    read = machine.read_back()
    machine.end_scene()
    samples.append(machine.sample())  # what a person brings comes in only now
    conditions = {
        **job.asked,
        **machine.told(),
        "charge_start_share": Condition(charge_start, Provenance.READ, began),
        "charge_end_share": Condition(machine.charge(), Provenance.READ, end),
        "soak_s": Condition((start - began) / 1e9, Provenance.READ, start),
        "planned_s": Condition(planned.pass_s, Provenance.READ, start),
    }
    room_c = machine.room_c()
    if room_c is not None:
        conditions["room_c"] = Condition(room_c, Provenance.READ, end)
    return PassRecord(
        str(uuid.uuid4()), job.context, planned.setup, read.as_setup(), conditions, join(samples, start, end),
        purpose=planned.purpose, plan_id=job.plan_id, plan_index=planned.index, started_ns=start,
    )  # fmt: skip


def _settled(samples: Sequence[Sample], soaked_ns: int, soak_s: float) -> bool:
    """Whether the soak may end: by the data, or because it has lasted five times its planned length and two minutes."""
    if soaked_ns / 1e9 >= 5.0 * soak_s + 120.0:
        return True
    trace = join(samples[-60:], 0, np.iinfo(np.int64).max)
    seconds = (trace.frames_ns // 1_000_000_000).astype(np.int64)
    counts = np.bincount(seconds - seconds[0])[1:-1] if seconds.size else np.empty(0)
    return has_settled(trace.channels.get("die_c"), counts.tolist())


def _cut_short(
    machine: Machine, job: Job, planned: PlannedPass, samples: Sequence[Sample], marks: tuple[int, int], why: str
) -> PassRecord:
    """What was recorded until a guard tripped: kept and shown, never averaged."""
    machine.end_scene()
    return PassRecord(
        str(uuid.uuid4()), job.context, planned.setup, machine.read_back().as_setup(), dict(job.asked),
        join(samples, *marks), outcome=End.ABORTED, reason=why, purpose=planned.purpose, plan_id=job.plan_id,
        plan_index=planned.index, started_ns=marks[0],
    )  # fmt: skip


def _charge_enough(
    machine: Machine, job: Job, planned: PlannedPass, control: Control, say: Callable[..., None]
) -> bool:
    """Recharge where the pass would leave the valid charge window; False when stopped."""
    charge, full = machine.charge(), job.rig.full_charge_wh
    if charge is None or full is None:
        return True
    low, high = job.rig.valid_charge[0] + MARGIN, min(job.rig.valid_charge[1], job.rig.charge_limit)
    if charge - expected_wh(planned) / full >= low or charge >= high - 0.011:
        return True
    say(Phase.RECHARGE)
    text = f"Plug in and charge to {100 * high:.0f} %, then unplug."
    if machine.needs_person(Instruction(Need.RECHARGE, text, high)):
        return True
    if control.stopped.is_set():
        return False
    raise PassAborted(
        f"The battery is at {100 * charge:.0f} %; {describe(planned.setup)} would leave the valid window of "
        f"{100 * low:.0f} to {100 * high:.0f} %. Recharge, then continue the sweep."
    )


def _check_read_back(machine: Machine, asked: Setup) -> None:
    now = machine.read_back().readings
    for key, value in asked.items():
        reading = now.get(key)
        if reading is not None and reading.confirmed and reading.value != value:
            raise ReadbackMismatch(
                f"{key} was set to {value} but reads {reading.value}. Check whether another tool sets it, then "
                "continue the sweep."
            )


def _failed(machine: Machine, job: Job, planned: PlannedPass, reason: str) -> PassRecord:
    machine.end_scene()
    now = machine.now_ns()
    return PassRecord(
        str(uuid.uuid4()), job.context, planned.setup, machine.read_back().as_setup(), dict(job.asked), None,
        outcome=End.FAILED, reason=reason, purpose=planned.purpose, plan_id=job.plan_id,
        plan_index=planned.index, started_ns=now,
    )  # fmt: skip


def _spend(
    machine: Machine,
    seconds: float,
    control: Control,
    hear: Callable[[float, Sample], None],
    watch: Watch | None = None,
) -> bool:
    """Let machine time pass in polls, handing on each sample; False when stopped, skipped or a guard tripped."""
    end = machine.now_ns() + round(seconds * 1e9)
    while (left := (end - machine.now_ns()) / 1e9) > 1e-9:
        if control.stopped.is_set() or control.skipped.is_set() or (watch is not None and watch.tripped):
            return False
        machine.wait(min(machine.poll_s, left))
        hear(max((end - machine.now_ns()) / 1e9, 0.0), machine.sample())
    return not control.stopped.is_set()


MOST_TRIES = 20


def _cool(
    machine: Machine, job: Job, planned: PlannedPass, control: Control, announce: Callable[[RunEvent], None], done: int,
    snapshot: Snapshot,
) -> bool:  # fmt: skip
    """Let the machine rest before the next pass; False when stopped. One that goes away meanwhile has rested."""
    total = len(job.passes)
    if done == total:
        return True

    def hear(left: float, sample: Sample) -> None:
        now, charge = machine.now_ns(), machine.charge()
        announce(Progress(Phase.COOL_DOWN, done, total, None, left, planned.cool_s, sample, now, charge))

    try:
        return _spend(machine, planned.cool_s, control, hear)
    except Unavailable as fault:
        return _came_back(machine, job, control, announce, done, snapshot, fault)


def join(samples: Sequence[Sample], start_ns: int, end_ns: int) -> Trace:
    """All samples of a pass as one trace: telemetry from the start of the soak, frames between the marks."""
    frames = np.concatenate([s.frames_ns for s in samples]) if samples else np.empty(0, np.int64)
    low, high = np.searchsorted(frames, (start_ns, end_ns + 1))
    names = {name for s in samples for name in s.channels}
    channels = {}
    for name in sorted(names):
        parts = [s.channels[name] for s in samples if name in s.channels]
        channels[name] = Channel(
            np.concatenate([p.stamps_ns for p in parts]), np.concatenate([p.values for p in parts])
        )
    return Trace(frames[low:high], channels, start_ns, end_ns)
