"""What must not change an answer, and what may change it in one direction only, over seeded notebooks.

A notebook is a question asked of an odd plant with more to set; what is done to it afterwards is one relation. No truth
is needed: an answer is held against itself.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from kinds.cases import FAMILIES
from kinds.world import Effect, Grown, GrownMachine, Own, grown

from hovrik.core.errors import HovrikError
from hovrik.core.facts.terms import Limit
from hovrik.core.kinds.table import KINDS
from hovrik.core.questions.question import Question
from hovrik.service import profiles, sweeps
from hovrik.service.gather import Evaluation, evaluate
from hovrik.service.memory import Memory
from hovrik.service.report import report_of
from hovrik.store.notebook import Notebook

FIRST = 300  # seeds that no other table uses
IN_WINDOW = frozenset({"flip", "claim", "feels", "runtime-true", "triage", "undervolt"})
ASKED = tuple(one for one in KINDS if one not in IN_WINDOW)
LADDER = "lowest-watts"


@dataclass(frozen=True)
class Held:
    """What came of one relation of one notebook. why : how it broke, "" it held."""

    relation: str
    kind: str
    seed: int
    why: str = ""


@dataclass
class Book:
    """A notebook with its question answered."""

    notebook: Notebook
    machine: GrownMachine
    request: sweeps.Request
    evaluation: Evaluation
    rng: np.random.Generator

    @property
    def question(self) -> Any:
        return self.evaluation.question

    def again(self, memory: Memory | None = None) -> Evaluation:
        """The same question read anew."""
        return evaluate(self.notebook, self.question, memory=memory)


def plant_of(seed: int) -> Grown:
    """A plant with things to switch."""
    own = {
        "mode": Own({"plain": Effect(), "other": Effect(0.95, 0.93, 0.3)}),
        "radio": Own({"off": Effect(), "on": Effect(beside_w=1.0)}),
        "preset": Own({"low": Effect(), "high": Effect(1.1, 1.3)}),
        "display": Own({"built-in": Effect(), "desk": Effect(1.0, 1.1)}),
    }
    return grown(FAMILIES[seed % len(FAMILIES)], FIRST + seed, free=True, own=own)


def request_of(kind: str, plant: Grown, **more: Any) -> sweeps.Request:
    """How a kind is asked of such a plant."""
    middle = f"{plant.limits_w[6]:g}"
    knobs = {
        "knob": {"mode": "plain,other"}, "options-cost": {"mode": "plain,other", "radio": "off,on"},
        "title-setup": {"preset": "high,low", "limit_w": middle}, "rest-draw": {"radio": "off,on"},
        "caps": {"cap_fps": "30,40,60"}, "best": {"boost": "on,off"}, "over-charge": {"limit_w": middle},
    }.get(kind, {})  # fmt: skip
    given = {"floor": plant.floor_fps, "knobs": knobs, **more}
    if kind == "best":
        given["budget_passes"] = 8
    return sweeps.Request(kind, **given)


def asked(notebook: Notebook, machine: GrownMachine, request: sweeps.Request) -> Evaluation:
    """A question swept in a notebook."""
    return sweeps.sweep(machine, request, notebook).evaluation


def _said(found: Evaluation) -> tuple[str, Any]:
    option = found.answer.option
    return found.answer.sentence, dict(option.setup) if option is not None else None


def _same(before: Evaluation, after: Evaluation) -> str:
    one, other = _said(before), _said(after)
    return "" if one == other else f"{one[0]!r} became {other[0]!r}"


# -- relations of every kind


def another_kind(book: Book) -> str:
    """Another kind asked in between: the same sentence to the letter."""
    others = [one for one in ASKED if one not in (book.request.kind, "over-charge")]
    for kind in book.rng.choice(others, 2, replace=False).tolist():
        try:
            asked(book.notebook, book.machine, request_of(kind, book.machine.plant))
        except HovrikError:
            continue
    return _same(book.evaluation, book.again())


def another_base(book: Book) -> str:
    """The same asked at another base in between: the same, but for figures of the rig inside their interval."""
    knobs = {**dict(book.request.knobs), "boost": "off"}
    if book.request.kind == "best":
        knobs = {"boost": "off", "gpu_ceiling_mhz": f"{round(0.7 * book.machine.plant.chip.gpu_top_mhz)}"}
    asked(book.notebook, book.machine, replace(book.request, knobs=knobs))
    return _same(book.evaluation, book.again())


def another_rig(book: Book) -> str:
    """Passes of another machine in the same notebook."""
    other = plant_of(int(book.rng.integers(1000, 2000)))
    asked(book.notebook, GrownMachine(other, 5), request_of(book.request.kind, other))
    return _same(book.evaluation, book.again())


class _Shuffled(Memory):
    """Rows in another order, launches under other names."""

    def __init__(self, notebook: Notebook, rng: np.random.Generator) -> None:
        super().__init__(notebook)
        self._rng = rng

    def records(self, where: Any) -> list[Any]:
        found = super().records(where)
        return [_renamed(found[at]) for at in self._rng.permutation(len(found)).tolist()]


def _renamed(record: Any) -> Any:
    launch = record.conditions.get("launch")
    if launch is None:
        return record
    other = replace(launch, value=f"z{launch.value}")
    return replace(record, conditions={**record.conditions, "launch": other})


def reordered(book: Book) -> str:
    """Rows stored in another order, launches renamed with the same partition."""
    return _same(book.evaluation, book.again(_Shuffled(book.notebook, book.rng)))


def one_sentence(book: Book) -> str:
    """What is stored as the notebook's question, the report, and a profile say one sentence."""
    stored = evaluate(book.notebook, Question.from_dict(book.notebook.get_state("question")))
    broken = _same(book.evaluation, stored)
    report = report_of(book.notebook, stored, 0)
    if not broken and not report.answer.startswith(book.evaluation.answer.sentence):
        broken = f"the report says {report.answer!r}"
    if not broken and stored.answer.option is not None:
        try:
            made = profiles.profile_of(stored, profiles.names_of(book.notebook, stored.question))
        except HovrikError:
            return broken
        broken = "" if made.sentence == book.evaluation.answer.sentence else f"a profile says {made.sentence!r}"
    return broken


