"""Are faults found, and clean passes left alone? Faults injected into the stand-in's physics or logger; the checks see
telemetry only.

Usage: python benchmarks/faults.py [--passes 200] [--clean 1000] [--processes 2]

For each fault: seeded passes whose size is drawn from the stated range, which includes the smallest that matters; a
pass counts where the fault really happened in it (the stand-in's truth). Prints the share found, by thirds of size, and
which checks said so; then false alarms on clean passes of all titles, light, capped and CPU-bound ones included.
"""

from __future__ import annotations

import argparse
import collections
import multiprocessing
import tempfile
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from hovrik.bench.job import Control, Job
from hovrik.bench.protocol import Instruction, Need
from hovrik.bench.runner import run
from hovrik.bench.setting import apply
from hovrik.bench.simulated.faults import NONE, Faults
from hovrik.bench.simulated.machine import SimulatedMachine
from hovrik.bench.simulated.model import Model, load_model
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.setup import Setup, static
from hovrik.core.finding import State
from hovrik.core.passes.record import PassRecord
from hovrik.core.passes.verdict import Verdict, judge
from hovrik.core.plan.grid import PlannedPass
from hovrik.demo.scenario import RIGS

OMBREL, TEASEL = RIGS / "ombrel-8.toml", RIGS / "teasel-11.toml"
HEAVY = ("saltmarsh-couriers", "causeway")


@dataclass
class Case:
    """One pass to be made. size : how large its fault is; wanted : checks of which one must speak."""

    size: float
    wanted: tuple[str, ...]
    model: Model
    setup: Setup
    faults: Faults = NONE
    scene: tuple[str, str] = HEAVY
    plugged: bool = False
    charge: float = 0.95
    soak_s: float = 20.0
    warm: bool = True
    planned_s: float | None = None
    happened: str = ""


def _limit(rng):
    return float(rng.integers(9, 27))


def _cap(rng):
    return "none" if rng.random() < 0.5 else float(rng.choice([30.0, 40.0]))


def limit_exceeded(rng):
    """+ 10 to + 40 %, from 8 W up; a title that takes all it is given."""
    limit = float(rng.integers(8, 25))
    size = float(rng.uniform(0.10, 0.40))
    return Case(size, ("limit exceeded",), load_model(OMBREL), static(limit), Faults(extra_w=size * limit))


def unsettled(rng):
    """A short limit of 1.3 to 1.8 times the sustained one flatters the first seconds; no soak."""
    limit, size = float(rng.integers(9, 15)), float(rng.uniform(1.3, 1.8))
    high = round(limit * size, 1)
    setup = Setup(sustained_limit_w=limit, short_limit_w=high, peak_limit_w=high, cap_fps="none")
    return Case(size, ("unsettled", "clamp hit"), load_model(OMBREL), setup, soak_s=0.0)


def throttled(rng):
    """A cooler that carries 55 to 85 % of what is asked."""
    model, size = load_model(OMBREL), float(rng.uniform(0.55, 0.85))
    heat = model.physics.heat
    carried = (95.0 - model.room_c) / (28.0 * size) - heat.r1 - 0.3
    physics = replace(model.physics, heat=replace(heat, r2=max(carried, 0.5), c2=30.0))
    return Case(1 - size, ("throttled", "clamp hit"), replace(model, physics=physics), static(28.0), soak_s=120.0)


def clamp(rng):
    """Firmware that allows 60 to 88 % below a charge level inside the window."""
    model, share = load_model(OMBREL), float(rng.uniform(0.60, 0.88))
    physics = replace(model.physics, clamp_charges=(0.8,), clamp_shares=(share,))
    limit = _limit(rng)
    used = (6 + limit / 0.92) * (20 + rng.uniform(12, 48)) / 3600 / 46
    return Case(1 - share, ("clamp hit",), replace(model, physics=physics), static(limit), charge=0.8 + used)


def charge_out(rng):
    """1.5 to 25 % of charge under the window."""
    size = float(rng.uniform(0.015, 0.25))
    return Case(size, ("charge out of window",), load_model(OMBREL), static(12.0), charge=0.51 - size)


def adapter_pulled(rng):
    """Pulled 3 to 57 s into the pass."""
    size = float(rng.uniform(3, 57))
    return Case(size, ("adapter changed",), load_model(OMBREL), static(_limit(rng), _cap(rng)),
                Faults(unplugged_at_s=20 + size), plugged=True, charge=0.7)  # fmt: skip


def drain(rng):
    """The adapter falls 1 to 12 W short."""
    model, size, limit = load_model(OMBREL), float(rng.uniform(1.0, 12.0)), float(rng.integers(12, 27))
    adapter = (5.6 + limit / 0.92 - size) / 0.9
    model = replace(model, rig=replace(model.rig, adapter_w=adapter))
    return Case(size, ("drain while plugged",), model, static(limit), plugged=True)


