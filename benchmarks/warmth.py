"""Settled temperatures from ordinary passes, alone and with a heat pass before them, against odd plants whose settled
temperatures are known.

Run: .venv/bin/python benchmarks/warmth.py [PLANTS]; the tests do a few. A row a design: passes, share of temperatures
that were told, coverage of their 95 % intervals, error, half a width (C), how often "at least" was true, seconds a fit.
"""

import sys
import time
from dataclasses import dataclass

import numpy as np
from gates.worlds import plants
from gates.worlds.passes import Bench

from hovrik.core.model.heat_network import Fixed, Warmed, fit
from hovrik.core.passes.trace import Channel, Trace

SEED = 7000
DESIGNS = ((1, 1, 0.0), (1, 4, 0.0), (1, 8, 0.0), (1, 8, 900.0), (2, 8, 0.0))  # rounds, levels, s of a heat pass


@dataclass(frozen=True)
class Row:
    """A settled temperature, die or shell, of one level: what was said, what is true."""

    has_rpm: bool
    is_shell: bool
    said: Fixed
    true_c: float

    @property
    def hit(self) -> bool:
        """Whether the interval holds the truth."""
        return abs(self.said.value_c - self.true_c) <= 1.96 * self.said.se_c


def trace_of(made):
    """A pass of a plant as the program keeps it."""
    return Trace(made.frames_ns, {k: Channel(*v) for k, v in made.channels.items()}, made.start_ns, made.end_ns)


def of_plant(number, rounds, levels, heat_s=0.0):
    """Rows of one plant, and the seconds of its fit."""
    plant = plants.drawn(plants.KINDS[number % len(plants.KINDS)], number % 6, SEED + number)
    bench, rng = Bench(plant, number), np.random.default_rng(number)
    places = np.unique(np.linspace(0, len(plant.limits_w) - 1, levels).round().astype(int))
    chosen = [plant.limits_w[at] for at in (places if levels > 1 else [len(plant.limits_w) // 2])]
    traces = {w: [] for w in chosen}
    before = []
    if heat_s:
        bench.rest(600.0)
        before = [trace_of(bench.measure(plant.knobs(chosen[levels // 2]), 0, seconds=heat_s, soak_s=0.0, heat=True))]
    bench.relaunch()
    for number_ in range(rounds):
        for limit in rng.permutation(chosen).tolist():
            traces[limit].append(trace_of(bench.measure(plant.knobs(limit), number_)))
    began = time.perf_counter()
    made = [*before, *(one for own in traces.values() for one in own)]
    network = fit([w for one in made if (w := Warmed.of(one, plant.room_c)) is not None])
    seconds = time.perf_counter() - began
    rows = []
    for own in traces.values():
        package, draw = (np.mean([one.measured(name).mean() for one in own]) for name in ("package_w", "battery_w"))
        ((die, shell),) = network.settled([package], [draw - package], [plant.room_c])
        true = min(plant.settled(package), key=lambda pair: abs(pair[0] - die.value_c))
        rows.append(Row(plant.rpm, False, die, true[0]))
        if shell is not None:
            rows.append(Row(plant.rpm, True, shell, true[1]))
    return rows, seconds


def of_plants(count, rounds, levels, heat_s=0.0):
    """Rows of many plants, and the mean seconds of a fit."""
    found = [of_plant(number, rounds, levels, heat_s) for number in range(count)]
    return [row for rows, _ in found for row in rows], float(np.mean([seconds for _, seconds in found]))


def main(count):
    print("| passes | figure | n | told | cover | rms C | half C | at least true | s a fit |")
    print("|---|---|---|---|---|---|---|---|---|")
    for rounds, levels, heat_s in DESIGNS:
        rows, seconds = of_plants(count, rounds, levels, heat_s)
        for words, own in (
            ("die, fan read", [r for r in rows if r.has_rpm and not r.is_shell]),
            ("die, fan not read", [r for r in rows if not r.has_rpm and not r.is_shell]),
            ("shell", [r for r in rows if r.is_shell]),
        ):
            told = [r for r in own if r.said.is_told]
            least = np.mean([r.true_c >= r.said.least_c for r in own])
            error = np.sqrt(np.mean([(r.said.value_c - r.true_c) ** 2 for r in told])) if told else np.nan
            cover, half = (np.mean([f(r) for r in told]) if told else np.nan for f in (
                lambda r: r.hit, lambda r: 1.96 * r.said.se_c))  # fmt: skip
            passes = f"{rounds * levels}{' and heat' if heat_s else ''}"
            print(f"| {passes} | {words} | {len(own)} | {len(told) / max(len(own), 1):.2f} | {cover:.3f} | "
                  f"{error:.2f} | {half:.2f} | {least:.3f} | {seconds:.2f} |", flush=True)  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 66)
