"""Every call into the program that is judged: a case asked as the command line asks it, or as the window does."""

from __future__ import annotations

import math
import tempfile
import time
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from hovrik.bench.job import Control, PassDone
from hovrik.bench.protocol import Instruction, Need
from hovrik.bench.setting import settable
from hovrik.core.errors import HovrikError
from hovrik.core.facts.place import Source
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.plan.schedule import total
from hovrik.core.questions.question import Question, Scope
from hovrik.service import library, planning, run, sweeps
from hovrik.service.gather import evaluate
from hovrik.store.notebook import Notebook

from .cases import WITHHELD, WRONG, Case, case_of
from .world import GrownMachine

ADDRESS = {"kind": "kinds"}


@dataclass(frozen=True)
class Row:
    """One case: what came of it. told : the truth can be told; hits, total : intervals that hold it; minutes : of
    machine time; low_min, high_min : announced before, None where nothing was."""

    kind: str
    family: str
    seed: int
    null: bool
    told: bool
    outcome: str
    hits: int = 0
    total: int = 0
    passes: int = 0
    minutes: float = math.nan
    low_min: float | None = None
    high_min: float | None = None
    says: str = ""
    seconds: float = 0.0

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)


@dataclass(frozen=True)
class Found:
    """What a case is judged by. counted : passes that count; groups : of all responses."""

    answer: Any
    counted: tuple[Any, ...] = ()
    groups: tuple[Any, ...] = ()


@dataclass
class _Run:
    """A run and what it took."""

    found: Found
    passes: int = 0
    minutes: float = math.nan
    price: tuple[float | None, float | None] = field(default=(None, None))


def asked(place: tuple[str, str, int]) -> Row:
    """A case by its place, made, asked and judged. A refusal of what could be asked counts as withheld, a fault as
    wrong."""
    began = time.perf_counter()
    case = case_of(*place)
    try:
        ran = _alone() if case.request.get("alone") else _asked(case)
        judged = case.judge(ran.found)
        says = ran.found.answer.sentence if ran.found.answer is not None else ""
        outcome, hits, count = judged.outcome, judged.hits, judged.total
        passes, minutes, price = ran.passes, ran.minutes, ran.price
    except HovrikError as fault:
        says, outcome, hits, count = f"refused: {fault}", WITHHELD, 0, 0
        passes, minutes, price = 0, math.nan, (None, None)
    except Exception as fault:  # whatever it is, it is the program's
        says, outcome, hits, count = f"{type(fault).__name__}: {fault}", WRONG, 0, 0
        passes, minutes, price = 0, math.nan, (None, None)
    return Row(
        case.kind, case.family, case.seed, case.null, case.told, outcome, hits, count, passes, minutes, *price, says,
        time.perf_counter() - began,
    )  # fmt: skip


def _alone() -> _Run:
    """A player needs no machine: the design is asked look by look."""
    return _Run(Found(None))


def _asked(case: Case) -> _Run:
    machine = GrownMachine(case.plant, case.seed + 3)
    with tempfile.TemporaryDirectory() as name, Notebook(Path(name) / "n.hovrik") as notebook:
        if case.parts is not None:
            return _in_window(case, machine, notebook)
        return _on_command_line(case, machine, notebook)


def _on_command_line(case: Case, machine: GrownMachine, notebook: Notebook) -> _Run:
    options = dict(case.request)
    if options.pop("plugged", False):
        machine.needs_person(Instruction(Need.PLUG_IN, ""))
    request = sweeps.Request(case.kind, **options)
    price = _price(machine, request)
    swept = sweeps.sweep(machine, request, notebook)
    return _Run(_found(swept.evaluation), swept.passes, swept.minutes, price)


def _price(machine: GrownMachine, request: sweeps.Request) -> tuple[float, float]:
    """Minutes that are announced, from and to."""
    made, totals = sweeps.planned(machine, request)
    return made.price(totals.minutes)


def _found(evaluation: Any) -> Found:
    groups = tuple(group for one in evaluation.responses for group in one.groups)
    return Found(evaluation.answer, tuple(view for view in evaluation.views if view.verdict.counts), groups)


def _in_window(case: Case, machine: GrownMachine, notebook: Notebook) -> _Run:
    """As the Bench plans and runs it, on a machine that stands at the middle of its range."""
    found = sweeps.described(machine)
    library.register(notebook, found)
    title, plant = found.titles[0], case.plant
    scope = Scope((found.rig.key,), (found.slot,), (title.key,), ("stretch",), Source.BATTERY)
    question = Question(case.kind, scope, parts=dict(case.parts or {}))
    question = question.with_(target_fps=case.request.get("floor", plant.floor_fps))
    knobs = settable(machine, found.rig, title)
    step = plant.limits_w[1] - plant.limits_w[0]
    ladder = LadderDesign(
        plant.limits_w[0], plant.limits_w[-1], step, plant.cap_fps or None, heat_s=0.0, seed=case.seed + 1
    )
    now = machine.snapshot().restorable()
    if case.kind == "runtime-true":  # what it is held against: passes at the same setup
        _played(notebook, machine, replace(question, kind="now"), now, ladder, knobs, found, title)
    return _played(notebook, machine, question, now, ladder, knobs, found, title)


def _played(
    notebook: Notebook, machine: GrownMachine, question: Question, now: Any, ladder: LadderDesign, knobs: Any,
    found: Any, title: Any,
) -> _Run:  # fmt: skip
    made_of = planning.planned_within(question, found.rig, knobs, ladder, now, title)
    question = made_of.question
    price = made_of.price(total(made_of.passes, found.rig).minutes)
    plan = run.keep_design(notebook, question, made_of.design, machine.room_c())
    made, began = [0], machine.now_ns()

    def hear(event: Any) -> None:
        made[0] += isinstance(event, PassDone)

    run.run_plan(notebook, plan, machine, ADDRESS, Control(), hear)
    took = (machine.now_ns() - began) / 60e9
    return _Run(_found(evaluate(notebook, question)), made[0], took, price)


def known(rows: list[Mapping[str, Any]]) -> list[Row]:
    """Rows from plain values."""
    return [Row(**row) for row in rows]
