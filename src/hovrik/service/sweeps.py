"""A question put to any machine, without a window: planned, run, stored, answered."""

from __future__ import annotations

import importlib.util
import math
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, is_dataclass, replace
from pathlib import Path
from typing import Any

from ..bench.job import Control, PassDone, RunEvent
from ..bench.protocol import Description, Machine
from ..bench.setting import settable
from ..core.errors import HovrikError, InputError, PlanError
from ..core.facts.factor import LIMIT, set_by
from ..core.facts.knob import CAP, LIMITS, Knob, Level, named, shown
from ..core.facts.known_knobs import is_voltage
from ..core.facts.place import Source
from ..core.facts.rig import OsSlot
from ..core.facts.setup import Setup
from ..core.facts.terms import HOURS, LOW, LOW_TENTH, MEAN, SCORE, SLOW_SHARE, TIME, Aim, Limit, School
from ..core.facts.title import Scene, Title
from ..core.kinds.ask import ask_of
from ..core.kinds.kind import Ask, Kind
from ..core.kinds.table import kind_of
from ..core.passes.units import check_declared
from ..core.plan.design import Design
from ..core.plan.lengths import USUAL_S, Lengths, pass_of
from ..core.plan.schedule import Totals, total
from ..core.plan.search.space import SLOT, plain
from ..core.questions.question import LOWEST_WATTS, Question, Scope
from ..core.read.answer import Answer, Option, option_of
from ..core.read.generated import COUNT, FROM
from ..core.read.response import group_at
from ..store.notebook import Notebook
from . import library, run
from .gather import Evaluation, evaluate
from .ledger import told
from .machines import of_ones_own
from .planning import Plan
from .planning import planned as planned_by
from .rows import response_rows

SCHEMA = 1
FLOORS: Mapping[str, str] = {
    "low": LOW, "mean": MEAN, "share": SLOW_SHARE, "score": SCORE, "time": TIME, "low_0_1pct": LOW_TENTH,
}  # fmt: skip
HEAT_S = 900.0


@dataclass(frozen=True)
class Request:
    """What is asked of a machine. knobs : id to its levels as typed; floor, floor_figure, low, cap : see the command
    line; limit_die_c, limit_noise_db, limit_hours : bounds; front : the trade-off of hours and frames is sought;
    count_generated : for the floor too; generated_from : the least rendered rate, fps, from which frames are generated;
    slots : keys of OS slots that a search goes over, () the one that runs; budget : passes or minutes, None no end;
    title, scene : keys, "" the first of the machine."""

    kind: str = LOWEST_WATTS
    over: str = ""
    knobs: Mapping[str, str] = field(default_factory=dict)
    floor: float | None = None
    floor_figure: str = "low"
    tolerance: float = 0.03
    low: School = School.PERCENTILE
    cap: float | None = None
    limit_die_c: float | None = None
    limit_noise_db: float | None = None
    limit_hours: float | None = None
    front: bool = False
    count_generated: bool = False
    generated_from: float | None = None
    slots: tuple[str, ...] = ()
    room_c: float | None = None
    aim: Aim = Aim.HOURS
    price: float = 1.0
    repeats: int = 3
    budget_passes: int | None = None
    budget_minutes: float | None = None
    seed: int = 1
    title: str = ""
    scene: str = ""


@dataclass(frozen=True)
class Swept:
    """What came of it. plan_id : in the notebook; passes : Measure steps; minutes : of machine time, rests included."""

    evaluation: Evaluation
    request: Request
    plan_id: str
    passes: int
    minutes: float


def load_machine(where: str) -> Machine:
    """The machine of FILE.py:NAME, NAME a class or function called with no arguments. Raises InputError."""
    file, colon, name = where.rpartition(":")
    path = Path(file)
    if not colon or not name.isidentifier() or path.suffix != ".py":
        raise InputError(f"--machine got {where}. Name a Python file and a class or function in it: FILE.py:NAME.")
    if not path.is_file():
        raise InputError(f"{path} does not exist. Check the path.")
    spec = importlib.util.spec_from_file_location(f"hovrik_machine_{path.stem}", path)
    if spec is None or spec.loader is None:
        raise InputError(f"{path} cannot be read as Python.")
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module  # dataclasses look their module up
    sys.path.insert(0, str(path.resolve().parent))
    try:
        spec.loader.exec_module(module)
        made = getattr(module, name, None)
        if not callable(made):
            names = ", ".join(sorted(n for n, v in vars(module).items() if callable(v) and not n.startswith("_")))
            raise InputError(f"{path} has no class or function {name}. It has: {names or 'none'}.")
        machine: Machine = made()
        machine.describe()
    except HovrikError:
        raise
    except Exception as fault:
        raise InputError(f"{path}:{name} cannot be made: {type(fault).__name__}: {fault}.") from fault
    finally:
        sys.path.remove(str(path.resolve().parent))
    return machine


