"""What limits the rate: each knob is named once, by its least step, and never against what the frames say."""

from dataclasses import replace

import pytest
from helpers.build import QUESTION, changed, counted

from hovrik.core.facts.factor import static_limit
from hovrik.core.facts.rig import Rig
from hovrik.core.kinds import limits_it
from hovrik.core.kinds.kind import Seen
from hovrik.core.read import response
from hovrik.core.read.answer import Context

CPU_BOUND = {"cpu_share": 99.0, "gpu_share": 60.0, "cpu_mhz": 4000.0}


def told(levels, rate, **figures):
    """The answer where the first level was measured four times and the others twice."""
    rows = [
        changed(counted(w, 0.9 * rate(w), number, rate_fps=rate(w) * (1 + 0.004 * number), cap="none"), **figures)
        for w in levels for number in range(4 if w == levels[0] else 2)
    ]  # fmt: skip
    question = replace(QUESTION, kind="limits-it")
    context = Context(Rig("r", "R", 4.0, 40.0), room_c=22.0)
    return limits_it.answer(Seen(response.read(rows, question), rows, question, context, static_limit()))


@pytest.mark.parametrize("levels", [(14.0, 8.0, 10.0, 12.0, 16.0, 18.0), (14.0, 16.0), (14.0, 9.0, 11.5)])
def test_a_knob_is_named_once_with_the_levels_that_tell(levels):
    found = told(levels, lambda w: 20 + 2 * w)
    assert found.sentence == "The rate is limited by power limit."
    (said,) = [text for text in found.reasons if "a change of the power limit" in text]
    nearest = min(levels[1:], key=lambda w: max(w / 14, 14 / w))
    assert f"from 14 W to {nearest:g} W" in said


@pytest.mark.parametrize("levels", [(30.0, 25.5), (30.0, 22.0, 26.0, 28.0), (30.0, 34.5)])
def test_the_sentence_never_says_otherwise_than_what_the_frames_wait_for(levels):
    """At its highest clock the CPU is waited for, and watts move the rate within its noise: so it is said."""
    found = told(levels, lambda w: 60 + 0.2 * (w > 27), **CPU_BOUND)
    assert "at 30 W frames wait for the CPU" in found.sentence and "power limit" not in found.sentence
