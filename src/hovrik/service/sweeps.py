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
from ..core.facts.knob import CAP, LIMITS, NO_CAP, Knob, Level, named, shown
from ..core.facts.place import Source
from ..core.facts.rig import OsSlot
from ..core.facts.setup import Setup
from ..core.facts.terms import HOURS, LOW, LOW_TENTH, MEAN, SCORE, SLOW_SHARE, TIME, Aim, Limit, School
from ..core.facts.title import Scene, Title
from ..core.kinds import title_setup
from ..core.kinds.best import KIND as BEST
from ..core.kinds.kind import Ask, Kind
from ..core.kinds.table import kind_of
from ..core.kinds.undervolt import is_voltage
from ..core.passes.units import check_declared
from ..core.plan.design import Design
from ..core.plan.grid import LadderDesign
from ..core.plan.schedule import Totals, total
from ..core.plan.search import SLOT, plain
from ..core.plan.steps import PlannedPass
from ..core.questions.question import Question, Scope
from ..core.read.answer import Answer, Option, option_of
from ..core.read.response import group_at
from ..store.notebook import Notebook
from . import library, run
from .gather import Evaluation, evaluate
from .machines import of_ones_own
from .planning import first_passes
from .rows import response_rows

SCHEMA = 1
FLOORS: Mapping[str, str] = {
    "low": LOW, "mean": MEAN, "share": SLOW_SHARE, "score": SCORE, "time": TIME, "low_0_1pct": LOW_TENTH,
}  # fmt: skip
UNCAPPED = frozenset({"lowest-watts", "first-look", "watts-buy"})  # they sweep without a cap where none is named
IN_PLAY, IN_WINDOW = frozenset({"flip"}), frozenset({"claim", "feels", "runtime-true", "triage", "undervolt"})
HEAT_S, PASS_S = 900.0, 60.0


@dataclass(frozen=True)
class Request:
    """What is asked of a machine. knobs : id to its levels as typed; floor, floor_figure, low, cap : see the command
    line; limit_die_c, limit_noise_db, limit_hours : bounds; front : the trade-off of hours and frames is sought;
    slots : keys of OS slots that a search goes over, () the one that runs; budget : passes or minutes, None no end;
    title, scene : keys, "" the first of the machine."""

    kind: str = "lowest-watts"
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
        titles = (Title("title", "Title", scenes=(Scene("scene", "Scene", PASS_S),)),)
    return replace(found, rig=rig, titles=titles, slot=found.slot or rig.slots[0].key)