def address_of(machine: Machine, where: str) -> dict[str, Any]:
    """What tells a machine of one's own from every other one."""
    return of_ones_own(machine, described(machine).rig, where)


def levels_of(text: str, knob: Knob | None) -> tuple[Level, ...]:
    """Levels as typed: "on,off", "8,10,12", "8..20:2" (from, to, step). Raises InputError."""
    own = {shown(level): level for level in knob.levels} if knob is not None else {}
    found: list[Level] = []
    for part in filter(None, (piece.strip() for piece in text.split(","))):
        if part in own:
            found.append(own[part])
            continue
        try:
            numbers = [float(piece) for piece in part.replace("..", ":", 1).split(":")]
        except ValueError:
            found.append(part)
            continue
        if not all(math.isfinite(number) for number in numbers) or len(numbers) > 3:
            raise InputError(f"{part} cannot be read as levels. Write 8,10,12 or 8..20:2.")
        if len(numbers) == 1:
            found.append(numbers[0])
            continue
        first, last, step = numbers[0], numbers[1], numbers[2] if len(numbers) == 3 else 1.0
        if step <= 0 or last < first or (last - first) / step > 1000:
            raise InputError(f"{part} is no range. Write from..to:step, from the lower to the higher.")
        found += [round(first + step * at, 9) for at in range(int((last - first) / step + 1e-9) + 1)]
    if not found:
        raise InputError("A knob needs levels. Write ID=LEVELS, such as boost=on,off.")
    return tuple(found)


def described(machine: Machine) -> Description:
    """What a machine is, with a slot, a title and a scene where it names none. Raises InputError where it declares a
    channel in a unit of its own."""
    found = machine.describe()
    check_declared([(one.name, one.unit) for one in found.channels])
    rig = library.plain_rig(found.rig)
    if not rig.slots:
        rig = replace(rig, slots=(OsSlot(found.slot or "os", "OS"),))
    titles = tuple(title for title in found.titles if title.scenes)
    if not titles:
        titles = (Title("title", "Title", scenes=(Scene("scene", "Scene", USUAL_S),)),)
    return replace(found, rig=rig, titles=titles, slot=found.slot or rig.slots[0].key)


def prepared(machine: Machine, request: Request) -> Plan:
    """The question planned. Raises InputError, PlanError, the latter too where an option would change nothing:
    whoever gave it believes that it was obeyed."""
    made = _prepared(machine, request)
    free = replace(request, budget_passes=None, budget_minutes=None)  # a budget may hide what an option changes
    each = _without_each(request, free)
    own = _laid_out(machine, free) if each else None
    for words, without in each:
        if own is not None and not _has_effect(machine, own, without, repeats=without.repeats != free.repeats):
            raise PlanError(f"{words} would change nothing in a question of the kind {request.kind}. Leave it out.")
    return made


def _without_each(request: Request, free: Request) -> list[tuple[str, Request]]:
    """Each option that was given and shapes a plan, and the request without it."""
    found = [
        (f"--knob {key}={levels}", replace(free, knobs={k: v for k, v in free.knobs.items() if k != key}))
        for key, levels in request.knobs.items() if key != request.over
    ]  # fmt: skip
    if request.repeats != Request.repeats:
        found.append((f"--repeats {request.repeats}", replace(free, repeats=Request.repeats)))
    if request.over and request.over != kind_of(request.kind).over:
        kept = {key: levels for key, levels in free.knobs.items() if key != request.over}
        found.append((f"--over {request.over}", replace(free, over="", knobs=kept)))
    if request.cap is not None:
        found.append((f"--cap {request.cap:g}", replace(free, cap=None)))
    if request.front:
        found.append(("--front", replace(free, front=False)))
    return found


def _laid_out(machine: Machine, request: Request) -> tuple[list[tuple[Setup, float]], Design] | None:
    """Setup and length of each pass that is wanted first, and the design; None where it cannot be asked so."""
    try:
        made = _prepared(machine, request)
    except HovrikError:
        return None
    return [(one.setup, one.pass_s) for one in made.passes], made.design


