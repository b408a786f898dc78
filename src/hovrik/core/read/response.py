"""Passes along one factor, all else equal: groups, whether each holds, the curve, what stands out."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..facts.factor import DAY, ROOM, VERSION, Factor, static_limit
from ..facts.knob import Knob, Level
from ..facts.setup import Setup
from ..facts.terms import School
from ..finding import About, Finding, State
from ..message import Message, Value, say
from ..model.drawn import Drawn, drawn
from ..model.ladder import Ladder
from ..passes.figure import BY_ID, Figure, floor_figure, low_id
from ..passes.point import Point
from ..questions.question import Question
from ..stats import curve as curves
from ..stats import surprise
from ..stats.abrupt import Abrupt, abrupt
from ..stats.estimate import Mean
from . import lend
from .agree import Difference, clusters, differences, silences
from .group import (
    INFERRED,
    RATE,
    Counted,
    Group,
    cap_of,
    groups_of,
    ladder_of,
    own_means,
    paced_share,
    reading_share,
    regimes,
    setup_of,
    slow_asked,
)

Array = NDArray[np.float64]

DENT_SE, MAYBE_SE = 5.0, 4.0
BOUND = 0.9  # of every limit that is taken, where rates are looked at along the limit too
PACED_FEW = 0.03  # share of paced frames up to which a level's rate is its own


@dataclass(frozen=True)
class Response:
    """Groups along one factor.

    family : the knobs they share; groups in the factor's order; drawn : joint draws along a ladder of watts, None on
    others; curve : what describes the mean rates, None for words;
    dents : (level, what is said); surprises : (pass id, what is said) of passes that stand out; findings : what was
    pooled unknown; apart : what keeps it apart from other responses of the same setups, in words; ladder : its passes
    as the model has them.
    """

    factor: Factor
    family: Setup
    groups: tuple[Group, ...]
    figure: Figure | None
    drawn: Drawn | None
    curve: curves.Chosen | None
    dents: tuple[tuple[Level, Message], ...] = ()
    surprises: tuple[tuple[str, Message], ...] = ()
    findings: tuple[Finding, ...] = ()
    apart: tuple[str, ...] = ()
    ladder: Ladder | None = None

    @property
    def levels(self) -> Array:
        """(k,) levels as numbers; nan for words."""
        return np.array([group.at for group in self.groups])

    @property
    def places(self) -> Array:
        """(k,) where groups stand on an axis: their numbers, else 0, 1, 2 ..."""
        levels = self.levels
        return levels if np.isfinite(levels).all() else np.arange(len(self.groups), dtype=float)

    def group(self, level: Level) -> Group | None:
        """The group at a level, or None."""
        return next((group for group in self.groups if _near(group.level, level)), None)

    @property
    def watts(self) -> str:
        """Which power all groups with a rate know: "draw_w", "package_w", or "" none."""
        known = [group for group in self.groups if group.rate is not None]
        return next((id_ for id_ in ("draw_w", "package_w") if known and all(g.mean(id_) for g in known)), "")


def group_at(responses: Sequence[Response], setup: Setup) -> tuple[Response, Group] | None:
    """The first group whose setup has all values of this one, with its response; None where there is none."""
    return next(((one, group) for one in responses for group in one.groups if group.setup.has(setup)), None)


def _near(one: Level, other: Level) -> bool:
    if isinstance(one, float) and isinstance(other, int | float):
        return abs(one - other) < 1e-6
    return one == other


def read(
    passes: Sequence[Counted], question: Question, over: Factor | None = None,
    knobs: Mapping[str, Knob] | None = None,
) -> list[Response]:  # fmt: skip
    """Group passes into responses along a factor (the static limit), fullest first. Passes that have no level of it
    are left out. knobs : those with steps of their own."""
    factor = over or static_limit()
    placed = [(one, level) for one in passes if (level := level_of(factor, one.point)) is not None]
    members = [one for one, _ in placed]
    homes = clusters([one.point for one in members], over=factor, knobs=knobs)
    rungs = [_rungs(factor, [placed[i] for i in home]) for home in homes]
    lent = lend.lenders(
        [members[home[0]].point for home in homes], [len(home) for home in homes], [len(one.levels) for one in rungs],
        over=factor, knobs=knobs,
    )  # fmt: skip
    found = [
        _read(factor, own, rungs[other].ladder if other is not None else None, question, knobs)
        for own, other in zip(rungs, lent)
    ]
    return _told_apart(sorted(found, key=lambda one: -sum(len(g.passes) for g in one[0].groups)), factor, knobs)


def level_of(factor: Factor, point: Point) -> Level | None:
    """The level of a factor that a point stands at; None where it is not known."""
    if factor.knobs:
        return factor.level_of_setup(point.setup)
    name, _, what = factor.place.partition(":")
    if name == VERSION:
        told = {key: v for key, v in point.versions.items() if not what or key.partition("/")[2] == what or key == what}
        return ", ".join(v or "unknown" for _, v in sorted(told.items())) if any(told.values()) else None
    if name in (ROOM, DAY):
        return point.conditions.get("room_c" if name == ROOM else name)
    value = getattr(point.place, name)
    return str(value) if value else None


@dataclass(frozen=True)
class _Rungs:
    """Passes that agree, by their level."""

    levels: list[Level]
    members: list[list[Counted]]
    ladder: Ladder


def _rungs(factor: Factor, placed: Sequence[tuple[Counted, Level]]) -> _Rungs:
    levels: list[Level] = []
    groups: dict[Level, list[Counted]] = {}
    for level in factor.sorted(level for _, level in placed):
        if not levels or not factor.same(levels[-1], level):
            levels.append(level)
            groups[level] = []
    homes: dict[Level, Level] = {}
    for one, level in placed:
        if level not in homes:
            homes[level] = next(home for home in levels if factor.same(home, level))
        groups[homes[level]].append(one)
    members = [groups[level] for level in levels]
    return _Rungs(levels, members, ladder_of(levels, members, factor))


def _read(
    factor: Factor, rungs: _Rungs, lender: Ladder | None, question: Question, knobs: Mapping[str, Knob] | None
) -> tuple[Response, Point]:
    """lender : the ladder that lends to this one, if any."""
    levels, members = rungs.levels, rungs.members
    floor = question.terms.floor
    ladder = replace(rungs.ladder, lender=lender) if factor.is_number else rungs.ladder
    made = groups_of(ladder, levels, members, factor, floor, question.school)
    figure = floor_figure(floor.figure, question.school) if floor is not None else None
    raw = zip(made, own_means(RATE, members, factor))
    known = [(group, mean) for group, mean in raw if mean is not None]
    chosen = None
    if factor.is_number and known and all(math.isfinite(group.at) for group, _ in known):
        x, y = np.array([group.at for group, _ in known]), np.array([rate.value for _, rate in known])
        chosen = curves.choose(x, y)
    every = [one for group in members for one in group]
    drawn_ = _drawn(ladder, factor, question)
    response = Response(
        factor, setup_of(every).without(*factor.knobs), tuple(made), figure, drawn_, chosen,
        _dents(known, dict(zip(levels, members)), factor),
        _surprises(levels, members, factor, question.school),
        (*_pooled_unknown(every, factor, knobs), *_inferred(every), *_launched_apart(members)), ladder=ladder,
    )  # fmt: skip
    return response, every[0].point


def _told_apart(
    found: Sequence[tuple[Response, Point]], factor: Factor, knobs: Mapping[str, Knob] | None
) -> list[Response]:
    """Responses that would be called the same are told apart by what they differ in."""
    told = []
    for response, point in found:
        others = [p for other, p in found if other is not response and other.family == response.family]
        off: dict[str, Difference] = {}
        for other in others:
            off.update({d.key: d for d in differences(point, other, over=factor, knobs=knobs) if not d.is_unknown})
        extra = {key: point.setup[key] for key in off if key in point.setup}
        apart = tuple(f"{d.label} {d.one}" for key, d in off.items() if key not in extra)
        if not off:
            told.append(response)
            continue
        said = Finding(
            "differ", State.VALID, say("differ", what=tuple(d.label for d in off.values())), about=About.RESPONSE
        )
        findings = (*response.findings, said)
        told.append(replace(response, family=response.family.with_(**extra), apart=apart, findings=findings))
    return told


def _pooled_unknown(
    members: Sequence[Counted], factor: Factor, knobs: Mapping[str, Knob] | None
) -> tuple[Finding, ...]:
    """What some passes do not tell and others do: they were taken to be the same."""
    silent = silences([one.point for one in members], over=factor, knobs=knobs)
    by_count: dict[int, list[str]] = {}
    for what, many in silent.items():
        by_count.setdefault(many, []).append(what)
    return tuple(
        Finding(
            "pooled-unknown", State.VALID, say("pooled-unknown", what=tuple(labels), passes=many), about=About.RESPONSE
        )
        for many, labels in by_count.items()
    )


def _inferred(members: Sequence[Counted]) -> tuple[Finding, ...]:
    """Package power that was not read but reckoned from the draw."""
    errors = [error for one in members if (error := one.figures.errors.get(INFERRED)) is not None]
    if not errors:
        return ()
    sd = Value(float(np.mean(errors)), "W", digits=1)
    said = say("package-inferred", passes=len(errors), sd=sd)
    return (Finding("package-inferred", State.VALID, said, about=About.RESPONSE),)


def _launched_apart(members: Sequence[Sequence[Counted]]) -> tuple[Finding, ...]:
    """Levels of which each was measured in one launch of its own, several passes long: the passes of a launch are no
    independent repeats, and what differs between launches is told as the levels' doing."""
    launches = [{one.point.launch for one in group} for group in members]
    several = len(members) > 1 and any(len(group) > 1 for group in members)
    alone = all(len(own) == 1 and "" not in own for own in launches)
    if not (several and alone and len(set().union(*launches)) == len(members)):
        return ()
    passes = sum(len(group) for group in members)
    said = say("launched-apart", passes=passes, launches=len(members))
    return (Finding("launched-apart", State.SUSPECT, said, about=About.RESPONSE),)