def prepared(machine: Machine, request: Request) -> tuple[Kind, Question, Ask, Design]:
    """The question and its design. Raises InputError, PlanError, the latter too where an option would change nothing:
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
        _, question, ask, design = _prepared(machine, request)
    except HovrikError:
        return None
    return [(one.setup, one.pass_s) for one in first_passes(design, question, ask.title)[0]], design


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


def _prepared(machine: Machine, request: Request) -> tuple[Kind, Question, Ask, Design]:
    kind, found = kind_of(request.kind), described(machine)
    if kind.id in IN_PLAY:
        raise PlanError(f"A question of the kind {kind.id} is asked while somebody plays: ask it in the window.")
    if kind.id in IN_WINDOW:
        raise PlanError(f"A question of the kind {kind.id} is asked in the window.")
    title = _named(found.titles, request.title, "title")
    scene = _named(title.scenes, request.scene, "scene")
    knobs = {key: knob for key, knob in named(settable(machine, found.rig, title)).items() if not is_voltage(key)}
    typed = {key: levels_of(text, knobs.get(LIMITS[0] if key == LIMIT else key)) for key, text in request.knobs.items()}
    fixed = {key: levels[0] for key, levels in typed.items() if len(levels) == 1 and key != request.over}
    varied = {key: levels for key, levels in typed.items() if key not in fixed}
    base: dict[str, Level] = {}
    for key, level in fixed.items():
        base.update(dict.fromkeys(set_by(key), level))
    if request.cap is not None:
        base[CAP] = request.cap
    elif request.kind in UNCAPPED and CAP not in (*varied, *base, request.over) and _takes_no_cap(knobs):
        base[CAP] = NO_CAP
    base = {key: level for key, level in base.items() if key not in LIMITS or key in knobs}
    question = _question(machine, found, title.key, scene.key, request, kind, varied, knobs)
    own = [knob.as_dict() for key, knob in knobs.items() if key not in LIMITS]
    question = replace(question, parts={**question.parts, "knobs": own})
    wrong = [
        why for key, level in base.items()
        if (why := knobs[key].refusal(level) if key in knobs else f"This machine has no knob {key!r}. Leave it out.")
    ]  # fmt: skip
    if wrong:
        raise PlanError(f"This cannot be planned. {wrong[0]}")
    like = LadderDesign(
        1.0, 1.0, 1.0, repeats=request.repeats, pass_s=_length(scene), seed=request.seed,
        heat_s=HEAT_S if request.limit_die_c is not None and kind.asks_floor and kind.id != BEST.id else 0.0,
    )  # fmt: skip
    slots = tuple(slot.key for slot in found.rig.slots)
    now = machine.snapshot().restorable()
    over = str(question.parts.get("over", ""))
    ask = Ask(question, found.rig, knobs, Setup(base), now, varied, over, slots, like, _most(request, like), title)
    return kind, question, ask, kind.design(ask)


def _length(scene: Scene) -> float:
    return min(max(scene.length_s or PASS_S, 10.0), 7200.0)


def _takes_no_cap(knobs: Mapping[str, Knob]) -> bool:
    return CAP in knobs and knobs[CAP].refusal(NO_CAP) is None


def _named(found: Sequence[Any], key: str, what: str) -> Any:
    if not key:
        return found[0]
    own = next((one for one in found if one.key == key), None)
    if own is None:
        raise InputError(f"The machine has no {what} {key!r}. It has: {', '.join(one.key for one in found)}.")
    return own


def _question(
    machine: Machine, found: Description, title: str, scene: str, request: Request, kind: Kind,
    varied: Mapping[str, Sequence[Level]], offered: Mapping[str, Knob],
) -> Question:  # fmt: skip
    parts: dict[str, Any] = {}
    over = request.over or (next(iter(varied), "") if request.kind in ("knob", "options-cost") else "")
    if request.kind == title_setup.KIND.id and not over:
        over = title_setup.usual(offered)
    if over:
        parts["over"] = over
    if varied:
        parts["levels"] = {key: list(levels) for key, levels in varied.items()}
    scope = Scope((found.rig.key,), (found.slot,), (title,), (scene,), machine.source() or Source.BATTERY)
    limits = tuple(
        Limit(figure, at_most=value)
        for figure, value in (("die_c", request.limit_die_c), ("noise_db", request.limit_noise_db)) if value is not None
    )  # fmt: skip
    if request.limit_hours is not None:
        limits = (*limits, Limit(HOURS, at_least=request.limit_hours))
    if request.front:
        parts["front"] = True
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


def _most(request: Request, like: LadderDesign) -> int | None:
    """Passes that the budget allows, at least one."""
    found = [] if request.budget_passes is None else [max(request.budget_passes, 1)]
    if request.budget_minutes is not None:
        each = like.settle_s + like.soak_s + like.pass_s + like.cool_s
        found.append(max(int((60.0 * request.budget_minutes - like.heat_s) / each), 1))
    return min(found, default=None)


def planned(machine: Machine, request: Request) -> tuple[Question, tuple[PlannedPass, ...], Totals, bool]:
    """What would be run first, with its totals; whether that is all (a search asks for more by what it finds)."""
    _, question, ask, design = prepared(machine, request)
    passes, is_all = first_passes(design, question, ask.title)
    run.check_passes(ask.rig, passes)
    return question, passes, total(passes, ask.rig, start_charge=machine.charge() or 1.0), is_all


def sweep(
    machine: Machine, request: Request, notebook: Notebook, announce: Any = None, where: str = ""
) -> Swept:  # fmt: skip
    """Plan and run a question on a machine, into a notebook. where : FILE.py:NAME that it was loaded from. Raises
    HovrikError; the machine is put back whatever happens."""
    _, question, _, design = prepared(machine, request)
    found = described(machine)
    library.register(notebook, found)
    room_c = request.room_c if request.room_c is not None else machine.room_c()
    plan_id = run.keep_design(notebook, question, design, room_c)
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
    return Swept(evaluate(notebook, question), request, plan_id, made, minutes)


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