# -- relations of the lowest watts


def _watts(found: Evaluation) -> float | None:
    option = found.answer.option
    return option.setup.static_limit_w if option is not None else None


def _no_fewer(book: Book, **terms: Any) -> str:
    """A stricter question never states fewer watts."""
    stricter = evaluate(book.notebook, book.question.with_(**terms))
    one, other = _watts(book.evaluation), _watts(stricter)
    return f"{one:g} W became {other:g} W: {stricter.answer.sentence}" if one and other and other < one else ""


def floor_raised(book: Book) -> str:
    """A higher floor never states fewer watts."""
    return _no_fewer(book, target_fps=book.question.target_fps * float(book.rng.uniform(1.01, 1.12)))


def surer(book: Book) -> str:
    """Nor does a sureness that is raised."""
    return _no_fewer(book, sure=0.99)


def limited(book: Book) -> str:
    """With a limit of hours or of the die the pick moves to a setup that held before, or nothing fits and the sentence
    names the limit that is in the way."""
    groups = [group for one in book.evaluation.responses for group in one.groups]
    option = book.evaluation.answer.option
    hours = option.metrics.get("hours") if option is not None else None
    die = option.metrics.get("die_c") if option is not None else None
    which = "hours" if hours is not None and (die is None or book.rng.random() < 0.5) else "die_c"
    figure = hours if which == "hours" else die
    if figure is None:
        return ""
    factor = float(book.rng.uniform(0.7, 1.5))
    bound = Limit("hours", at_least=figure.value * factor) if which == "hours" else Limit(
        "die_c", at_most=25.0 + (figure.value - 25.0) * factor
    )  # fmt: skip
    found = evaluate(book.notebook, book.question.with_(limits=(bound,)))
    if (watts := _watts(found)) is not None:
        held = {group.setup.static_limit_w for group in groups if (group.holds or 0.0) >= book.question.terms.sure}
        return "" if watts in held else f"{watts:g} W did not hold before: {found.answer.sentence}"
    word = "h" if which == "hours" else "C"
    named = any(part.isdigit() for part in found.answer.sentence) and f" {word}" in found.answer.sentence
    return "" if named else f"the limit of {which} is not named: {found.answer.sentence}"


# -- relations of single kinds


