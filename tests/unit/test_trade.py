"""The trade map: what nothing beats (LIB: moocore), what each setup misses, what would have to give."""

import moocore
import numpy as np
import pytest
from helpers.build import QUESTION, changed, counted

from hovrik.core.choose.trade import Kind, Point, points_of, relaxations, unbeaten
from hovrik.core.facts.setup import static
from hovrik.core.facts.terms import HOURS, Limit
from hovrik.core.read import response
from hovrik.core.read.limits import with_limits
from hovrik.core.stats.estimate import Estimate
from hovrik.core.words import render

LOWS = {8: 28.0, 10: 33.0, 12: 37.0, 14: 40.0}


def hours_of(group):
    hours = 40.0 / group.draw.value
    return Estimate(hours, 0.97 * hours, 1.03 * hours)


def made(question=QUESTION):
    passes = [changed(counted(w, low * (1 + 0.002 * k), k), die_c=40.0 + 2.0 * w, errors={"die_c": 1.0})
              for w, low in LOWS.items() for k in range(3)]  # fmt: skip
    responses = with_limits(response.read(passes, question), question.terms.limits, hours_of)
    return points_of(responses, question.terms, hours_of)


def test_what_nothing_beats_is_what_moocore_finds():
    rng = np.random.default_rng(2)
    rows = rng.random((60, 2))
    points = [
        Point(
            static(float(at)),
            Kind.MEASURED,
            {key: Estimate(v, None, None) for key, v in zip((HOURS, "judged"), row)},
            1,
        )
        for at, row in enumerate(rows)
    ]
    wanted = {at for at, keep in enumerate(moocore.is_nondominated(-rows)) if keep}
    assert {int(one.setup["sustained_limit_w"]) for one in unbeaten(points, HOURS)} == wanted
    assert unbeaten([], HOURS) == []


def test_each_setup_says_what_it_does_not_meet():
    points = made(QUESTION.with_(limits=(Limit("die_c", at_most=66.0), Limit(HOURS, at_least=1.8))))
    told = {int(one.setup["sustained_limit_w"]): " ".join(render(fail) for fail in one.fails) for one in points}
    assert told[8].startswith("misses 40") and "die" not in told[8] and "hours" not in told[8]
    assert "die, settled at most 66 C" in told[14] and "misses" not in told[14]
    assert all(one.values[HOURS].value == pytest.approx(40.0 / one.values["draw_w"].value) for one in points)


def test_what_would_have_to_give():
    """Each limit alone, by the smallest whole step with which something measured would surely fit."""
    assert relaxations(made(), QUESTION.terms) == []  # something fits
    asked = QUESTION.with_(limits=(Limit("die_c", at_most=62.0),))
    told = {one.figure: one for one in relaxations(made(asked), asked.terms)}
    assert told["die_c"].value == 71 and told["die_c"].setup["sustained_limit_w"] == 14.0
    assert 33 <= told["floor"].value <= 34 and told["floor"].setup["sustained_limit_w"] == 10.0
    eased = asked.with_(target_fps=told["floor"].value)
    assert any(one.fits for one in made(eased))
    assert relaxations([], QUESTION.terms) == []
