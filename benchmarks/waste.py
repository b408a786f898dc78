"""Where the watts go, against plants whose draw is known part by part.

Usage: python -m waste [--seeds 4] [--passes 3]   (from benchmarks/; about 5 min)

Each case: a setup at a middle level with boost on and no cap, the same with boost off, the same with a cap under its
rate, and a ladder for the line of draws. True parts are differences of the plants' own draws over many passes; what is
beside the package and what is lost are their own constants, bent as they are. A part is covered where its interval
holds the truth.
"""

from __future__ import annotations

import argparse
import math
import multiprocessing
from collections import defaultdict
from dataclasses import replace
from functools import partial

import numpy as np
from gates import truth as truths
from gates.program import Analyst
from gates.worlds import passes
from gates.worlds.chips import Knobs
from gates.worlds.plants import Plant

from hovrik.core.passes import energy
from hovrik.core.read.group import Counted
from hovrik.core.read.waste import waste_of

Row = tuple[str, bool, float]


def cases(index: int, seeds: int, count: int) -> list[Row]:
    """(part, covered, half of its interval in W) of a plant's cases."""
    plant = truths.loaded()[index].plant
    assert isinstance(plant, Plant)
    found: list[Row] = []
    for seed in range(400, 400 + seeds):
        level = plant.limits_w[4 + seed % 5]
        rate = plant.typical_fps(level)
        cap = max(math.floor(0.75 * rate), 15)
        base = Knobs(level, fan=plant.fan)
        kinds = {"own": base, "boost off": replace(base, boost=False), "capped": replace(base, cap_fps=float(cap))}
        true = {name: _true(plant, knobs, seed) for name, knobs in kinds.items()}
        bench = passes.Bench(plant, seed)
        bench.relaunch()
        made = [(name, bench.measure(knobs, number)) for number in range(count) for name, knobs in kinds.items()] + [
            ("ladder", bench.measure(replace(base, limit_w=w), 0)) for w in plant.limits_w[::2]
        ]
        analyst = Analyst(passes.Swept(plant, seed, tuple(one for _, one in made), bench.pack))
        counted = [analyst._counted(one) for one in analyst.prepared]
        own = [one for one, (name, _) in zip(counted, made) if name == "own"]
        found += _scored(own, counted, true, plant, float(cap))
    return found


def _true(plant: Plant, knobs: Knobs, seed: int) -> tuple[float, float]:
    """(package, draw) in W over many passes."""
    bench = passes.Bench(plant, 90_000 + seed)
    watts = [float(bench.stream().play(knobs, 60.0, 0.0, frames=False).point.package_w.mean()) for _ in range(60)]
    return float(np.mean(watts)), float(np.mean(plant.draw_w(np.array(watts))))


def _scored(
    own: list[Counted], counted: list[Counted], true: dict[str, tuple[float, float]], plant: Plant, cap: float
) -> list[Row]:
    both = [(c.figures.value("package_w"), c.figures.value("draw_w")) for c in counted]
    line = energy.fit_overhead(np.array([p for p, _ in both]), np.array([d for _, d in both]))
    waste = waste_of(own, counted, line, floor_fps=cap)
    if waste is None:
        return []
    package, draw = true["own"]
    saved = {"boost": draw - true["boost off"][1], "over-cap": draw - true["capped"][1]}
    told = {one.id: one for one in waste.parts}
    rows: list[Row] = []
    of_package = 0.0
    for key, watts in saved.items():
        if key in told:
            rows.append(_row(key, told[key].watts, watts))
            of_package += watts
    if "loss" in told and "standing" in told:
        k = draw - plant.base_w  # what the package draws with its losses
        share = max(1.0 - of_package / k, 0.0)
        both_ = replace(told["loss"].watts, value=0.0)
        rows.append(_row("standing", told["standing"].watts, plant.base_w))
        rows.append(_row("loss", both_, (k - package) * share))
    total = sum(one.watts.value for one in waste.parts)
    rows.append(("adds up", abs(total - waste.draw.value) < 1e-6, 0.0))
    return rows


def _row(name: str, estimate: object, true: float) -> Row:
    low, high = estimate.low, estimate.high  # type: ignore[attr-defined]
    return name, bool(low <= true <= high), (high - low) / 2


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--seeds", type=int, default=4)
    parser.add_argument("--passes", type=int, default=3)
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    plants = [i for i, one in enumerate(truths.loaded())
              if isinstance(one.plant, Plant) and one.plant.sync != "on" and not one.plant.cap_fps]  # fmt: skip
    table: dict[str, list[tuple[bool, float]]] = defaultdict(list)
    with multiprocessing.Pool(options.processes) as pool:
        play = partial(cases, seeds=options.seeds, count=options.passes)
        for rows in pool.imap_unordered(play, plants):
            for name, hit, half in rows:
                table[name].append((hit, half))
    for name, own in sorted(table.items()):
        covered = 100 * np.mean([hit for hit, _ in own])
        print(f"{name:<10} n {len(own):<4} covered {covered:.1f} %, half {np.median([half for _, half in own]):.2f} W")


if __name__ == "__main__":
    main()
