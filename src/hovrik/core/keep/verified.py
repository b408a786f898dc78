"""Whether a profile stood a long run: a settled pass of a quarter of an hour lies where its figures say it would."""

from __future__ import annotations

import math
from collections.abc import Mapping

from ..message import Message, Value, say
from ..passes.figure import BY_ID
from .profile import Profile

LONG_S = 900.0  # of the run that a profile has to stand
LEAST_S = 840.0  # from which a pass counts as such a run
WIDE = 2.0  # deviates: of a single pass, 95 %
COMPARED = ("mean_fps", "draw_w", "die_c", "shell_c")  # beside the low that was asked for


def expected(profile: Profile) -> dict[str, tuple[float, float]]:
    """Figure to the interval that one pass is expected in: that of the mean, and the spread of a pass about it."""
    found, metrics = {}, profile.metrics
    lows = [key for key in metrics if key.startswith("low_1pct_fps_")]
    own = [key for key in lows if key.endswith(profile.low_school)] or lows[:1]
    for key in (*own, *COMPARED):
        row = metrics.get(key)
        if row is None or key not in BY_ID:
            continue
        value, figure = row.value, BY_ID[key]
        low, high = row.ends
        spread = WIDE * figure.prior_sd * (abs(value) if figure.log else 1.0)
        found[key] = (value - math.hypot(value - low, spread), value + math.hypot(high - value, spread))
    return found


def verdict(profile: Profile, values: Mapping[str, float], minutes: float) -> Message:
    """What a long run says: kept, or which figures lie elsewhere. values : of that pass, by figure."""
    beyond = [
        say("kept.figure", figure=BY_ID[key].label.lower(), value=Value(value, BY_ID[key].unit),
            range=Value((low + high) / 2, BY_ID[key].unit, low, high))
        for key, (low, high) in expected(profile).items() if (value := values.get(key)) is not None
        and not low <= value <= high
    ]  # fmt: skip
    if beyond:
        return say("kept.elsewhere", minutes=Value(minutes, digits=0), figures=tuple(beyond))
    return say("kept.stood", minutes=Value(minutes, digits=0))
