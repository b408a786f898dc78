"""One pass from Apply to its end mark, or what became of it."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np

from ..core.errors import PassAborted
from ..core.facts.condition import Condition, Conditions, Provenance
from ..core.facts.knob import LIMITS, Level, named
from ..core.facts.place import Source
from ..core.facts.setup import Setup, describe
from ..core.passes.guards import Look, Watch, has_settled, newest
from ..core.passes.point import PINNED
from ..core.passes.record import End, PassRecord
from ..core.passes.recording import Recording
from ..core.passes.trace import Channel, Trace
from ..core.passes.units import check_told
from ..core.plan.schedule import charge_window, expected_wh
from ..core.plan.steps import RECHARGE, RELAUNCH, RESTART, PlannedPass, Step
from ..core.read.looks import EARLY, PRESSED
from .job import Announce, Control, Job, Phase, Progress
from .pinning import Key, Pin, pinned, with_limit
from .protocol import LAUNCHED_ANEW, RATE_READ, Instruction, Machine, Need, Outcome, Reply, Sample
from .setting import (
    apply,
    check_read_back,
    go_on_source,
    hand_part,
    recharge,
    restart_into,
    settable,
)


@dataclass
class Launches:
    """Which launch of the title and which boot passes belong to; those of one are no independent repeats. Known from
    the first time that a person starts one anew, "" before."""

    launch: str = ""
    boot: str = ""

    def hear(self, need: Need) -> None:
        """Told of what a person has done."""
        if need in (Need.RELAUNCH, Need.RESTART):
            self.launch = str(uuid.uuid4())
        if need is Need.RESTART:
            self.boot = str(uuid.uuid4())

    def conditions(self, at_ns: int) -> dict[str, Condition]:
        """As conditions of a pass."""
        known = {"launch": self.launch, "boot": self.boot}
        return {key: Condition(value, Provenance.ASKED, at_ns) for key, value in known.items() if value}


class Touched(Protocol):
    """Told of what a pass touches, before it is touched."""

    def touch(self, knobs: Iterable[str], by_hand: Iterable[str] = ()) -> None:
        """Knobs that are about to be set, or that moved with one."""

    def leave_slot(self) -> None:
        """Another OS slot is to run."""

    def arrive(self) -> None:
        """It runs."""


@dataclass
class OnePass:
    """The making of one planned pass. done : passes that are kept, of how many; watch : the guards of the run;
    hand : what a person has set in this run beside the machine, which grows; launches : of the run; pins : limits that
    bring a slot to measured watts, which grow too; run : told of what is touched; asked : what is really asked for."""

    machine: Machine
    job: Job
    planned: PlannedPass
    control: Control
    announce: Announce
    done: tuple[int, int]
    watch: Watch
    hand: dict[str, Level] = field(default_factory=dict)
    launches: Launches = field(default_factory=Launches)
    pins: dict[Key, float] = field(default_factory=dict)
    run: Touched | None = None
    asked: Setup = field(default_factory=Setup)
    _readback: list[tuple[int, Setup]] = field(default_factory=list)
    _samples: list[Sample] = field(default_factory=list)
    _pressed: list[tuple[Phase, int]] = field(default_factory=list)  # keys, and when

    def make(self) -> PassRecord | None:
        """The record; None where it was stopped or skipped half way, aborted where a guard tripped."""
        machine, planned = self.machine, self.planned
        if not self._by_person() or not self._charge_enough():
            return None
        self.control.take_presses()  # whatever is still about the look before
        self._say(Phase.APPLY)
        begins_at = self.pins.get(self._pin_key) if planned.pin_w else None
        self.asked = with_limit(planned.setup, begins_at) if begins_at is not None else planned.setup
        outcome = self._apply(self.asked)
        if outcome.reply is not Reply.DONE:
            return None if self._is_left else self._failed(f"{outcome.reply.value}: {outcome.reason}")
        check_read_back(machine, self.asked)
        self._readback.append((machine.now_ns(), self._read_back()))
        self.hand.update(hand_part(planned.setup, settable(machine, self.job.rig_now(), self.job.played)))
        if not self._spend(planned.settle_s, Phase.SETTLE, keep=False):
            return None
        charge_start, began = machine.charge(), machine.now_ns()
        machine.sample()
        outcome = machine.start_scene(self.job.title, self.job.scene)
        if outcome.reply is not Reply.DONE:
            return None if self._is_left else self._failed(f"did not start: {outcome.reason}")
        pin = self._pin()
        going = not self._is_left and self._soak(began)
        start = machine.now_ns()
        going = going and self._spend(planned.pass_s, Phase.MEASURE)
        end, over = machine.now_ns(), machine.scene_over() and not planned.empties
        if not going:
            return self._cut_short(start, end) if self.watch.tripped else None
        read = self._read_back()
        self._readback.append((end, read))
        machine.end_scene()
        self._samples.append(machine.sample())  # what a person brings comes in only now
        trace = join(self._samples, start, end)
        if not machine.describe().by_hand:  # what a person brings was asked for its units
            check_told(trace)
        told = dict(machine.told())
        rate = told.pop(RATE_READ, None)
        if self._is_left and not trace.frames_ns.size and not trace.channels and rate is None:  # nothing was brought
            return None
        summary = {} if rate is None else {"mean_fps": rate.value, "source": "read by hand"}
        if LAUNCHED_ANEW in told:
            self.launches.hear(Need.RELAUNCH)
        conditions = {
            **told,
            **self.launches.conditions(began),
            **self._felt(start),
            "charge_start_share": Condition(charge_start, Provenance.READ, began),
            "charge_end_share": Condition(machine.charge(), Provenance.READ, end),
            "soak_s": Condition((start - began) / 1e9, Provenance.READ, start),
            "planned_s": self._length(start, end)
            if over
            else Condition(self._wanted_s(start, end), Provenance.READ, start),
            "round": Condition(planned.round, Provenance.READ, start),
            **({PINNED: Condition(planned.pin_w, Provenance.READ, start)} if pin else {}),
        }
        room_c = machine.room_c()
        if room_c is not None:
            conditions["room_c"] = Condition(room_c, Provenance.READ, end)
        if self.watch.blind:
            conditions["guard_unread"] = Condition(" ".join(self.watch.blind.values()), Provenance.READ, began)
        return self._record(start, conditions, read=read, trace=trace, summary=summary)

    def _apply(self, setup: Setup) -> Outcome:
        machine, rig, title = self.machine, self.job.rig_now(), self.job.played
        if self.run is None:
            return apply(machine, setup, rig, title, Setup(self.hand), self.launches.hear)
        hand = hand_part(setup, settable(machine, rig, title))
        self.run.touch(setup.without(*hand), hand)
        before = machine.read_back().readings
        outcome = apply(machine, setup, rig, title, Setup(self.hand), self.launches.hear)
        moved = {key for key, one in machine.read_back().readings.items() if one.confirmed and one != before.get(key)}
        self.run.touch(moved)  # what hangs on a knob and moved with it
        return outcome

    @property
    def _pin_key(self) -> Key:
        return self.planned.slot or self.job.slot or "", self.planned.pin_w

    def _pin(self) -> bool:
        """Adjust the limits to the watts that are wanted; whether that came about. Where it cannot, or a person would
        have to set each of them, the pass is made at what was planned. A title that hangs on changes is only read: what
        would be right is set before its next launch."""
        limit, wanted = self.asked.static_limit_w, self.planned.pin_w
        if not wanted or limit is None or self.machine.describe().by_hand:
            return False
        knobs = named(settable(self.machine, self.job.rig_now(), self.job.played))
        step = max((knobs[key].step or 0.1 for key in LIMITS if key in knobs), default=0.1)

        played = self.job.played
        frozen = played is not None and bool(played.dislikes_changes)

        def set_to(setup: Setup) -> bool:
            if frozen:
                return False
            done = self._apply(setup).reply is Reply.DONE
            self.asked = setup if done else self.asked
            return done

        def let_pass(seconds: float) -> list[Sample] | None:
            samples: list[Sample] = []

            def hear(left: float, sample: Sample) -> None:
                samples.append(sample)
                look(self.machine, self.watch, sample)
                self._say(Phase.PIN, left, seconds, sample)

            return samples if spend(self.machine, seconds, self.control, hear, self.watch) else None

        pin = Pin(wanted, limit, step)
        there = pinned(pin, self.asked, set_to, let_pass)
        in_range = all(knobs[key].refusal(pin.asked_w) is None for key in LIMITS if key in knobs)
        if there or (frozen and in_range):
            self.pins[self._pin_key] = pin.asked_w
        elif self.asked != self.planned.setup and not self._is_left:
            set_to(self.planned.setup)
        check_read_back(self.machine, self.asked)
        return bool(there)

    def _by_person(self) -> bool:
        """Carry out the steps before the Apply that a person is asked for; False when stopped. Raises PassAborted where
        one was declined: a pass is made as it was planned or not at all."""
        steps = [(step, _asked(step, self.job)) for step in self.planned.steps if step.kind in _ASKED]
        own = self.planned.source  # where a run goes on, the step that brought it about lies before
        if own and self.machine.source() != own:
            steps.append((self.planned.steps[0], go_on_source(own)))
        for step, asked in steps:
            self._say(Phase.RECHARGE if step.kind == RECHARGE else Phase.APPLY)
            leaves = asked.slot is not None and asked.slot != self.machine.describe().slot
            if leaves and self.run is not None:
                self.run.leave_slot()
            if not self.machine.needs_person(asked):
                if self._is_left:
                    return False
                raise PassAborted(f"The plan asks for this before its next pass: {asked.text} It was not done.")
            self.launches.hear(asked.need)
            if leaves and self.run is not None:
                self.run.arrive()
        return True

    def _read_back(self) -> Setup:
        """What the machine reads, and what a person has set beside it."""
        return Setup({**self.hand, **self.machine.read_back().as_setup()})

    @property
    def _is_left(self) -> bool:
        """Whether the pass is to be left: skipped, or the run stopped."""
        return self.control.skipped.is_set() or self.control.stopped.is_set()

    def _length(self, start: int, end: int) -> Condition:
        """What a pass whose person marked its end was to last: the scene's own length where it is noted."""
        titles = {title.key: title for title in self.machine.describe().titles}
        scene = titles[self.job.title].scene(self.job.scene) if self.job.title in titles else None
        noted = scene.length_s if scene is not None else None
        return Condition(noted or (end - start) / 1e9, Provenance.ASKED, end)

    def _wanted_s(self, start: int, end: int) -> float:
        """How long it was to last; one that empties the battery lasts as long as that takes."""
        return (end - start) / 1e9 if self.planned.empties else self.planned.pass_s

    def lost(self, reason: str) -> PassRecord:
        """A pass whose machine went away: nothing of it is there, but that it was tried."""
        return self._record(self.machine.now_ns(), outcome=End.ABORTED, reason=reason)

    def _soak(self, began: int) -> bool:
        planned = self.planned
        going = self._spend(planned.soak_s, Phase.SOAK)
        while going and planned.until_settled and not self._has_settled(self.machine.now_ns() - began):
            going = self._spend(5.0, Phase.SOAK)
        return going

    def _has_settled(self, soaked_ns: int) -> bool:
        """Whether the soak may end: by the data, or because it has lasted five times its length and two minutes."""
        if soaked_ns / 1e9 >= 5.0 * self.planned.soak_s + 120.0:
            return True
        trace = join(self._samples[-60:], 0, np.iinfo(np.int64).max)
        seconds = (trace.frames_ns // 1_000_000_000).astype(np.int64)
        counts = np.bincount(seconds - seconds[0])[1:-1] if seconds.size else np.empty(0)
        return has_settled(trace.channels.get("die_c"), counts.tolist())

    def _say(self, phase: Phase, left: float = 0.0, length: float = 0.0, sample: Sample | None = None) -> None:
        now, charge, planned = self.machine.now_ns(), self.machine.charge(), self.planned
        setup = None if planned.is_blind else planned.setup
        self.announce(Progress(phase, *self.done, setup, left, length, sample, now, charge, "", planned.index))

    def _felt(self, start: int) -> Conditions:
        """What was pressed in a look of a blind test."""
        if not self.planned.is_blind:
            return {}
        at = [(when - start) / 1e9 for phase, when in self._pressed if phase is Phase.MEASURE]
        early = sum(phase is not Phase.MEASURE for phase, _ in self._pressed)
        found = {EARLY: early, **({PRESSED: at[0]} if at else {})}
        return {key: Condition(value, Provenance.READ, start) for key, value in found.items()}

    def _spend(self, seconds: float, phase: Phase, *, keep: bool = True) -> bool:
        def hear(left: float, sample: Sample) -> None:
            self._pressed += [(phase, self.machine.now_ns())] * self.control.take_presses()
            if keep:
                self._samples.append(sample)
                look(self.machine, self.watch, sample)
            self._say(phase, left, seconds, sample)

        over = self._is_over if phase is Phase.MEASURE else None
        return spend(self.machine, seconds, self.control, hear, self.watch if keep else None, over)

    def _is_over(self) -> bool:
        """Whether the scene has come to its end, or a pass that empties the battery to the reserve."""
        charge = self.machine.charge() if self.planned.empties else None
        return self.machine.scene_over() or (charge is not None and charge <= self.job.rig.reserve + EMPTY)

    def _charge_enough(self) -> bool:
        """Recharge where the pass would leave the valid charge window; False when stopped."""
        machine, rig = self.machine, self.job.rig
        charge, full = machine.charge(), rig.full_charge_wh
        if charge is None or full is None or self.planned.source == Source.ADAPTER:
            return True
        low, high = charge_window(rig)
        left = charge - expected_wh(self.planned, self.job.overhead) / full
        if (left >= low and not self.planned.empties) or charge >= high - 0.011:
            return True
        self._say(Phase.RECHARGE)
        if machine.needs_person(recharge(rig)):
            return True
        if self.control.stopped.is_set():
            return False
        raise PassAborted(
            f"The battery is at {100 * charge:.0f} %; {describe(self.planned.setup)} would leave the valid window of "
            f"{100 * low:.0f} to {100 * high:.0f} %. Recharge, then continue the sweep."
        )

    def _cut_short(self, start: int, end: int) -> PassRecord:
        """What was recorded until a guard tripped: kept and shown, never averaged."""
        self.machine.end_scene()
        return self._record(
            start, read=self._read_back(), trace=join(self._samples, start, end),
            outcome=End.ABORTED, reason="; ".join(self.watch.tripped.values()),
        )  # fmt: skip

    def _failed(self, reason: str) -> PassRecord:
        self.machine.end_scene()
        return self._record(self.machine.now_ns(), read=self._read_back(), outcome=End.FAILED, reason=reason)

    def _own_source(self) -> Conditions:
        """The power source, where this pass has one of its own."""
        own = self.planned.source
        return {"source": Condition(own, Provenance.ASKED, self.machine.now_ns())} if own else {}

    def _record(
        self, started_ns: int, conditions: Conditions | None = None, *, read: Setup | None = None,
        trace: Trace | None = None, **more: Any,
    ) -> PassRecord:  # fmt: skip
        job, planned, made = self.job, self.planned, str(uuid.uuid4())
        own = self.launches
        recording = Recording(made, trace, tuple(self._readback), own.launch, own.boot) if trace is not None else None
        return PassRecord(
            made, job.context_of(planned), self.asked or planned.setup, read or Setup(),
            {**job.asked, **self._own_source(), **(conditions or {})}, trace, recording=recording,
            purpose=planned.purpose, plan_id=job.plan_id, plan_index=planned.index, started_ns=started_ns,
            step_id=planned.step_id or None, **more,
        )  # fmt: skip


EMPTY = 0.005  # of charge over the reserve, at which a pass that empties the battery ends
_ASKED = (RESTART, RELAUNCH, RECHARGE)


def _asked(step: Step, job: Job) -> Instruction:
    """What a person is asked for by a step."""
    if step.kind == RESTART:
        slot = step.place.get("slot") or job.slot
        return restart_into(job.rig, slot) if slot else Instruction(Need.RESTART, "Restart.")
    if step.kind == RELAUNCH:
        return Instruction(Need.RELAUNCH, "Close the title. Start it anew once the next setup stands.")
    return recharge(job.rig)


def look(machine: Machine, watch: Watch, sample: Sample | None) -> tuple[str, ...]:
    """One look of the guards at a machine and its newest sample."""
    channels = sample.channels if sample is not None else {}
    source = machine.source()
    seen = Look(
        machine.now_ns() / 1e9, newest(channels.get("die_c")), machine.charge(), source,
        newest(channels.get("battery_w")), source is Source.ADAPTER, machine.room_c(),
    )  # fmt: skip
    return watch.look(seen)


def spend(
    machine: Machine,
    seconds: float,
    control: Control,
    hear: Callable[[float, Sample], None],
    watch: Watch | None = None,
    over: Callable[[], bool] | None = None,
) -> bool:
    """Let machine time pass in polls, handing on each sample, at most until `over`; False when stopped, skipped or a
    guard tripped."""
    end = machine.now_ns() + round(seconds * 1e9)
    while (left := (end - machine.now_ns()) / 1e9) > 1e-9:
        if control.stopped.is_set() or control.skipped.is_set() or (watch is not None and watch.tripped):
            return False
        if over is not None and over():
            break
        machine.wait(min(machine.poll_s, left))
        hear(max((end - machine.now_ns()) / 1e9, 0.0), machine.sample())
    return not control.stopped.is_set()


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
