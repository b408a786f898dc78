"""Every call into the program that is judged. What the gates need to change when the program changes shape stands here.

Passes come in as the worlds made them (frames, channels, marks); intervals and probabilities go out as plain values.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from hovrik.core import answer, heat, ladder, marks
from hovrik.core.condition import Condition, Provenance
from hovrik.core.errors import HovrikError
from hovrik.core.figures import PassFigures, against, figures_of, spread_of
from hovrik.core.frames import missed_share
from hovrik.core.heat import TimeConstants
from hovrik.core.knob import LIMITS
from hovrik.core.question import Question, School
from hovrik.core.record import PassRecord
from hovrik.core.rig import Rig
from hovrik.core.setup import Setup
from hovrik.core.spread import OnePass
from hovrik.core.trace import Channel, Trace
from hovrik.core.validity import judge

from .worlds.passes import Made, Swept

HEAT_AT = "middle"  # the level at which the program's plans put the heat pass
TOO_CLOSE = -1
SCHOOLS = {"low_fps": School.PERCENTILE, "slowest_fps": School.SLOWEST_MEAN, "timed_fps": School.TIME_WEIGHTED}
FIGURES = (*SCHOOLS, "mean_fps", "draw_w", "hours", "die_c", "shell_c")
MARKS = ("first_playable", "best_per_watt", "last_paying", "ceiling")
PRICE = 1.0  # fps a watt of limit, as "last that pays" is defined now

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
    """A pass ready to be counted: figures free of any floor, its sorted intervals, the spread inside it."""

    id: str
    made: Made
    record: PassRecord
    figures: PassFigures
    ascending_ms: np.ndarray
    state: str
    checks: tuple[str, ...]
    inside: OnePass | None = None
    spread_known: bool = False


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
        assert record.trace is not None
        interval = record.trace.interval_ms()
        verdict = judge(record, self.rig)
        checks = tuple(f.check for f in verdict.findings)
        return Prepared(key, made, record, found, np.sort(interval[interval > 0]), verdict.state.value, checks)

    def read(self, passes: Sequence[Prepared], asked: Asked, *, school: School = School.PERCENTILE,
             with_marks: bool = False) -> Said:  # fmt: skip
        """What is said from some of the passes."""
        question = Question("r", "s", "t", "c", target_fps=asked.target_fps, tolerance=asked.tolerance, school=school,
                            price_fps_per_w=PRICE)  # fmt: skip
        counts: dict[float, int] = {}
        valid = [one for one in passes if one.state != "void"]
        for one in valid:
            counts[one.made.limit_w] = counts.get(one.made.limit_w, 0) + 1
        single = max(counts.values(), default=0) == 1
        counted = [self._counted(one, asked, single) for one in valid]
        ladders = ladder.read(counted, question)
        if not ladders:
            return Said((), None, None, {})
        context = answer.Context(self.rig, self.swept.plant.room_c)
        said = answer.build(ladders, question, context)
        levels = tuple(self._level(level, question, context) for level in ladders[0].levels)
        found = said.marks if with_marks else ()
        return Said(levels, said.option.limit_w if said.option else None, said.holds,
                    {mark.id: _mark(mark) for mark in found})  # fmt: skip

    def _counted(self, one: Prepared, asked: Asked, single: bool) -> ladder.Counted:
        if single and not one.spread_known:
            one.inside, one.spread_known = spread_of(one.record), True
        found = against(one.figures, missed_share(one.ascending_ms, asked.target_fps), None)
        return ladder.Counted(one.id, one.record.setup, found, one.inside if single else None)

    def _level(self, level: ladder.Level, question: Question, context: answer.Context) -> LevelRead:
        found = {}
        for key, estimate in answer.metrics_of(level, question, context).items():
            name = _low_name(question.school) if key.startswith("low_1pct") else key
            if name in FIGURES and estimate.low is not None and estimate.high is not None:
                found[name] = (estimate.low, estimate.high)
        more = None
        if level.holds is not None and 0.05 < level.holds < question.sure:
            named = answer.more_passes(level, question)
            more = TOO_CLOSE if named is None else named
        return LevelRead(level.limit_w, level.holds, found, more)


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
        valid_charge=(0.3, 1.0),
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
