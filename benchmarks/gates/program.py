"""Every call into the program that is judged. What the gates need to change when the program changes shape stands here.

Passes come in as the worlds made them (frames, channels, marks); intervals and probabilities go out as plain values.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from hovrik.bench.job import Control
from hovrik.core.errors import HovrikError
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.factor import Factor, static_limit
from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.place import Place
from hovrik.core.facts.rig import OsSlot, Rig, Version
from hovrik.core.facts.setup import Setup
from hovrik.core.facts.terms import School
from hovrik.core.facts.title import Scene, Title
from hovrik.core.model.battery import used_of
from hovrik.core.passes import heat
from hovrik.core.passes.figure import low_id
from hovrik.core.passes.figures import PassFigures, figures_of
from hovrik.core.passes.heat import TimeConstants
from hovrik.core.passes.point import point_of
from hovrik.core.passes.record import PassRecord
from hovrik.core.passes.trace import Channel, Trace
from hovrik.core.passes.verdict import judge
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.questions.question import Question, lowest_watts
from hovrik.core.read import answer, marks, response
from hovrik.core.read.group import Counted, Group
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.judging import keep_judged
from hovrik.store.notebook import Notebook

from .worlds.passes import SUBSETS, Made, Swept

# the curve of a response does not depend on the floor: it is fitted once for all the floors that a sweep is asked
_chosen = response.curves.choose


@lru_cache(maxsize=16)
def _choose_once(x: bytes, y: bytes) -> Any:
    return _chosen(np.frombuffer(x), np.frombuffer(y))


response.curves.choose = lambda x, y: _choose_once(x.tobytes(), y.tobytes())  # type: ignore[assignment]

HEAT_AT = "middle"  # the level at which the program's plans put the heat pass
TOO_CLOSE = -1
SCHOOLS = {"low_fps": School.PERCENTILE, "slowest_fps": School.SLOWEST_MEAN, "timed_fps": School.TIME_WEIGHTED}
FIGURES = (*SCHOOLS, "mean_fps", "draw_w", "hours", "die_c", "shell_c")
MARKS = ("first_playable", "best_per_watt", "last_paying", "ceiling")
PRICE = 1.0  # fps a watt of draw

Interval = tuple[float, float]


@dataclass(frozen=True)
class Asked:
    """A floor: the target, and how far under it a low may lie."""

    target_fps: float
    tolerance: float = 0.03

    @property
    def floor_fps(self) -> float:
        """The low that still counts."""
        return (1 - self.tolerance) * self.target_fps


@dataclass
class Prepared:
    """A pass ready to be counted: figures free of any floor."""

    id: str
    made: Made
    record: PassRecord
    figures: PassFigures
    state: str
    checks: tuple[str, ...]


@dataclass(frozen=True)
class LevelRead:
    """What is said of one level: probability that it holds, 95 % intervals by figure, how many passes would settle it
    (None: settled or nothing said; TOO_CLOSE)."""

    limit_w: float
    holds: float | None
    intervals: Mapping[str, Interval]
    more: int | None


@dataclass(frozen=True)
class Said:
    """What the program says. stated_w None: withheld; marks : id to interval, infinite where it says "above" or
    "below"."""

    levels: tuple[LevelRead, ...]
    stated_w: float | None
    holds: float | None
    marks: Mapping[str, Interval]

    @property
    def holding(self) -> dict[float, float]:
        """Probability that each level holds, by limit, where one is given."""
        return {one.limit_w: one.holds for one in self.levels if one.holds is not None}

    def level(self, limit_w: float) -> LevelRead | None:
        """The level at a limit."""
        return next((one for one in self.levels if abs(one.limit_w - limit_w) < 1e-6), None)


@dataclass
class Analyst:
    """One sweep in the program's hands. extra : passes made later, by level."""

    swept: Swept
    prepared: list[Prepared] = field(default_factory=list)
    constants: TimeConstants | None = None
    rig: Rig | None = None

    def __post_init__(self) -> None:
        facts = self.swept.plant.facts()
        self.rig = rig_of(facts)
        for made in self.swept.passes:
            if made.heat:
                self.constants = _calibrated(made)
        self.add(made for made in self.swept.passes if not made.heat)

    def add(self, passes: Any) -> None:
        """Take further passes in."""
        for made in passes:
            self.prepared.append(self._prepare(made, f"p{len(self.prepared)}"))

    def _prepare(self, made: Made, key: str) -> Prepared:
        record = record_of(made, key)
        found = figures_of(record, self.constants)
        verdict = judge(record, self.rig)
        checks = tuple(f.check for f in verdict.findings)
        return Prepared(key, made, record, found, verdict.state.value, checks)

    @property
    def factor(self) -> Factor:
        """What the passes are read along: the static limit, in the rig's steps."""
        return static_limit(self.rig.limit_step_w if self.rig is not None else None)

    def of(self, n: int) -> list[Prepared]:
        """The passes of a sweep with n rounds."""
        return [one for one in self.prepared if one.made.round in SUBSETS[n]]

    def holds(self, passes: Sequence[Prepared], asked: Asked) -> dict[float, float]:
        """Probability that each level holds, by limit."""
        question = _question(asked, School.PERCENTILE)
        responses = response.read(self._all_counted(passes), question, self.factor)
        groups = responses[0].groups if responses else ()
        return {group.at: group.holds for group in groups if group.holds is not None}

    def read(self, passes: Sequence[Prepared], asked: Asked, *, school: School = School.PERCENTILE,
             whole: bool = False) -> Said:  # fmt: skip
        """What is said from some of the passes. whole : the answer itself with its marks; else its rule, the lowest
        level that holds as surely as is asked."""
        question = _question(asked, school)
        responses = response.read(self._all_counted(passes), question, self.factor)
        if not responses:
            return Said((), None, None, {})
        used = used_of([one.figures for one in passes if one.state != "void"])
        context = answer.Context(self.rig, self.swept.plant.room_c, used=used)
        levels = tuple(self._level(level, question, context) for level in responses[0].groups)
        if not whole:
            first = next((one for one in levels if (one.holds or 0.0) >= question.terms.sure), None)
            return Said(levels, first.limit_w if first else None, first.holds if first else None, {})
        said = answer.build(responses, question, context)
        return Said(levels, _limit(said.option) if said.option else None, said.holds,
                    {mark.id: _mark(mark) for mark in said.marks})  # fmt: skip

    def _all_counted(self, passes: Sequence[Prepared]) -> list[Counted]:
        return [self._counted(one) for one in passes if one.state != "void"]

    def _counted(self, one: Prepared) -> Counted:
        launch = Condition(str(one.made.launch), Provenance.READ)
        point = point_of(one.record.asked, one.record.read, Place(), {}, {"launch": launch})
        return Counted(one.id, point, one.record.asked, one.figures)

    def _level(self, level: Group, question: Question, context: answer.Context) -> LevelRead:
        found = {}
        for key, estimate in answer.metrics_of(level, question, context).items():
            name = _low_name(question.school) if key == low_id(question.school) else key
            if name in FIGURES and estimate.low is not None and estimate.high is not None:
                found[name] = (estimate.low, estimate.high)
        more = None
        if level.holds is not None and 0.05 < level.holds < question.terms.sure:
            named = answer.more_passes(level, question)
            more = TOO_CLOSE if named is None else named
        return LevelRead(level.at, level.holds, found, more)


