"""Evenings of free play on odd plants: are the changes found where they are, and none where there are none?

Usage: python -m evenings [--hours 40] [--tuning]   (from benchmarks/; about 5 min)

A plant plays an hour whose load jumps every 15 to 150 s (menus among it). A change is one by 10 % of load or more that
lasts 15 s on either side; found is a change point within 5 s. False is one that lies farther than 10 s from any jump.
And evening by evening: series of twelve evenings without a change, looked at after each, and with one of 1.5 spreads.
"""

from __future__ import annotations

import argparse
import multiprocessing
from collections.abc import Iterator
from functools import partial

import numpy as np
from gates.program import record_of
from gates.worlds import passes
from gates.worlds.passes import Made
from gates.worlds.plants import KINDS, REPORTING, TUNING, drawn
from gates.worlds.scenes import TICK_S

from hovrik.core.read.evening import read_evening
from hovrik.core.stats.evenings import Shift, shift_since

LEAST, LASTS_S, NEAR_S, FAR_S = 0.1, 15.0, 5.0, 10.0
LOOKS = 12  # evenings after the change
PART_S = 600.0  # played at a time


def evening(number: int, seed: int, hours: float = 1.0) -> tuple[Made, np.ndarray]:
    """(the log, load factor at ticks) of an hour of play of a plant."""
    kinds = [kind for kind in KINDS if kind != "ticks"]
    plant = drawn(kinds[number % len(kinds)], number % 6, seed + number)
    bench = passes.Bench(plant, number)
    bench.relaunch()
    stream = bench.stream(play=True)
    stream._most_fps *= 4.0  # a menu comes faster than anything that is swept
    loads: list[np.ndarray] = []
    regimes = stream._regimes

    def heard(m: int) -> np.ndarray:
        found = regimes(m)
        loads.append(found)
        return np.asarray(found)

    stream._regimes = heard  # type: ignore[method-assign, assignment]
    knobs = plant.knobs(plant.limits_w[6])
    start, parts, frames = bench.now_ns, [], []
    for part in range(round(hours * 3600 / PART_S)):
        _, stamps, channels = bench.play(stream, knobs, PART_S, part * PART_S)
        parts.append(channels)
        frames.append(stamps)
    joined = {
        name: (np.concatenate([one[name][0] for one in parts]), np.concatenate([one[name][1] for one in parts]))
        for name in parts[0]
    }
    every = np.maximum.accumulate(np.concatenate(frames))
    made = Made(knobs.limit_w, knobs, 0, 1, every, start, bench.now_ns, joined, np.empty(0, np.int8), plant.room_c)
    return made, np.concatenate(loads)


def jumps(load: np.ndarray) -> Iterator[tuple[float, float]]:
    """(seconds, log of the jump) of every change that lasts."""
    at = np.flatnonzero(np.abs(np.diff(np.log(load))) > 1e-9) + 1
    edges = np.concatenate(([0], at, [load.size]))
    for place in range(1, edges.size - 1):
        long = min(edges[place] - edges[place - 1], edges[place + 1] - edges[place]) * TICK_S
        if long >= LASTS_S:
            yield edges[place] * TICK_S, float(np.log(load[edges[place]] / load[edges[place] - 1]))


def scores(number: int, seed: int) -> tuple[int, int, int, float]:
    """(changes found, changes there are, false ones, hours) of an evening."""
    made, load = evening(number, seed)
    found = read_evening(record_of(made, "e").trace)
    if found is None:
        return 0, 0, 0, 0.0
    told = np.array([one.start_s for one in found.stretches[1:]])
    real = [(at, size) for at, size in jumps(load) if abs(size) >= LEAST]
    every = np.flatnonzero(np.abs(np.diff(np.log(load))) > 1e-9) * TICK_S
    hits = sum(bool(told.size) and float(np.abs(told - at).min()) <= NEAR_S for at, _ in real)
    false = sum(not every.size or float(np.abs(every - at).min()) > FAR_S for at in told)
    return hits, len(real), false, found.seconds / 3600.0


def series(count: int, shift: float, seed: int) -> Iterator[Shift | None]:
    """What is said at the first look at which anything is, of series of twelve evenings with a change after six."""
    rng = np.random.default_rng(seed)
    for _ in range(count):
        n = 6 + LOOKS
        kind = int(rng.integers(3))
        tails = (rng.standard_normal(n), rng.standard_t(4, n), rng.gamma(2.0, 1.0, n) / 1.4)[kind]
        values = 18.0 + 0.5 * tails
        values[6:] += 0.5 * shift
        told = (shift_since(values[:6].tolist(), values[6 : 6 + n].tolist()) for n in range(1, LOOKS + 1))
        yield next((one for one in told if one is not None), None)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--hours", type=int, default=40)
    parser.add_argument("--tuning", action="store_true")
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    play = partial(scores, seed=TUNING + 300 if options.tuning else REPORTING + 300)
    with multiprocessing.Pool(options.processes) as pool:
        rows = pool.map(play, range(options.hours))
    hits, there, false, hours = (sum(column) for column in zip(*rows))
    share = 100 * hits / there
    print(f"changes: {hits} of {there} within {NEAR_S:g} s ({share:.1f} %), {false / hours:.2f} false an hour")
    null = [one is not None for one in series(4000, 0.0, 5)]
    print(f"evening by evening, no change: said one in {100 * np.mean(null):.1f} % of 4000 series")
    for size in (1.5, 3.0):
        told = list(series(300, size, 6))
        print(f"a change of {size} spreads: said in {100 * np.mean([one is not None for one in told]):.0f} % of 300")


if __name__ == "__main__":
    main()
