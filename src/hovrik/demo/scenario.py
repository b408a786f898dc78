"""The demo scenario, built by the same code a user would run."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..bench.job import Control, RunEvent
from ..core.plan.grid import LadderDesign
from ..core.questions.question import Question, lowest_watts
from ..service import library
from ..service import run as sweep
from ..service.machines import open_machine, simulated
from ..store.notebook import Notebook

RIGS = Path(__file__).with_name("rigs")
SCENARIO = RIGS / "ombrel-8.toml"
ROOM_C = 22.0


def question() -> Question:
    """The demo's question."""
    return lowest_watts(rig="ombrel-8", slot="sedge", title="saltmarsh-couriers", scene="causeway", target_fps=40.0)


def design(seed: int = 1) -> LadderDesign:
    """The demo's sweep: 7 to 18 W by 1 W, capped at 40, three rounds, and one heat pass of 15 min."""
    return LadderDesign(7.0, 18.0, 1.0, cap_fps=40.0, repeats=3, heat_s=900.0, seed=seed)


def addresses(notebook: Path, seed: int = 1) -> dict[str, dict[str, Any]]:
    """Addresses of the demo's machines by rig key; their states lie beside the notebook."""
    return {path.stem: simulated(path, state_file(notebook, path.stem), seed) for path in rig_files()}


def rig_files() -> list[Path]:
    """Descriptions of the demo's machines."""
    return sorted(path for path in RIGS.glob("*.toml") if path.name != "titles.toml")


def prepare(notebook: Notebook, path: Path, seed: int = 1) -> None:
    """Note the demo's rigs and titles, and where their machines are found; `path` : of the notebook."""
    for rig_key, address in addresses(path, seed).items():
        machine = open_machine(address)
        library.register(notebook, machine.describe())
        library.keep_address(notebook, rig_key, address)
    notebook.set_state("question", question().as_dict())
    notebook.set_state("design", design(seed).as_dict())
    notebook.set_state("room_c", ROOM_C)


def build(
    path: Path, *, seed: int = 1, pace: float = float("inf"),
    announce: Callable[[RunEvent], None] = lambda event: None, control: Control | None = None,
) -> int:  # fmt: skip
    """Make the demo notebook at `path` with its sweep run and stored; passes kept. Continues one cut short."""
    with Notebook(path) as notebook:
        prepare(notebook, path, seed)
        address = addresses(path, seed)[question().rig]
        open_entry = next((e for e in notebook.open_runs() if e.machine == address), None)
        plan_id = (
            open_entry.plan_id if open_entry else sweep.keep_plan(notebook, question(), design(seed), room_c=ROOM_C)
        )
        machine = open_machine(address, pace=pace)
        try:
            ended = sweep.run_plan(notebook, plan_id, machine, address, control or Control(), announce)
        finally:
            machine.close()
        return ended.done


def state_file(notebook: Path, rig: str = "ombrel-8") -> Path:
    """A stand-in's own state beside a notebook: it outlives the program like real hardware."""
    return notebook.with_name(f"{notebook.stem}.{rig}.machine.json")


def default_path() -> Path:
    """Where `hovrik demo` keeps its notebook, by the XDG base directories."""
    base = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    return Path(base) / "hovrik" / "demo.hovrik"
