"""Whole sweeps through the real service, on the shipped stand-in and on odd plants behind the protocol."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

from hovrik.bench.simulated.machine import SimulatedMachine

from . import program
from .score import Score
from .truth import Truth
from .worlds import shipped
from .worlds.machine import machine as plant_machine
from .worlds.shipped import Shipped


def scores(truth: Truth, seed: int) -> Iterator[Score]:
    """Whether the stated answer of one run holds, is near the best, is withheld."""
    plant = truth.plant
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if isinstance(plant, Shipped):
            made = SimulatedMachine(shipped.model(plant.index), folder / "state.json", seed=seed)
            title, scene = shipped.TITLE, shipped.SCENE
        else:
            made, title, scene = plant_machine(plant, seed), "odd-title", "stretch"
        said = program.service_sweep(
            made, plant.limits_w, plant.cap_fps, plant.floor_fps, seed, title=title, scene=scene, folder=folder
        )
    low, floor = truth.means["low_fps"], 0.97 * plant.floor_fps
    holding = [i for i, value in enumerate(low) if value >= floor]
    sweep = f"served/{plant.name}/{seed}"
    if holding:
        yield Score("served", "withheld, n 3, step any", plant.kind, sweep, said.stated_w is None, 1.0)
    if said.stated_w is not None:
        at = min(range(low.size), key=lambda i: abs(plant.limits_w[i] - said.stated_w))
        yield Score("served", "holds, n 3, step any", plant.kind, sweep, low[at] >= floor * 0.9995, 1.0)
        near = bool(holding) and abs(at - holding[0]) <= 1
        yield Score("served", "within a step, n 3, step any", plant.kind, sweep, near, 1.0)