def variable_off(rng):
    """Switched off unseen; free rates that stay under the panel's own (at it nothing could tell)."""
    limit = float(rng.integers(10, 34))
    setup = static(limit, "none", sync="variable", refresh_hz=float(rng.choice([60.0, 120.0])) if limit < 18 else 120.0)
    return Case(limit, ("variable refresh off",), load_model(TEASEL), setup, Faults(variable_off=True))


def cap_refresh(rng):
    """Pairs of cap and refresh that do not divide."""
    cap, hz = [(40.0, 60.0), (30.0, 80.0), (60.0, 80.0), (30.0, 40.0), (45.0, 60.0)][int(rng.integers(5))]
    setup = static(float(rng.integers(14, 27)), cap, sync="on", refresh_hz=hz)
    return Case(hz / cap, ("cap against refresh",), load_model(OMBREL), setup, scene=("tin-orchard", "grove"))


def memory_full(rng):
    """A pool filled from 99 % to 160 %."""
    model, size = load_model(OMBREL), float(rng.uniform(0.99, 1.6))
    load = replace(model.loads[HEAVY], memory_gb=4.0 * size)
    return Case(size, ("memory full",), replace(model, loads={**model.loads, HEAVY: load}), static(_limit(rng)))


def compiling(rng):
    """Shaders compile with a time constant of 5 to 20 s from the start mark on."""
    model, size = load_model(OMBREL), float(rng.uniform(5, 20))
    load = replace(model.loads[HEAVY], compile_s=size)
    model = replace(model, loads={**model.loads, HEAVY: load})
    return Case(size, ("shaders compiling",), model, static(_limit(rng)), soak_s=0.0, warm=False)


def wrong_length(rng):
    """6 to 40 % shorter or longer than planned."""
    size = float(rng.uniform(0.06, 0.40)) * float(rng.choice([-1, 1]))
    return Case(abs(size), ("wrong length",), load_model(OMBREL), static(_limit(rng), _cap(rng)),
                planned_s=60.0 / (1 + size))  # fmt: skip


def bursts(rng):
    """2 to 10 a minute of 2 s each."""
    size = float(rng.uniform(2, 10))
    return Case(size, ("background load",), load_model(OMBREL), static(_limit(rng), _cap(rng)),
                Faults(bursts_per_min=size), happened="bursts")  # fmt: skip


def collapse(rng):
    """1 to 4 a minute of 4 s each."""
    size = float(rng.uniform(1, 4))
    return Case(size, ("clock collapse",), load_model(OMBREL), static(float(rng.integers(12, 27))),
                Faults(collapses_per_min=size), happened="collapses")  # fmt: skip


def dropouts(rng):
    """1 to 4 a minute; 1.1 to 1.9 s lost each."""
    size = float(rng.uniform(1.1, 1.9))
    return Case(size, ("time gaps",), load_model(OMBREL), static(_limit(rng), _cap(rng)),
                Faults(dropouts_per_min=float(rng.uniform(1, 4)), dropout_s=size), happened="dropouts")  # fmt: skip


def suspend(rng):
    """6 to 120 s asleep."""
    size = float(rng.uniform(6, 120))
    faults = Faults(suspend_at_s=20 + float(rng.uniform(5, 45)), suspend_s=size)
    return Case(size, ("suspended",), load_model(OMBREL), static(_limit(rng), _cap(rng)), faults)


def scaling(rng):
    """The engine holds 30 or 40 at 45 to 90 % of the pixels that it should render."""
    limit, rate = float(rng.integers(14, 27)), float(rng.choice([30.0, 40.0]))
    return Case(rate, ("dynamic resolution",), load_model(OMBREL), static(limit), Faults(scaling_fps=rate),
                ("ironwood-vale", "ridge"))  # fmt: skip


def crash(rng):
    """3 to 57 s into the pass."""
    size = float(rng.uniform(3, 57))
    return Case(
        size, ("title ended",), load_model(OMBREL), static(_limit(rng), _cap(rng)), Faults(crash_at_s=20 + size)
    )


FAULTS = (
    limit_exceeded, unsettled, throttled, clamp, charge_out, adapter_pulled, drain, variable_off, cap_refresh,
    memory_full, compiling, wrong_length, bursts, collapse, dropouts, suspend, scaling, crash,
)  # fmt: skip


