"""Where the watts of a setup go: what measured pairs tell apart, loss and standing draw, and the rest as one line.

Only a pair of passes that differ in one thing tells what that thing takes; the lines add up to the draw.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from ..facts.knob import CAP, LIMITS, NO_CAP, REFRESH, Knob, Level, inside, is_number
from ..facts.known_knobs import known
from ..message import Message, say
from ..passes.energy import Overhead
from ..passes.figure import BY_ID
from ..stats.estimate import Estimate, Mean, t_quantile
from .agree import Difference, differences
from .contrast import Side, contrast, margin_of
from .group import RATE, Counted

PACKAGE, STANDING = "package", "standing"
CPU = ("boost", "cpu_ceiling_ghz", "smt", "energy_preference", "governor", "scheduler")
STANDS = (
    REFRESH, "display", "brightness_share", "brightness_percent", "radios", "radio", "lighting", "overlay", "capture",
    "fan_policy", "sound",
)  # fmt: skip
DRAW = "draw_w"
BEND, BEND_SD = 0.002, 0.0028  # W of loss a W^2 of package power beyond a straight line (odd plants have 0 to .010)


@dataclass(frozen=True)
class Part:
    """One line. where : package or standing, "" what is neither; what : it is; saves : what would save it; watts : of
    the draw; minutes : that its saving adds to a charge, None where that is not known; pair : passes that tell it."""

    id: str
    where: str
    what: Message
    watts: Estimate
    saves: Message | None = None
    minutes: float | None = None
    pair: tuple[str, ...] = ()


@dataclass(frozen=True)
class Waste:
    """draw : of the setup; parts : add up to it, what can be saved first."""

    draw: Estimate
    parts: tuple[Part, ...]


def waste_of(
    own: Sequence[Counted], others: Sequence[Counted], line: Overhead | None, *, floor_fps: float | None = None,
    knobs: Mapping[str, Knob] | None = None, hours: Callable[[Mean], Estimate | None] = lambda _draw: None,
) -> Waste | None:  # fmt: skip
    """own : passes of the setup; others : all that count; line : draw over package power; floor_fps : a cap under it
    saves nothing that is to be saved; hours : that a draw lasts. None where the setup's draw was not measured."""
    known_ = [one for one in own if (one.figures.value(DRAW) or 0.0) > 0]
    if not known_:
        return None
    draw = sum(one.figures.values[DRAW] for one in known_) / len(known_)
    told = _told(known_, others, floor_fps, knobs or {})
    parts = [_timed(one, draw, hours) for one in told]
    package = [one.figures.value("package_w") for one in known_]
    measured = [watts for watts in package if watts is not None]
    spread = BY_ID[DRAW].prior_sd * draw / math.sqrt(len(known_))
    fixed: list[Part] = []
    if line is not None and measured:
        fixed = _fixed(line, draw, sum(measured) / len(measured), parts, [*own, *others])
    rest_w = draw - sum(one.watts.value for one in (*parts, *fixed))
    rest_se = math.hypot(spread, *(_se(one.watts) for one in (*parts, *fixed)))
    rest = Part("rest", "", say("waste.rest" if fixed else "waste.rest-all"), _estimate(rest_w, rest_se))
    return Waste(_estimate(draw, spread, len(known_)), (*parts, *fixed, rest))


def _fixed(
    line: Overhead, draw_w: float, package_w: float, told: Sequence[Part], seen: Sequence[Counted]
) -> list[Part]:  # fmt: skip
    """Loss between battery and package, and what the machine draws beside it, less what pairs tell of either. Losses
    grow faster than watts by an amount that nobody measures: it moves what a straight line has at no watts."""
    of_package = sum(one.watts.value for one in told if one.where == PACKAGE) / line.k
    of_standing = sum(one.watts.value for one in told if one.where == STANDING)
    t = t_quantile(0.975, max(line.n - 2, 1))
    powers = [w for one in seen if (w := one.figures.value("package_w"))]
    bent = min(powers) * max(powers)
    whole = line.base_w + BEND * bent
    base, base_se = whole - of_standing, math.hypot(line.base_se, BEND_SD * bent)
    share = max(1.0 - of_package / package_w, 0.0)
    loss, loss_se = (draw_w - whole - package_w) * share, math.hypot(base_se, line.k_se * package_w)
    made = [("loss", "waste.loss", loss, loss_se), ("standing", "waste.standing", base, base_se)]
    found = []
    for key, words, watts, se in made:
        se = math.hypot(se, *(_se(one.watts) for one in told if (one.where == STANDING) == (key == "standing")))
        found.append(Part(key, "", say(words), Estimate(watts, watts - t * se, watts + t * se, "W")))
    return found


