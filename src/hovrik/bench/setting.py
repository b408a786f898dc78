"""Setting a machine, with the help of its person where it wants one, and putting it back."""

from __future__ import annotations

from collections.abc import Callable

from ..core.errors import BenchError, ReadbackMismatch
from ..core.question import Source
from ..core.setup import Setup, Snapshot
from .job import Job
from .protocol import Instruction, Machine, Need, Outcome, Reply

_ASKS = {Reply.RELAUNCH: Need.RELAUNCH, Reply.RESTART: Need.RESTART, Reply.PERSON: Need.SET_BY_HAND}


def apply(machine: Machine, setup: Setup) -> Outcome:
    """Set a setup; where a relaunch, restart or hand is wanted, ask the person for it and set it then."""
    return _with_person(machine, lambda: machine.apply(setup))


def _with_person(machine: Machine, act: Callable[[], Outcome]) -> Outcome:
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


def prepare(machine: Machine, job: Job) -> None:
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


def refuse_what_cannot_be_put_back(job: Job, snapshot: Snapshot) -> None:
    """Raises BenchError where a knob that the plan touches has no confirmed value."""
    touched = {key for planned in job.passes for key in planned.setup}
    restorable = snapshot.restorable()
    lost = sorted(touched - set(restorable))
    if lost:
        raise BenchError(
            f"The machine does not confirm its present {', '.join(lost)}, so it could not be put back afterwards. "
            "Set it by hand once, or leave it out of the plan."
        )


def check_read_back(machine: Machine, asked: Setup) -> None:
    """Raises ReadbackMismatch where a confirmed value is not what was asked."""
    now = machine.read_back().readings
    for key, value in asked.items():
        reading = now.get(key)
        if reading is not None and reading.confirmed and reading.value != value:
            raise ReadbackMismatch(
                f"{key} was set to {value} but reads {reading.value}. Check whether another tool sets it, then "
                "continue the sweep."
            )
