"""An evening ahead: the exact plan against every combination there is, the chance against a count of its own."""

from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from hovrik.core.choose.journey import (
    CHARGE,
    DRAWS,
    FILM,
    Journey,
    Leg,
    Supply,
    Way,
    chance_of,
    paths,
    planned,
    solved,
    used,
    ways_of,
)
from hovrik.core.errors import InputError

SUPPLY = Supply(lambda draw: 40.0 / draw, 0.02)
WAYS = {
    "long-road": (
        Way("8 W", 13.0, 0.01, 31.0),
        Way("12 W", 18.0, 0.01, 42.0, is_answer=True),
        Way("18 W", 27.0, 0.01, 58.0),
    ),
    "short-hill": (Way("6 W", 10.0, 0.01, 40.0), Way("15 W", 23.0, 0.02, 60.0)),
}


def some_evening(rng):
    legs = tuple(
        Leg(str(rng.choice(["long-road", "short-hill", FILM, CHARGE])), float(rng.integers(10, 100)),
            bool(rng.random() < 0.7), float(rng.choice([0.0, 0.0, 20.0])))
        for _ in range(int(rng.integers(1, 6)))
    )  # fmt: skip
    return Journey(legs, float(rng.uniform(0.3, 1.0)), float(rng.uniform(0.0, 0.25)))


def by_hand(evening, shares, ways):
    """The best of every combination."""
    costs, best = [np.quantile(own, 0.9, axis=0) for own in shares], ()
    for picks in product(*([None, *range(len(own))] for own in ways)):
        charge, fits = evening.charge, True
        for cost, pick in zip(costs, picks):
            charge = min(charge - (cost[pick] if pick is not None else 0.0), 1.0)
            fits &= charge >= min(evening.reserve, evening.charge) - 1e-9
        if fits:
            best = max(best, wishes(evening, ways, picks))
    return best


def wishes(evening, ways, picks):
    """How far picks go in each wish, the first one first: legs that must be, these as well as their answer, others as
    well, worth an hour."""
    most, found = max((way.worth for own in ways for way in own), default=1.0) or 1.0, [0.0] * 4
    for leg, own, pick in zip(evening.legs, ways, picks):
        if pick is None:
            continue
        answer = next((way.worth for way in own if way.is_answer), own[0].worth)
        found[0] += leg.must
        found[1 if leg.must else 2] += leg.minutes / 60.0 * (min(own[pick].worth / answer, 1.0) if answer else 1.0)
        found[3] += leg.minutes / 60.0 * (own[pick].worth / most + 1e-3)
    return tuple(round(one, 4) for one in found)


def test_the_plan_is_the_best_of_every_combination():
    rng = np.random.default_rng(5)
    for seed in range(60):
        evening = some_evening(rng)
        ways = [ways_of(leg, WAYS) for leg in evening.legs]
        shares = used(evening, ways, SUPPLY, seed)
        picks = solved(evening, shares, ways)
        assert wishes(evening, ways, picks) == pytest.approx(by_hand(evening, shares, ways), abs=2e-4), evening


def test_a_title_is_played_at_its_answer_before_a_film_is_left_out_for_more_frames():
    evening = Journey((Leg("long-road", 60.0), Leg(FILM, 60.0, must=False)), 0.9, 0.1)
    for charge, played in ((0.9, ("12 W", "")), (1.0, ("12 W", "")), (0.66, ("12 W", None))):
        ways = [ways_of(leg, WAYS) for leg in evening.legs]
        own = replace(evening, charge=charge)
        picks = solved(own, used(own, ways, SUPPLY), ways)
        words = tuple(own[p].words if p is not None else None for own, p in zip(ways, picks))
        assert words[1] == played[1] and words[0] == played[0], (charge, words)


