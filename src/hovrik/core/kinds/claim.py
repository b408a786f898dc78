"""Is a claim true here: what is set before, what after, which figure it is said to change and by how much.

The smallest test on this machine is as many mirrored pairs as the claimed size needs; the verdict comes from the ratio
of the two and its interval, and always names its base. Of a recipe each setting is put back once more: what buys less
than a practical difference can be dropped.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import PlanError
from ..facts.knob import LIMITS, inside
from ..facts.setup import Setup, describe
from ..message import Message, Value, say
from ..model import battery
from ..passes.figure import BY_ID, low_id
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..questions.claim import FIGURES, Claim
from ..read.agree import differences
from ..read.answer import Answer, build
from ..read.contrast import MARGINS, OTHER_MARGIN, block_of, thought_before
from ..read.group import Counted
from ..stats.estimate import t_quantile
from ..stats.least_squares import generalised
from .kind import USUAL, Ask, Kind, Seen

LEAST, MOST = 2, 12  # pairs
MOST_SETTINGS = 6  # of a recipe that is pruned
NEAR = 0.25  # of the claimed size: a true size within that of it is as claimed


def pairs_for(size: float, sd: float) -> int:
    """Pairs after which a change is known to about a size (log), the claimed one in four of five cases: a normal
    approximation, 2.8 standard errors of a pair's difference. sd : of one pass."""
    return min(max(math.ceil(2.0 * (2.8 * sd / abs(size)) ** 2), LEAST), MOST)


def design(ask: Ask) -> Design:
    """Both sides, in mirrored rounds; of several settings each put back alone as well.

    Raises PlanError for what cannot be tested here.
    """
    claim = Claim.of(ask.question.parts)
    for key, level in (*claim.before.items(), *claim.after.items()):
        if key not in ask.knobs:
            raise PlanError(f"This machine cannot set {key}. It offers: {', '.join(ask.knobs) or 'none'}.")
        if why := ask.knobs[key].refusal(level):
            raise PlanError(f"This cannot be planned. {why}")
    base = ask.base.without(*claim.before)
    units = units_of(claim)
    sides = [claim.before, claim.after, *(without(claim, unit) for unit in units if 2 <= len(units) <= MOST_SETTINGS)]
    cells, left_out = ask.feasible([Cell(base.with_(**side)) for side in sides])
    if len(cells) < 2:
        raise PlanError(f"The claim cannot be tested here. {' '.join(left_out)}")
    sd = max(BY_ID[_figure(claim.figure, ask.question.school)].prior_sd, 0.015)
    like = ask.lengths(repeats=pairs_for(NEAR * claim.size, sd), heat_s=0.0)
    return RoundsDesign(tuple(cells), like, mirrored=len(cells) == 2, most=ask.most, left_out=left_out)


def _figure(name: str, school: Any) -> str:
    return low_id(school) if name == "low" else "draw_w" if name == "hours" else name


def answer(seen: Seen) -> Answer:
    """Confirmed, refuted, or what is still wanted; of several settings, what each of them buys."""
    try:
        claim = Claim.of(seen.question.parts)
    except PlanError as fault:
        return Answer(say("claim.none", why=str(fault)), None, None)
    sides = [[one for one in seen.counted if one.asked.has(side)] for side in (claim.before, claim.after)]
    if not all(sides):
        return build(seen.responses, seen.question, seen.context)
    if not _families(sides[0], sides[1], set(claim.before)):
        apart = [
            one.label for one in differences(sides[0][-1].point, sides[1][-1].point) if one.key not in claim.before
        ]
        names = tuple(inside(one) for one in dict.fromkeys(apart))
        return Answer(say("versus.confounded-by", factor="the claim", beside=names), None, None)
    found = _ratio(seen, claim, claim.before, claim.after)
    if found is None:
        return Answer(say("claim.unread", figure=FIGURES[claim.figure]), None, None)
    base = describe(claim.before)
    values = {"after": describe(claim.after), "base": base, "figure": FIGURES[claim.figure], "by": found.by,
              "claimed": Value(claim.percent, "%", digits=0)}  # fmt: skip
    verdict = verdict_of(claim.size, found.change, found.half)
    lacks = [say("missing.claim", pairs=_more(claim.size, found.error, found.passes))] if verdict == "open" else []
    because = [
        say("claim.base", base=base, figure=FIGURES[claim.figure], value=Value(found.before, _unit(claim.figure))),
        say("claim.passes", passes=found.passes),
    ]
    parts, shorter = _pruned(seen, claim)
    because += parts
    if shorter is not None and len(shorter) < len(claim.after):
        lacks.append(say("missing.shorter", setup=describe(shorter)))
    return Answer(say(f"claim.{verdict}", **values), None, None, because=tuple(because), lacks=tuple(lacks))


@dataclass(frozen=True)
class _Ratio:
    """One side over another. change, half, error : of its log, half of the 95 % interval, standard error; before :
    value of the other side; passes : of both."""

    change: float
    half: float
    error: float
    before: float
    passes: int

    @property
    def by(self) -> Value:
        return Value(_percent(self.change), "%", _percent(self.change - self.half), _percent(self.change + self.half))


