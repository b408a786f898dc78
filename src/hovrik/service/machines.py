"""How a machine is found again: an address that can be stored, and what opens it."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ..bench.protocol import Machine
from ..bench.simulated.machine import AS_FAST, SimulatedMachine
from ..bench.simulated.model import load_model
from ..core.errors import Unavailable

Address = Mapping[str, Any]


def simulated(description: Path, state: Path, seed: int = 1) -> dict[str, Any]:
    """Address of a stand-in: its description, the file that is its state, and its seed."""
    return {"kind": "simulated", "description": str(description), "state": str(state), "seed": seed}


def open_machine(address: Address, *, pace: float = AS_FAST) -> Machine:
    """The machine at an address. Raises Unavailable where there is none."""
    if address.get("kind") != "simulated":
        raise Unavailable(f"A machine of kind {address.get('kind')!r} cannot be reached by this version.")
    model = load_model(Path(address["description"]))
    return SimulatedMachine(model, Path(address["state"]), pace=pace, seed=int(address.get("seed", 1)))
