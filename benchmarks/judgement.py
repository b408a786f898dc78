"""Is the answer right? Seeded sweeps over stand-in rigs against the stand-in's own truth.

Usage: python benchmarks/judgement.py [--sweeps 200] [--truth-passes 1000] [--processes 2] [--out FILE]

For each of five rigs with different parameters: the truth of every level (does it hold the floor?) from independent
passes straight from the physics, none of the analysis code; then seeded sweeps through the real service (plan, run,
store, answer). Prints how often a stated answer truly holds, lies within one step of the lowest level that holds,
and is withheld. The truth is cached in benchmarks/data/.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import tempfile
from dataclasses import dataclass, replace
from pathlib import Path

from hovrik.bench.job import Control
from hovrik.bench.simulated.heat import HeatState
from hovrik.bench.simulated.machine import SimulatedMachine
from hovrik.bench.simulated.model import Model, load_model
from hovrik.bench.simulated.physics import Load, capped
from hovrik.bench.simulated.truth import expectation
from hovrik.core.plan.ladder import LadderDesign
from hovrik.core.question import Question
from hovrik.demo.scenario import SCENARIO
from hovrik.service import library, sweep
from hovrik.service.evidence import evaluate
from hovrik.store.notebook import Notebook

CACHE = Path(__file__).with_name("data") / "truth.json"
TITLE, SCENE = "saltmarsh-couriers", "causeway"


@dataclass(frozen=True)
class Case:
    """A rig with a title, what is asked and how it is swept."""

    name: str
    model: Model
    target_fps: float
    design: LadderDesign


def _case(name: str, target: float, design: LadderDesign, load: Load, **physics: dict[str, float]) -> Case:
    base = load_model(SCENARIO)
    changed = base.physics
    chip = changed.chip
    for domain in ("cpu", "gpu"):
        if domain in physics:
            chip = replace(chip, **{domain: replace(getattr(chip, domain), **physics[domain])})
    chip = replace(chip, **physics.get("chip", {}))
    changed = replace(
        changed,
        chip=chip,
        heat=replace(changed.heat, **physics.get("heat", {})),
        board=replace(changed.board, **physics.get("board", {})),
    )
    rig = replace(base.rig, limit_high_w=35.0, battery_wh=80.0)
    model = replace(base, rig=rig, physics=changed, loads={**base.loads, (TITLE, SCENE): load})
    return Case(name, model, target, design)


def cases() -> list[Case]:
    """Five rigs: GPU-heavy capped, GPU-heavy free, CPU-heavy capped, big chip free at 60, light and spinning at 60."""
    heavy = load_model(SCENARIO).loads[TITLE, SCENE]
    return [
        _case("gpu-heavy, cap 40", 40, LadderDesign(7, 18, 1, 40.0, 3), heavy),
        _case(
            "gpu-heavy, no cap", 35, LadderDesign(6, 20, 1, None, 3), replace(heavy, wander=0.035, gpu_ms=24.0),
            gpu={"k": 9.4, "v0": 0.66}, chip={"uncore_w": 2.4},
        ),
        _case(
            "cpu-heavy, cap 30", 30, LadderDesign(5, 16, 1, 30.0, 3),
            replace(heavy, cpu_ms=24.0, gpu_ms=11.0, cpu_sd=0.12, threads=1.8), cpu={"k": 2.3},
        ),
        _case(
            "big chip, no cap", 60, LadderDesign(12, 34, 2, None, 3),
            replace(heavy, gpu_ms=15.0, cpu_ms=7.0, wander=0.025),
            gpu={"k": 11.0, "high_ghz": 2.9}, heat={"r1": 0.45, "r2": 0.8, "c2": 300.0},
        ),
        _case(
            "light and spinning, cap 60", 60, LadderDesign(5, 14, 1, 60.0, 3),
            replace(heavy, cpu_ms=8.0, gpu_ms=8.5, waste=0.7, threads=1.6, stutter_share=0.003),
        ),
    ]  # fmt: skip


def _start_c(case: Case) -> tuple[float, float]:
    """Die and shell at the start of a pass in the middle of the sweep: duty-weighted mean power over its levels."""
    design, heat = case.design, case.model.physics.heat
    duty = (design.soak_s + design.pass_s) / (design.soak_s + design.pass_s + design.cool_s + design.settle_s)
    watts = duty * sum(design.levels_w()) / len(design.levels_w())
    shell = case.model.room_c + heat.r2 * watts
    return shell + 0.3 * heat.r1 * watts, shell


def truth_of(argument: tuple[int, float, int]) -> tuple[int, float, dict[str, float]]:
    """Truth of one level of one case."""
    index, limit, passes = argument
    case = cases()[index]
    die, shell = _start_c(case)
    found = expectation(
        case.model.physics, case.model.loads[TITLE, SCENE], limit, capped(case.design.cap_fps), case.design.pass_s,
        case.target_fps, passes, seed=900_000 + index, soak_s=case.design.soak_s, start=HeatState(die, shell),
    )  # fmt: skip
    return index, limit, found.__dict__


def truths(passes: int, processes: int) -> dict[str, dict[str, dict[str, float]]]:
    """Truth of every level of every case, cached by name and number of passes."""
    cached = json.loads(CACHE.read_text()) if CACHE.exists() else {}
    wanted = [
        (index, limit, passes)
        for index, case in enumerate(cases())
        for limit in case.design.levels_w()
        if f"{limit:g}" not in cached.get(f"{case.name} x{passes}", {})
    ]
    with multiprocessing.Pool(processes) as pool:
        for index, limit, found in pool.imap_unordered(truth_of, wanted):
            cached.setdefault(f"{cases()[index].name} x{passes}", {})[f"{limit:g}"] = found
    CACHE.parent.mkdir(exist_ok=True)
    CACHE.write_text(json.dumps(cached, indent=1, sort_keys=True) + "\n")
    return {case.name: cached[f"{case.name} x{passes}"] for case in cases()}


def truly_holds(found: dict[str, float], question: Question) -> bool:
    """Whether a level's expectation holds the floor."""
    return found["low_fps"] >= question.floor_fps and found["missed_share"] <= question.missed_share


