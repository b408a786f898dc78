"""What a choice would be worth elsewhere (another room, an older battery, more drawn beside, a heavier scene), and in
how many such places it would still do.

Everything is reckoned from what was measured: a rise over the room stays, watts stay, and a scene that takes a share
longer a frame leaves a limit where a lower one stood, by as much as the rate follows watts. Where no ladder of limits
tells that, slow frames are moved as those of the response do that no cap paces, which is a guess.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..facts.rig import Rig
from ..facts.setup import Setup
from ..facts.terms import HOURS, Terms
from ..model import battery
from ..model.battery import Used
from ..model.noise import louder_by
from ..passes.tail import Tail
from ..read.group import RATE, Counted, Group, paced_share, slow_asked
from ..read.response import Response
from ..stats.estimate import Estimate, Mean

Array = NDArray[np.float64]

USUAL_SLOPE, SLOPE_SD = 9.0, 0.35  # deviates a log unit of load where no frame is free; how far off (share)
STEP = 0.03  # of the interval either side, over which the slope is taken
DRAWS = 1000
NOISE, OF_FAN = "noise_db", ("noise_db", "fan_rpm")
FOLLOWS = (0.55, 0.15)  # of a rate that follows watts, log a log, and its sd, where the passes do not tell
FREE = 0.2  # share of paced frames up to which a pass's frames say how they spread


@dataclass(frozen=True)
class Change:
    """room_c : played in, None the room of the passes; health : of the battery against now; beside_w : drawn more;
    heavier : share by which frames take longer."""

    room_c: float | None = None
    health: float = 1.0
    beside_w: float = 0.0
    heavier: float = 0.0


@dataclass(frozen=True)
class Spread:
    """What is drawn about that: sd of the room (C), most by which the battery is worse, sd of the load of scenes."""

    room_sd: float = 3.0
    worse: float = 0.10
    scene_sd: float = 0.10


@dataclass(frozen=True)
class Outlook:
    """One setup there. holds : probability that it meets floor and limits; of_100 : in how many of a hundred drawn
    rooms, batteries and scenes it does; is_guess : how frames spread is not known of it."""

    setup: Setup
    holds: float | None
    of_100: float | None
    hours: Estimate | None
    die: Estimate | None
    is_guess: bool = False


@dataclass(frozen=True)
class Rungs:
    """A ladder of limits. log_w : (n,) ascending; z, sd : (n,) how far each level lies on the good side of the floor,
    in any unit, and how well that is known; follows : log of the rate a log of watts, and its sd."""

    log_w: Array
    z: Array
    sd: Array
    follows: float
    follows_sd: float

    def at(self, log_w: Array) -> tuple[Array, Array]:
        """(z, sd) at watts; under the lowest level along the first two."""
        z, sd = np.interp(log_w, self.log_w, self.z), np.interp(log_w, self.log_w, self.sd)
        slope = max((self.z[1] - self.z[0]) / (self.log_w[1] - self.log_w[0]), 0.0)
        under = np.minimum(log_w - self.log_w[0], 0.0)
        return z + slope * under, sd


def rungs_of(response: Response, free: Callable[[Group], bool]) -> Rungs | None:
    """The ladder of a response along watts; None under four levels. free : whether a level's rate is its own, so
    that it tells how the rate follows watts."""
    rows = [(math.log(g.at), _signed(g), g.margin.sd, g) for g in response.groups
            if g.margin is not None and math.isfinite(g.margin.delta) and g.at > 0]  # fmt: skip
    if response.factor.unit != "W" or len(rows) < 4:
        return None
    x, z, sd = (np.array([row[at] for row in rows]) for at in (0, 1, 2))
    own = [(row[0], row[3].rate.mean) for row in rows if row[3].rate is not None and free(row[3])]
    follows, error = FOLLOWS
    if len(own) >= 3:
        logs, rates = np.array([a for a, _ in own]), np.array([b for _, b in own])
        slope = float(np.polyfit(logs, rates, 1)[0])
        weight = 1.0 / error**2, 1.0 / 0.08**2
        follows = (follows * weight[0] + min(max(slope, 0.15), 1.0) * weight[1]) / sum(weight)
        error = sum(weight) ** -0.5
    return Rungs(x, np.maximum.accumulate(z) if RATE in response.factor.rising else z, sd, follows, error)


def _signed(group: Group) -> float:
    """How far a level lies on the good side of the floor."""
    delta = group.margin.delta if group.margin is not None else 0.0
    known = group.floor_holds if group.floor_holds is not None else group.holds
    return math.copysign(abs(delta), (known or 0.0) - 0.5)


def slope_of(members: Sequence[Counted], edge_fps: float) -> float | None:
    """By how many deviates the share of frames slower than a floor moves with the log of the load; None where every
    frame waits for a cap."""
    found = []
    for one in members:
        tail = one.figures.tail
        if tail is None or paced_share([one]) > FREE:
            continue
        ms = 1000.0 / edge_fps
        shares = [_deviate(tail, at) for at in (ms * (1 + STEP), ms / (1 + STEP))]
        if all(abs(z) < 2.9 for z in shares):
            found.append((shares[1] - shares[0]) / (2.0 * math.log1p(STEP)))
    return float(np.median(found)) if found else None


def _deviate(tail: Tail, interval_ms: float) -> float:
    from scipy.special import ndtri

    return float(ndtri(min(max(tail.slower_than(interval_ms), 0.5 / tail.frames), 1.0 - 0.5 / tail.frames)))


def outlook(
    group: Group, rungs: Rungs | None, slope: float | None, terms: Terms, change: Change, spread: Spread,
    rig: Rig | None, passes_room_c: float | None, used: Used | None = None, seed: int = 1, fan: float = 0.0,
) -> Outlook:  # fmt: skip
    """One setup there. rungs, slope : of `rungs_of` and `slope_of` for its response; fan : by how much the log of its
    speed rises a degree of the die, as of `noise.follows_die`; a hotter room is taken to heat the die by as much."""
    from scipy.special import ndtr

    off = change.room_c - passes_room_c if change.room_c is not None and passes_room_c is not None else 0.0
    hours, die = _hours(group, change, rig, used), _die(group, off)
    floor, margin = terms.floor, group.margin
    if margin is None or floor is None:
        return Outlook(group.setup, None, None, hours, die)
    rng = np.random.default_rng(seed)
    z = rng.standard_normal((5, DRAWS))
    loads = math.log1p(change.heavier) + np.concatenate(([0.0], spread.scene_sd * z[0]))
    if rungs is not None:
        follows = np.maximum(rungs.follows + rungs.follows_sd * np.concatenate(([0.0], z[4])), 0.1)
        there, sd = rungs.at(math.log(group.at) - loads / follows)
        steps = rungs.at(math.log(group.at) - loads[:1] / np.maximum(follows[:1] - rungs.follows_sd, 0.1))[0]
        sd = np.hypot(sd, np.where(np.arange(sd.size) == 0, np.abs(there[0] - steps[0]), 0.0))
        guess = False
    else:
        of_shares = slow_asked(floor, terms.school) is not None
        own = (slope if slope is not None else USUAL_SLOPE) if of_shares else 1.0
        there = _signed(group) - own * loads
        guess = of_shares
        sd = np.hypot(margin.sd, SLOPE_SD * own * np.abs(loads) if guess else 0.0) + 0.0 * loads
    sd = np.maximum(sd, 1e-6)
    chance = float(ndtr(there[0] / sd[0])) if math.isfinite(there[0]) else 1.0
    kept: Array = there[1:] + sd[1:] * z[1] > 0.0
    rooms, worse = spread.room_sd * z[2], spread.worse * rng.random(DRAWS)
    for limit in terms.limits:
        estimate = {HOURS: hours, "die_c": die}.get(limit.figure, _mean(group, limit.figure))
        if estimate is None:
            continue
        drawn = estimate.value + _sd(estimate) * z[3]
        if limit.figure == "die_c":
            drawn = drawn + rooms
        elif limit.figure == HOURS:
            drawn = drawn * (1.0 - worse)
        elif limit.figure in OF_FAN:
            drawn = _sped_up(limit.figure, drawn, fan * (off + rooms))
            moved = _sped_up(limit.figure, np.array([estimate.value]), np.array([fan * off]))
            estimate = replace(estimate, value=float(moved[0]))
        within = drawn <= limit.at_most if limit.at_most is not None else drawn >= (limit.at_least or 0.0)
        kept = kept & within
        edge = limit.at_most if limit.at_most is not None else limit.at_least or 0.0
        side = 1.0 if limit.at_most is not None else -1.0
        chance *= float(ndtr(side * (edge - estimate.value) / max(_sd(estimate), 1e-9)))
    return Outlook(group.setup, chance, 100.0 * float(kept.mean()), hours, die, guess)


def _hours(group: Group, change: Change, rig: Rig | None, used: Used | None) -> Estimate | None:
    if group.draw is None or rig is None:
        return None
    draw = group.draw.value + change.beside_w
    full = rig.full_wh * change.health if rig.full_wh is not None else None
    older = replace(rig, health=rig.health * change.health, full_wh=full)
    return battery.hours(older, Mean(math.log(draw), group.draw.se, group.draw.dof, group.draw.n), used)


def _die(group: Group, off: float) -> Estimate | None:
    die = group.mean("die_c")
    if die is None:
        return None
    found = die.estimate("C")
    ends = [None if end is None else end + off for end in (found.low, found.high)]
    return replace(found, value=found.value + off, low=ends[0], high=ends[1])


def _sped_up(figure: str, values: Array, log_faster: Array) -> Array:
    """Noise (dB) or speed (rpm) of a fan of which the log of the speed rose."""
    found: Array = values + louder_by(log_faster) if figure == NOISE else values * np.exp(log_faster)
    return found


def _mean(group: Group, figure: str) -> Estimate | None:
    mean = group.mean(figure)
    return mean.estimate() if mean is not None else None


def _sd(estimate: Estimate) -> float:
    if estimate.low is None or estimate.high is None:
        return 0.0
    return (estimate.high - estimate.low) / 3.92


def best_of(rows: Sequence[Outlook], sure: float, draw_of: Callable[[Outlook], float]) -> Outlook | None:
    """The one that lasts longest of those that are as sure as is asked; None where none is."""
    fits = [one for one in rows if one.holds is not None and one.holds >= sure]
    return min(fits, key=draw_of, default=None)
