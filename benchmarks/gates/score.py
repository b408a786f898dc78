"""What one sweep comes to, as plain scores: said against true. Knows the worlds and program.py, no gate's bounds."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from . import marks, program
from .program import MARKS, SCHOOLS, TOO_CLOSE, Analyst, Asked, Said
from .truth import Truth, loaded
from .worlds import cases, passes
from .worlds.passes import SUBSETS, Swept

Array = NDArray[np.float64]

NEAR = 0.0005  # a truth this near the floor is a tie, and no answer about it is wrong
FLAT = 0.001  # levels whose lows lie within this share of each other make a plateau
AROUND = 2  # levels either side of the crossing whose probabilities are judged
WIDE = ("mean_fps", "low_fps", "draw_w")


@dataclass(frozen=True)
class Score:
    """Hits of a total in one sweep. cell : what is counted, within its gate; sweep : one name a sweep."""

    gate: str
    cell: str
    world: str
    sweep: str
    hits: float
    total: float


@lru_cache
def truths(name: str) -> tuple[Truth, ...]:
    """A stored set, read once a process."""
    return tuple(loaded(name))


def plain(truth: Truth, seed: int) -> Iterator[Score]:
    """Everything that one sweep of a plant is asked."""
    plant = truth.plant
    swept = cases.sweep(plant, seed, program.HEAT_AT)
    analyst = Analyst(swept)
    rng = np.random.default_rng((seed, plant.index, 77))
    world, number = plant.kind, f"{plant.name}/{seed}"
    asked = _asked(truth, rng)
    fair = _below_cap(truth, rng) if plant.cap_fps and plant.kind != "ticks" else asked

    def score(gate: str, cell: str, hits: float, total: float = 1.0) -> Score:
        return Score(gate, cell, world, number, float(hits), float(total))

    states = [one.state for one in analyst.prepared]
    yield score("clean", "suspect or void", sum(state != "valid" for state in states), len(states))
    yield score("clean", "void", sum(state == "void" for state in states), len(states))
    for n in SUBSETS:
        chosen = analyst.of(n)
        said = analyst.read(chosen, asked, whole=n == 3)
        yield from _stated(truth, asked, said, n, score)
        yield from _covered(truth, swept, asked, said, n, score)
        yield from _believed(truth, fair, analyst.holds(chosen, fair) if fair is not asked else said.holding, n, score)
        yield from _marked(truth, asked, said, n, score)
        if n == 3:
            yield from _more(truth, analyst, asked, said, seed, score)
        if n in (1, 3):
            for name, school in SCHOOLS.items():
                if name != "low_fps":
                    other = analyst.read(chosen, asked, school=school)
                    yield from _covered(truth, swept, asked, other, n, score, only=name)
        yield from _at_floor(truth, analyst, n, np.random.default_rng((seed, 78)), score)


def exact(truth: Truth, seed: int) -> Iterator[Score]:
    """A capped plant with one level exactly at the floor, asked for its cap."""
    assert truth.exact is not None
    plant = truth.exact
    around = plant.limits_w[max(truth.aim - 3, 0) : truth.aim + 4]
    analyst = Analyst(passes.sweep(plant, seed, heat_at=program.HEAT_AT, limits=around))
    limit, number = plant.limits_w[truth.aim], f"{plant.name}/{seed}/exact"
    for n in SUBSETS:
        said = analyst.holds(analyst.of(n), Asked(plant.cap_fps)).get(limit)
        if said is not None:
            for cell, least in (("95", 0.95), ("99", 0.99)):
                yield Score("floor", f"cap = target, n {n}, over {cell} %", plant.kind, number, said >= least, 1.0)


def _asked(truth: Truth, rng: np.random.Generator) -> Asked:
    """The floor of a plant: its cap, or a target drawn about its own."""
    plant = truth.plant
    if plant.cap_fps or plant.kind == "ticks":
        return Asked(plant.floor_fps)
    return Asked(plant.floor_fps * math.exp(float(rng.uniform(-0.04, 0.04))))


def _below_cap(truth: Truth, rng: np.random.Generator) -> Asked:
    """A floor drawn about the low of a level that its cap does not decide. At the cap itself the lowest level that
    holds does so by the way these plants are made, so that no probability about it could be right as often as it says;
    where every level stands at the cap, it is asked for all the same."""
    low, most = truth.means["low_fps"], 0.985 * truth.plant.cap_fps
    under = low[low < most]
    if not under.size:
        return Asked(truth.plant.floor_fps)
    floor = float(rng.choice(under)) * math.exp(float(rng.uniform(-0.04, 0.04)))
    return Asked(min(floor, most) / (1 - Asked(1.0).tolerance))


def _holding(truth: Truth, asked: Asked) -> Array:
    """(k,) 1 where a level truly holds, 0 where not, NaN for a tie."""
    ratio = truth.means["low_fps"] / asked.floor_fps - 1.0
    return np.where(np.abs(ratio) < NEAR, np.nan, (ratio > 0).astype(float))


def _first(truth: Truth, asked: Asked) -> int | None:
    """Index of the lowest level that truly holds, None where none does."""
    found = np.flatnonzero(truth.means["low_fps"] >= asked.floor_fps)
    return int(found[0]) if found.size else None


def _worth(truth: Truth, asked: Asked) -> str:
    """What a step is worth where the floor is crossed."""
    at = _first(truth, asked)
    if at is None or at == 0:
        return "edge"
    low = truth.means["low_fps"]
    step = float(low[at] / low[at - 1] - 1.0)
    return "2 % or more" if step >= 0.02 else "1 to 2 %" if step >= 0.01 else "under 1 %"


def _index(truth: Truth, limit_w: float) -> int:
    return int(np.argmin(np.abs(truth.limits_w - limit_w)))


def _stated(truth: Truth, asked: Asked, said: Said, n: int, score) -> Iterator[Score]:  # type: ignore[no-untyped-def]
    worth, first = _worth(truth, asked), _first(truth, asked)
    if first is not None:
        yield score("stated", f"withheld, n {n}, step {worth}", said.stated_w is None)
    if said.stated_w is None:
        return
    at = _index(truth, said.stated_w)
    yield score("stated", f"holds, n {n}, step {worth}", truth.means["low_fps"][at] >= asked.floor_fps * (1 - NEAR))
    yield score("stated", f"within a step, n {n}, step {worth}", first is not None and abs(at - first) <= 1)


def _true_of(truth: Truth, swept: Swept, at: int, figure: str) -> list[float]:
    """What is true of a figure at a level; several where a fan has several answers."""
    if figure == "hours":
        return [cases.hours(swept, float(truth.means["draw_w"][at]))]
    if figure in ("die_c", "shell_c"):
        pairs = truth.plant.settled(float(truth.means["package_w"][at]))
        return [pair[figure == "shell_c"] for pair in pairs]
    return [float(truth.means[figure][at])]


def _covered(truth: Truth, swept: Swept, asked: Asked, said: Said, n: int, score, only: str = "") -> Iterator[Score]:  # type: ignore[no-untyped-def]
    stated = _index(truth, said.stated_w) if said.stated_w is not None else None
    slight = " (step under 1 %)" if _worth(truth, asked) == "under 1 %" else ""
    for level in said.levels:
        at = _index(truth, level.limit_w)
        for figure, (low, high) in level.intervals.items():
            if only and figure != only:
                continue
            hit = any(low <= true <= high for true in _true_of(truth, swept, at, figure))
            yield score("coverage", f"{figure}, n {n}", hit)
            if at == stated:
                yield score("coverage", f"{figure}, n {n}, recommended{slight}", hit)
            elif stated is not None and at == stated - 1:
                yield score("coverage", f"{figure}, n {n}, one below{slight}", hit)
            if figure in WIDE and n >= 3:
                sd = float(truth.sds[figure][at])
                if figure != "draw_w" and hasattr(truth.plant, "scene"):
                    sd = math.hypot(sd, truth.plant.scene.drift / math.sqrt(12.0))
                if sd > 0:
                    yield score("width", f"{figure}, n {n}", math.log(high / low) / (4 * sd / math.sqrt(n)))


def _believed(truth: Truth, asked: Asked, holding: Mapping[float, float], n: int, score) -> Iterator[Score]:  # type: ignore[no-untyped-def]
    first = _first(truth, asked)
    centre = len(truth.limits_w) if first is None else first
    true = _holding(truth, asked)
    for limit_w, holds in holding.items():
        at = _index(truth, limit_w)
        if abs(at - centre + 0.5) > AROUND + 0.5 or math.isnan(true[at]):
            continue
        yield score("probability", f"n {n}", holds, float(true[at]))  # said against true, not hits of a total


def _marked(truth: Truth, asked: Asked, said: Said, n: int, score) -> Iterator[Score]:  # type: ignore[no-untyped-def]
    if n != 3:
        return
    true = marks.true_marks(truth, asked)
    widths = marks.family_widths(truth, asked, n)
    limits = truth.limits_w
    for name in MARKS:
        if true[name] is None:
            continue
        low, high = said.marks.get(name, (math.nan, math.nan))
        yield score("marks", f"{name}, n {n}", low - 1e-6 <= true[name] <= high + 1e-6)
        if widths.get(name):
            span = min(high, limits[-1]) - max(low, limits[0])
            if math.isfinite(span):
                yield score("mark widths", f"{name}, n {n}", span / widths[name])


def _more(truth: Truth, analyst: Analyst, asked: Asked, said: Said, seed: int, score) -> Iterator[Score]:  # type: ignore[no-untyped-def]
    named = [level for level in said.levels if level.more is not None]
    if not named:
        return
    level = named[seed % len(named)]
    yield score("more", "said to be too close", level.more == TOO_CLOSE)
    if level.more == TOO_CLOSE or level.more is None:
        return
    yield score("more", "names over 20", level.more > 20)
    added = cases.extra(truth.plant, seed, level.limit_w, level.more)
    before = len(analyst.prepared)
    passes = analyst.of(3)
    analyst.add(added)
    found = analyst.holds([*passes, *analyst.prepared[before:]], asked).get(level.limit_w)
    del analyst.prepared[before:]
    if found is not None:
        cell = "3 or more named" if level.more >= 3 else "1 or 2 named"
        yield score("more", cell, found >= 0.95 or found <= 0.05)


def plateau(truth: Truth) -> list[int]:
    """The longest run of 3 to 7 neighbouring levels with the same low, in the upper part of a ladder; else empty."""
    low = truth.means["low_fps"]
    best: list[int] = []
    for start in range(low.size):
        run = [start]
        while run[-1] + 1 < low.size and abs(low[run[-1] + 1] / low[start] - 1.0) < FLAT:
            run.append(run[-1] + 1)
        if 3 <= len(run) <= 7 and len(run) > len(best):
            best = run
    return best


def _at_floor(truth: Truth, analyst: Analyst, n: int, rng: np.random.Generator, score) -> Iterator[Score]:  # type: ignore[no-untyped-def]
    """Floors moved to the truth of a level: on a slope, 0.5 % over one, on a plateau."""
    plant, low = truth.plant, truth.means["low_fps"]
    passes = analyst.of(n)
    steps = np.abs(np.diff(np.log(low)))
    slope = [i for i in range(1, low.size - 1) if steps[i - 1] > 0.005 and steps[i] > 0.005]
    if slope and not plant.cap_fps and plant.kind != "ticks":
        at = slope[int(rng.integers(len(slope)))]
        for words, factor in (("slope", 1.0), ("0.5 % under", 1.005)):
            said = analyst.holds(passes, Asked(factor * low[at] / 0.97)).get(plant.limits_w[at])
            if said is not None:
                for cell, least in (("95", 0.95), ("99", 0.99)):
                    yield score("floor", f"{words}, n {n}, over {cell} %", said >= least)
    run = plateau(truth)
    if run and plant.kind != "ticks":
        top = float(low[run].max())
        asked = Asked(plant.cap_fps, 1 - top / plant.cap_fps) if plant.cap_fps else Asked(top / 0.97)
        found = analyst.holds(passes, asked)
        said_of = [found[w] for i in run if (w := plant.limits_w[i]) in found]
        words = "capped plateau" if plant.cap_fps else "plateau"
        for cell, least in (("95", 0.95), ("99", 0.99)):
            hits = sum(value >= least for value in said_of)
            yield score("floor", f"{words}, n {n}, over {cell} %", hits, len(said_of))
        last = found.get(plant.limits_w[run[-1]])
        if last is not None:
            yield score("floor", f"{words}, last level, n {n}, over 95 %", last >= 0.95)
        yield score("floor", f"{words}, some level, n {n}, over 95 %", any(value >= 0.95 for value in said_of))