def _has_effect(
    machine: Machine, own: tuple[list[tuple[Setup, float]], Design], without: Request, *, repeats: bool
) -> bool:  # fmt: skip
    """Whether a plan is another one by an option: other passes, or another way to go on after them. The base alone is
    none where no pass stands at it, nor is a count of repeats that a design only carries."""
    other = _laid_out(machine, without)
    if other is None or own[0] != other[0]:
        return True
    return not repeats and not _is_like(own[1], other[1])


def _is_like(one: Design, other: Design) -> bool:
    """Whether two designs are equal apart from their base."""
    if type(one) is not type(other) or not is_dataclass(one):
        return one == other
    own = [field.name for field in fields(one) if field.name != "base"]
    return all(getattr(one, name) == getattr(other, name) for name in own)


def _prepared(machine: Machine, request: Request) -> Plan:
    kind, found = kind_of(request.kind), described(machine)
    if kind.in_window:
        raise PlanError(f"{kind.in_window} A question of the kind {kind.id}: ask it in the window.")
    title = _named(found.titles, request.title, "title")
    scene = _named(title.scenes, request.scene, "scene")
    offered = settable(machine, found.rig, title)
    knobs = {key: knob for key, knob in named(offered).items() if not is_voltage(key)}
    typed = {key: levels_of(text, knobs.get(LIMITS[0] if key == LIMIT else key)) for key, text in request.knobs.items()}
    fixed = {key: levels[0] for key, levels in typed.items() if len(levels) == 1 and key != request.over}
    recipe = {one: level for key, level in fixed.items() for one in set_by(key) if one not in LIMITS or one in knobs}
    question = _question(machine, found, title.key, scene.key, request, kind, {
        "recipe": recipe, "levels": {key: list(levels) for key, levels in typed.items() if key not in fixed},
    })  # fmt: skip
    held = {**recipe, **({CAP: request.cap} if request.cap is not None else {})}
    wrong = [
        why for key, level in held.items()
        if (why := knobs[key].refusal(level) if key in knobs else f"This machine has no knob {key!r}. Leave it out.")
    ]  # fmt: skip
    if wrong:
        raise PlanError(f"This cannot be planned. {wrong[0]}")
    heat_s = HEAT_S if request.limit_die_c is not None else 0.0
    lengths = Lengths(request.repeats, pass_of(scene), heat_s=heat_s, seed=request.seed)
    now, most = machine.snapshot().restorable(), _most(request, lengths)

    def ask(own: Question) -> Ask:
        return ask_of(own, found.rig, offered, lengths, now, title=title, most=most, cap_fps=request.cap)

    return planned_by(question, found.rig, offered, ask, title)


def _named(found: Sequence[Any], key: str, what: str) -> Any:
    if not key:
        return found[0]
    own = next((one for one in found if one.key == key), None)
    if own is None:
        raise InputError(f"The machine has no {what} {key!r}. It has: {', '.join(one.key for one in found)}.")
    return own


def _question(
    machine: Machine, found: Description, title: str, scene: str, request: Request, kind: Kind, parts: dict[str, Any],
) -> Question:  # fmt: skip
    parts = {**kind.usual, **{key: value for key, value in parts.items() if value}}
    if request.over:
        parts["over"] = request.over
    scope = Scope((found.rig.key,), (found.slot,), (title,), (scene,), machine.source() or Source.BATTERY)
    limits = tuple(
        Limit(figure, at_most=value)
        for figure, value in (("die_c", request.limit_die_c), ("noise_db", request.limit_noise_db)) if value is not None
    )  # fmt: skip
    if request.limit_hours is not None:
        limits = (*limits, Limit(HOURS, at_least=request.limit_hours))
    if request.front:
        parts["front"] = True
    if request.count_generated:
        parts[COUNT] = True
    if request.generated_from is not None:
        parts[FROM] = request.generated_from
    if request.slots:
        unknown = [key for key in request.slots if key not in {slot.key for slot in found.rig.slots}]
        if unknown:
            offered_ = ", ".join(slot.key for slot in found.rig.slots)
            raise InputError(f"The machine has no OS slot {unknown[0]!r}. It has: {offered_}.")
        parts["slots"] = list(request.slots)
    asked = Question(kind.id, scope, parts=parts).with_(
        school=request.low, aim=request.aim, room_c=request.room_c, price=request.price, limits=limits
    )
    if request.floor is None:
        return asked.with_(figure="none")
    return asked.with_(
        figure=FLOORS[request.floor_figure], target_fps=request.floor, tolerance=request.tolerance
    )  # fmt: skip


