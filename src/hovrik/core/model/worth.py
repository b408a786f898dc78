"""What a setup is worth by a player's own weights.

A weight says what one percent of a figure counts. Hours and frames count by their logarithm, the die by that of its
rise over the room, noise by that of its loudness, which doubles with 10 dB (S. S. Stevens, The measurement of loudness,
J. Acoust. Soc. Am. 27, 1955; from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from ..facts.terms import HOURS
from ..stats.estimate import Estimate

JUDGED = "judged"
FIGURES: Mapping[str, str] = {HOURS: "hours", JUDGED: "frames", "die_c": "a cool die", "noise_db": "quiet"}
EVEN: Mapping[str, float] = {HOURS: 1.0, JUDGED: 1.0}
LOUDNESS = math.log(2.0) / 10.0  # a dB
USUAL_ROOM_C = 23.0


def terms_of(values: Mapping[str, Estimate], room_c: float) -> dict[str, float]:
    """What each figure counts, in logs, more is better; figures that are not known are left out."""
    found = {}
    for key in FIGURES:
        one = values.get(key)
        if one is None:
            continue
        if key == "noise_db":
            found[key] = -LOUDNESS * one.value
        elif key == "die_c":
            found[key] = -math.log(max(one.value - room_c, 1.0))
        elif one.value > 0:
            found[key] = math.log(one.value)
    return found


def counting(weights: Mapping[str, float]) -> dict[str, float]:
    """The weights that count: of figures that can be weighed, over nothing."""
    return {key: weight for key, weight in weights.items() if weight and key in FIGURES}


def worth_of(values: Mapping[str, Estimate], weights: Mapping[str, float], room_c: float) -> float | None:
    """What a setup is worth by the weights (logs); None where a figure that counts is not known."""
    own, wanted = terms_of(values, room_c), counting(weights)
    if not wanted or any(key not in own for key in wanted):
        return None
    return sum(weight * own[key] for key, weight in wanted.items())
