"""The best setup of several knobs at once, found pass by pass: what to measure next, when to stop, what to state.

The next pass is where draws of the belief promise most over the setup that would be stated now: expected improvement
times feasibility, both from the same draws, for the minutes that it takes. Where little is promised any more, the pick
is measured afresh, since its own passes are what chose it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..facts.factor import LIMIT, set_by
from ..facts.knob import CAP, LIMITS, NO_CAP, Level, is_number
from ..facts.known_knobs import SLOT as OF_SLOT
from ..facts.known_knobs import known
from ..facts.setup import Setup, describe
from ..facts.terms import HOURS, Aim
from ..model.belief import NOISE, Belief, Believed, Measured, believe, features
from ..model.held import deviates
from ..model.known_rig import KnownTitle, twins_of
from ..model.worth import JUDGED
from ..read.group import Counted
from ..read.response import Response
from ..words import percent
from .design import Told
from .front import hypervolume, improvements
from .lengths import Lengths
from .steps import Asked, Wanted

Array = NDArray[np.float64]

MOST = 30  # passes where no budget is given
MOST_CANDIDATES = 4000
FRESH = 2  # passes that verify a pick
WORTH = 0.006  # of the aim: less than this promised on average is not worth a pass
LIKELY = 0.5  # a setup that holds with less is not what would be stated
LEAN = 0.005  # log of the aim, from the lowest limit to the highest
LARGEST = 0.35  # log of the largest improvement that a pass is thought worth
RIGHT = math.log(1.05)  # a pick this near the best is right
PICTURE = 0.5  # log of the best picture over the poorest, against which hours weigh a tenth
NOISE_PRIOR = (35.0, 8.0, 25.0, 12.0)  # dB at a rise of 35 K and its sd, dB a log of the rise and its sd
NOISE_ABOUT, NOISE_SD, LEVEL_SD = math.log(35.0), 1.5, 3.0  # of a fan about such a line; of the level that is noted
WORTH_FRONT = 0.008  # of the area of a trade-off, likewise
NEAR_CAP, STEP_INTERVAL = 0.9, 1.1  # of a low, from where its cap has a say; over which the tail's slope is read
LEAST_SLOPE, MOST_SLOPE = 5.0, 40.0  # deviates a log of the interval, of scenes measured before
ONE_PERCENT, MOST_OFF = -2.326, 0.25
ENOUGH = 6  # passes at a setup after which one that stays open is left open

ORDERED_BY = ("draw_w", "mean_fps", "package_w")
SLOT = OF_SLOT.id  # candidates in several OS slots name theirs, beside their knobs

_BOUNDS = ("die_limit_c", "draw_limit_w", "noise_limit_db")


@dataclass(frozen=True)
class Goal:
    """What is sought. aim; edge_fps : what the judged figure must reach, 0 nothing; figure : its id; die_limit_c : of
    the settled die, inf none; room_c : it is reckoned over; sure : chance from which a setup is stated; draw_limit_w :
    at which the battery lasts as long as is asked, inf any; noise_limit_db : inf any; front : the trade-off between
    draw and the judged figure is sought, not one setup; picture : knobs whose levels stand from the poorest picture to
    the best; weights : of figures, in place of the aim."""

    aim: Aim = Aim.HOURS
    edge_fps: float = 0.0
    target_fps: float = 60.0
    figure: str = "low_1pct_fps_percentile"
    die_limit_c: float = math.inf
    room_c: float = 23.0
    sure: float = 0.9
    draw_limit_w: float = math.inf
    noise_limit_db: float = math.inf
    front: bool = False
    picture: tuple[str, ...] = ()
    weights: tuple[tuple[str, float], ...] = ()

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        bounds = {name: v if math.isfinite(v := getattr(self, name)) else None for name in _BOUNDS}
        return {
            "aim": self.aim.value, "edge_fps": self.edge_fps, "target_fps": self.target_fps, "figure": self.figure,
            "room_c": self.room_c, "sure": self.sure, "front": self.front, "picture": list(self.picture),
            "weights": dict(self.weights), **bounds,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Goal:
        """The inverse of `as_dict`."""
        bounds = {name: math.inf if (v := body.get(name)) is None else float(v) for name in _BOUNDS}
        return cls(
            Aim(body["aim"]), float(body["edge_fps"]), float(body["target_fps"]), str(body["figure"]),
            room_c=float(body["room_c"]), sure=float(body["sure"]), front=bool(body.get("front")),
            picture=tuple(body.get("picture") or ()),
            weights=tuple((str(key), float(v)) for key, v in dict(body.get("weights") or {}).items()), **bounds,
        )  # fmt: skip


@dataclass(frozen=True)
class Found:
    """What is thought after some passes. worth : (draws, c) of the aim, logs; holds : (draws, c) whether every limit is
    met; pick : index of what would be stated, None where nothing measured is likely to hold; sure : chance that it
    meets all limits and is within 5 % of the best; next : index of what promises most, None where nothing is left;
    gain : what it promises on average (log); counts : passes a candidate."""

    belief: Belief
    worth: Array
    holds: NDArray[np.bool_]
    pick: int | None
    sure: float
    next: int | None
    gain: float
    counts: NDArray[np.int64]

    @property
    def chances(self) -> Array:
        """(c,) chance that each candidate meets all limits."""
        found: Array = self.holds.mean(axis=0)
        return found


@dataclass(frozen=True)
class SearchDesign:
    """levels : knob (or the three limits as one, or the OS slot) to its levels; base : what else is set; goal;
    highest_w : the limit where none is varied; most : passes; like : lengths and seed; forbidden : setups that are
    never proposed; first : setups to try before all others; known : what other titles measured on the same rig."""

    levels: Mapping[str, tuple[Level, ...]]
    base: Setup
    goal: Goal
    highest_w: float
    like: Lengths
    most: int = MOST
    forbidden: tuple[Setup, ...] = ()
    first: tuple[Setup, ...] = ()
    left_out: tuple[str, ...] = ()
    known: tuple[KnownTitle, ...] = ()

    @cached_property
    def setups(self) -> tuple[Setup, ...]:
        """Every candidate, in the order of the product of the levels."""
        names = list(self.levels)
        found = []
        for chosen in product(*(self.levels[name] for name in names)):
            values = {key: level for name, level in zip(names, chosen) for key in set_by(name)}
            found.append(self.base.with_(**values))
        return tuple(found)

    @cached_property
    def caps(self) -> Array:
        """(c,) fps, inf where nothing caps."""
        return np.array([float(v) if is_number(v := one.get(CAP)) and v else math.inf for one in self.setups])

    @cached_property
    def _where(self) -> Array:
        return features(self.setups)

    @property
    def _middle(self) -> int:
        """The candidate that is measured before anything is known: nothing held back, three fifths up the limits."""
        free = {key: levels[-1] for key, levels in self.levels.items()}
        free |= {key: "on" for key, levels in self.levels.items() if "on" in levels}
        free |= {SLOT: self.levels[SLOT][0]} if SLOT in self.levels else {}
        free |= {CAP: NO_CAP} if NO_CAP in self.levels.get(CAP, ()) else {}
        if LIMIT in self.levels:
            limits = self.levels[LIMIT]
            free |= dict.fromkeys(LIMITS, limits[round(0.6 * (len(limits) - 1))])
        alike = [sum(one.get(key) == level for key, level in free.items()) for one in self.setups]
        return int(np.argmax(alike))

    def found(
        self, passes: Sequence[Counted], failed: Sequence[Setup] = (), responses: Sequence[Response] = ()
    ) -> Found:
        """What is thought after these passes; deterministic. responses : the same passes read level by level: where a
        setup's own say that it holds with less, no more is thought."""
        measured = self._measured(passes)
        made = twins_of(self.setups, self.goal.target_fps, self.highest_w, self.known)
        belief = believe(made, self._where, self.caps, measured, self.like.seed)
        counts = np.bincount(measured.at, minlength=len(self.setups)).astype(np.int64)
        never = {*failed, *self.forbidden}
        gone = np.array([one in never or plain(one) in never for one in self.setups])
        return judged(
            belief, self.goal, counts, gone, self._minutes(passes), self._lean,
            self._noise(passes, belief), self._picture, self._own_chances(responses, passes),
        )  # fmt: skip

    def _own_chances(self, responses: Sequence[Response], passes: Sequence[Counted]) -> dict[int, float]:
        """Chance by its own passes that a setup holds the floor, where there are several."""
        places = {setup: at for at, setup in enumerate(self.setups)}
        slots = {one.id: one.point.place.slot for one in passes}
        found: dict[int, float] = {}
        for group in (group for response in responses for group in response.groups if len(group.passes) > 1):
            at = places.get(self.candidate(group.setup, slots.get(group.passes[0], "")))
            own = group.floor_holds if group.floor_holds is not None else group.holds
            if at is not None and own is not None:
                found[at] = min(own, found.get(at, 1.0))
        return found

    def _noise(self, passes: Sequence[Counted], belief: Belief) -> Array | None:
        """(draws, c) dB at the settled die: a line over the log of its rise, drawn from what passes told and a wide
        prior. A fan follows the die, so that its speed settles where the die does."""
        rows = [(rise, noise) for one in passes if (noise := one.figures.value("noise_db")) is not None
                and not math.isnan(rise := rise_of(one, self.goal.room_c))]  # fmt: skip
        if not rows or not math.isfinite(self.goal.noise_limit_db):
            return None
        rise, noise = np.array(rows).T
        level, level_sd, slope, slope_sd = NOISE_PRIOR
        x = np.column_stack((np.ones(rise.size), rise - NOISE_ABOUT))
        precision = np.diag([level_sd**-2, slope_sd**-2]) + x.T @ x / NOISE_SD**2
        covariance = np.linalg.inv(precision)
        mean = covariance @ (np.array([level / level_sd**2, slope / slope_sd**2]) + x.T @ noise / NOISE_SD**2)
        rng = np.random.default_rng((self.like.seed, 31, rise.size))
        lines = rng.multivariate_normal(mean, covariance, belief.rise.shape[0])
        level_off = LEVEL_SD * rng.standard_normal((belief.rise.shape[0], 1))
        found: Array = lines[:, :1] + lines[:, 1:] * (belief.rise - NOISE_ABOUT) + level_off
        return found

    @cached_property
    def _picture(self) -> Array:
        """(c,) how good each looks, 0 the poorest, 1 the best of every knob of the picture."""
        found = np.zeros(len(self.setups))
        for key in self.goal.picture:
            places = {level: at for at, level in enumerate(self.levels[key])}
            found += np.array([places[one[key]] / max(len(places) - 1, 1) for one in self.setups])
        return found / max(len(self.goal.picture), 1)

    @property
    def _lean(self) -> Array:
        """(c,) how far each is put behind one of a lower limit that does the same: a limit that does not bind today
        does on a warmer day, or in a heavier scene."""
        limits = np.log([float(one.static_limit_w or self.highest_w) for one in self.setups])
        found: Array = LEAN * (limits - limits.min()) / max(float(np.ptp(limits)), 1e-9)
        return found

    def believed(self, found: Found) -> Believed:
        """What is found as it is drawn."""
        belief = found.belief
        return Believed(
            self.setups, found.chances, np.exp(np.median(belief.draw, axis=0)), np.exp(np.median(belief.low, axis=0)),
            found.counts, found.pick, found.next, found.sure,
            (self._why_front if self.goal.front else self._why)(found, found.next) if found.next is not None else "",
        )  # fmt: skip

    def ask(self, told: Told) -> Asked:
        """One more pass, until nothing promises more than it costs and the pick is verified."""
        never = {*told.failed, *self.forbidden}
        for setup in self.first:
            made = any(self._own(one).has(setup) for one in told.passes)
            if setup in self.setups and setup not in never and not made:
                return Asked((self._pass(setup, told.batches),), "you asked for it", done=False)
        if told.batches >= self.most:
            return Asked((), "the budget is spent")
        if not told.passes and not told.failed:
            return self._wanted(self._middle, told.batches, "everything on at a middle limit tells most of the title")
        found = self.found(told.passes, told.failed, told.responses)
        left = self.most - told.batches
        pick = found.pick
        if self.goal.front:
            if found.next is None or found.gain < WORTH_FRONT:
                return Asked((), "nothing widens the trade-off by more than it costs")
            return self._wanted(found.next, told.batches, self._why_front(found, found.next))
        if pick is not None and (found.gain < WORTH or found.next is None or left <= FRESH):
            is_sure = found.chances[pick] >= self.goal.sure
            if found.counts[pick] < (1 + FRESH if is_sure else ENOUGH):
                return self._wanted(pick, told.batches, self._why_fresh(found, pick))
            return Asked((), "nothing promises more than it costs")
        if found.next is None:
            return Asked((), "nothing is left to try")
        if pick is None and found.gain < WORTH / 10 and told.batches >= 6:
            return Asked((), "nothing is likely to hold")
        return self._wanted(found.next, told.batches, self._why(found, found.next))

    def _wanted(self, at: int, number: int, why: str) -> Asked:
        return Asked((self._pass(self.setups[at], number),), why, done=False)

    def _pass(self, setup: Setup, number: int) -> Wanted:
        return replace(self.like.wanted(plain(setup), number), slot=str(setup.get(SLOT) or ""))

    def _why(self, found: Found, at: int) -> str:
        chance = percent(float(found.chances[at]))
        return (
            f"{describe(self.setups[at])}: meets all limits with {chance}, and promises "
            f"{100 * math.expm1(found.gain):.1f} % more than what would be stated now"
        )

    def _why_front(self, found: Found, at: int) -> str:
        chance = percent(float(found.chances[at]))
        return (
            f"{describe(self.setups[at])}: meets all limits with {chance}, and widens the trade-off of hours and "
            f"frames by {100 * math.expm1(found.gain):.1f} %"
        )

    def _why_fresh(self, found: Found, pick: int) -> str:
        return (
            f"{describe(self.setups[pick])} once more, to verify it: right with {percent(found.sure)}, while the "
            f"best other promises {100 * math.expm1(max(found.gain, 0.0)):.1f} %"
        )

    def _minutes(self, passes: Sequence[Counted]) -> Array:
        """(c,) minutes that a pass of each takes, with what its change from the last one costs."""
        each = self.like.each_s / 60.0
        last = self._own(passes[-1]) if passes else None
        cost = np.full(len(self.setups), each)
        for key in self.levels:
            minutes = known(key).cost_min
            if minutes and last is not None:
                cost += minutes * np.array([one.get(key) != last.get(key) for one in self.setups])
        return cost

    def _measured(self, passes: Sequence[Counted]) -> Measured:
        """By what they measured: draws of a belief go pass by pass, whatever order these are stored in."""
        places = {setup: at for at, setup in enumerate(self.setups)}
        rows = [(places[own], one) for one in passes if (own := self._own(one)) in places]
        rows.sort(key=lambda row: (row[0], *(row[1].figures.value(key) or 0.0 for key in ORDERED_BY)))
        value = lambda one, key: math.log(v) if (v := one.figures.value(key)) and v > 0 else math.nan  # noqa: E731
        at = np.array([place for place, _ in rows], np.int64)
        lows = [latent_low(one, self.goal, float(self.caps[place])) for place, one in rows]
        values = {
            "low": np.array([
                value(one, self.goal.figure) if own is None else own for own, (_, one) in zip(lows, rows)
            ]),
            "rate": np.array([value(one, "mean_fps") for _, one in rows]),
            "draw": np.array([value(one, "draw_w") for _, one in rows]),
            "rise": np.array([rise_of(one, self.goal.room_c) for _, one in rows]),
        }  # fmt: skip
        reading = np.array([_rise_sd(one, self.goal.room_c) for _, one in rows])
        return Measured(at, values, {"rise": reading}, np.array([own is not None for own in lows], bool))

    def _own(self, one: Counted) -> Setup:
        return self.candidate(one.asked, one.point.place.slot)

    def candidate(self, setup: Setup, slot: str) -> Setup:
        """The part of a setup, and of where it was made, that the candidates speak of. slot : key of the OS slot, with
        the rig's before it or without."""
        keys = set(self.setups[0]) if self.setups else set()
        found = {key: value for key, value in setup.items() if key in keys}
        return Setup({**found, SLOT: slot.rpartition("/")[2]} if SLOT in self.levels else found)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            **self.like.as_dict(), "levels": {key: list(levels) for key, levels in self.levels.items()},
            "base": self.base.as_dict(), "goal": self.goal.as_dict(), "highest_w": self.highest_w, "most": self.most,
            "forbidden": [one.as_dict() for one in self.forbidden], "first": [one.as_dict() for one in self.first],
            "left_out": list(self.left_out), "known": [one.as_dict() for one in self.known],
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> SearchDesign:
        """The inverse of `as_dict`."""
        return cls(
            {key: tuple(levels) for key, levels in body["levels"].items()}, Setup(body["base"]),
            Goal.from_dict(body["goal"]), float(body["highest_w"]), Lengths.from_dict(body), int(body["most"]),
            tuple(map(Setup, body.get("forbidden") or ())), tuple(map(Setup, body.get("first") or ())),
            tuple(body.get("left_out") or ()), tuple(map(KnownTitle.from_dict, body.get("known") or ())),
        )  # fmt: skip


