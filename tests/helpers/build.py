"""Builders that tests share: intervals, records, notebooks, machines."""

import shutil
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy.special import ndtri

from hovrik.bench.simulated.machine import AS_FAST, SimulatedMachine
from hovrik.bench.simulated.model import load_model
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.left import Left
from hovrik.core.facts.setup import Setup, static
from hovrik.core.passes.figures import PassFigures, figures_of
from hovrik.core.passes.point import Point
from hovrik.core.passes.record import PassRecord
from hovrik.core.passes.tail import GRID_MS
from hovrik.core.passes.trace import Channel, Trace
from hovrik.core.questions.question import lowest_watts
from hovrik.core.read.group import Counted
from hovrik.demo import scenario

QUESTION = lowest_watts("rig", "slot", "title", "scene", target_fps=40.0)
DEMO_QUESTION = scenario.question()


def wandering(seconds, fps=50.0, *, wander=0.04, tau_s=5.0, noise=0.06, seed=0):
    """Intervals (ms) of a scene whose load wanders: exact discretisation of a first-order process."""
    rng = np.random.default_rng(seed)
    n = int(seconds * fps * 1.3)
    rho = np.exp(-1.0 / fps / tau_s)
    slow = np.empty(n)
    slow[0] = rng.normal(0, wander)
    kicks = rng.normal(0, wander * np.sqrt(1 - rho * rho), n)
    for i in range(1, n):
        slow[i] = rho * slow[i - 1] + kicks[i]
    interval = 1000.0 / fps * np.exp(slow + rng.normal(0, noise, n))
    return interval[: int(np.searchsorted(np.cumsum(interval), seconds * 1000.0))]


def trace_of(interval_ms, **channels):
    """A trace with these intervals and channels sampled once a second at constant or given values."""
    stamps = np.concatenate(([0], np.cumsum(np.round(np.asarray(interval_ms) * 1e6)))).astype(np.int64)
    seconds = np.arange(0, stamps[-1] + 1, 1_000_000_000, dtype=np.int64)
    made = {}
    for name, value in channels.items():
        values = np.broadcast_to(np.asarray(value, float), seconds.shape).copy()
        made[name] = Channel(seconds, values)
    return Trace(stamps, made, 0, int(stamps[-1]))


def record_of(trace, limit_w=12.0, cap=40.0, **changes):
    """A measured pass."""
    base = PassRecord(
        "pass", {k: k for k in ("rig", "slot", "title", "scene")}, static(limit_w, cap), Setup(),
        {"source": Condition("battery", Provenance.ASKED)}, trace,
    )  # fmt: skip
    return replace(base, **changes)


@lru_cache
def _shape(ratio):
    """2,000 intervals whose mean is 1 and whose 99th percentile is `ratio`, with a tail in which the share of slower
    frames falls as it does in real scenes: by a deviate for every tenth of their length."""
    z = ndtri((np.arange(2000) + 0.5) / 2000)
    low, high, tail = 0.0, 2.0, 0.1 * np.maximum(z - 1.8, 0.0)
    for _ in range(60):
        sd = 0.5 * (low + high)
        made = np.exp(sd * z + tail)
        low, high = (sd, high) if np.quantile(made, 0.99) / made.mean() < ratio else (low, sd)
    return np.random.default_rng(5).permutation(made / made.mean())


def counted(limit_w, low_fps, number=0, *, rate_fps=None, draw_w=None, cap="none"):
    """A counted pass whose intervals have exactly this 1 % low (percentile) and mean rate."""
    rate_fps = rate_fps or low_fps * 1.08
    interval = 1000.0 / rate_fps * _shape(round(rate_fps / low_fps, 9))
    found = figures_of(record_of(trace_of(interval), limit_w), None)
    found = found.with_(draw_w=draw_w or 6.0 + limit_w / 0.92, package_w=float(limit_w))
    return of_figures(f"{limit_w:g}/{number}", static(limit_w, cap), found)


def of_figures(key, setup, figures, **point):
    """A counted pass at a setup that was read back as asked."""
    return Counted(key, Point(setup, **point), setup, figures)


def changed(one, *, errors=None, why=None, without=(), **values):
    """A counted pass with some of its figures replaced or left out."""
    own = one.figures
    kept = {k: v for k, v in {**own.values, **values}.items() if k not in without}
    figures = replace(own, values=kept, errors={**own.errors, **(errors or {})}, why={**own.why, **(why or {})})
    return replace(one, figures=figures)


def missing(one, share):
    """A counted pass of which this share of intervals takes over 1.5 x the target interval."""
    tail = one.figures.tail
    slower = np.where(GRID_MS > 37.5, share * (GRID_MS < 60), tail.slower).astype(np.float32)
    slower = np.where(GRID_MS <= 38.5, np.maximum(slower, share), slower).astype(np.float32)
    return replace(
        one, figures=replace(one.figures, tail=replace(tail, slower=slower, slowest_ms=np.array([60.0], np.float32)))
    )


def ladder_passes(truth, *, repeats=3, sd=0.01, seed=0, cap="none"):
    """Counted passes over {limit: low} with log-normal scatter."""
    rng = np.random.default_rng(seed)
    return [
        counted(w, low * float(np.exp(rng.normal(0, sd))), k, cap=cap)
        for w, low in truth.items()
        for k in range(repeats)
    ]


def summary_figures(mean_fps):
    """Figures of a summary-only pass."""
    return PassFigures(values={"mean_fps": mean_fps})


def copy_notebook(path, folder):
    """Copy a closed notebook with machines of its own, in the state that those of the first are in."""
    target = Path(folder) / path.name
    shutil.copy(path, target)
    from hovrik.service import library, machines
    from hovrik.store.notebook import Notebook

    with Notebook(target) as notebook:
        for rig, address in scenario.machines_of(notebook).items():
            library.keep_address(notebook, rig, machines.like(address))
    return target


def machine(folder, *, pace=AS_FAST, seed=1, **physics):
    """A stand-in of the demo's model, with changed physics where given."""
    model = load_model(scenario.SCENARIO)
    if physics:
        model = replace(model, physics=replace(model.physics, **physics))
    return SimulatedMachine(model, Path(folder) / "state.json", pace=pace, seed=seed)


def left(snapshot, knobs=None, slot="sedge"):
    """A machine as a run found it, with these knobs set since; all that were read where none are named."""
    return Left.found(slot, snapshot).touching(slot, snapshot.readings if knobs is None else knobs)


def nist(name):
    """x, y of a NIST StRD set in tests/data (source: itl.nist.gov StRD, as shipped in lmfit 1.3.4, BSD-3)."""
    lines = (Path(__file__).parent.parent / "data" / f"{name}.dat").read_text().splitlines()
    start = next(i for i, line in enumerate(lines) if line.startswith("Data:") and "y" in line.split()) + 1
    pairs = np.array([[float(v) for v in line.split()] for line in lines[start:] if line.strip()])
    return pairs[:, 1], pairs[:, 0]