def question_of(case: Case) -> Question:
    """What is asked of a case."""
    return Question("ombrel-8", "sedge", TITLE, SCENE, target_fps=case.target_fps)


def one_sweep(argument: tuple[int, int]) -> dict[str, object]:
    """One seeded sweep through the real service; its answer."""
    index, seed = argument
    case = cases()[index]
    with tempfile.TemporaryDirectory() as folder:
        state = Path(folder) / "state.json"
        address = {"kind": "simulated", "description": case.name, "state": str(state), "seed": seed}
        machine = SimulatedMachine(case.model, state, seed=seed)
        with Notebook(Path(folder) / "sweep.hovrik") as notebook:
            notebook._connection.execute("PRAGMA synchronous = OFF")  # the disk is not what is tested here
            library.register(notebook, machine.describe())
            question = question_of(case)
            plan = sweep.keep_plan(notebook, question, replace(case.design, seed=seed), room_c=22.0)
            sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
            found = evaluate(notebook, question)
    option = found.answer.option
    return {
        "case": index, "seed": seed, "limit_w": option.limit_w if option else None, "holds": found.answer.holds,
        "void": found.context.void, "sentence": found.answer.sentence,
    }  # fmt: skip


def score(results: list[dict[str, object]], truth: dict[str, dict[str, dict[str, float]]]) -> list[dict[str, object]]:
    """Rows of the table, one a case and one for all."""
    rows: list[dict[str, object]] = []
    for index, case in enumerate([*cases(), None]):
        mine = [r for r in results if case is None or r["case"] == index]
        counts = {"stated": 0, "holds": 0, "near": 0}
        for result in mine:
            own = cases()[result["case"]]
            question, levels = question_of(own), own.design.levels_w()
            right = [w for w in levels if truly_holds(truth[own.name][f"{w:g}"], question)]
            if result["limit_w"] is None:
                continue
            counts["stated"] += 1
            counts["holds"] += truly_holds(truth[own.name][f"{result['limit_w']:g}"], question)
            counts["near"] += bool(right) and abs(levels.index(result["limit_w"]) - levels.index(right[0])) <= 1
        rows.append(
            {"name": case.name if case else "all", "sweeps": len(mine), **counts, "void": sum(r["void"] for r in mine)}
        )
    return rows


def table(rows: list[dict[str, object]]) -> str:
    """The table as text."""
    lines = [f"{'rig':30}{'sweeps':>8}{'stated':>8}{'holds':>9}{'within 1':>10}{'withheld':>10}{'void':>6}"]
    for row in rows:
        stated = max(int(row["stated"]), 1)
        lines.append(
            f"{row['name']:30}{row['sweeps']:>8}{row['stated']:>8}{row['holds'] / stated:>9.1%}"
            f"{row['near'] / stated:>10.1%}{1 - row['stated'] / max(row['sweeps'], 1):>10.1%}{row['void']:>6}"
        )
    return "\n".join(lines)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--sweeps", type=int, default=200)
    parser.add_argument("--truth-passes", type=int, default=1000)
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--out", type=Path)
    options = parser.parse_args()
    truth = truths(options.truth_passes, options.processes)
    for case in cases():
        question, levels = question_of(case), []
        for limit in case.design.levels_w():
            found = truth[case.name][f"{limit:g}"]
            levels.append(f"{limit:g}:{found['low_fps']:.1f}{'*' if truly_holds(found, question) else ''}")
        print(f"{case.name}: floor {question.floor_fps:.1f}; true low by W (* holds) {' '.join(levels)}")
    work = [(i % len(cases()), 100 + i) for i in range(options.sweeps)]
    with multiprocessing.Pool(options.processes) as pool:
        results = pool.map(one_sweep, work, chunksize=4)
    print(table(score(results, truth)))
    if options.out:
        options.out.write_text(json.dumps(results, indent=1))


if __name__ == "__main__":
    main()