def plain(setup: Setup) -> Setup:
    """What is set of a candidate, wherever it is."""
    return setup.without(SLOT)


def judged(
    belief: Belief, goal: Goal, counts: NDArray[np.int64], gone: NDArray[np.bool_] | None = None,
    minutes: Array | None = None, lean: Array | None = None, noise: Array | None = None,
    picture: Array | None = None, own: Mapping[int, float] | None = None,
) -> Found:  # fmt: skip
    """What draws of a belief come to. counts : (c,) passes a candidate; gone : not to be proposed; minutes : a pass;
    lean : by how much each is put behind others that are worth the same (log); noise : (draws, c) dB, None where
    nothing tells it; picture : (c,) how good each looks, 0 to 1; own : chances that candidates' own passes leave."""
    worth = _worth(belief, goal, picture) - (lean if lean is not None else 0.0)
    holds = np.ones(worth.shape, bool)
    figure = belief.rate if goal.figure == "mean_fps" else belief.low
    if goal.edge_fps > 0:
        holds &= figure >= math.log(goal.edge_fps)
        for at, chance in (own or {}).items():  # of the draws, those stay that lie highest
            holds[:, at] &= np.argsort(np.argsort(-figure[:, at], kind="stable")) < chance * figure.shape[0]
    within = np.ones(worth.shape, bool)  # every limit but the floor
    if math.isfinite(goal.die_limit_c):
        within &= goal.room_c + np.exp(belief.rise) <= goal.die_limit_c
    if math.isfinite(goal.draw_limit_w):
        within &= belief.draw <= math.log(goal.draw_limit_w)
    if noise is not None and math.isfinite(goal.noise_limit_db):
        within &= noise <= goal.noise_limit_db
    holds &= within
    chances = holds.mean(axis=0)
    usable = np.ones(worth.shape[1], bool) if gone is None else ~gone
    seen = np.flatnonzero((counts > 0) & usable)
    best = np.where(holds & usable, worth, -np.inf).max(axis=1)  # of each draw
    pick = _pick(seen, worth, holds, best, chances, goal.sure)
    floor = np.where(np.isfinite(best), best - LARGEST, 0.0)
    now = floor if pick is None else np.where(holds[:, pick], np.maximum(worth[:, pick], floor), floor)
    if goal.front:
        gains = _front_gains(belief.draw, figure, seen, within)
    else:
        gains = np.where(holds, np.clip(worth - now[:, None], 0.0, LARGEST), 0.0).mean(axis=0)
    gains *= np.where(counts > 0, _told_anew(belief), 1.0)
    rates = gains / (minutes if minutes is not None else 1.0)
    rates[~usable] = -1.0
    if pick is not None and not goal.front:
        rates[pick] = -1.0
    at = int(rates.argmax())
    sure = 0.0
    if pick is not None:
        sure = float((holds[:, pick] & (worth[:, pick] >= best - RIGHT)).mean())
    return Found(
        belief, worth, holds, pick, sure, at if rates[at] > 0 else None, float(gains[at]) if rates[at] > 0 else 0.0,
        counts,
    )  # fmt: skip


