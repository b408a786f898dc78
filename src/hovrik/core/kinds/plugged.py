"""On the adapter and on the battery: the same setups on both, in blocks of a source; beside them, on the battery, a
mode that is meant for it, and how much of what the battery loses it regains; what charging takes from the game."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..errors import PlanError
from ..facts.knob import LIMITS
from ..facts.place import Source
from ..facts.setup import Setup, describe
from ..message import Message, Value, say
from ..passes.figure import BY_ID, low_id
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer, build
from ..read.contrast import Comparison, Contrast, contrasts
from ..read.group import RATE, Counted
from ..stats.estimate import t_quantile
from ..stats.least_squares import fitted
from ..stats.ratio import fieller
from . import versus
from .kind import USUAL, Ask, Kind, Seen

REPEATS = 4
FIGURES = ("stutters_per_min", "package_w", "gpu_mhz", "cpu_mhz", "die_c")
BOTH = (Source.ADAPTER.value, Source.BATTERY.value)


@dataclass(frozen=True)
class Regained:
    """Share of the loss that a mode regains. setup : of the mode; share, low, high : with its 95 % interval; lost :
    rate of the adapter less that of the battery, fps."""

    setup: Setup
    share: float
    low: float
    high: float
    lost: float


def design(ask: Ask) -> Design:
    """Both sources at the setup that is asked for, and the other levels of a named knob on the battery. Raises
    PlanError where a knob has one level."""
    both = sorted(BOTH, key=lambda source: source != ask.question.source)  # mirrored: it ends where it began
    cells = [Cell(ask.base, source=source) for source in both]
    for name in list(dict.fromkeys([*([ask.over] if ask.over not in ("", "source") else []), *ask.varied])):
        keys = ask.bundle(name)
        if set(keys) & set(LIMITS):
            continue
        levels = ask.levels(name, 5)
        if len(levels) < 2:
            raise PlanError(f"{name} has one level only. Name two: as it is, and the one meant for the battery.")
        first = ask.base.with_(**dict.fromkeys(keys, levels[0]))
        cells = [Cell(first, source=source) for source in both]
        cells += [Cell(ask.base.with_(**dict.fromkeys(keys, one)), source=BOTH[1]) for one in levels[1:]]
        break
    # what the battery holds back of a limit is what is asked: the limit is tried there as on the adapter
    kept, left_out = replace(ask, question=ask.question.with_(source=Source.ADAPTER)).feasible(cells)
    if len({cell.source for cell in kept}) < 2:
        raise PlanError(f"Nothing is left to compare. {' '.join(left_out)}")
    like = ask.lengths(repeats=max(ask.like.repeats, REPEATS), heat_s=0.0)
    return RoundsDesign(tuple(kept), like, mirrored=True, most=ask.most, left_out=left_out)


def regained(counted: Sequence[Counted]) -> list[Regained]:
    """Of every setup on the battery that was not made on the adapter, beside one that was: the share regained of the
    rate that this loses. Least squares over passes with one spread; nothing where the loss itself is not sure."""
    sides: dict[tuple[Setup, str], list[float]] = {}
    for one in counted:
        rate, source = one.figures.value(RATE), one.point.place.source
        if rate and source is not None:
            sides.setdefault((one.asked, source.value), []).append(float(np.log(rate)))
    plugged = [setup for setup, source in sides if source == BOTH[0] and (setup, BOTH[1]) in sides]
    found = []
    for usual in plugged:
        for mode in (setup for setup, source in sides if source == BOTH[1] and (setup, BOTH[0]) not in sides):
            groups = [sides[usual, BOTH[0]], sides[usual, BOTH[1]], sides[mode, BOTH[1]]]
            rows = [(at, value) for at, own in enumerate(groups) for value in own]
            table = np.array([[float(at == k) for k in range(3)] for at, _ in rows])
            made = fitted(table, np.array([value for _, value in rows]), BY_ID[RATE].prior_sd)
            rates, errors = np.exp(made.coefficients), np.exp(made.coefficients) * made.errors
            over, under = float(rates[2] - rates[1]), float(rates[0] - rates[1])
            variances = np.square(errors)
            cov = np.array([[variances[2] + variances[1], variances[1]], [variances[1], variances[0] + variances[1]]])
            ends = fieller(over, under, cov, t_quantile(0.975, made.dof))
            if ends is not None and under > 0:
                found.append(Regained(mode, over / under, *ends, under))
    return found


def answer(seen: Seen) -> Answer:
    """What the battery loses, what a mode regains, what charging takes."""
    rates = ("mean_fps", low_id(seen.question.school))
    found = contrasts(
        seen.counted, seen.factor, BOTH[1], BOTH[0], (*rates, *FIGURES), margins=seen.question.terms.margins,
        knobs=seen.knobs, usual=seen.history.spreads,
    )  # fmt: skip
    if not found:
        if not seen.counted:
            return build(seen.responses, seen.question, seen.context)
        return Answer(say("plugged.one"), None, None, lacks=(say("missing.other-source"),))
    because = [versus.figure_words(one) for one in found]
    because += [
        say("plugged.regained", setup=describe(one.setup), share=Value(100 * one.share, "%", 100 * one.low,
                                                                        100 * one.high), lost=Value(one.lost, digits=1))
        for one in regained(seen.counted)
    ]  # fmt: skip
    because += _charging(seen)
    by = {one.figure: one for one in found}
    told = [by[key] for key in rates if key in by]
    confounded = next((one for one in found if one.verdict is Comparison.CONFOUNDED), None)
    if confounded is not None:
        says = say("versus.confounded-by", factor="power source", beside=confounded.beside)
    elif any(_is_said(one, told, Comparison.WORSE) for one in told):
        says = say("plugged.loses", what=_words(told, Comparison.WORSE))
    elif any(_is_said(one, told, Comparison.BETTER) for one in told):
        says = say("plugged.gains", what=_words(told, Comparison.BETTER))
    elif told and all(one.verdict is Comparison.SAME for one in told):
        says = say("plugged.same")
    else:
        says = say("plugged.open")
    lacks = () if told and says.id != "plugged.open" else (say("missing.undecided", figure="rate"),)
    return Answer(says, None, None, because=tuple(because), lacks=lacks, contrasts=tuple(found))


def _is_said(one: Contrast, told: Sequence[Contrast], verdict: Comparison) -> bool:
    """Whether a figure says it surely enough among all that were looked at (Bonferroni)."""
    return one.verdict is verdict and one.p <= 0.05 / len(told)


def _words(told: Sequence[Contrast], verdict: Comparison) -> tuple[Message, ...]:
    return tuple(versus.difference_words(one) for one in told if one.verdict is verdict)


def _charging(seen: Seen) -> list[Message]:
    """Rates of passes on the adapter in which the charge rose against those in which it did not, setups apart: what a
    pass draws is not known while its battery is charged."""
    rows: list[tuple[float, bool, Setup]] = []
    for one in seen.counted:
        rate, used = one.figures.value(RATE), one.figures.value("charge_used_share")
        if one.point.place.source is Source.ADAPTER and rate and used is not None:
            rows.append((float(np.log(rate)), used < 0, one.asked))
    both = {setup for _, charging, setup in rows if charging} & {setup for _, charging, setup in rows if not charging}
    rows = [row for row in rows if row[2] in both]
    if not rows:
        return []
    homes = list(dict.fromkeys(setup for *_, setup in rows))
    table = np.array([[float(charging), *(float(home == setup) for home in homes)] for _, charging, setup in rows])
    made = fitted(table, np.array([value for value, *_ in rows]), BY_ID[RATE].prior_sd)
    size, half = float(made.coefficients[0]), t_quantile(0.975, made.dof) * float(made.errors[0])
    shares = [100 * float(np.expm1(size + way * half)) for way in (0, -1, 1)]
    if shares[1] <= 0 <= shares[2]:
        return [say("plugged.charging-same")]
    return [say("plugged.charging", by=Value(shares[0], "%", shares[1], shares[2]))]


KIND = Kind(
    "plugged", "compare", "compare battery and adapter", "source", design, answer, asks_floor=False,
    fields=USUAL | {"options"}, options="Modes", example="energy_preference=balance,performance",
)  # fmt: skip