def _limit(option: answer.Option) -> float:
    return float(option.level)


def _question(asked: Asked, school: School) -> Question:
    return lowest_watts("r", "s", "t", "c", target_fps=asked.target_fps, tolerance=asked.tolerance, school=school,
                    price=PRICE)  # fmt: skip


def _low_name(school: School) -> str:
    return next(name for name, one in SCHOOLS.items() if one is school)


def _mark(mark: marks.Mark) -> Interval:
    return (-math.inf if mark.low is None else mark.low, math.inf if mark.high is None else mark.high)


def _calibrated(made: Made) -> TimeConstants | None:
    stamps, values = made.channels["die_c"]
    try:
        return heat.calibrate((stamps - stamps[0]) / 1e9, values)
    except HovrikError:
        return None


def rig_of(facts: Mapping[str, Any]) -> Rig:
    """A rig of which an owner knows these facts."""
    return Rig(
        "r", "Rig", limit_low_w=facts["low_w"], limit_high_w=facts["high_w"], battery_wh=facts["battery_wh"],
        pack_cells=facts["cells"], pack_ohm=facts["ohm"], die_limit_c=facts["die_limit_c"], fan_policy=facts["fan"],
        valid_charge=(0.3, 1.0), charge_limit=facts.get("charge_limit", 1.0), reserve=facts.get("reserve", 0.05),
        battery_rated=facts.get("rated"),
    )  # fmt: skip


def record_of(made: Made, key: str, *, read: Mapping[str, Any] | None = None,
              conditions: Mapping[str, Any] | None = None) -> PassRecord:  # fmt: skip
    """A pass as the program keeps it. read, conditions : more of what was read back and noted."""
    knobs = made.knobs
    asked = Setup({**dict.fromkeys(LIMITS, made.limit_w), "cap_fps": knobs.cap_fps or "none"})
    back = Setup({**asked, "boost": "on" if knobs.boost else "off", "fan_policy": knobs.fan,
                  "refresh_hz": knobs.refresh_hz, "sync": knobs.sync, **(read or {})})  # fmt: skip
    told = {
        "source": Condition("battery", Provenance.ASKED), "room_c": Condition(made.room_c, Provenance.READ),
        "fan_policy": Condition(knobs.fan, Provenance.READ),
        "planned_s": Condition((made.end_ns - made.start_ns) / 1e9, Provenance.READ),
        **{k: Condition(v, Provenance.READ) for k, v in (conditions or {}).items()},
    }  # fmt: skip
    channels = {name: Channel(stamps, values) for name, (stamps, values) in made.channels.items()}
    trace = Trace(made.frames_ns, channels, made.start_ns, made.end_ns)
    return PassRecord(key, {}, asked, back, told, trace, purpose="heat" if made.heat else "sweep")