def _front_gains(draw: Array, figure: Array, seen: NDArray[np.int64], within: NDArray[np.bool_]) -> Array:
    """(c,) by how much a pass of each is expected to widen the trade-off of hours and frames (log of its area)."""
    hours, frames = np.exp(-draw), np.exp(figure)
    reference = np.array([np.median(hours, axis=0).min(), np.median(frames, axis=0).min()])
    added = improvements(hours, frames, seen, within, reference).mean(axis=0)
    known = np.median(hours, axis=0)[seen], np.median(frames, axis=0)[seen]
    area = hypervolume(np.column_stack(known), reference) if seen.size else 0.0
    found: Array = np.log1p(added / area) if area > 0 else added / max(float(added.max()), 1e-12) * LARGEST
    return found


def _told_anew(belief: Belief) -> Array:
    """(c,) what a further pass tells of a setup that was measured: nothing where the belief is narrower than a pass
    (augmented expected improvement, Huang et al. 2006, from memory)."""
    parts = [
        1.0 - NOISE[name] / np.hypot(NOISE[name], getattr(belief, name).std(axis=0)) for name in ("low", "draw")
    ]  # fmt: skip
    found: Array = np.maximum(*parts)
    return found


def _pick(
    seen: NDArray[np.int64], worth: Array, holds: NDArray[np.bool_], best: Array, chances: Array, least: float
) -> int | None:
    """Of the measured candidates: the best of those that are sure to hold, else the likeliest to be right."""
    likely = seen[chances[seen] >= LIKELY]
    if not likely.size:
        return None
    sure = seen[chances[seen] >= least]
    if sure.size:
        return int(sure[worth[:, sure].mean(axis=0).argmax()])
    right = (holds[:, likely] & (worth[:, likely] >= best[:, None] - RIGHT)).mean(axis=0)
    return int(likely[(right + chances[likely] / 10).argmax()])


