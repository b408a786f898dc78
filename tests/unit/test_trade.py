"""The trade map: what nothing beats (LIB: moocore), what each setup misses, what would have to give."""

import moocore
import numpy as np
import pytest
from helpers.build import QUESTION, changed, counted
from scipy.stats import norm

from hovrik.core.choose import weighed, whatif
from hovrik.core.choose.trade import Point, PointKind, points_of, relaxations, unbeaten
from hovrik.core.choose.whatif import Change, Spread
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import static
from hovrik.core.facts.terms import HOURS, Limit
from hovrik.core.model.worth import worth_of
from hovrik.core.read import response
from hovrik.core.read.limits import with_limits
from hovrik.core.stats.estimate import Estimate
from hovrik.core.words import render

NOWHERE = Spread(0.0, 0.0, 0.0)
LOWS = {8: 28.0, 10: 33.0, 12: 37.0, 14: 40.0}


def hours_of(group):
    hours = 40.0 / group.draw.value
    return Estimate(hours, 0.97 * hours, 1.03 * hours)


def made(question=QUESTION):
    passes = [changed(counted(w, low * (1 + 0.002 * k), k), die_c=40.0 + 2.0 * w, errors={"die_c": 1.0})
              for w, low in LOWS.items() for k in range(3)]  # fmt: skip
    responses = with_limits(response.read(passes, question), question.terms.limits, hours_of)
    return points_of(responses, question.terms, hours_of)


def alone(row):
    return [Estimate(value, None, None) for value in row]


def test_what_nothing_beats_is_what_moocore_finds():
    rng = np.random.default_rng(2)
    rows = rng.random((60, 2))
    points = [
        Point(
            static(float(at)),
            PointKind.MEASURED,
            {key: Estimate(v, None, None) for key, v in zip((HOURS, "judged"), row)},
            1,
        )
        for at, row in enumerate(rows)
    ]
    wanted = {at for at, keep in enumerate(moocore.is_nondominated(-rows)) if keep}
    assert {int(one.setup["sustained_limit_w"]) for one in unbeaten(points, HOURS)} == wanted
    assert unbeaten([], HOURS) == []


def test_the_order_by_weights_flips_where_it_is_said_to():
    """Against trying weights one by one."""
    points, room = made(QUESTION.with_(figure="none")), 23.0
    weights = {HOURS: 1.0, "judged": 1.3, "die_c": 0.3}
    found = weighed.ranked(points, weights, room)

    def first(**changed_):
        own = {**weights, **changed_}
        return max(range(len(points)), key=lambda at: worth_of(points[at].values, own, room))

    assert found.points[0] == first() and found.worths[0] == 0.0 and list(found.worths) == sorted(found.worths)[::-1]
    assert sum(found.parts.values()) == pytest.approx(-found.worths[1] / 100.0)
    flips = 0
    for key, (low, high) in found.flips.items():
        assert low <= weights[key] <= high
        for edge, beyond in ((low, low * 0.999), (high, high * 1.001)):
            if 0 < edge < 1e9:
                assert first(**{key: beyond}) != found.points[0], key
                assert first(**{key: edge + (weights[key] - edge) * 0.001}) == found.points[0]
                flips += 1
    assert flips >= 3
    assert weighed.ranked(points, {"noise_db": 1.0}, room) is None  # of none of these is the noise known
    assert "is worth most" in render(weighed.told(points, found, weights, list("abcd"))[0])


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


LADDER = {w: 28.0 + 1.8 * (w - 7) - 0.03 * (w - 7) ** 2 for w in range(7, 19)}


def there(change, spread=NOWHERE, question=QUESTION, rig=None, fan=0.0):
    """Outlook of each level of a ladder, by its watts."""
    passes = [changed(counted(w, low * (1 + 0.002 * k), k), die_c=40.0 + 2.0 * w, noise_db=20.0 + w,
                      errors={"die_c": 1.0, "noise_db": 2.0})
              for w, low in LADDER.items() for k in range(3)]  # fmt: skip
    (one,) = response.read(passes, question)
    rungs = whatif.rungs_of(one, lambda _group: True)
    slope = whatif.slope_of(passes, question.terms.floor.edge)
    return {
        int(group.at): whatif.outlook(group, rungs, slope, question.terms, change, spread, rig, 22.0, fan=fan)
        for group in one.groups
    }