def _drawn(ladder: Ladder, factor: Factor, question: Question) -> Drawn | None:
    """Joint draws along a ladder of watts on which rates rise."""
    if factor.unit != "W" or not ladder.rising or not ladder.ordered:
        return None
    floor, school = question.terms.floor, question.school
    asked = slow_asked(floor, school) if floor is not None else None
    interval, share = asked or (None, 0.01)
    return drawn(ladder, interval, share, low_id(school))


def _surprises(
    levels: Sequence[Level], members: Sequence[Sequence[Counted]], factor: Factor, school: School
) -> tuple[tuple[str, Message], ...]:
    """Passes whose rate, low or draw the others did not let expect. The original is kept; a repeat is proposed."""
    found = []
    for name, id_ in (("rate", RATE), ("1 % low", low_id(school)), ("draw", "draw_w")):
        groups = [[one for one in group if (one.figures.value(id_) or 0.0) > 0] for group in members]
        kept = [(level, group) for level, group in zip(levels, groups) if group]
        logs = [np.log([one.figures.values[id_] for one in group]) for _, group in kept]
        reading = [np.array([reading_share(one.figures, id_) for one in group]) for _, group in kept]
        own = regimes(logs, [cap_of(group) for _, group in kept], id_)
        places = [float(v) if isinstance(v, int | float) else float(i) for i, (v, _) in enumerate(kept)]
        odd = surprise.outliers(
            places, logs, reading, BY_ID[id_].prior_sd, own, rising=factor.is_number and id_ in factor.rising
        )
        for at, number, off in odd:
            level, group = kept[at]
            size, side = Value(100 * abs(math.expm1(off)), "%", digits=0), say("above" if off > 0 else "below")
            said = say("surprise", level=factor.words(level), off=size, side=side, figure=name)
            found.append((group[number].id, said))
    return tuple(found)