def _most(request: Request, lengths: Lengths) -> int | None:
    """Passes that the budget allows, at least one."""
    found = [] if request.budget_passes is None else [max(request.budget_passes, 1)]
    if request.budget_minutes is not None:
        found.append(max(int((60.0 * request.budget_minutes - lengths.heat_s) / lengths.each_s), 1))
    return min(found, default=None)


def planned(machine: Machine, request: Request) -> tuple[Plan, Totals]:
    """What would be run first, with its totals; a search asks for more by what it finds."""
    made = prepared(machine, request)
    rig = made.ask.rig
    run.check_passes(rig, made.passes)
    return made, total(made.passes, rig, start_charge=machine.charge() or 1.0)


def sweep(
    machine: Machine, request: Request, notebook: Notebook, announce: Any = None, where: str = ""
) -> Swept:  # fmt: skip
    """Plan and run a question on a machine, into a notebook. where : FILE.py:NAME that it was loaded from. Raises
    HovrikError; the machine is put back whatever happens."""
    plan = prepared(machine, request)
    question, found = plan.question, described(machine)
    library.register(notebook, found)
    room_c = request.room_c if request.room_c is not None else machine.room_c()
    plan_id = run.keep_design(notebook, question, plan.design, room_c)
    notebook.set_state("question", question.as_dict())
    made = 0

    def hear(event: RunEvent) -> None:
        nonlocal made
        made += isinstance(event, PassDone)
        if announce is not None:
            announce(event)

    began = machine.now_ns()
    try:
        run.run_plan(notebook, plan_id, machine, address_of(machine, where), Control(), hear)
    except HovrikError:
        raise
    except Exception as fault:  # of a machine of somebody else's
        kept = f" {made} passes are kept." if made else ""
        raise HovrikError(f"The machine failed: {type(fault).__name__}: {fault}.{kept}") from fault
    minutes = (machine.now_ns() - began) / 60e9
    return Swept(told(notebook, evaluate(notebook, question)), request, plan_id, made, minutes)


def as_dict(swept: Swept) -> dict[str, Any]:
    """The JSON document of `hovrik sweep`."""
    evaluation, request = swept.evaluation, swept.request
    answer = evaluation.answer
    option, other = answer.option, _runner_up(evaluation)
    return {
        **answer.as_dict(), "over": evaluation.factor.id, "section": "", "responses": response_rows(evaluation),
        "schema": SCHEMA, "kind": request.kind, "slot": _slot(answer), "pick": option and _plain(option),
        "runner_up": other and _plain(other),
        "considered": [
            {**_plain(option_of(group, evaluation.question, evaluation.context)), "passes": len(group.passes)}
            for one in evaluation.responses for group in one.groups
        ],
        "contrasts": [one.as_dict() for one in answer.contrasts],
        "passes": swept.passes, "minutes": round(swept.minutes, 3), "seed": request.seed,
        "why": " ".join((answer.sentence, *(f"{text[:1].upper()}{text[1:]}." for text in answer.reasons))),
    }  # fmt: skip


def _plain(option: Option) -> dict[str, Any]:
    metrics = {key: estimate.as_dict() for key, estimate in option.metrics.items()}
    return {"setup": option.setup.as_dict(), "level": option.level, "holds": option.holds, "metrics": metrics}


def _slot(answer: Answer) -> Level | None:
    """Key of the OS slot that was picked, where a search went over several."""
    believed = answer.believed
    return believed.setups[believed.pick].get(SLOT) if believed is not None and believed.pick is not None else None


def _runner_up(evaluation: Evaluation) -> Option | None:
    """What would be chosen if the pick were not there: the next level that holds, else the other one."""
    answer, question = evaluation.answer, evaluation.question
    if answer.option is None:
        return None
    if answer.up is not None:
        return answer.up
    if answer.believed is not None:  # the next best that was measured and is believed to hold
        second = answer.believed.second
        found = group_at(evaluation.responses, plain(answer.believed.setups[second])) if second is not None else None
        return option_of(found[1], question, evaluation.context) if found is not None else None
    groups = [group for one in evaluation.responses for group in one.groups]
    others = [g for g in groups if not evaluation.factor.same(g.level, answer.option.level)]
    best = max(others, key=lambda group: (group.holds or 0.0, len(group.passes)), default=None)
    return option_of(best, question, evaluation.context) if best is not None else None
