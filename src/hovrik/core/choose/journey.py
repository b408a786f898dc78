"""An evening or a journey ahead: legs, what each may be played with, and whether the charge lasts to the end.

Which way each leg is played is a multiple-choice knapsack in time: at most one way a leg, the charge after every leg at
least the reserve, each leg at the energy that it stays under in nine of ten draws. It is solved exactly
(`scipy.optimize.milp`); the chance that the reserve is left is then counted over joint draws of battery, meter, titles
and legs.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..message import Message, say

Array = NDArray[np.float64]

DRAWS = 1000
AT = 0.9  # quantile of each leg's energy that a plan is made with
IDLE, FILM, CHARGE = "idle", "film", "charge"
USUAL_W = {IDLE: 5.0, FILM: 7.0, CHARGE: 5.0}  # where nobody typed it; from memory, of handhelds at low brightness
TYPED_SD = 0.2  # log, of a draw that was typed
SCENES_SD, BOUND_SD = 0.05, 0.015  # log, of a title's draw between evenings: as scenes ask, and where its limit binds
METER_SD, LEG_SD = 0.012, 0.02  # log, of all that is measured; of one leg
INTO, INTO_SD = 0.9, 0.04  # of what a charger gives, what reaches the cells (usual of such chargers, from memory)
SLACK = 1e-6  # of what a later wish must not take from an earlier one
GAP, MOST_S = 1e-6, 5.0  # of the most worth; seconds after which the best so far is taken
MOST_LEGS, MOST_WAYS, MOST_MINUTES = 20, 12, 24 * 60.0


@dataclass(frozen=True)
class Leg:
    """A part of the evening. what : key of a title, or one of idle, film, charge; must : it has to be played, else only
    where there is enough; charger_w : that a charger or a power bank gives meanwhile; watts : drawn by what is no
    title, None as usual."""

    what: str
    minutes: float
    must: bool = True
    charger_w: float = 0.0
    watts: float | None = None

    def __post_init__(self) -> None:
        """Raises InputError for a leg that cannot be."""
        if not (math.isfinite(self.minutes) and 1 <= self.minutes <= MOST_MINUTES):
            raise InputError(f"A leg of {self.minutes:g} min is not possible. Choose 1 to {MOST_MINUTES:g}.")
        if not (math.isfinite(self.charger_w) and 0 <= self.charger_w <= 500):
            raise InputError(f"A charger of {self.charger_w:g} W is not possible. Choose 0 to 500.")
        if self.watts is not None and not (math.isfinite(self.watts) and 0.2 <= self.watts <= 300):
            raise InputError(f"A draw of {self.watts:g} W is not possible. Choose 0.2 to 300.")

    @property
    def is_title(self) -> bool:
        """Whether a title is played."""
        return self.what not in USUAL_W

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return vars(self).copy()


@dataclass(frozen=True)
class Journey:
    """What is ahead. charge : share of a full charge now; reserve : share that has to be left at any time."""

    legs: tuple[Leg, ...] = ()
    charge: float = 1.0
    reserve: float = 0.1

    def __post_init__(self) -> None:
        """Raises InputError for what cannot be."""
        if len(self.legs) > MOST_LEGS:
            raise InputError(f"{len(self.legs)} legs are too many: at most {MOST_LEGS}.")
        for name in ("charge", "reserve"):
            if not 0.0 <= getattr(self, name) <= 1.0:
                raise InputError(f"The {name} must lie between 0 and 100 %.")

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"legs": [leg.as_dict() for leg in self.legs], "charge": self.charge, "reserve": self.reserve}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Journey:
        """The inverse of `as_dict`. Raises InputError, ValueError, KeyError, TypeError for what is none."""
        legs = tuple(
            Leg(str(one["what"]), float(one["minutes"]), bool(one["must"]), float(one["charger_w"]),
                None if one["watts"] is None else float(one["watts"]))
            for one in body["legs"]
        )  # fmt: skip
        return cls(legs, float(body["charge"]), float(body["reserve"]))


@dataclass(frozen=True)
class Way:
    """How a leg may be played. draw_w; sd : of its log, as measured; worth : what is played with it, the more the
    better (fps of the judged figure); words : what is set; mix_sd : log, of its draw between evenings; is_answer : it
    is what the title's question answers with, or its profile."""

    words: str
    draw_w: float
    sd: float
    worth: float = 0.0
    mix_sd: float = SCENES_SD
    is_answer: bool = False