def _ratio(seen: Seen, claim: Claim, before: Setup, after: Setup) -> _Ratio | None:
    """A figure of passes at `after` over that at `before`, all else equal; None where they do not tell it."""
    sides = [[one for one in seen.counted if one.asked.has(side)] for side in (before, after)]
    families = _families(sides[0], sides[1], set(claim.before))
    known = [
        (value, number, family, block_of(one, number)) for family, both in enumerate(families)
        for number, side in enumerate(both) for one in side
        if (value := _value(seen, one, claim.figure)) is not None and value > 0
    ]  # fmt: skip
    if len({number for _, number, *_ in known}) < 2:
        return None
    y = np.log([value for value, *_ in known])
    columns = [np.array([float(own == family) for _, _, own, _ in known]) for family in range(len(families))]
    columns.append(np.array([float(number) for _, number, *_ in known]))
    sd, dof = thought_before(BY_ID[_figure(claim.figure, seen.question.school)], seen.history.spreads)
    found = generalised(np.column_stack(columns), y, sd, [block for *_, block in known], dof)
    error = math.sqrt(float(found.covariance[-1, -1]))
    value = float(np.exp(np.mean([log for log, (_, number, *_) in zip(y, known) if not number])))
    return _Ratio(float(found.coefficients[-1]), t_quantile(0.975, found.dof) * error, error, value, len(known))


def units_of(claim: Claim) -> list[tuple[str, ...]]:
    """The settings of a recipe: knobs that it changes, the three limits as one."""
    changed = [key for key in claim.after if claim.after[key] != claim.before[key]]
    limits = tuple(key for key in changed if key in LIMITS)
    return [*([limits] if limits else []), *((key,) for key in changed if key not in LIMITS)]


def without(claim: Claim, unit: tuple[str, ...]) -> Setup:
    """The recipe with one setting as it was before."""
    return claim.after.with_(**{key: claim.before[key] for key in unit})


def _pruned(seen: Seen, claim: Claim) -> tuple[list[Message], Setup | None]:
    """What each setting buys, by passes with it as before; the recipe without those that surely buy less than a
    practical difference, None where no setting was put back."""
    units, said, dropped = units_of(claim), [], []
    if len(units) < 2:
        return [], None
    figure = _figure(claim.figure, seen.question.school)
    margin = math.log1p(MARGINS.get(figure, OTHER_MARGIN))
    sign = math.copysign(1.0, claim.size)
    for unit in units:
        found = _ratio(seen, claim, without(claim, unit), claim.after)
        if found is None:
            continue
        words = describe(Setup({key: claim.after[key] for key in unit}))
        idle = sign * found.change + found.half < margin
        said.append(say("claim.idle" if idle else "claim.part", setting=words, by=found.by))
        dropped += list(unit) if idle else []
    return said, claim.after.without(*dropped) if said and len(dropped) < len(claim.after) else None


def _families(
    before: Sequence[Counted], after: Sequence[Counted], keys: set[str]
) -> list[tuple[list[Counted], list[Counted]]]:
    """Passes of both sides that agree in all but what the claim sets."""
    found: list[tuple[list[Counted], list[Counted]]] = []
    for number, side in enumerate((before, after)):
        for one in side:
            home = next((own for own in found if _agree(own[0][0], one, keys)), None)
            if home is not None:
                home[number].append(one)
            elif not number:
                found.append(([one], []))
    return [one for one in found if one[1]]


def _agree(one: Counted, other: Counted, but: set[str]) -> bool:
    return all(each.key in but for each in differences(one.point, other.point))


def verdict_of(size: float, change: float, half: float) -> str:
    """ "confirmed" where the interval holds the claimed size, and none that is not near it (or at least excludes none
    and anything less than near); "larger" where all of it lies past the claim; "refuted" where none of it is near the
    claim; else "open". size : claimed; change, half : measured and half of its 95 % interval; logs."""
    sign = math.copysign(1.0, size)
    low, high = sorted((sign * (change - half), sign * (change + half)))
    near_low, near_high = (1.0 - NEAR) * abs(size), (1.0 + NEAR) * abs(size)
    if low >= near_low:
        return "larger" if low > near_high else "confirmed"
    return "refuted" if high < near_low else "open"


def _more(size: float, error: float, passes: int) -> int:
    """Pairs that are likely still wanted: until the half interval is as narrow as what is near the claim."""
    wanted = passes * (2.0 * float(error) / (NEAR * abs(size))) ** 2
    return int(min(max(math.ceil((wanted - passes) / 2.0), 1), 60))


def _value(seen: Seen, one: Counted, figure: str) -> float | None:
    if figure != "hours":
        return one.figures.value(_figure(figure, seen.question.school))
    draw, rig = one.figures.value("draw_w"), seen.context.rig
    given = battery.gives(rig, draw, seen.context.used) if rig is not None and draw else None
    if draw is None:
        return None
    return given.wh / draw if given is not None else 1.0 / draw  # the ratio of hours is that of draws, nearly


def _unit(figure: str) -> str:
    return "h" if figure == "hours" else BY_ID[figure].unit if figure in BY_ID else "fps"


def _percent(log: float) -> float:
    return 100.0 * math.expm1(log)


KIND = Kind(
    "claim", "does it pay", "see whether a claim is true here", "", design, answer, asks_floor=False,
    fields=USUAL | {"claim"}, in_window="A claim is written down side by side.",
)  # fmt: skip