def _worth(belief: Belief, goal: Goal, picture: Array | None) -> Array:
    """(draws, c) of the aim, logs, more is better."""
    if goal.weights:
        parts = {HOURS: -belief.draw, JUDGED: belief.low, "die_c": -belief.rise}
        total: Array = sum((weight * parts[key] for key, weight in goal.weights), 0.0 * belief.draw)
        return total / max(weight for _, weight in goal.weights)
    if goal.aim is Aim.PICTURE and picture is not None:
        return PICTURE * picture + 0.1 * -belief.draw
    if goal.aim is Aim.FRAMES:
        return belief.low + 0.02 * -belief.draw
    if goal.aim is Aim.QUIET:
        return -belief.rise
    return -belief.draw


def latent_low(one: Counted, goal: Goal, cap_fps: float) -> float | None:
    """Log of the low that a pass near its cap would have without it, from the share of frames that are slower than the
    edge's interval: the cap's corner is invisible to that, while the low itself varies little just where it is cut.
    None for a pass far from its cap, or without frames."""
    tail, low = one.figures.tail, one.figures.value(goal.figure)
    if tail is None or low is None or goal.figure != Goal().figure or not goal.edge_fps > 0:
        return None
    if low < NEAR_CAP * cap_fps or goal.edge_fps > cap_fps:
        return None
    interval = 1000.0 / goal.edge_fps
    shares = np.array([tail.slower_than(interval), tail.slower_than(STEP_INTERVAL * interval)])
    here, beyond = deviates(shares, tail.frames)
    slope = min(max((here - beyond) / math.log(STEP_INTERVAL), LEAST_SLOPE), MOST_SLOPE)
    return math.log(goal.edge_fps) + float(np.clip((ONE_PERCENT - here) / slope, -MOST_OFF, MOST_OFF))


def rise_of(one: Counted, room_c: float) -> float:
    """Log of the settled die's rise over the room of a pass (K), nan where it is not told. room_c : where none is."""
    die = one.figures.value("die_c")
    room = one.point.number("room_c")
    over = die - (room if room is not None else room_c) if die is not None else 0.0
    return math.log(over) if over > 1.0 else math.nan


def _rise_sd(one: Counted, room_c: float) -> float:
    die, sd = one.figures.value("die_c"), one.figures.errors.get("die_c", 0.0)
    return sd / max(die - room_c, 5.0) if die is not None else 0.0
