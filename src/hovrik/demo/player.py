"""Someone who plays the demo's blind test: who feels fewer frames than they want, a second or two late, mostly."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from ..bench.job import Control, Phase, Progress, RunEvent
from ..bench.protocol import Machine
from ..core.facts.knob import CAP, is_number

WANTS_FPS, WIDTH = 37.0, 0.07  # rate at which every second look feels bad, and how sharply (log)
LATE_S = (0.6, 3.0)  # s until they press
FORGETS, BY_MISTAKE = 0.04, 0.02  # share of looks


def played(
    machine: Machine, control: Control, announce: Callable[[RunEvent], None], seed: int = 1
) -> Callable[[RunEvent], None]:
    """Announces a run's events on, and presses the key in it. Heard on the run's own thread, so that it may look at the
    machine as a player looks at the panel."""
    rng = np.random.default_rng((seed, 77))
    state: dict[str, float] = {}

    def hear(event: RunEvent) -> None:
        announce(event)
        if not isinstance(event, Progress) or event.phase is not Phase.MEASURE or event.index is None:
            return
        if state.get("look") != event.index:
            cap = machine.read_back().as_setup().get(CAP)
            rate = float(cap) if is_number(cap) and cap is not None else math.inf
            feels = rng.random() < 1.0 / (1.0 + math.exp((math.log(rate) - math.log(WANTS_FPS)) / WIDTH))
            will = rng.random() < BY_MISTAKE or (feels and rng.random() >= FORGETS)
            state.update(look=event.index, at=float(rng.uniform(*LATE_S)) if will else math.inf)
        if event.length_s - event.left_s >= state["at"]:
            state["at"] = math.inf
            control.press()

    return hear