def verdict(made: Made, facts: Mapping[str, Any], **more: Any) -> tuple[str, tuple[str, ...]]:
    """(state, checks that spoke) of one pass."""
    found = judge(record_of(made, "p", **more), rig_of(facts))
    return found.state.value, tuple(f.check for f in found.findings)


# -- through the service: plan, run, store, evaluate


@dataclass(frozen=True)
class Served:
    """What a whole run through the service said. stated_w None: withheld."""

    stated_w: float | None
    holds: float | None
    void: int
    sentence: str


def service_sweep(machine: Any, limits_w: Sequence[float], cap_fps: float, target_fps: float, seed: int, *,
                  title: str, scene: str, folder: Path) -> Served:  # fmt: skip
    """A sweep of three passes a level planned, run, stored and answered by the real service."""
    found = machine.describe()
    with Notebook(folder / "sweep.hovrik") as notebook:
        library.register(notebook, found)
        question = lowest_watts(found.rig.key, found.slot, title, scene, target_fps=target_fps)
        step = limits_w[1] - limits_w[0]
        design = LadderDesign(limits_w[0], limits_w[-1], step, cap_fps or None, 3, heat_s=900.0, seed=seed)
        plan = sweep.keep_plan(notebook, question, design, room_c=machine.room_c() or 22.0)
        sweep.run_plan(notebook, plan, machine, {"kind": "gate"}, Control(), lambda event: None)
        said = evaluate(notebook, question)
    option = said.answer.option
    return Served(_limit(option) if option else None, said.answer.holds, said.context.void, said.answer.sentence)


def told_apart(passes: Sequence[Made], facts: Mapping[str, Any], folder: Path, *, read: Mapping[str, Any],
               conditions: Mapping[str, Any], versions: Mapping[str, str]) -> bool:  # fmt: skip
    """Whether a set in which the second half of the passes differs is treated so: either no level pools both halves, or
    something is said that is not said of the same passes without the difference.

    read, conditions, versions : what the second half reads back, is noted with, ran under, beside the first half's.
    """
    plain, differing = (
        _evaluated(passes, facts, folder / name, r, c, v)
        for name, r, c, v in (("plain", {}, {}, {}), ("differing", read, conditions, versions))
    )
    half = len(passes) // 2
    first, second = {f"p{i}" for i in range(half)}, {f"p{i}" for i in range(half, len(passes))}
    pooled = any(
        first & set(group.passes) and second & set(group.passes) for one in differing.responses for group in one.groups
    )
    return not pooled or bool(_words(differing) - _words(plain))


def _evaluated(passes: Sequence[Made], facts: Mapping[str, Any], folder: Path, read: Mapping[str, Any],
               conditions: Mapping[str, Any], versions: Mapping[str, str]) -> Any:  # fmt: skip
    folder.mkdir()
    base = replace(rig_of(facts), slots=(OsSlot("s", "OS"),), versions=(Version("firmware", "1.0"),))
    title = Title("t", "Title", scenes=(Scene("c", "Scene", 60.0),))
    with Notebook(folder / "n.hovrik") as notebook:
        question = lowest_watts("r", "s", "t", "c", target_fps=40.0)
        library.save_title(notebook, title)
        library.save_rig(notebook, base)
        half = len(passes) // 2
        for number, made in enumerate(passes):
            second = number >= half
            if number == half and versions:
                library.save_rig(notebook, replace(base, versions=(Version("firmware", versions["firmware"]),)))
            record = record_of(made, f"p{number}", read=read if second else {}, conditions=conditions if second else {})
            record = replace(record, context=sweep.context_of(notebook, question))
            keep_judged(notebook, record, sweep.rig_of(notebook, "r"))
        return evaluate(notebook, question)


def _words(found: Any) -> set[str]:
    """Everything that is said of passes and answer, without its digits: figures may differ, words may not."""
    said = [found.answer.sentence, *found.answer.reasons, *found.answer.missing]
    said += [f.check for view in found.views for f in view.verdict.findings]
    said += [fact for view in found.views for fact in view.verdict.fact_words]
    return {re.sub(r"[0-9.,]+", "#", text) for text in said}