def test_a_heavier_scene_asks_for_the_watts_that_its_rate_follows():
    """A frame 6 % longer stands where a limit of 6 % of the rate less did: the crossing moves by as much."""
    now, then = (there(Change(heavier=share)) for share in (0.0, 0.06))
    both = (("now", now), ("then", then))
    first = {name: min(w for w, one in found.items() if one.holds > 0.95) for name, found in both}
    wanted = min(w for w, low in LADDER.items() if low / 1.06 >= 38.8)
    assert abs(first["now"] - min(w for w, low in LADDER.items() if low >= 38.8)) <= 1
    assert abs(first["then"] - wanted) <= 1 and first["then"] > first["now"] and not then[12].is_guess
    best = whatif.best_of(list(then.values()), 0.95, lambda one: one.setup["sustained_limit_w"])
    assert best is not None and best.setup["sustained_limit_w"] == first["then"]
    assert whatif.best_of([], 0.95, lambda one: 0.0) is None


def test_a_hotter_room_and_an_older_battery():
    question = QUESTION.with_(limits=(Limit("die_c", at_most=75.0), Limit(HOURS, at_least=1.0)))
    rig = Rig("r", "R", battery_wh=40.0, pack_cells=4)
    here, hot = (there(Change(room_c=room), question=question, rig=rig) for room in (22.0, 32.0))
    assert hot[16].die.value == pytest.approx(here[16].die.value + 10.0)
    assert here[16].holds > 0.8 and hot[16].holds < 0.01
    old = there(Change(health=0.5, beside_w=2.0), question=question, rig=rig)
    assert old[16].hours.value < 0.5 * here[16].hours.value and old[16].holds < here[16].holds


def test_a_fan_that_follows_the_die_is_louder_in_a_hotter_room():
    """By 50 log10 of how much faster it turns, and in drawn rooms too; one that stands is as loud as it was."""
    question = QUESTION.with_(limits=(Limit("noise_db", at_most=42.0),))
    here, hot = (there(Change(room_c=room), question=question, fan=0.02) for room in (22.0, 32.0))
    stands = there(Change(room_c=32.0), question=question)
    chance = norm.cdf((42.0 - 38.0) / 2.0)
    assert here[18].holds == pytest.approx(chance, abs=0.01) == stands[18].holds
    louder = 50 * np.log10(np.exp(0.2))
    assert hot[18].holds == pytest.approx(norm.cdf((42.0 - 38.0 - louder) / 2.0), abs=0.01)
    drawn = there(Change(room_c=22.0), Spread(3.0, 0.0, 0.0), question, fan=0.02)[18]
    wanted = norm.cdf(4.0 / np.hypot(2.0, 50 * 0.06 / np.log(10)))
    assert drawn.of_100 == pytest.approx(100 * wanted, abs=3)


def test_of_a_hundred_drawn_places():
    """Against the same draws by hand: rooms alone decide, so that the share is a normal tail."""
    question = QUESTION.with_(limits=(Limit("die_c", at_most=78.0),))
    one = there(Change(room_c=22.0), Spread(3.0, 0.0, 0.0), question)[18]
    wanted = 100 * norm.cdf((78.0 - 76.0) / np.hypot(3.0, (one.die.high - one.die.low) / 3.92))
    assert one.of_100 == pytest.approx(wanted, abs=4)
    alone = response.read([counted(12, 45.0, k) for k in range(3)], QUESTION)[0]
    assert whatif.rungs_of(alone, lambda _group: True) is None
    guess = whatif.outlook(alone.groups[0], None, None, QUESTION.terms, Change(heavier=0.1), NOWHERE, None, None)
    assert guess.is_guess and guess.hours is None
