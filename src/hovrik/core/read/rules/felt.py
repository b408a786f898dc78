"""What a blind test found of the player, beside every question of the title: their own floor, what they bear of late
frames.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from ...finding import About, Finding
from ..looks import felt_of, late_cap, said_of, tests_of
from .rule import Rule, Whole, advice, finding

TAKE_RATE, TAKE_LATE = "floor/rate", "floor/late"  # actions: with the value behind them


def _finds(whole: Whole) -> Iterable[Finding]:
    for knob, base, looks in tests_of([looked.one for looked in whole.passes]):
        found, cap = felt_of(looks), late_cap(knob, base)
        late = cap is not None
        if found is None or found.low is None or found.high is None:
            continue
        value = math.exp(-found.at) if late else math.exp(found.at)
        action = f"{TAKE_LATE}/{value:.4f}" if late else f"{TAKE_RATE}/{value:.0f}"
        asked = whole.question.terms.floor
        taken = asked is not None and (
            math.isclose(asked.missed_share, value, abs_tol=5e-5) if late else asked.value == round(value)
        )
        yield finding(
            "felt", said_of(found, cap=cap), About.RESPONSE, "late" if late else "rate",
            step=None if taken else advice("felt-late" if late else "felt"), action="" if taken else action,
        )  # fmt: skip


RULES = (Rule("felt", "a logistic curve of at least 20 looks, mistaken and forgotten keys summed over", _finds),)