@dataclass(frozen=True)
class Supply:
    """The battery. hours_at : hours that a full charge lasts at a draw (W); sd : of its log."""

    hours_at: Callable[[float], float]
    sd: float


@dataclass(frozen=True)
class Stretch:
    """One leg otherwise. leg, way : indices; chance : that the reserve is left then; gain : of its worth (fps)."""

    leg: int
    way: int
    chance: float
    gain: float


@dataclass(frozen=True)
class JourneyEnd:
    """What comes of an evening. picks : index of the way of each leg, None where it is not played; chance : that the
    reserve is left to the end; line : (3, legs + 1) charge at 5, 50 and 95 % of the draws, after each leg; breaks : leg
    at which the charge first falls short most often, None where it never does; steps : one leg otherwise; unplayed :
    legs that must be and do not fit."""

    picks: tuple[int | None, ...]
    chance: float
    line: Array
    breaks: int | None
    steps: tuple[Stretch, ...]
    unplayed: tuple[int, ...]


def ways_of(leg: Leg, ways: Mapping[str, Sequence[Way]]) -> tuple[Way, ...]:
    """How a leg may be played, least draw first; of what is no title the one draw that was typed or is usual."""
    if leg.is_title:
        return tuple(sorted(ways.get(leg.what, ()), key=lambda one: one.draw_w)[:MOST_WAYS])
    return (Way("", leg.watts or USUAL_W[leg.what], TYPED_SD if leg.watts is None else TYPED_SD / 2),)


def used(evening: Journey, ways: Sequence[Sequence[Way]], supply: Supply, seed: int = 1) -> list[Array]:
    """By leg (draws, ways): share of a full charge that each way takes, less than nothing where it is charged.

    Draws share their battery and meter, and those of one title its evening."""
    rng = np.random.default_rng((seed, 41))
    battery = np.exp(supply.sd * rng.standard_normal(DRAWS))
    meter, into = METER_SD * rng.standard_normal(DRAWS), INTO + INTO_SD * rng.standard_normal(DRAWS)
    of_title: dict[str, Array] = {}
    of_way: dict[tuple[str, str], Array] = {}
    found = []
    for leg, own in zip(evening.legs, ways):
        if leg.what not in of_title:
            of_title[leg.what] = float(leg.is_title) * rng.standard_normal(DRAWS)
        alone = LEG_SD * rng.standard_normal(DRAWS)
        columns = []
        for way in own:
            if (leg.what, way.words) not in of_way:
                of_way[leg.what, way.words] = rng.standard_normal(DRAWS)
            off = meter + way.mix_sd * of_title[leg.what] + alone + way.sd * of_way[leg.what, way.words]
            a_watt = leg.minutes / 60.0 / (supply.hours_at(way.draw_w) * way.draw_w * battery)
            columns.append(a_watt * (way.draw_w * np.exp(off) - into * leg.charger_w))
        found.append(np.column_stack(columns) if columns else np.zeros((DRAWS, 0)))
    return found


def solved(
    evening: Journey, shares: Sequence[Array], ways: Sequence[Sequence[Way]], at: float = AT
) -> tuple[int | None, ...]:
    """The way of each leg: as many legs that must be as fit, these as well as their answer, then the legs that need not
    be, then most worth an hour; each as far as those before it allow. shares : of `used`; exact."""
    knapsack = _Knapsack.of(evening, shares, ways, at)
    if not knapsack.ways:
        return (None,) * len(evening.legs)
    found: Array | None = None
    kept: list[tuple[Array, float]] = []
    for wanted in (knapsack.musts, *_as_answered(evening, ways, knapsack.worth.size), knapsack.worth):
        better = knapsack.best(wanted, kept)
        if better is None:
            break
        found = better
        kept.append((wanted, float(wanted @ found) - SLACK))
    return knapsack.picks(found)


