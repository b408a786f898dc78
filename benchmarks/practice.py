"""The shipped stand-in at work, for checks of it against the trade: points without noise, scenes that are played."""

import numpy as np

from hovrik.bench.protocol import Instruction, Need, Reply
from hovrik.bench.simulated.faults import Faults
from hovrik.bench.simulated.machine import SimulatedMachine
from hovrik.bench.simulated.model import load_model
from hovrik.bench.simulated.physics import PLAIN, operate
from hovrik.core.facts.setup import static
from hovrik.demo.scenario import SCENARIO

MODEL = load_model(SCENARIO)
PHYSICS = MODEL.physics
HEAVY = MODEL.loads["saltmarsh-couriers", "causeway"]
LIGHT = MODEL.loads["tin-orchard", "grove"]
BOUND = MODEL.loads["paper-comet", "ring"]
STILL = np.ones(8)


def op(limit, setting=PLAIN, load=HEAVY, physics=PHYSICS):
    """Operating point without noise."""
    return operate(physics, load, limit, setting, 60.0, STILL)


def fps(found):
    """Mean rate."""
    return 1000.0 / float(found.frame_ms.mean())


def play(
    folder, *, seconds=60.0, model=MODEL, faults=None, title="saltmarsh-couriers", scene="causeway", limit=15.0, **knobs
):
    """A machine after a scene, and what it recorded."""
    folder.mkdir(exist_ok=True)
    machine = SimulatedMachine(model, folder / f"{len(list(folder.iterdir()))}.json", faults=faults or Faults())
    machine.needs_person(Instruction(Need.SET_BY_HAND, "set"))
    assert machine.apply(static(limit, **knobs)).reply is Reply.DONE
    assert machine.start_scene(title, scene).reply is Reply.DONE
    machine.wait(seconds)
    return machine, machine.sample()