def dearer(book: Book) -> str:
    """What each watt buys: where a watt has to bring more, it pays up to no more watts."""
    other = evaluate(book.notebook, book.question.with_(price=book.question.terms.price * 1.5))
    one, top = _watts(book.evaluation), _watts(other)
    return f"{one:g} W became {top:g} W: {other.answer.sentence}" if one and top and top > one else ""


def cooler(book: Book) -> str:
    """What stays cool: where the die has to be cooler, no more watts."""
    values = [one for one in book.evaluation.question.terms.limits if one.figure == "die_c"]
    hot = (values[0].at_most if values and values[0].at_most else 90.0) - 8.0
    other = evaluate(book.notebook, book.question.with_(limits=(Limit("die_c", at_most=hot),)))
    one, top = _watts(book.evaluation), _watts(other)
    return f"{one:g} W became {top:g} W: {other.answer.sentence}" if one and top and top > one else ""


def poorer(book: Book) -> str:
    """Set-ups of a title: what held a floor before is never given up for a better looking one under a higher floor."""
    other = evaluate(book.notebook, book.question.with_(target_fps=book.question.target_fps * 1.08))
    one, now = book.evaluation.answer.option, other.answer.option
    if one is None or now is None:
        return ""
    looks = ["low", "high"]
    worse = looks.index(str(now.setup["preset"])) > looks.index(str(one.setup["preset"]))
    return f"{one.setup['preset']} became {now.setup['preset']}: {other.answer.sentence}" if worse else ""


def wider(book: Book) -> str:
    """Two levels: with margins twice as wide, what was the same stays the same, and none becomes the better one."""
    asked_ = book.question.with_(margins={"mean_fps": 0.04, "draw_w": 0.04, "package_w": 0.04, "die_c": 4.0})
    other = evaluate(book.notebook, asked_)
    before = {(one.figure, str(one.a)): one.verdict.value for one in book.evaluation.answer.contrasts}
    for one in other.answer.contrasts:
        if before.get((one.figure, str(one.a))) == "same" and one.verdict.value != "same":
            return f"{one.figure} was the same, and is {one.verdict.value} within a wider margin"
    return ""


OWN: Mapping[str, tuple[str, Callable[[Book], str]]] = {
    "watts-buy": ("a watt has to bring more", dearer), "stays-cool": ("the die has to be cooler", cooler),
    "title-setup": ("floor raised, of set-ups", poorer), "knob": ("margins widened", wider),
    "which-os": ("margins widened", wider), "plugged": ("margins widened", wider),
    "display-path": ("margins widened", wider),
}  # fmt: skip
EVERY: Mapping[str, Callable[[Book], str]] = {
    "one sentence everywhere": one_sentence, "rows in another order": reordered,
    "another kind in between": another_kind, "passes of another base": another_base,
    "passes of another rig": another_rig,
}  # fmt: skip
OF_THE_LADDER: Mapping[str, Callable[[Book], str]] = {
    "floor raised": floor_raised,
    "sureness raised": surer,
    "a limit added": limited,
}


def held(place: tuple[str, int]) -> list[Held]:
    """Every relation of one seeded notebook, those that add passes last."""
    kind, seed = place
    plant, found = plant_of(seed), []
    relations = {**(OF_THE_LADDER if kind == LADDER else {}), **dict([OWN[kind]] if kind in OWN else []), **EVERY}
    with tempfile.TemporaryDirectory() as name, Notebook(Path(name) / "n.hovrik") as notebook:
        machine, request = GrownMachine(plant, seed + 3), request_of(kind, plant)
        rng = np.random.default_rng((seed, sorted(ASKED).index(kind), 71))
        try:
            book = Book(notebook, machine, request, asked(notebook, machine, request), rng)
        except HovrikError as refused:
            return [Held(one, kind, seed, f"refused: {refused}") for one in relations]
        for relation, check in relations.items():
            try:
                why = check(book)
            except HovrikError as refused:
                why = f"refused: {refused}"
            found.append(Held(relation, kind, seed, why))
    return found


def places(notebooks: int, kinds: Sequence[str] = ASKED) -> Iterator[tuple[str, int]]:
    """Seeded notebooks: as many of the lowest watts as of all others together."""
    others = [one for one in kinds if one != LADDER]
    for seed in range(notebooks):
        if LADDER in kinds:
            yield LADDER, seed
        if others:
            yield others[seed % len(others)], seed
