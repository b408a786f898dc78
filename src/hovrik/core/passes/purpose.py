"""What a pass is made for, and which figures it counts for. A word of a newer version counts for none."""

from __future__ import annotations

from dataclasses import dataclass

SWEEP, HEAT, CONTROL, REFERENCE = "sweep", "heat", "control", "reference"
VERIFY, FLIP, DISCHARGE, PLAY, EVENING = "verify", "flip", "discharge", "play", "evening"
FEEL, FEEL_LATE = "feel", "feel-late"  # looks of a blind test: of the rate, of late frames under a cap
BLIND = frozenset({FEEL, FEEL_LATE})


@dataclass(frozen=True)
class Purpose:
    """One purpose. counts : whether its passes enter figures of their setup."""

    id: str
    label: str
    counts: bool = False


PURPOSES = {
    one.id: one
    for one in (
        Purpose(SWEEP, "sweep", counts=True),
        Purpose(HEAT, "heat"),
        Purpose(CONTROL, "control", counts=True),
        Purpose(REFERENCE, "reference", counts=True),
        Purpose(VERIFY, "verify", counts=True),
        Purpose(FLIP, "flip"),
        Purpose(DISCHARGE, "discharge"),
        Purpose(PLAY, "free play"),
        Purpose(EVENING, "an evening's readings"),
        Purpose(FEEL, "blind look"),
        Purpose(FEEL_LATE, "blind look at late frames"),
    )
}


def purpose(name: str) -> Purpose:
    """The purpose of this name."""
    return PURPOSES.get(name) or Purpose(name, name)
