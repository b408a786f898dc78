"""Setting a machine, with the help of its person where it wants one, and putting it back.

Every value that reaches a machine passes `apply` or `put_back`, and both ask the one gate (core/allowed.py) first.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from ..core.errors import BenchError, PlanError, ReadbackMismatch, Unavailable
from ..core.facts.allowed import refusals
from ..core.facts.knob import Knob, Level, finite, named, shown
from ..core.facts.knobs import infeasible, knobs_of, narrowed
from ..core.facts.known_knobs import known
from ..core.facts.left import Left
from ..core.facts.place import Source
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup, Snapshot
from ..core.facts.title import Title
from ..core.plan.schedule import charge_window
from ..core.plan.steps import PlannedPass
from .job import Job
from .protocol import Instruction, Machine, Need, Outcome, Reply

_ASKS = {Reply.RELAUNCH: Need.RELAUNCH, Reply.RESTART: Need.RESTART, Reply.PERSON: Need.SET_BY_HAND}
_ANSWERS_LATE_S = 1.0  # what a knob may take to read back what was put


def settable(machine: Machine, rig: Rig, title: Title | None = None) -> tuple[Knob, ...]:
    """Every knob that can be set now, by the machine or by hand: what rig, slot and title offer, as far as the machine
    goes along."""
    found = machine.describe()
    slot = next((one for one in rig.slots if one.key == found.slot), None)
    return found.knobs if found.by_hand else narrowed(knobs_of(rig, slot, title, absent=True), found.knobs)


def apply(
    machine: Machine, setup: Setup, rig: Rig, title: Title | None = None, by_hand: Setup | None = None,
    hear: Callable[[Need], None] = lambda need: None,
) -> Outcome:  # fmt: skip
    """Set a setup; where a relaunch, restart or hand is wanted, ask the person for it and set it then.

    rig : as it is now. What lies outside its range or the machine's, or excludes another part, is refused with a
    sentence and never sent. by_hand : what a person has set already; only what differs is asked for. hear : told of
    what the person has done.
    """
    knobs = named(settable(machine, rig, title))
    slot = next((one for one in rig.slots if one.key == machine.describe().slot), None)
    wrong = [*refusals(setup, rig, tuple(knobs.values())), *infeasible(setup, slot)]
    if wrong:
        return Outcome(Reply.REFUSED, " ".join(wrong))
    hand = hand_part(setup, tuple(knobs.values()))
    before = by_hand or Setup()
    asked = {key: value for key, value in hand.items() if before.get(key) != value}
    if asked:
        words = "; ".join(f"{knobs[key].words(value)} ({knobs[key].place})" for key, value in asked.items())
        if not machine.needs_person(Instruction(Need.SET_BY_HAND, f"Set {words}.")):
            return Outcome(Reply.PERSON, f"not set by hand: {words}")
    return _with_person(machine, lambda: machine.apply(setup.without(*hand)), hear)


def hand_part(setup: Setup, knobs: Sequence[Knob]) -> Setup:
    """The part of a setup that a person sets beside a machine that sets the rest."""
    own = {knob.id for knob in knobs if knob.by_hand}
    return Setup({key: value for key, value in setup.items() if key in own})


def _with_person(
    machine: Machine, act: Callable[[], Outcome], hear: Callable[[Need], None] = lambda need: None
) -> Outcome:
    for _ in range(len(_ASKS)):
        outcome = act()
        need = _ASKS.get(outcome.reply)
        if need is None or not machine.needs_person(Instruction(need, outcome.instruction or outcome.reason)):
            return outcome
        hear(need)
    return act()


_SPOKEN = {"slot": "OS slot", "setup": "Setup"}  # what may be left beside knobs


@dataclass(frozen=True)
class PutBack:
    """What became of putting a machine back. left : knobs that are not as they were, each with why."""

    left: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_whole(self) -> bool:
        """Whether every knob is as it was, confirmed."""
        return not self.left

    @property
    def words(self) -> str:
        """What is left, for a sentence; empty where nothing is."""
        return "; ".join(f"{_SPOKEN.get(key) or known(key).label}: {why}" for key, why in self.left.items())


def put_back(machine: Machine, snapshot: Snapshot, rig: Rig) -> PutBack:
    """Restore the confirmed values of a snapshot, all at once, then knob by knob what that left; each is confirmed by
    reading it back. What lies outside the rig's range is never sent.

    Raises Unavailable where nothing of the machine can be reached.
    """
    with contextlib.suppress(Unavailable):  # the knobs matter more
        machine.end_scene()
    wanted = snapshot.restorable()
    unread = {
        key: f"read {reading.value}, which is no number; set it there"
        for key, reading in snapshot.readings.items() if reading.confirmed and not finite(reading.value)
    }  # fmt: skip
    if not wanted and not unread:  # what a person set, the person puts back
        outcome = _with_person(machine, lambda: machine.restore(snapshot))
        return PutBack({} if outcome.reply is Reply.DONE else {"setup": outcome.reason or outcome.reply.value})
    knobs = machine.describe().knobs
    refused = {key: words[0] for key, value in wanted.items() if (words := refusals(Setup({key: value}), rig, knobs))}
    allowed = wanted.without(*refused)
    single = [Setup({key: value}) for key, value in allowed.items()]
    why: dict[str, str] = {}
    off, reached = dict(allowed), False
    for part in (allowed, *single, *single):  # twice: one knob may have to wait for another
        if not set(part) & set(off):
            continue
        try:
            outcome = _with_person(machine, lambda part=part: machine.restore(_part(snapshot, part)))  # type: ignore[misc]
            reached, reason = True, "" if outcome.reply is Reply.DONE else outcome.reason or outcome.reply.value
        except Unavailable as fault:
            reason = str(fault)
        why.update(dict.fromkeys(part, reason))
        off = _differing(machine, allowed, knobs)
    if off and not reached:
        raise Unavailable(next(iter(why.values())))
    return PutBack(
        {
            **unread,
            **refused,
            **{key: why[key] or f"reads {shown(read)}, was {shown(allowed[key])}" for key, read in off.items()},
        }
    )


def put_back_left(machine: Machine, left: Left, rig: Rig, *, go_home: bool = True) -> PutBack:
    """Put back what a run touched, and no more: the knobs that it set, what a person set for it, and last the OS slot
    it was found in (go_home). What is not touched stays as others have it.

    Raises Unavailable where nothing of the machine can be reached.
    """
    found = machine.describe()
    if not left.is_touched:
        with contextlib.suppress(Unavailable):
            machine.end_scene()
        back = PutBack()
    elif found.by_hand:
        back = put_back(machine, Snapshot(), rig)
    else:
        wanted = left.to_restore(found.slot)
        lost = {
            key: "how it was before is not known; set it there" for knobs in left.touched.values() for key in knobs
            if key not in wanted.readings and key not in left.by_hand
        }  # fmt: skip
        back = put_back(machine, wanted, rig) if wanted.readings else PutBack()
        back = _with_hand(machine, left, PutBack({**lost, **back.left}))
    if not go_home or not left.home or found.by_hand or not back.is_whole:
        return back
    return _back_home(machine, left, rig)


def _with_hand(machine: Machine, left: Left, back: PutBack) -> PutBack:
    """Ask the person to put back what they set; what was not confirmed is named."""
    if not left.by_hand:
        return back
    words = ", ".join(known(key).label.lower() for key in sorted(left.by_hand))
    if machine.needs_person(Instruction(Need.PUT_BACK, f"Put back what you set by hand: {words}.")):
        return back
    return PutBack({**back.left, **dict.fromkeys(left.by_hand, "was set by hand; put it back there")})


def _back_home(machine: Machine, left: Left, rig: Rig) -> PutBack:
    """The OS slot that the machine was found in; what was touched is looked at once more from there."""
    now = machine.describe().slot
    if now == left.home or not now:
        return PutBack()
    try:
        asked = restart_into(rig, left.home)
    except PlanError:
        return PutBack({"slot": f"it ran {left.home}, which the rig has no more; restart into what you want"})
    if not machine.needs_person(asked) or machine.describe().slot != left.home:
        return PutBack({"slot": f"it runs {now}, and ran {left.home}; restart into that"})
    wanted = left.to_restore(left.home)
    offered = {knob.id for knob in machine.describe().knobs}
    here = Snapshot({key: one for key, one in wanted.readings.items() if key in offered}, wanted.at_ns)
    if here.restorable() and _differing(machine, here.restorable(), machine.describe().knobs):
        return put_back(machine, here, rig)
    return PutBack()


def _part(snapshot: Snapshot, part: Setup) -> Snapshot:
    return Snapshot({key: snapshot.readings[key] for key in part}, snapshot.at_ns)


def _differing(machine: Machine, wanted: Setup, knobs: Sequence[Knob]) -> dict[str, Level]:
    """Knobs that do not read back what was put, with what they read; looked at twice, since some answer late."""
    offered = named(knobs)
    found: dict[str, Level] = dict.fromkeys(wanted, "nothing")
    for turn in range(2):
        try:
            if turn:
                machine.wait(_ANSWERS_LATE_S)
            now = machine.read_back().readings
        except Unavailable:
            continue
        found = {}
        for key, value in wanted.items():
            reading = now.get(key)
            if reading is None or not reading.confirmed:
                found[key] = "nothing that the hardware confirms"
            elif not (offered.get(key) or known(key)).agrees(value, reading.value):
                found[key] = reading.value
        if not found:
            break
    return found


def restart_into(rig: Rig, slot: str) -> Instruction:
    """Have a person restart the machine into an OS slot."""
    return Instruction(Need.RESTART, f"Restart into {rig.slot(slot).name}.", slot=slot)


def go_on_source(source: Level | None) -> Instruction:
    """Have a person plug the adapter in, or out for the battery."""
    if source == Source.ADAPTER.value:
        return Instruction(Need.PLUG_IN, "Plug the adapter in.")
    return Instruction(Need.UNPLUG, "Unplug the adapter.")


def recharge(rig: Rig) -> Instruction:
    """Have a person charge the battery to the upper edge of the window that passes count in."""
    _, high = charge_window(rig)
    return Instruction(Need.RECHARGE, f"Plug in and charge to {100 * high:.0f} %, then unplug.", high)


def prepare(machine: Machine, job: Job) -> None:
    """Have the machine in the OS slot and on the power source that the plan asks for."""
    found = machine.describe()
    has_slots = found.by_hand or found.slot != ""  # a machine that names none has no other to be brought into
    if job.slot is not None and has_slots and found.slot != job.slot:
        asked = restart_into(job.rig, job.slot)
        if not machine.needs_person(asked) or machine.describe().slot != job.slot:
            raise BenchError(f"The machine runs another OS slot than {job.slot}. {asked.text}")
    wanted = job.asked.get("source")
    source = machine.source()
    if wanted is None or source is None or wanted.value == source.value:
        return
    asked = go_on_source(wanted.value)
    if not machine.needs_person(asked) or machine.source() == source:
        raise BenchError(f"The machine is on the {source.value}, the plan asks for the {wanted.value}. {asked.text}")


def refuse_outside_range(job: Job, machine: Machine | None = None) -> None:
    """Raises PlanError where a pass that is still to be made asks for what the rig, as it is now, or the machine does
    not allow; before anything is touched."""
    rig = job.rig_now()
    knobs = settable(machine, rig, job.played) if machine is not None else None
    wrong: list[str] = []
    for planned in job.passes:
        if planned.step_id not in job.done:
            wrong += [why for why in refusals(planned.setup, rig, knobs) if why not in wrong]
    if wrong:
        more = f" And {len(wrong) - 3} more." if len(wrong) > 3 else ""
        raise PlanError(f"The plan was not started. {' '.join(wrong[:3])}{more}")


def refuse_what_cannot_be_put_back(
    machine: Machine, job: Job, snapshot: Snapshot, passes: Sequence[PlannedPass]
) -> None:
    """Raises BenchError where a knob that the machine is to set for these passes has no confirmed value."""
    hand = {knob.id for knob in settable(machine, job.rig_now(), job.played) if knob.by_hand}
    touched = {key for planned in passes for key in planned.setup} - hand
    restorable = snapshot.restorable()
    lost = sorted(touched - set(restorable))
    if lost:
        raise BenchError(
            f"The machine does not confirm its present {', '.join(lost)}, so it could not be put back afterwards. "
            "Set it by hand once, or leave it out of the plan."
        )


def check_read_back(machine: Machine, asked: Setup) -> None:
    """Raises ReadbackMismatch where a confirmed value is off what was asked by more than half a step."""
    now = machine.read_back().readings
    knobs = named(machine.describe().knobs)
    for key, value in asked.items():
        reading, knob = now.get(key), knobs.get(key) or known(key)
        if reading is not None and reading.confirmed and not knob.agrees(value, reading.value):
            raise ReadbackMismatch(
                f"{knob.label} was set to {shown(value)} but reads {shown(reading.value)}. Check whether another tool "
                "sets it, then continue the sweep."
            )