def _as_answered(evening: Journey, ways: Sequence[Sequence[Way]], size: int) -> tuple[Array, Array]:
    """(size,) coefficients each, hours played as well as the answer of their title: of legs that must be, of others.
    Where no answer is known the way that draws least is as good."""
    found = np.zeros((2, size))
    at = 0
    for leg, own in zip(evening.legs, ways):
        answer = next((way.worth for way in own if way.is_answer), own[0].worth if own else 0.0)
        for way in own:
            found[0 if leg.must else 1, at] = leg.minutes / 60.0 * (min(way.worth / answer, 1.0) if answer > 0 else 1.0)
            at += 1
    return found[0], found[1]


@dataclass(frozen=True)
class _Knapsack:
    """The program: ways : how many; starts : first way of each leg; rows, highs : of the constraints; worth, musts :
    (variables,) coefficients; floor : least charge. Beside the ways there is a variable for the charge wherever a leg
    that charges begins or ends: between these the charge only falls, so that its last value tells."""

    ways: int
    starts: NDArray[np.int64]
    rows: Array
    highs: Array
    worth: Array
    musts: Array
    floor: float

    @classmethod
    def of(cls, evening: Journey, shares: Sequence[Array], ways: Sequence[Sequence[Way]], at: float) -> _Knapsack:
        starts = np.concatenate(([0], np.cumsum([own.shape[1] for own in shares]))).astype(np.int64)
        costs = [np.quantile(own, at, axis=0) for own in shares]
        stretches = _stretches(costs)
        n, total, held = len(evening.legs), int(starts[-1]), len(stretches)
        worth, musts = np.zeros(total + held), np.zeros(total + held)
        once, charge, highs = np.zeros((n, total + held)), np.zeros((held, total + held)), np.zeros(held)
        most = max((way.worth for own in ways for way in own), default=1.0) or 1.0
        for number, (leg, own) in enumerate(zip(evening.legs, ways)):
            here = slice(int(starts[number]), int(starts[number + 1]))
            worth[here] = [leg.minutes / 60.0 * (way.worth / most + 1e-3) for way in own]
            musts[here] = float(leg.must)
            once[number, here] = 1.0
        for number, stretch in enumerate(stretches):
            charge[number, total + number] = 1.0  # after - before + what the legs between take <= 0
            for leg_ in stretch:
                charge[number, int(starts[leg_]) : int(starts[leg_ + 1])] = costs[leg_]
            if number:
                charge[number, total + number - 1] = -1.0
            else:
                highs[number] = evening.charge
        rows, highs = np.vstack((once, charge)), np.concatenate((np.ones(n), highs))
        return cls(total, starts, rows, highs, worth, musts, min(evening.reserve, evening.charge))

    def best(self, worth: Array, kept: Sequence[tuple[Array, float]]) -> Array | None:
        """The variables at the most worth that keep what was reached: coefficients and the least of their sum; None
        where that cannot be."""
        from scipy.optimize import Bounds, LinearConstraint, milp

        held = worth.size - self.ways
        lowest = np.concatenate((np.zeros(self.ways), np.full(held, self.floor)))
        rows = np.vstack((self.rows, *(-row for row, _ in kept)))
        highs = np.concatenate((self.highs, [-least for _, least in kept]))
        found = milp(
            -worth, integrality=np.concatenate((np.ones(self.ways), np.zeros(held))),
            bounds=Bounds(lowest, np.ones(lowest.size)), constraints=LinearConstraint(rows, -np.inf, highs),
            options={"mip_rel_gap": GAP, "time_limit": MOST_S},
        )  # fmt: skip
        return None if found.x is None else np.asarray(found.x)

    def picks(self, found: Array | None) -> tuple[int | None, ...]:
        """The way of each leg, None where it is not played."""
        if found is None:
            return (None,) * (self.starts.size - 1)
        own = [found[a:b] for a, b in pairwise(self.starts)]
        return tuple(int(one.argmax()) if one.size and one.max() > 0.5 else None for one in own)


