"""How far passes of a rig and scene scatter, from what was measured before a question was: a better first guess of the
spread than that of a machine of which nothing is known.

Only repeats of one setup tell it, and only what is older than the question's own passes: what is measured later changes
no answer.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ..passes.figure import BY_ID
from ..stats.least_squares import generalised
from .contrast import block_of
from .group import Counted

LEAST_DOF = 8  # repeats beyond the first of a setup, from which they are a history
FIGURES = ("mean_fps", "draw_w", "package_w")
LOW = "low_1pct_fps_"


@dataclass(frozen=True)
class History:
    """spreads : figure id to the standard deviation of a pass, on the figure's own scale; passes : behind them."""

    spreads: Mapping[str, float] = field(default_factory=dict)
    passes: int = 0


def history_of(earlier: Sequence[Counted]) -> History:
    """earlier : passes of one rig, OS slot, title and scene that count, older than those to be judged."""
    setups = list(dict.fromkeys(one.asked for one in earlier))
    at = {setup: place for place, setup in enumerate(setups)}
    found, used = {}, 0
    lows = dict.fromkeys(name for one in earlier for name in one.figures.values if name.startswith(LOW))
    for name in (*FIGURES, *lows):
        rows = [(at[one.asked], math.log(value), block_of(one, at[one.asked])) for one in earlier
                if (value := one.figures.value(name)) is not None and value > 0 and BY_ID[name].log]  # fmt: skip
        spread = _spread(rows)
        if spread is not None:
            found[name], used = spread, max(used, len(rows))
    return History(found, used)


def _spread(rows: Sequence[tuple[int, float, str]]) -> float | None:
    """Of repeats at one setup about their own mean, those of a launch erring together; None of too few."""
    if not rows:
        return None
    setups, y, blocks = np.array([row[0] for row in rows]), np.array([row[1] for row in rows]), [row[2] for row in rows]
    dof = y.size - np.unique(setups).size
    if dof < LEAST_DOF:
        return None
    design = (setups[:, None] == np.unique(setups)[None, :]).astype(float)
    return generalised(design, y, 0.0, blocks, 0.0).spread
