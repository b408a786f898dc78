"""Carries out a plan on a machine: steps in, records out. Never sleeps, never reads a clock, never knows a store.

The sink stores; everything is stored before it is announced. Whatever happens, the setup before is put back.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from ..core.errors import BenchError, PassAborted, Unavailable
from ..core.facts.knob import Level
from ..core.facts.left import Left
from ..core.facts.place import Source
from ..core.facts.setup import Setup
from ..core.finding import Finding
from ..core.passes.guards import CHARGE, Watch
from ..core.passes.record import End, PassRecord
from ..core.passes.remedy import SOAK, Alike, above, remedy_of
from ..core.passes.verdict import Verdict
from ..core.plan.steps import PlannedPass
from .job import Announce, Control, Job, PassDone, Phase, Progress, RunEnded, Sink
from .one_pass import Launches, OnePass, look, spend
from .pinning import Key
from .protocol import Machine, Sample
from .setting import (
    PutBack,
    prepare,
    put_back_left,
    recharge,
    refuse_outside_range,
    refuse_what_cannot_be_put_back,
)

MOST_TRIES = 20
MOST_HELD_S = 3600.0  # machine time that a tripped guard is waited for


def run(machine: Machine, job: Job, sink: Sink, control: Control, announce: Announce) -> RunEnded:
    """Run every pass of `job` that is not done yet. Returns how it ended; a stop is an outcome, not an error.

    Errors of the machine or the store end the run and are raised again after the setup before was put back.
    """
    control.machine = machine
    refuse_outside_range(job)
    if job.left is not None:
        _put_back_first(machine, job, job.left)
    slot = machine.describe().slot
    left = job.left.put_back() if job.left is not None else Left.found(slot, machine.snapshot())
    restarts = job.slot is not None and slot not in ("", job.slot) and not machine.describe().by_hand
    if not restarts:  # nothing is begun that cannot be carried out
        left = _found(machine, job, left)
    sink.begin(left)
    going = _Run(
        machine, job, sink, control, announce, left, machine.room_c(), list(job.passes), pins=dict(job.pins),
        crashed=set(job.crashed), remedies=set(job.remedies),
    )  # fmt: skip
    reason, back = "stopped with an error", PutBack({"setup": "the machine cannot be reached"})
    try:
        if restarts:
            going.keep_left(_found(machine, job, left))
        going.make_all()
        stopped = control.stopped.is_set()
        reason = "" if going.done == going.total else "stopped" if stopped else going.left_words
    finally:
        stays = job.stays() and not control.stopped.is_set()
        with contextlib.suppress(Unavailable):  # the machine is gone: the journal stays open and the next start offers
            back = put_back_left(machine, going.left, job.rig_now(), go_home=not stays)
        away = stays and back.is_whole and machine.describe().slot != going.left.home
        try:
            if back.is_whole:
                sink.restored(going.left.put_back() if away else None)
        finally:
            ended = RunEnded(reason, back.is_whole, going.done, going.total, back.words)
            announce(ended)
    return ended


def _found(machine: Machine, job: Job, left: Left) -> Left:
    """The machine brought to where the plan is made, and how it was found there. Raises PlanError, BenchError where the
    plan cannot be carried out there."""
    prepare(machine, job)
    refuse_outside_range(job, machine)
    slot, snapshot = machine.describe().slot, machine.snapshot()
    left = left.seen_in(slot, snapshot)
    if not machine.describe().by_hand:  # what a person set, the person puts back
        refuse_what_cannot_be_put_back(machine, job, left.snapshots[slot], job.passes)
    return left


def _has_crashed(record: PassRecord, verdict: Verdict) -> bool:
    """Whether the title failed at a pass: it did not start, or ended before the scene did."""
    return record.outcome is End.FAILED or any(one.id == "title-ended" for one in verdict.findings)


def _put_back_first(machine: Machine, job: Job, left: Left) -> None:
    """Raises BenchError where what an earlier run left on the machine cannot be put back: nothing starts from there."""
    back = put_back_left(machine, left, job.rig_now(), go_home=False)
    if not back.is_whole:
        raise BenchError(
            f"An earlier run was cut short and the machine is not as it was before it. {back.words}. "
            "Set that by hand and choose to leave the machine as it is, then start again."
        )


@dataclass
class _Run:
    """A run under way. left : what is to be put back, which grows; room_c : where it began; passes : all that are
    planned so far; done : how many are kept; hand : what a person has set beside the machine; pins : limits that bring
    a slot to measured watts; crashed : setups at which the title failed; barred : passes left out for it; alike :
    passes in a row that do not count; why : what two of them were left out for, until it is seen to; remedies : what
    passes are made with since."""

    machine: Machine
    job: Job
    sink: Sink
    control: Control
    announce: Announce
    left: Left
    room_c: float | None
    passes: list[PlannedPass]
    done: int = 0
    hand: dict[str, Level] = field(default_factory=dict)
    launches: Launches = field(default_factory=Launches)
    pins: dict[Key, float] = field(default_factory=dict)
    crashed: set[Setup] = field(default_factory=set)
    barred: int = 0
    alike: Alike = field(default_factory=Alike)
    why: Finding | None = None
    remedies: set[str] = field(default_factory=set)

    @property
    def total(self) -> int:
        return len(self.passes)

    def keep_left(self, left: Left) -> None:
        """Store what is to be put back, where it is more than before; then only is anything set."""
        if left != self.left:
            self.left = left
            self.sink.touching(left)

    def touch(self, knobs: Iterable[str], by_hand: Iterable[str] = ()) -> None:
        """Knobs that are about to be set."""
        self.keep_left(self.left.touching(self.machine.describe().slot, knobs, by_hand))

    def leave_slot(self) -> None:
        """Before a restart into another OS slot what was touched in this one is put back: from there it cannot be."""
        back = put_back_left(self.machine, self.left, self.job.rig_now(), go_home=False)
        if not back.is_whole:
            raise BenchError(f"The OS slot is not left before it is as it was. {back.words}.")
        self.keep_left(self.left.put_back())

    def arrive(self) -> None:
        """An OS slot is noted as it was found, before anything is set there."""
        machine = self.machine
        if not machine.describe().by_hand:
            self.keep_left(self.left.seen_in(machine.describe().slot, machine.snapshot()))

    def make_all(self) -> None:
        """Every pass that is not done yet, then what is wanted further, until stopped."""
        left = [planned for planned in self.passes if not planned.step_id or planned.step_id not in self.job.done]
        self.done = self.total - len(left)
        while left:
            for planned in left:
                if self.control.stopped.is_set() or not self._see_to() or not self._hold():
                    return
                if self._is_online and planned.setup in self.crashed:
                    self.barred += 1
                    continue
                counted = self._make_until_kept(planned)
                if counted is None:
                    return
                self.done += counted
                if counted and not self._cool(planned):
                    return
            left = list(self.job.further())
            if not self.machine.describe().by_hand:
                refuse_what_cannot_be_put_back(self.machine, self.job, self.left.snapshot, left)
            self.passes += left

    def _make_until_kept(self, planned: PlannedPass) -> int | None:
        """One planned pass, made anew as often as a guard or a lost machine cuts it short, or a repeat is asked for.

        1 where it is kept, 0 where it was skipped, None where the run was stopped.
        """
        wanted = self.job.asked.get("source")
        named = planned.source or (str(wanted.value) if wanted is not None and wanted.value else "")
        source = Source(named) if named else None
        guards = [one for one in self.job.guards if one.name != CHARGE or not planned.empties]
        watch, control, counted = Watch(guards, source, self.room_c), self.control, 0
        planned = self._remedied(planned)
        job, going = self._job_now(), (self.done, self.total)
        for _ in range(MOST_TRIES):
            self.sink.at(planned)
            control.skipped.clear()
            control.again.clear()
            made = OnePass(
                self.machine, job, planned, control, self.announce, going, watch, self.hand, self.launches,
                self.pins, self,
            )  # fmt: skip
            try:
                record = made.make()
            except Unavailable as fault:
                if not self._came_back(fault):
                    return None
                record = made.lost(f"The machine was gone: {fault}")
            if record is None:
                if control.skipped.is_set() and not control.stopped.is_set():
                    self.machine.end_scene()
                    return counted
                return None
            verdict = self.sink.keep(record)
            counts = verdict.counts
            if record.outcome is not End.ABORTED:
                self.why = self.alike.hear(record, verdict) or self.why
                counted = 1
                self.announce(PassDone(record, self.done + 1, self.total, counts))
                if self._is_online and _has_crashed(record, verdict):
                    self.crashed.add(planned.setup)
                    return counted if self._wait_out() else None
                if not control.again.is_set():
                    return counted
                continue
            self.announce(PassDone(record, self.done, self.total, counts))
            if not self._hold(record.reason, watch):
                return None
        return counted

    @property
    def _is_online(self) -> bool:
        """Whether others play along, so that a crash can cost the player a suspension."""
        title, told = self.job.played, self.job.asked.get("live_opponents")
        return title is not None and bool(title.live_opponents) and (told is None or told.value != "yes")

    @property
    def left_words(self) -> str:
        """Why some passes were not made."""
        if not self.barred:
            return "some passes were skipped"
        return (
            f"{self.barred} left out: the title crashed at their setup while others played along. Try them without "
            "live opponents"
        )

    def _wait_out(self) -> bool:
        """Wait, at the setup before, until a title that locks a player out after a crash lets them in again; False when
        stopped. A skip ends the wait."""
        minutes, machine = self.job.played.lock_out_min if self.job.played else None, self.machine
        if not minutes:
            return True
        until = machine.now_ns() + round(minutes * 60e9)
        self._as_before()
        while (left := until - machine.now_ns()) > 0 and not self.control.skipped.is_set():
            if self.control.stopped.is_set():
                return False
            why = f"The title locks out for {minutes:g} min after a crash: {left / 60e9:.0f} min to go."
            now, charge = machine.now_ns(), machine.charge()
            self.announce(Progress(Phase.PAUSED, self.done, self.total, now_ns=now, charge=charge, why=why))
            machine.wait(min(max(machine.poll_s, 1.0), left / 1e9))
        return True

    def _as_before(self) -> None:
        """Put back what was touched, and stay: the next pass sets it again."""
        put_back_left(self.machine, self.left, self.job.rig_now(), go_home=False)

    def _see_to(self) -> bool:
        """Where two passes in a row were left out for one reason: pause and offer what makes the next count, where
        somebody hears it, else do that and go on. False when stopped."""
        why, self.why = self.why, None
        if why is None:
            return True
        offers = remedy_of(why)
        offers = "" if offers in self.remedies else offers
        words = f"Two passes in a row are left out for one reason: {why.evidence}. {why.advice}"
        if not self.control.is_attended:
            self._take(offers)
            if offers:
                self.announce(Progress(Phase.APPLY, self.done, self.total, why=words, offers=offers))
            return True
        self.control.remedied.clear()
        self.control.paused.set()
        going = self._hold(words, offers=offers)
        if self.control.remedied.is_set():
            self._take(offers)
        return going

    def _take(self, action: str) -> None:
        """Make what is left with a remedy."""
        if action:
            self.sink.remedied(action)
            self.remedies.add(action)

    def _remedied(self, planned: PlannedPass) -> PlannedPass:
        """A planned pass with what was found to be needed; one that has a purpose of its own as it is."""
        is_own = planned.empties or planned.is_blind
        return replace(planned, until_settled=True) if SOAK in self.remedies and not is_own else planned

    def _job_now(self) -> Job:
        """The job, its rig with the charge from which passes count."""
        rig = self.job.rig
        for one in self.remedies:
            rig = above(rig, one)
        return replace(self.job, rig=rig)

    def _hold(self, why: str = "Paused by you.", watch: Watch | None = None, offers: str = "") -> bool:
        """Wait while paused or while a guard is tripped, at the setup before; False when stopped. Every hold of a guard
        ends: a person recharges where it is the charge, it clears by itself, or after a while the run pauses with its
        reason where somebody hears it. Raises PassAborted where nobody does."""
        machine, control, first = self.machine, self.control, True
        until_ns = machine.now_ns() + round(MOST_HELD_S * 1e9) if watch is not None else None
        while control.paused.is_set() or (watch is not None and watch.tripped):
            if control.stopped.is_set():
                return False
            try:
                if first:
                    self._as_before()
                    first = False
                if watch is not None and CHARGE in watch.tripped and not control.paused.is_set():
                    why = self._recharged(why)
                machine.wait(max(machine.poll_s, 0.5))
                if watch is not None:
                    look(machine, watch, machine.sample())
                now, charge = machine.now_ns(), machine.charge()
                if until_ns is not None and now > until_ns and not control.paused.is_set():
                    self._give_up(f"{why} It has not cleared within {MOST_HELD_S / 60:.0f} min.")
            except (
                Unavailable
            ) as fault:  # whoever paused has time: patience is not spent, and it is put back when there
                first = True
                if not control.paused.is_set() and not self._came_back(fault):
                    return False
                gone = f"{why} The machine is gone: {fault}"
                self.announce(Progress(Phase.PAUSED, self.done, self.total, why=gone))
                control.stopped.wait(self.job.look_s)
                continue
            held = Progress(
                Phase.PAUSED, self.done, self.total, now_ns=now, charge=charge, why=why, offers=offers,
                waits=control.paused.is_set(),
            )  # fmt: skip
            self.announce(held)
            if control.paused.is_set():
                control.stopped.wait(0.05)
        return not control.stopped.is_set()

    def _recharged(self, why: str) -> str:
        """Have a person charge, which ends a hold for want of charge; where nobody does, the run pauses with its
        reason, which is returned."""
        asked = recharge(self.job.rig)
        if self.machine.needs_person(asked) or self.control.stopped.is_set():
            return why
        why = f"{why} {asked.text} Then go on."
        self._give_up(why)
        return why

    def _give_up(self, why: str) -> None:
        """A hold that does not end by itself: a pause by the run where somebody hears it, else the end of the run."""
        if not self.control.is_attended:
            raise PassAborted(f"{why} The finished passes are kept; continue the sweep then.")
        self.control.paused.set()

    def _cool(self, planned: PlannedPass) -> bool:
        """Let the machine rest before the next pass; False when stopped. One that goes away meanwhile has rested."""
        if self.done == self.total:
            return True

        def hear(left: float, sample: Sample) -> None:
            now, charge = self.machine.now_ns(), self.machine.charge()
            self.announce(
                Progress(Phase.COOL_DOWN, self.done, self.total, None, left, planned.cool_s, sample, now, charge)
            )

        try:
            return spend(self.machine, planned.cool_s, self.control, hear)
        except Unavailable as fault:
            return self._came_back(fault)

    def _came_back(self, fault: Unavailable) -> bool:
        """Wait for a machine that is gone and put it back once it is there; False when stopped. Raises the fault again
        when patience ends."""
        left_s = self.job.patience_s
        while left_s > 0:
            why = f"The machine is gone: {fault} It is looked for again for {left_s:.0f} s more."
            self.announce(Progress(Phase.PAUSED, self.done, self.total, why=why))
            if self.control.stopped.wait(self.job.look_s):
                return False
            left_s -= self.job.look_s
            with contextlib.suppress(Unavailable):
                self._as_before()
                return True
        raise fault