def _told(own: Sequence[Counted], others: Sequence[Counted], floor_fps: float | None, knobs: Mapping[str, Knob]
          ) -> list[Part]:  # fmt: skip
    """What pairs tell apart: of each domain the largest, the largest first."""
    ids = {one.id for one in own}
    homes: dict[tuple[str, Level], list[Counted]] = {}
    found_at: dict[tuple[str, Level], Difference] = {}
    for other in others:
        if other.id in ids:
            continue
        off = [one for one in differences(own[0].point, other.point, knobs=knobs) if not one.is_unknown]
        if len(off) == 1 and off[0].key not in LIMITS and off[0].other is not None:
            homes.setdefault((off[0].key, off[0].other), []).append(other)
            found_at[off[0].key, off[0].other] = off[0]
    best: dict[str, Part] = {}
    for (key, level), passes in homes.items():
        part = _part(found_at[key, level], own, passes, floor_fps, knobs)
        domain = "cpu" if key in CPU else key
        if part is not None and (domain not in best or part.watts.value > best[domain].watts.value):
            best[domain] = part
    return sorted(best.values(), key=lambda one: -one.watts.value)


def _part(
    off: Difference, own: Sequence[Counted], passes: Sequence[Counted], floor_fps: float | None,
    knobs: Mapping[str, Knob],
) -> Part | None:  # fmt: skip
    sides = (Side("own", tuple(own), (0,) * len(own)), Side("other", tuple(passes), (0,) * len(passes)))
    draw, rate = (contrast(*sides, BY_ID[key]) for key in (DRAW, RATE))
    if draw is None or draw.low <= 0.0:
        return None
    knob = knobs.get(off.key) or known(off.key)
    saves = say("waste.saves", setting=knob.words(off.other) if off.other is not None else "")
    watts = Estimate(draw.difference, draw.low, draw.high, "W", draw.n)
    ids = (*(one.id for one in own), *(one.id for one in passes))
    if off.key == CAP:
        cap = float(off.other) if is_number(off.other) and off.other is not None and off.other != NO_CAP else 0.0
        if not cap or (floor_fps is not None and cap < floor_fps):
            return None
        return Part("over-cap", PACKAGE, say("waste.over-cap", cap=cap), watts, saves, pair=ids)
    if rate is None or rate.delta - 1.65 * rate.se > margin_of(BY_ID[RATE]):
        return None  # it costs frames: no waste
    if off.key in CPU:
        return Part(off.key, PACKAGE, say("waste.cpu", knob=inside(knob.label)), watts, saves, pair=ids)
    if off.key in STANDS:
        return Part(off.key, STANDING, say("waste.stands", what=inside(off.label)), watts, saves, pair=ids)
    return None


def _timed(part: Part, draw_w: float, hours: Callable[[Mean], Estimate | None]) -> Part:
    now, then = (hours(Mean(math.log(watts), 0.005, 60.0, 1)) for watts in (draw_w, draw_w - part.watts.value))
    return replace(part, minutes=60.0 * (then.value - now.value)) if now is not None and then is not None else part


def _se(estimate: Estimate) -> float:
    low, high = estimate.low, estimate.high
    return (high - low) / 3.92 if low is not None and high is not None else 0.0


def _estimate(watts: float, se: float, n: int = 0) -> Estimate:
    return Estimate(watts, watts - 1.96 * se, watts + 1.96 * se, "W", n)