def _ascending(axis: Sequence[float]) -> list[int]:
    return sorted((at for at, watts in enumerate(axis) if watts > 0), key=lambda at: axis[at])


def _off(axis: Sequence[float], order: Sequence[int], free: Sequence[tuple[Group, Mean]]) -> Abrupt | None:
    """What of the rates is no smooth rise along an axis."""
    x = np.log([axis[at] for at in order])
    return abrupt(x, np.array([free[at][1].mean for at in order]), np.array([free[at][1].se for at in order]))


def _dents(
    known: Sequence[tuple[Group, Mean]], members: Mapping[Level, Sequence[Counted]], factor: Factor
) -> tuple[tuple[Level, Message], ...]:
    """Levels off what a smooth rise of the others lets expect: deeper than 5 standard errors (the deepest of some
    thirty shapes) is named, from 4 proposed for repeats. Levels that their cap paces are none of the curve."""
    if RATE not in factor.rising:
        return ()
    free = [(group, mean) for group, mean in known if paced_share(members[group.level]) < PACED_FEW]
    axes = [[group.package.value if group.package is not None else group.at for group, _ in free]]
    if factor.unit == "W" and all(watts > BOUND * group.at for watts, (group, _) in zip(axes[0], free)):
        axes.append([group.at for group, _ in free])  # what a limit is lost to shows along the limit alone
    seen = [(one, order) for axis in axes if (order := _ascending(axis)) and (one := _off(axis, order, free))]
    if not seen:
        return ()
    found, order = max(seen, key=lambda pair: pair[0].errors)
    if found.errors <= MAYBE_SE or abs(found.size) < 0.01:
        return ()
    named = found.errors > DENT_SE
    size, side = Value(100 * abs(math.expm1(found.size)), "%", digits=0), say("above" if found.size > 0 else "below")
    what = ("edge" if named else "edge-maybe") if found.is_step else ("dent" if named else "dent-maybe")
    last = found.first if found.is_step else found.last
    return tuple((free[order[at]][0].at, say(what, size=size, side=side)) for at in range(found.first, last + 1))
