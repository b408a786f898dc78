"""What a run is given, what it says while it goes, and the hand on it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from queue import Empty, SimpleQueue
from threading import Event
from typing import Protocol

from ..core.facts.condition import Conditions
from ..core.facts.left import Left
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.facts.title import Title
from ..core.passes.energy import Overhead
from ..core.passes.guards import Guard
from ..core.passes.record import PassRecord
from ..core.passes.verdict import Verdict
from ..core.plan.schedule import ASSUMED
from ..core.plan.steps import PlannedPass
from .protocol import Machine, Sample


class Phase(StrEnum):
    """The step a run is in."""

    RECHARGE = "recharge"
    APPLY = "apply"
    SETTLE = "settle"
    PIN = "bring to watts"
    SOAK = "soak"
    MEASURE = "measure"
    COOL_DOWN = "cool down"
    PAUSED = "paused"
    RESTORE = "restore"


@dataclass(frozen=True)
class Progress:
    """Where a run is. position, total : passes done and planned; left_s : of this step; sample : newest data; why : it
    is paused; index : of the planned pass; offers : what would make the next pass count, an action, "" nothing; waits :
    until somebody says to go on."""

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
    offers: str = ""
    waits: bool = False


@dataclass(frozen=True)
class PassDone:
    """A pass that is stored. counts : whether it enters figures, as judged when it was stored."""

    record: PassRecord
    position: int
    total: int
    counts: bool


@dataclass(frozen=True)
class RunEnded:
    """The run is over. reason : "" when all passes are done; restored : the setup before is back, confirmed; left :
    the knobs that are not, in words."""

    reason: str
    restored: bool
    done: int
    total: int
    left: str = ""


RunEvent = Progress | PassDone | RunEnded
Announce = Callable[[RunEvent], None]


class Sink(Protocol):
    """Where a run is kept. Each call returns only once its data are safe."""

    def begin(self, left: Left) -> None:
        """Keep how the machine was found, before it is restarted or anything is set."""

    def touching(self, left: Left) -> None:
        """Keep what is about to be set beside what was set before."""

    def at(self, planned: PlannedPass) -> None:
        """Keep which planned pass is about to be made."""

    def keep(self, record: PassRecord) -> Verdict:
        """Keep a finished record and judge it."""

    def remedied(self, action: str) -> None:
        """Keep what the passes from here on are made with."""

    def restored(self, left: Left | None = None) -> None:
        """What was touched is back on the machine, confirmed; left : what is still to be put back later, an OS slot
        that a further run goes on in, None nothing."""


@dataclass
class Control:
    """The user's hand on a run: stop, pause, skip, repeat. Safe from any thread.

    paused : hold before the next pass; skipped : leave the pass in progress; again : make the last one once more;
    pressed : keys of a blind test that the run has not looked at yet; is_attended : somebody hears what a run says, so
    that one that cannot go on by itself pauses instead of ending; remedied : go on with what was offered.
    """

    machine: Machine | None = None
    stopped: Event = field(default_factory=Event)
    paused: Event = field(default_factory=Event)
    skipped: Event = field(default_factory=Event)
    again: Event = field(default_factory=Event)
    pressed: SimpleQueue[None] = field(default_factory=SimpleQueue)
    is_attended: bool = False
    remedied: Event = field(default_factory=Event)

    def press(self) -> None:
        """It feels bad now."""
        self.pressed.put(None)

    def take_presses(self) -> int:
        """How often it was pressed since this was asked last."""
        count = 0
        while True:
            try:
                self.pressed.get_nowait()
            except Empty:
                return count
            count += 1

    def remedy(self) -> None:
        """Go on, with what was offered."""
        self.remedied.set()
        self.paused.clear()

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


def _no() -> bool:
    return False


@dataclass(frozen=True)
class Job:
    """What to run. passes : all planned; done : ids of the steps whose pass is already kept; context, title, scene : of
    each pass; further : what is wanted once all of them are done, none where nothing is;
    slot : OS slot it runs in, None for the one that runs.

    rig : as it is when the run starts; newest_rig : reads it as it is now, for the gate before each Apply;
    played : the title as its owner knows it, for the knobs that it adds;
    left : what an earlier run left on the machine, which is put back first, else None; stays : whether a further run
    goes on in the OS slot that this one ends in, so that the restart back is left to that one;
    guards : what pauses the run; patience_s : how long a machine that is gone is waited for, looking every look_s
    (real time: it has no other); overhead : the line that charge is predicted by; contexts : of passes that are made in
    a slot of their own, by slot; pins : limits that brought earlier passes to measured watts, by slot and watts;
    crashed : setups at which the title failed before; remedies : what its passes are made with, actions.
    """

    plan_id: str
    passes: Sequence[PlannedPass]
    context: Mapping[str, str]
    title: str
    scene: str
    rig: Rig
    slot: str | None = None
    asked: Conditions = field(default_factory=dict)
    done: frozenset[str] = frozenset()
    left: Left | None = None
    stays: Callable[[], bool] = _no
    guards: Sequence[Guard] = ()
    patience_s: float = 0.0
    look_s: float = 2.0
    newest_rig: Callable[[], Rig] | None = None
    played: Title | None = None
    further: Callable[[], Sequence[PlannedPass]] = tuple
    overhead: Overhead = ASSUMED
    contexts: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    pins: Mapping[tuple[str, float], float] = field(default_factory=dict)
    crashed: Sequence[Setup] = ()
    remedies: Sequence[str] = ()

    def context_of(self, planned: PlannedPass) -> Mapping[str, str]:
        """Context of a pass: that of its own OS slot where it is made in another."""
        return self.contexts.get(planned.slot, self.context)

    def rig_now(self) -> Rig:
        """The rig as it is now."""
        return self.newest_rig() if self.newest_rig is not None else self.rig