def _stretches(costs: Sequence[Array]) -> list[list[int]]:
    """Legs in stretches over which the charge only falls, or that charge."""
    found: list[list[int]] = []
    falls = False
    for number, cost in enumerate(costs):
        charges = bool((cost < 0).any())
        if charges or not falls:
            found.append([])
        found[-1].append(number)
        falls = not charges
    return found


def paths(evening: Journey, shares: Sequence[Array], picks: Sequence[int | None]) -> Array:
    """(draws, legs + 1) charge before the first leg and after each; never over a full one."""
    charge = np.full(DRAWS, evening.charge)
    found = [charge]
    for own, pick in zip(shares, picks):
        charge = np.minimum(charge - own[:, pick], 1.0) if pick is not None else charge
        found.append(charge)
    return np.column_stack(found)


def chance_of(evening: Journey, charges: Array) -> float:
    """Share of the draws in which the reserve is left after every leg."""
    return float((charges.min(axis=1) >= min(evening.reserve, evening.charge) - 1e-12).mean())


def planned(evening: Journey, ways: Mapping[str, Sequence[Way]], supply: Supply, seed: int = 1) -> JourneyEnd:
    """What comes of an evening played as well as it can be. ways : by title."""
    own = [ways_of(leg, ways) for leg in evening.legs]
    shares = used(evening, own, supply, seed)
    picks = solved(evening, shares, own)
    charges = paths(evening, shares, picks)
    chance = chance_of(evening, charges)
    short = charges[:, 1:] < evening.reserve
    first = np.where(short.any(axis=1), short.argmax(axis=1), -1)
    counts = np.bincount(first[first >= 0], minlength=len(own)) if len(own) else np.zeros(0, int)
    breaks = int(counts.argmax()) if counts.any() else None
    unplayed = tuple(at for at, (leg, pick) in enumerate(zip(evening.legs, picks)) if leg.must and pick is None)
    steps = tuple(_steps(evening, own, shares, picks))
    line = np.quantile(charges, (0.05, 0.5, 0.95), axis=0)
    return JourneyEnd(picks, chance, np.asarray(line), breaks, steps, unplayed)


def _steps(
    evening: Journey, ways: Sequence[Sequence[Way]], shares: Sequence[Array], picks: Sequence[int | None]
) -> list[Stretch]:
    found = []
    for leg, pick in enumerate(picks):
        if pick is None:
            continue
        for other in (pick - 1, pick + 1):
            if 0 <= other < len(ways[leg]):
                changed = [other if at == leg else one for at, one in enumerate(picks)]
                chance = chance_of(evening, paths(evening, shares, changed))
                found.append(Stretch(leg, other, chance, ways[leg][other].worth - ways[leg][pick].worth))
    return found


def says(evening: Journey, outcome: JourneyEnd, names: Sequence[str]) -> list[Message]:
    """What there is to say of it. names : of the legs."""
    low, middle, high = (min(max(float(ends[-1]), 0.0), 1.0) for ends in outcome.line)
    found = []
    if outcome.unplayed:
        found.append(say("tonight.unplayed", legs=tuple(names[at] for at in outcome.unplayed)))
    spare = [names[at] for at, pick in enumerate(outcome.picks) if pick is None and at not in outcome.unplayed]
    if spare:
        found.append(say("tonight.spare", legs=tuple(spare)))
    reserve = min(evening.reserve, evening.charge)
    found.append(say("tonight.chance", chance=outcome.chance, reserve=reserve, left=middle, low=low, high=high))
    if outcome.breaks is not None and outcome.chance < 0.995:
        found.append(say("tonight.breaks", leg=names[outcome.breaks]))
    return found
