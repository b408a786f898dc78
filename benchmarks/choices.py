"""Picks against the truth: a ladder at two caps on stand-ins with drawn chips and loads, through notebook and service.

Usage: python -m choices [--cases 100] [--first 0] [--passes 16] [--processes 1]   (from benchmarks/; about 25 s a case)

A case is the first rig with its chip, load and floor drawn; its sweep has every second limit, capped at the floor and
free, two rounds. A pick is right where its true low holds the floor; it is near the best where its true draw lies
within 5 % of the least, or its limit within a step, of what truly holds with 2.5 % to spare. Truth: means over
independent passes straight from the physics.
"""

from __future__ import annotations

import argparse
import multiprocessing
import tempfile
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from hovrik.bench.job import Control
from hovrik.bench.simulated.machine import AS_FAST, SimulatedMachine
from hovrik.bench.simulated.model import Model, load_model
from hovrik.bench.simulated.physics import Setting, capped
from hovrik.bench.simulated.truth import expectation
from hovrik.core.facts.knob import CAP, NO_CAP
from hovrik.core.facts.setup import Setup, static
from hovrik.core.plan.grid import LadderDesign
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.store.notebook import Notebook

TITLE, SCENE = "saltmarsh-couriers", "causeway"
FLOORS = (30.0, 40.0, 50.0)
LIMITS = tuple(np.arange(7.0, 19.0, 2.0).tolist())
SPARE, NEAR, TOLERANCE = 0.025, 0.05, 0.03
PASS_S, SOAK_S = 60.0, 30.0


@dataclass(frozen=True)
class Outcome:
    """of : whether anything truly holds with something to spare; given : whether a pick was; holds, near : of it."""

    possible: bool
    given: bool
    holds: bool
    near: bool


def drawn(number: int) -> tuple[Model, float]:
    """The stand-in of a case, and its floor."""
    rng = np.random.default_rng((number, 2026))
    base = load_model(scenario.SCENARIO)
    load, physics = base.loads[TITLE, SCENE], base.physics
    floor = float(FLOORS[number % 3])
    scale = 40.0 / floor * float(np.exp(0.12 * rng.standard_normal()))
    load = replace(
        load, gpu_ms=load.gpu_ms * scale, cpu_ms=load.cpu_ms * scale * float(np.exp(0.3 * rng.standard_normal())),
        wander=load.wander * float(rng.uniform(0.6, 1.6)), gpu_sd=load.gpu_sd * float(rng.uniform(0.7, 1.4)),
        stutter_share=float(rng.uniform(0.0003, 0.003)),
    )  # fmt: skip
    chip = physics.chip
    chip = replace(
        chip, gpu=replace(chip.gpu, k=chip.gpu.k * float(rng.uniform(0.85, 1.2))),
        cpu=replace(chip.cpu, k=chip.cpu.k * float(rng.uniform(0.85, 1.2))),
        uncore_w=chip.uncore_w * float(rng.uniform(0.8, 1.3)),
    )  # fmt: skip
    return replace(base, physics=replace(physics, chip=chip), loads={**base.loads, (TITLE, SCENE): load}), floor


def swept(model: Model, floor: float, number: int, folder: Path) -> Setup | None:
    """The pick of a sweep, None where none is stated."""
    machine = SimulatedMachine(model, folder / "state.json", pace=AS_FAST, seed=number)
    question = scenario.question().with_(target_fps=floor)
    like = LadderDesign(
        LIMITS[0], LIMITS[-1], 2.0, None, repeats=2, pass_s=PASS_S, soak_s=SOAK_S, heat_s=0.0, seed=number
    )
    setups = [static(limit).with_(**{CAP: cap}) for limit in LIMITS for cap in (floor, NO_CAP)] * 2
    with Notebook(folder / "n.hovrik") as notebook:
        library.register(notebook, machine.describe())
        plan = sweep.keep_plan(notebook, question, like, room_c=22.0, setups=setups)
        sweep.run_plan(notebook, plan, machine, {"kind": "x"}, Control(), lambda event: None)
        option = evaluate(notebook, question).answer.option
    return option.setup if option is not None else None


def scored(number: int, passes: int) -> Outcome:
    """One case."""
    model, floor = drawn(number)
    physics, load = model.physics, model.loads[TITLE, SCENE]
    with tempfile.TemporaryDirectory() as folder:
        pick = swept(model, floor, number, Path(folder))
    rows: dict[tuple[float, float], tuple[float, float]] = {}
    edge, board = (1.0 - TOLERANCE) * floor, physics.board
    for limit in LIMITS:
        for cap in (floor, 0.0):
            setting: Setting = capped(cap or None)
            true = expectation(physics, load, limit, setting, PASS_S, floor, passes, number, SOAK_S)
            rows[limit, cap] = true.low_fps, board.base_w + true.package_w / board.efficiency
    # with 2.5 % to spare; at a cap no low lies far over its floor, so that there its half is taken
    spare = {key: 1.0 + (SPARE / 2 if key[1] else SPARE) for key in rows}
    inside = {key: row for key, row in rows.items() if row[0] >= edge * spare[key]}
    if pick is None:
        return Outcome(bool(inside), False, False, False)
    cap = pick.get(CAP)
    own = pick.static_limit_w or 0.0, floor if isinstance(cap, int | float) else 0.0
    low, draw = rows[own]
    if not inside:
        return Outcome(False, True, low >= edge, False)
    best = min(inside, key=lambda key: inside[key][1])
    near = draw <= (1.0 + NEAR) * inside[best][1] or (own[1] == best[1] and abs(own[0] - best[0]) <= 2.0)
    return Outcome(True, True, low >= edge, near)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--cases", type=int, default=100)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--passes", type=int, default=16)
    parser.add_argument("--processes", type=int, default=1)
    options = parser.parse_args()
    numbers = range(options.first, options.first + options.cases)
    found: list[Outcome] = []
    with multiprocessing.Pool(options.processes) as pool:
        for one in pool.imap_unordered(partial(scored, passes=options.passes), numbers):
            found.append(one)
            given, possible = [o for o in found if o.given], [o for o in found if o.possible]
            print(
                f"n {len(found)}: given {len(given)}, holds {sum(o.holds for o in given)}; of {len(possible)} possible "
                f"given {sum(o.given for o in possible)}, near {sum(o.near for o in possible)}",
                flush=True,
            )


if __name__ == "__main__":
    main()
