"""What a kind of question is: how it is planned, and how its passes answer it. One file a kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from typing import Any

import numpy as np

from ..errors import PlanError
from ..facts.factor import Factor, set_by
from ..facts.knob import CAP, LIMITS, REFRESH, Knob, Level, is_number
from ..facts.knobs import infeasible
from ..facts.place import Source
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..facts.title import Title
from ..keep.evening import EveningReadings
from ..passes.discharge import Discharge
from ..plan.design import Design
from ..plan.lengths import Lengths
from ..plan.rounds import Cell
from ..plan.steps import PlannedPass
from ..questions.question import Question
from ..read.answer import Answer, Context
from ..read.group import Counted
from ..read.history import History, history_of
from ..read.response import Response
from ..read.stopped import Stopped

MOST_LEVELS = 16  # of a number that is bounded only
FINEST = 400  # of one that is searched, or thinned afterwards


@dataclass(frozen=True)
class Ask:
    """What a design is made of.

    knobs : that can be set, by id; base : what is set in every pass; now : what the machine reads; varied : knob to the
    levels that are wanted of it; over : the factor that is asked about, "" that of the kind; slots : that the machine
    can be brought into; like : lengths, repeats, seed; most : passes, None as many as it takes; title : that is played,
    where it is known; range_w : from, to and step of the limits that a person chose, None all that there are.
    """

    question: Question
    rig: Rig
    knobs: Mapping[str, Knob]
    base: Setup = field(default_factory=Setup)
    now: Setup = field(default_factory=Setup)
    varied: Mapping[str, tuple[Level, ...]] = field(default_factory=dict)
    over: str = ""
    slots: tuple[str, ...] = ()
    like: Lengths = field(default_factory=Lengths)
    most: int | None = None
    title: Title | None = None
    range_w: tuple[float, float, float] | None = None

    def feasible(self, cells: Sequence[Cell]) -> tuple[list[Cell], tuple[str, ...]]:
        """Cells that can be, and why others cannot: functions of an OS slot that exclude each other, a cap above the
        refresh, a limit that wants another adapter, less graphics memory than the title wants."""
        slots = {slot.key: slot for slot in self.rig.slots}
        kept, left_out = [], []
        for cell in cells:
            why = infeasible(cell.setup, slots.get(cell.slot or self.question.slot))
            cap, refresh = cell.setup.get(CAP), cell.setup.get(REFRESH)
            if is_number(cap) and is_number(refresh) and float(cap or 0) > float(refresh or 0) + 0.5:
                why = [*why, f"A cap of {cap:g} is above a refresh of {refresh:g} Hz."]
            why += [one for one in (self._adapter(cell.setup), self._memory(cell.setup)) if one]
            if why:
                left_out += why
            else:
                kept.append(cell)
        return kept, tuple(dict.fromkeys(left_out))

    def _adapter(self, setup: Setup) -> str:
        """Why a limit cannot be on this source: only a preset that wants another adapter reaches it."""
        limit = setup.static_limit_w
        there = 0.0 if self.question.source is Source.BATTERY else self.rig.adapter_w
        reach = [(mode.sustained_w, mode.adapter_w or 0.0) for mode in self.rig.modes if mode.sustained_w is not None]
        if limit is None or there is None or any(watts >= limit and wants <= there for watts, wants in reach):
            return ""
        wanted = [wants for watts, wants in reach if watts <= limit and wants > there]
        if not wanted:
            return ""
        has = f"this one has {there:g} W" if there else "the question is about the battery"
        return f"{limit:g} W wants an adapter of {max(wanted):g} W; {has}."

    def _memory(self, setup: Setup) -> str:
        split, wants = setup.get("memory_split_gb"), self.title.memory_gb if self.title is not None else None
        if self.title is None or not is_number(split) or wants is None or float(split or 0) >= wants:
            return ""
        return f"{self.title.name} wants {wants:g} GB of graphics memory, more than a split of {split:g} GB."

    def refuse_frozen(self) -> None:
        """Raises PlanError for a title that hangs when settings change while it runs."""
        if self.title is not None and self.title.dislikes_changes:
            raise PlanError(f"{self.title.name} hangs when settings change while it runs. Ask in passes of their own: "
                            "each is set before its launch.")  # fmt: skip

    def bundle(self, over: str) -> tuple[str, ...]:
        """The knobs that a factor sets as one. Raises PlanError where the machine offers none of them."""
        found = tuple(key for key in set_by(over) if key in self.knobs)
        if not found:
            offered = ", ".join(self.knobs) or "none"
            raise PlanError(f"This machine cannot set {over}. It offers: {offered}.")
        return found

    def levels(self, over: str, most: int = MOST_LEVELS) -> tuple[Level, ...]:
        """The levels of a factor, least first: those that are wanted, else those on offer, of a range at most `most`.
        Raises PlanError where there are none, or one is not on offer."""
        keys = self.bundle(over)
        knob = self.knobs[keys[0]]
        wanted = self.varied.get(over) or self.varied.get(keys[0])
        if wanted:
            wrong = [why for level in wanted for key in keys if (why := self.knobs[key].refusal(level))]
            if wrong:
                raise PlanError(f"This cannot be planned. {wrong[0]}")
            return _ordered(wanted)
        low, high = self._range(keys)
        if knob.levels and (low is None or high is None):
            return _ordered(knob.levels)
        if low is None or high is None or high < low or (high == low and self.range_w is None):
            raise PlanError(f"{knob.label}: neither levels nor a range are known. Name the levels that are wanted.")
        chosen = self.range_w if keys[0] in LIMITS else None
        step = (chosen[2] if chosen is not None else 0.0) or knob.step or (high - low) / (most - 1)
        count = int(np.floor((high - low) / step + 1e-9)) + 1
        every = max(1, int(np.ceil(count / most)))
        return tuple(min(round(low + step * at, 6), high) for at in range(0, count, every))

    def possible(self, over: str, most: int = MOST_LEVELS) -> list[float]:
        """The numbers among the levels of a factor at which a pass can be made with the rest as it is, least first.
        Raises PlanError as `levels`."""
        keys = self.bundle(over)
        cells = {level: Cell(self.base.with_(**dict.fromkeys(keys, level))) for level in self.levels(over, most)}
        kept = set(self.feasible(list(cells.values()))[0])
        return [float(level) for level, cell in cells.items() if is_number(level) and cell in kept]

    def _range(self, keys: Sequence[str]) -> tuple[float | None, float | None]:
        lows = [low for key in keys if (low := self.knobs[key].low) is not None]
        highs = [high for key in keys if (high := self.knobs[key].high) is not None]
        low, high = max(lows, default=None), min(highs, default=None)
        if keys[0] in LIMITS:
            low = self.rig.limit_low_w if low is None else max(low, self.rig.limit_low_w or low)
            high = self.rig.limit_high_w if high is None else min(high, self.rig.limit_high_w or high)
            if self.range_w is not None and low is not None and high is not None:
                low, high = max(low, self.range_w[0]), min(high, self.range_w[1])
        return low, high

    def lengths(self, **changes: float) -> Lengths:
        """The lengths with some replaced."""
        return replace(self.like, **changes)  # type: ignore[arg-type]


def _ordered(levels: Sequence[Level]) -> tuple[Level, ...]:
    numbers = [level for level in levels if is_number(level)]
    words = [level for level in levels if not is_number(level)]
    return (*sorted(dict.fromkeys(numbers), key=float), *dict.fromkeys(words))


@dataclass(frozen=True)
class Seen:
    """What an answer is made of: responses along the factor, the passes that count, the knobs with their own steps;
    design : of the plan that was run last, None where there is none; failed : setups of it that are no measurement;
    discharges : passes over a whole charge, oldest first, and the setups they were made at; evenings : what a person
    read of evenings at a setup, oldest first; earlier : passes of the place that are older than these, oldest first;
    stopped : levels of the factor at which no pass ever ran; read : passes that count for nothing but what the kind
    `reads` of them."""

    responses: Sequence[Response]
    counted: Sequence[Counted]
    question: Question
    context: Context
    factor: Factor
    knobs: Mapping[str, Knob] = field(default_factory=dict)
    design: Design | None = None
    failed: Sequence[Setup] = ()
    discharges: Sequence[Discharge] = ()
    discharged: Sequence[Setup] = ()
    evenings: Sequence[tuple[Setup, EveningReadings]] = ()
    earlier: Sequence[Counted] = ()
    stopped: Sequence[Stopped] = ()
    read: Sequence[Counted] = ()

    @cached_property
    def history(self) -> History:
        """What the earlier passes tell of how far passes scatter; made where a kind asks for it."""
        return history_of(self.earlier)


class Limits(StrEnum):
    """What a kind does with power limits: it goes over a range of them, stays at one, leaves them alone."""

    RANGE = "range"
    ONE = "one"
    NONE = "none"


# fields of the form that a kind has a use for, beside those of its limits
LENGTHS = frozenset({"pass_s", "soak_s", "cool_s", "until_settled"})
USUAL = LENGTHS | {"cap", "recipe", "references"}
IN_PLAY = frozenset({"cap", "recipe"})  # of what is switched while the title runs


@dataclass(frozen=True)
class Kind:
    """One kind: all that is known of it.

    verb : under which it is offered; words : how it is asked for in the question's sentence; over : the factor that its
    passes lie along where none is named; asks_floor : whether a floor is part of it; of_plan : whether its answer goes
    by the candidates of the plan that was run last, of_charge : by passes over a whole charge.

    What is laid out. limits : what it does with power limits; ranged_over : knobs along which it goes over a range of
    them all the same; at : place in the range where it stays if nobody knows what is set (0 the lowest); uncapped :
    frames run free where no cap is named; varies : knobs that it varies of itself, keeps_cap : but for a cap that is
    chosen; sets_nothing : it takes the machine as it is, and has no floor; over_slots : it may go over OS slots;
    voltage : it moves one; complete : parts that it fills in, of those of a question and the knobs on offer.

    How it is asked. fields : of the form; options, example : what several knobs are called there, and how they are
    typed; usual : parts of a question that is asked anew; caution : what to mind, "" nothing; button : what a button
    says that asks it, "" there is none; in_window : why it is asked there only, "" it is not; in_campaign : it makes
    sense over many titles with nobody beside.

    What it takes, nine times in ten (docs/kinds.md). takes : least and most of the minutes that its steps come to;
    passes : of a plan that goes on by what it finds.

    What counts. purposes : of its passes, () all that enter figures; unjudged : whatever their checks say; reads :
    checks whose passes enter no figure and are read by it all the same, with what else these set off; of_others : those
    that other questions made at its base as well, before its own newest one: they predict; gain :
    minutes that an answer promises.
    """

    id: str
    verb: str
    words: str
    over: str
    design: Callable[[Ask], Design]
    answer: Callable[[Seen], Answer]
    asks_floor: bool = True
    of_plan: bool = False
    of_charge: bool = False
    limits: Limits = Limits.ONE
    ranged_over: frozenset[str] = frozenset()
    at: float = 0.5
    uncapped: bool = False
    fields: frozenset[str] = USUAL
    usual: Mapping[str, Any] = field(default_factory=dict)
    options: str = "Options"
    example: str = "shadows=low,high; grass=near,far"
    purposes: frozenset[str] = frozenset()
    unjudged: bool = False
    reads: frozenset[str] = frozenset()
    voltage: bool = False
    over_slots: bool = False
    in_window: str = ""
    in_campaign: bool = False
    caution: str = ""
    button: str = ""
    sets_nothing: bool = False
    varies: frozenset[str] = frozenset()
    keeps_cap: bool = False
    gain: Callable[[Answer], float | None] | None = None
    of_others: bool = False
    takes: tuple[float, float] = (0.95, 1.05)
    passes: tuple[int, int] = (1, 1)
    complete: Callable[[Mapping[str, Any], Mapping[str, Knob]], Mapping[str, Any]] = lambda parts, knobs: {}

    def price(self, minutes: float, passes: Sequence[PlannedPass], *, is_all: bool, most: int | None = None
              ) -> tuple[float, float]:  # fmt: skip
        """Minutes from and to that a plan takes. minutes : its first passes come to; is_all : whether these are all;
        most : passes that a budget allows."""
        if is_all or not passes:
            return self.takes[0] * minutes, self.takes[1] * minutes
        each, first = passes[-1].seconds / 60.0, len(passes)
        low, high = (max(min(one, most or one), first) - first for one in self.passes)
        return self.takes[0] * (minutes + low * each), self.takes[1] * (minutes + high * each)

    def is_ranged(self, question: Question) -> bool:
        """Whether a person chooses from where to where limits go."""
        return self.limits is Limits.RANGE or str(question.parts.get("over") or "") in self.ranged_over
