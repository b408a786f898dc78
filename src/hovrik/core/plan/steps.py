"""Steps: what a plan is made of. One laid-out sequence is priced, drawn, printed and run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..errors import PlanError
from ..facts.setup import Setup
from ..passes.purpose import BLIND, DISCHARGE

# kinds; a newer version may have others, which are kept and never run as another
RESTART, RELAUNCH, SOURCE, RECHARGE = "restart", "relaunch", "source", "recharge"
APPLY, PIN, SOAK, MEASURE, REST = "apply", "pin", "soak", "measure", "rest"
KINDS = (RESTART, RELAUNCH, SOURCE, RECHARGE, APPLY, PIN, SOAK, MEASURE, REST)


@dataclass(frozen=True)
class Step:
    """One step.

    id : given when it is stored, "" before; batch, seq : where it stands; setup : of an Apply, and of what belongs to
    its pass; place : parts of the place that it brings about (slot, title, scene, source); seconds : how long, in an
    Apply its settling; purpose : of the pass; round, block, launch : numbers, from 0; pinned : its place was chosen by
    a person; why : it is wanted, "" by the design; told : ids of the passes it was decided on; until_settled : a soak
    goes on until temperature and rate stand; watts : of the package that a Pin adjusts the limits to.
    """

    id: str
    batch: int
    seq: int
    kind: str
    setup: Setup = field(default_factory=Setup)
    place: Mapping[str, str] = field(default_factory=dict)
    seconds: float = 0.0
    purpose: str = "sweep"
    round: int = 0
    block: int = 0
    launch: int = 0
    pinned: bool = False
    why: str = ""
    told: tuple[str, ...] = ()
    until_settled: bool = False
    watts: float = 0.0

    def as_dict(self) -> dict[str, Any]:
        """Plain values, but for what the row holds beside it (id, batch, seq, kind, told) and what is as usual."""
        made: dict[str, Any] = {"seconds": self.seconds}
        if self.setup:
            made["setup"] = self.setup.as_dict()
        if self.place:
            made["place"] = dict(self.place)
        usual = {"purpose": "sweep", "round": 0, "block": 0, "launch": 0, "pinned": False, "why": "",
                 "until_settled": False, "watts": 0.0}  # fmt: skip
        return made | {name: getattr(self, name) for name, value in usual.items() if getattr(self, name) != value}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any], **row: Any) -> Step:
        """The inverse of `as_dict`, with what the row holds; unknown keys are ignored."""
        known = {k: v for k, v in body.items() if k in cls.__dataclass_fields__}
        return cls(**{**known, "setup": Setup(body.get("setup", {})), **row})


@dataclass(frozen=True)
class Batch:
    """What a design gave when it was asked. told : ids of the passes it was decided on; is_last : it was done."""

    number: int
    steps: tuple[Step, ...]
    told: tuple[str, ...] = ()
    why: str = ""
    is_last: bool = True


@dataclass(frozen=True)
class Wanted:
    """A pass that a design wants. Lengths in s; round : which time over; why : it is wanted, "" by the design; slot :
    OS slot it is made in, "" the one that the machine is in; source : power source it is made on, "" that of the
    question; relaunch : the title is started anew before it; pinned :
    a person chose its place; pin_w : measured package watts that its limits are adjusted to, 0 for none."""

    setup: Setup
    pass_s: float
    settle_s: float
    soak_s: float
    cool_s: float
    purpose: str = "sweep"
    until_settled: bool = False
    round: int = 0
    why: str = ""
    slot: str = ""
    relaunch: bool = False
    pinned: bool = False
    pin_w: float = 0.0
    source: str = ""


@dataclass(frozen=True)
class Asked:
    """What a design answers. done : it wants no more after these."""

    wanted: tuple[Wanted, ...]
    why: str = ""
    done: bool = True


@dataclass(frozen=True)
class PlannedPass:
    """One pass to be made: its steps up to the rest after it. index : its place in the plan, from 0; step_id : of the
    step that measures it. Lengths in s."""

    index: int
    setup: Setup
    pass_s: float
    settle_s: float
    soak_s: float
    cool_s: float
    purpose: str = "sweep"
    until_settled: bool = False
    step_id: str = ""
    steps: tuple[Step, ...] = ()

    @property
    def seconds(self) -> float:
        """Machine time of the pass with everything around it but a recharge, s."""
        changes = sum(step.seconds for step in self.steps if step.kind in (RESTART, RELAUNCH, PIN))
        return self.settle_s + self.soak_s + self.pass_s + self.cool_s + changes

    @property
    def slot(self) -> str:
        """OS slot that it is made in, "" the one that the machine is in."""
        return next((step.place["slot"] for step in self.steps if "slot" in step.place), "")

    @property
    def source(self) -> str:
        """Power source that it is made on, "" that of the question."""
        return next((step.place["source"] for step in self.steps if "source" in step.place), "")

    @property
    def pin_w(self) -> float:
        """Measured package watts that its limits are adjusted to, 0 for none."""
        return next((step.watts for step in self.steps if step.kind == PIN), 0.0)

    @property
    def empties(self) -> bool:
        """Whether it goes from a full charge to the reserve, whatever the window in which others count."""
        return self.purpose == DISCHARGE

    @property
    def is_blind(self) -> bool:
        """Whether the player must not know what is set."""
        return self.purpose in BLIND

    @property
    def pinned(self) -> bool:
        """Whether a person chose its place."""
        return any(step.pinned for step in self.steps)

    @property
    def round(self) -> int:
        """Which time over its setup is measured."""
        return next((step.round for step in self.steps if step.kind == MEASURE), 0)


RESTART_S, RELAUNCH_S = 180.0, 60.0  # what a restart and a launch of a title take, to plan with
PIN_S = 18.0  # what it takes to adjust limits, two tries


def laid_out(
    wanted: Sequence[Wanted], number: int = 0, slot: str = "", *, before_launch: bool = False,
    after: Setup | None = None,
) -> tuple[Step, ...]:  # fmt: skip
    """The steps of a batch: for each pass a restart or relaunch where it asks for one, Apply with its settling, Soak,
    Measure, Rest, before them its power source where it names one; what takes no time is left out, but for Apply and
    Measure. slot, after : that the machine is in before, and the setup it has then, None where that is not known;
    before_launch : the title hangs when settings change while it runs, so that it is closed before each change, and
    before each pass whose limits are adjusted."""
    found: list[Step] = []
    standing, on, block = slot, "", 0
    for one in wanted:
        place = {key: value for key, value in (("slot", one.slot), ("source", one.source)) if value}
        kinds = []
        if one.slot and one.slot != standing:
            kinds, standing, block = [(RESTART, RESTART_S)], one.slot, block + 1
        elif one.relaunch or (before_launch and one.setup and (one.setup != after or one.pin_w)):
            kinds = [(RELAUNCH, RELAUNCH_S)]
        after = one.setup
        if one.source and one.source != on:
            kinds, on = [*kinds, (SOURCE, 0.0)], one.source
        for kind, seconds in kinds:
            found.append(Step("", number, len(found), kind, one.setup, place, seconds, one.purpose, one.round, block))
        for kind, seconds in (
            (APPLY, one.settle_s),
            (PIN, PIN_S if one.pin_w else 0.0),
            (SOAK, one.soak_s),
            (MEASURE, one.pass_s),
            (REST, one.cool_s),
        ):
            if kind in (APPLY, MEASURE) or seconds > 0 or (kind == SOAK and one.until_settled):
                found.append(
                    Step(
                        "", number, len(found), kind, one.setup, place, seconds, one.purpose, one.round, block,
                        pinned=one.pinned, why=one.why, until_settled=kind == SOAK and one.until_settled,
                        watts=one.pin_w if kind == PIN else 0.0,
                    )
                )  # fmt: skip
    return tuple(found)


def passes_in(steps: Sequence[Step]) -> tuple[PlannedPass, ...]:
    """The passes that a sequence of steps makes, each with its own steps.

    Raises PlanError for a step of a kind that this version does not know: a plan is run as it is or not at all.
    """
    strange = sorted({step.kind for step in steps} - set(KINDS))
    if strange:
        raise PlanError(
            f"The plan has steps of a kind that this Hovrik does not know: {', '.join(strange)}. "
            "Update Hovrik to run it."
        )
    found: list[PlannedPass] = []
    own: list[Step] = []
    for at, step in enumerate(steps):
        own.append(step)
        following = steps[at + 1].kind if at + 1 < len(steps) else ""
        if step.kind == REST or (step.kind == MEASURE and following != REST):
            made = _planned(len(found), own)
            if made is not None:
                found.append(made)
                own = []
    return tuple(found)


def _planned(index: int, own: Sequence[Step]) -> PlannedPass | None:
    """The pass of these steps, None where they measure nothing yet."""
    measure = next((step for step in own if step.kind == MEASURE), None)
    if measure is None:
        return None
    lengths = {kind: sum(step.seconds for step in own if step.kind == kind) for kind in (APPLY, SOAK, REST)}
    return PlannedPass(
        index, measure.setup, measure.seconds, lengths[APPLY], lengths[SOAK], lengths[REST], measure.purpose,
        any(step.until_settled for step in own), measure.id, tuple(own),
    )  # fmt: skip
