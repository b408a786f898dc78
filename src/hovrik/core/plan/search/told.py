"""What passes tell a belief: lows past their cap, rises over the room, noise along them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...model.belief import Belief, Measured
from ...model.held import deviates
from ...read.group import Counted
from .goal import Goal
from .space import Space

Array = NDArray[np.float64]

NOISE_PRIOR = (35.0, 8.0, 25.0, 12.0)  # dB at a rise of 35 K and its sd, dB a log of the rise and its sd
NOISE_ABOUT, NOISE_SD, LEVEL_SD = math.log(35.0), 1.5, 3.0  # of a fan about such a line; of the level that is noted
NEAR_CAP, STEP_INTERVAL = 0.9, 1.1  # of a low, from where its cap has a say; over which the tail's slope is read
LEAST_SLOPE, MOST_SLOPE = 5.0, 40.0  # deviates a log of the interval, of scenes measured before
ONE_PERCENT, MOST_OFF = -2.326, 0.25
ORDERED_BY = ("draw_w", "mean_fps", "package_w")


def measured_by(passes: Sequence[Counted], space: Space, goal: Goal) -> Measured:
    """By what they measured: draws of a belief go pass by pass, whatever order these are stored in."""
    places = {setup: at for at, setup in enumerate(space.setups)}
    rows = [(places[own], one) for one in passes if (own := space.of(one)) in places]
    rows.sort(key=lambda row: (row[0], *(row[1].figures.value(key) or 0.0 for key in ORDERED_BY)))
    value = lambda one, key: math.log(v) if (v := one.figures.value(key)) and v > 0 else math.nan  # noqa: E731
    at = np.array([place for place, _ in rows], np.int64)
    caps = [float(space.caps[place]) for place, _ in rows]
    lows = [latent_low(one, goal, cap) for cap, (_, one) in zip(caps, rows)]
    values = {
        "low": np.array([
            value(one, goal.figure) if own is None else own for own, (_, one) in zip(lows, rows)
        ]),
        "rate": np.array([value(one, "mean_fps") for _, one in rows]),
        "draw": np.array([value(one, "draw_w") for _, one in rows]),
        "rise": np.array([rise_of(one, goal.room_c) for _, one in rows]),
    }  # fmt: skip
    reading = np.array([_rise_sd(one, goal.room_c) for _, one in rows])
    latent = np.array([
        own is not None or _is_free(one, goal, cap) for own, cap, (_, one) in zip(lows, caps, rows)
    ], bool)  # fmt: skip
    return Measured(at, values, {"rise": reading}, latent)


def _is_free(one: Counted, goal: Goal, cap_fps: float) -> bool:
    """Whether a low lies so far under its cap that the cap has no say in it: twins whose low would lie over that cap
    are then wrong of it, which the cap must not hide."""
    low = one.figures.value(goal.figure)
    return low is not None and math.isfinite(cap_fps) and low < NEAR_CAP * cap_fps


def noise_by(passes: Sequence[Counted], belief: Belief, goal: Goal, seed: int) -> Array | None:
    """(draws, c) dB at the settled die: a line over the log of its rise, drawn from what passes told and a wide
    prior. A fan follows the die, so that its speed settles where the die does."""
    rows = [(rise, noise) for one in passes if (noise := one.figures.value("noise_db")) is not None
            and not math.isnan(rise := rise_of(one, goal.room_c))]  # fmt: skip
    if not rows or not math.isfinite(goal.noise_limit_db):
        return None
    rise, noise = np.array(rows).T
    level, level_sd, slope, slope_sd = NOISE_PRIOR
    x = np.column_stack((np.ones(rise.size), rise - NOISE_ABOUT))
    precision = np.diag([level_sd**-2, slope_sd**-2]) + x.T @ x / NOISE_SD**2
    covariance = np.linalg.inv(precision)
    mean = covariance @ (np.array([level / level_sd**2, slope / slope_sd**2]) + x.T @ noise / NOISE_SD**2)
    rng = np.random.default_rng((seed, 31, rise.size))
    lines = rng.multivariate_normal(mean, covariance, belief.rise.shape[0])
    level_off = LEVEL_SD * rng.standard_normal((belief.rise.shape[0], 1))
    found: Array = lines[:, :1] + lines[:, 1:] * (belief.rise - NOISE_ABOUT) + level_off
    return found


def latent_low(one: Counted, goal: Goal, cap_fps: float) -> float | None:
    """Log of the low that a pass near its cap would have without it, from the share of frames that are slower than the
    edge's interval: the cap's corner is invisible to that, while the low itself varies little just where it is cut.
    None for a pass far from its cap, or without frames."""
    tail, low = one.figures.tail, one.figures.value(goal.figure)
    if tail is None or low is None or goal.figure != Goal().figure or not goal.edge_fps > 0:
        return None
    if low < NEAR_CAP * cap_fps or goal.edge_fps > cap_fps:
        return None
    interval = 1000.0 / goal.edge_fps
    shares = np.array([tail.slower_than(interval), tail.slower_than(STEP_INTERVAL * interval)])
    here, beyond = deviates(shares, tail.frames)
    slope = min(max((here - beyond) / math.log(STEP_INTERVAL), LEAST_SLOPE), MOST_SLOPE)
    return math.log(goal.edge_fps) + float(np.clip((ONE_PERCENT - here) / slope, -MOST_OFF, MOST_OFF))


def rise_of(one: Counted, room_c: float) -> float:
    """Log of the settled die's rise over the room of a pass (K), nan where it is not told. room_c : where none is."""
    die = one.figures.value("die_c")
    room = one.point.number("room_c")
    over = die - (room if room is not None else room_c) if die is not None else 0.0
    return math.log(over) if over > 1.0 else math.nan


def _rise_sd(one: Counted, room_c: float) -> float:
    die, sd = one.figures.value("die_c"), one.figures.errors.get("die_c", 0.0)
    return sd / max(die - room_c, 5.0) if die is not None else 0.0
