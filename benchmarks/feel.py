"""Simulated players of the blind test: whether its interval holds their floor.

Usage: python -m feel [--players 500] [--first 0] [--plain] [--late]   (from benchmarks/; about 0.5 s a player)

A player feels a look as bad by a curve of their own about a floor of their own, which wanders in the course of a
test. Who feels it presses after a lag, now and then so late that the next look has begun, forgets to now and then, and
presses by mistake now and then. None of that is in the program's model as such. --plain leaves out
lag, mistakes and wander; --late has them feel late frames under a cap of 40, over nine limits.
"""

from __future__ import annotations

import argparse
import math
from dataclasses import dataclass

import numpy as np

from hovrik.core.facts.knob import CAP, LIMITS
from hovrik.core.facts.setup import Setup
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.passes.tail import Tail
from hovrik.core.plan.design import Told
from hovrik.core.plan.feel import LOOK_S, SETTLE_S, FeelDesign
from hovrik.core.plan.lengths import Lengths
from hovrik.core.read.group import Counted
from hovrik.core.read.looks import EARLY, PRESSED, felt_of, looks_of

LIMITS_W = tuple(np.arange(7.0, 16.0).tolist())
FRAMES = 480  # of a look at 40 a second
CAPS = (24.0, 30.0, 36.0, 40.0, 45.0, 60.0, 72.0, 90.0)


@dataclass
class Player:
    """floor : rate at which every second look feels bad (of late frames how many there are to a late one); width : of
    the curve, log; wander : sd of its slow walk, log; forgets : share; by_mistake : presses a minute."""

    floor: float
    width: float
    wander: float = 0.04
    forgets: float = 0.05
    by_mistake: float = 0.3
    has_lag: bool = True

    def looks(
        self, rng: np.random.Generator, rates: list[float], state: dict[str, float]
    ) -> list[tuple[float | None, int]]:
        """(s until a key was pressed, None for none; presses while it settled) a look, one after the other."""
        found = []
        for rate in rates:
            walk = 0.95 * state.get("walk", 0.0) + self.wander * math.sqrt(1 - 0.95**2) * rng.standard_normal()
            state["walk"] = walk
            z = (math.log(self.floor) + walk - math.log(rate)) / self.width
            presses = [state["late"]] if state.get("late") is not None else []
            state["late"] = None
            if rng.random() < 1 / (1 + math.exp(-z)) and rng.random() >= self.forgets:
                at = rng.exponential(2.0) + rng.lognormal(math.log(1.1), 0.5) if self.has_lag else SETTLE_S + 1.0
                if at < LOOK_S + SETTLE_S:
                    presses.append(at)
                else:
                    state["late"] = at - LOOK_S - SETTLE_S
            count = rng.poisson(self.by_mistake * (LOOK_S + SETTLE_S) / 60)
            presses += rng.uniform(0, LOOK_S + SETTLE_S, count).tolist()
            told = [one - SETTLE_S for one in presses if one >= SETTLE_S]
            found.append((min(told, default=None), sum(one < SETTLE_S for one in presses)))
        return found


def drawn(number: int, *, plain: bool = False, late: bool = False) -> Player:
    """A player."""
    rng = np.random.default_rng((number, 5))
    if late:
        bears = math.exp(rng.uniform(math.log(0.006), math.log(0.15)))
        return Player(1 / bears, rng.lognormal(math.log(0.4), 0.5), rng.uniform(0, 0.2), rng.uniform(0, 0.12),
                      rng.uniform(0, 0.8))  # fmt: skip
    floor, width = math.exp(rng.uniform(math.log(28), math.log(75))), rng.lognormal(math.log(0.08), 0.5)
    if plain:
        return Player(floor, width, 0.0, 0.0, 0.0, has_lag=False)
    return Player(floor, width, rng.uniform(0, 0.06), rng.uniform(0, 0.12), rng.uniform(0, 0.8))


def shown(setup: Setup, rng: np.random.Generator, *, late: bool) -> tuple[float, PassFigures]:
    """(rate, or frames to a late one; figures) of a look at a setup."""
    if not late:
        rate = float(setup[CAP]) * (1 - 0.01 * rng.random())
        return rate, PassFigures(None, None, {"mean_fps": rate})
    share = min(0.6 * math.exp(-(float(setup[LIMITS[0]]) - 7.0) / 1.4), 0.6)
    count = int(rng.binomial(FRAMES, share))
    ascending = np.array([25.0] * (FRAMES - count) + [50.0] * count)
    return FRAMES / max(count, 0.5), PassFigures(None, Tail.of(ascending), {"mean_fps": 40.0})


def tested(player: Player, number: int, *, late: bool = False) -> tuple[float, float | None, float | None, int]:
    """(floor, low, high, looks), as the test finds it, in the unit of the player's floor."""
    rng = np.random.default_rng((number, 6))
    base = Setup({CAP: 40.0} if late else {})
    like = Lengths(pass_s=LOOK_S, settle_s=SETTLE_S, seed=number)
    design = FeelDesign(LIMITS, LIMITS_W, base, like) if late else FeelDesign((CAP,), CAPS, base, like)
    passes: list[Counted] = []
    state: dict[str, float] = {}
    for batch in range(200):
        asked = design.ask(Told(batch, passes))
        if not asked.wanted:
            break
        seen = [shown(one.setup, rng, late=late) for one in asked.wanted]
        keys = player.looks(rng, [value for value, _ in seen], state)
        for one, (_, figures), (pressed, early) in zip(asked.wanted, seen, keys):
            known = {EARLY: early, **({PRESSED: pressed} if pressed is not None else {})}
            passes.append(Counted(str(len(passes)), Point(conditions=known), one.setup, figures, purpose=one.purpose))
    found = felt_of(looks_of(passes, design.knobs[0], base))
    ends = [None if end is None else math.exp(end) for end in (found.low, found.high)]
    return math.exp(found.at), ends[0], ends[1], found.looks


def covers(low: float | None, high: float | None, floor: float) -> bool:
    """Whether an interval holds a floor; an open end holds whatever lies there."""
    return (low is None or low <= floor) and (high is None or floor <= high)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--players", type=int, default=500)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--plain", action="store_true")
    parser.add_argument("--late", action="store_true")
    options = parser.parse_args()
    held, off, looks, closed, width = 0, [], [], 0, []
    for number in range(options.first, options.first + options.players):
        player = drawn(number, plain=options.plain, late=options.late)
        at, low, high, count = tested(player, number, late=options.late)
        held += covers(low, high, player.floor)
        off.append(abs(math.log(at / player.floor)))
        looks.append(count)
        if low is not None and high is not None:
            closed += 1
            width.append(math.log(high / low))
    n = options.players
    print(
        f"{n} players: interval holds the floor of {held} ({100 * held / n:.1f} %), closed in {closed}, its width "
        f"{100 * float(np.median(width)):.0f} % (median); off by {100 * float(np.median(off)):.1f} % (median), "
        f"{100 * float(np.quantile(off, 0.9)):.1f} % (nine of ten); looks {float(np.median(looks)):.0f}"
    )


if __name__ == "__main__":
    main()