def test_the_chance_is_that_of_paths_counted_otherwise():
    """A constant draw of 20 W from 40 Wh with errors that multiply: a lognormal, by its own quantiles."""
    evening = Journey((Leg("one", 90.0),), 1.0, 0.15)
    found = planned(evening, {"one": (Way("12 W", 20.0, 0.03, 40.0),)}, SUPPLY)
    sd = np.sqrt(0.02**2 + 0.012**2 + 0.05**2 + 0.02**2 + 0.03**2)
    from scipy.stats import norm

    assert found.chance == pytest.approx(norm.cdf(np.log(0.85 / 0.75) / sd), abs=0.03)
    assert found.line[1, -1] == pytest.approx(0.25, abs=0.01) and found.line.shape == (3, 2)


def test_a_longer_leg_moves_what_another_is_played_with():
    legs = (Leg("long-road", 60.0), Leg("short-hill", 30.0))
    before = planned(Journey(legs, 1.0, 0.1), WAYS, SUPPLY)
    after = planned(Journey((legs[0], replace(legs[1], minutes=75.0)), 1.0, 0.1), WAYS, SUPPLY)
    assert before.picks[0] is not None and after.picks[0] != before.picks[0] and None not in after.picks
    assert before.chance > 0.9 and after.breaks in (None, 1)
    for step in before.steps:
        up = step.way > before.picks[step.leg]
        assert step.chance <= before.chance if up else step.chance >= before.chance
        assert step.gain == WAYS[("long-road", "short-hill")[step.leg]][step.way].worth - (
            WAYS[("long-road", "short-hill")[step.leg]][before.picks[step.leg]].worth)  # fmt: skip


def test_a_charging_stop_and_what_does_not_fit():
    legs = (Leg("long-road", 120.0), Leg("short-hill", 60.0, must=False), Leg(FILM, 60.0))
    bare = planned(Journey(legs, 0.6, 0.1), WAYS, SUPPLY)
    assert bare.unplayed and None in bare.picks
    stop = planned(Journey((legs[0], Leg(CHARGE, 60.0, charger_w=65.0), *legs[1:]), 0.9, 0.1), WAYS, SUPPLY)
    assert not stop.unplayed and stop.chance > 0.9
    full = paths(Journey((Leg(CHARGE, 600.0, charger_w=65.0),)), [np.full((DRAWS, 1), -4.0)], (0,))
    assert full.max() == 1.0 and chance_of(Journey(), full) == 1.0
    assert planned(Journey((Leg("never-measured", 30.0),)), {}, SUPPLY).picks == (None,)


def test_twenty_legs_of_twelve_ways_are_solved():
    rng, ways = np.random.default_rng(2), {}
    for n in range(8):
        watts, rate, follows = np.sort(rng.uniform(7, 28, 12)), rng.uniform(20, 60), rng.uniform(0.3, 0.7)
        ways[f"t{n}"] = tuple(Way(f"{w:.1f} W", 5 + 1.1 * w, 0.01, rate * (w / 12) ** follows) for w in watts)
    legs = tuple(Leg(f"t{rng.integers(8)}", float(rng.integers(4, 10))) for _ in range(20))
    found = planned(Journey(legs, 1.0, 0.1), ways, SUPPLY)
    assert None not in found.picks and found.chance > 0.9 and len(found.steps) >= 20


@pytest.mark.parametrize(
    "wrong",
    [{"minutes": 0.0}, {"minutes": float("nan")}, {"minutes": 1e9}, {"charger_w": -1.0}, {"charger_w": float("inf")},
     {"watts": 0.0}, {"watts": 1e6}],
)  # fmt: skip
def test_a_leg_that_cannot_be_is_refused(wrong):
    with pytest.raises(InputError):
        Leg(**{"what": FILM, "minutes": 30.0, **wrong})


def test_an_evening_is_read_as_it_was_written():
    evening = Journey((Leg("long-road", 61.5, False, 18.0), Leg(FILM, 20.0, watts=6.5)), 0.7, 0.15)
    assert Journey.from_dict(evening.as_dict()) == evening
    with pytest.raises(InputError):
        Journey(tuple(Leg(FILM, 5.0) for _ in range(21)))