def clean(rng):
    """Any title and scene on either handheld at any limit, capped or not, on battery or full on the adapter."""
    path = [OMBREL, TEASEL][int(rng.integers(2))]
    model = load_model(path)
    scenes = sorted(model.loads)
    scene = scenes[int(rng.integers(len(scenes)))]
    limit = float(rng.integers(8, 28 if path == OMBREL else 35))
    most = 6.0 if path == OMBREL else 8.0
    knobs = {"memory_split_gb": most, "textures": "low"}
    plugged = bool(rng.random() < 0.2)
    return Case(limit, (), model, static(limit, _cap(rng), **knobs), scene=scene, plugged=plugged,
                charge=1.0 if plugged else 0.95)  # fmt: skip


class Kept:
    """A sink that keeps the last record."""

    record: PassRecord

    def begin(self, left):
        """Nothing to keep."""

    def at(self, position):
        """Nothing to keep."""

    def keep(self, record):
        """Keep it."""
        self.record = record
        return Verdict(State.VALID, ())

    def remedied(self, action):
        """Nothing to keep."""

    def touching(self, left):
        """Nothing to keep."""

    def restored(self, left=None):
        """Nothing to keep."""


def made(case, seed):
    """The record of a case and how often its fault happened."""
    with tempfile.TemporaryDirectory() as folder:
        machine = SimulatedMachine(case.model, Path(folder) / "s.json", seed=seed, faults=case.faults)
        machine.needs_person(Instruction(Need.SET_BY_HAND, "set up"))
        machine.needs_person(Instruction(Need.PLUG_IN if case.plugged else Need.UNPLUG, "source"))
        machine.set_charge(case.charge)
        if case.warm and case.soak_s < 60:  # as after the passes before
            machine._heat.die_c, machine._heat.shell_c = 46.0, 38.0
            machine._state["played"] = {f"{machine.describe().slot}/{case.scene[0]}": 900.0}
        apply(machine, case.setup, case.model.rig)
        planned = PlannedPass(0, case.setup.without("refresh_hz"), 60.0, 4.0, case.soak_s, 0.0)
        sink = Kept()
        rig = replace(case.model.rig, valid_charge=(0.0, 1.0))  # the runner must not recharge what is injected
        job = Job("plan", (planned,), {}, *case.scene, rig)
        run(machine, job, sink, Control(), lambda event: None)
        record = sink.record
        if case.planned_s is not None:
            asked = Condition(case.planned_s, Provenance.ASKED)
            record = replace(record, conditions={**record.conditions, "planned_s": asked})
        return record, machine.happened.get(case.happened, 1) if case.happened else 1


def one(argument):
    """(fault index or -1 for clean, size, happened, found by, all findings) of one pass."""
    index, seed = argument
    rng = np.random.default_rng((seed, index + 1))
    case = clean(rng) if index < 0 else FAULTS[index](rng)
    record, happened = made(case, seed)
    checks = [f.check for f in judge(record, case.model.rig).findings]
    return index, case.size, happened, bool(set(checks) & set(case.wanted)), checks, (case.scene, case.setup.as_dict())


def table(results):
    """Rows of the fault table: name, passes, share found, by thirds of size, what spoke."""
    rows = []
    for index, fault in enumerate(FAULTS):
        mine = [r for r in results if r[0] == index and r[2]]
        if not mine:
            continue
        ordered = sorted(mine, key=lambda r: r[1])
        thirds = [part for part in np.array_split(np.arange(len(ordered)), 3) if part.size]
        shares = [np.mean([ordered[i][3] for i in part]) for part in thirds]
        spoke = collections.Counter(c for r in mine for c in set(r[4])).most_common(3)
        rows.append((fault.__name__, len(mine), float(np.mean([r[3] for r in mine])), shares, spoke))
    return rows


def main() -> None:
    """Print the tables."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--passes", type=int, default=200)
    parser.add_argument("--clean", type=int, default=1000)
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    work = [(i, 1000 + s) for i, f in enumerate(FAULTS) if options.only in f.__name__ for s in range(options.passes)]
    work += [(-1, 50_000 + s) for s in range(options.clean)]
    with multiprocessing.Pool(options.processes) as pool:
        results = pool.map(one, work, chunksize=8)
    print(f"{'fault':16}{'passes':>7}{'found':>8}   small / middle / large   what spoke")
    for name, count, share, thirds, spoke in table(results):
        print(f"{name:16}{count:>7}{share:>8.1%}   {' / '.join(f'{t:.0%}' for t in thirds):24} {spoke}")
    alarms = [r for r in results if r[0] == -1 and r[4]]
    total = sum(r[0] == -1 for r in results)
    if total:
        print(f"clean passes {total}, false alarms {len(alarms)} ({len(alarms) / total:.1%}):",
              collections.Counter(c for r in alarms for c in r[4]).most_common())  # fmt: skip
        for r in alarms[:12]:
            print("  ", r[4], r[5])


if __name__ == "__main__":
    main()
