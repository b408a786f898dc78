"""Whether stated chances that a charge lasts are right: evenings planned from passes of one scene, then really played.

Run: .venv/bin/python benchmarks/evenings_ahead.py [EVENINGS]; titles of the stand-in at four limits. Ways are what
three passes of one scene tell. The evening itself plays a random mix of all scenes of each title, from a pack whose
energy is off its label by 3 % (sd), whose voltage and resistance are the stand-in's own, over chargers of which 82 to
95 % gets in. Beside each plan its steps up and down are judged, so that every chance occurs.
"""

import math
import sys
from dataclasses import replace
from functools import cache

import numpy as np

from hovrik.bench.simulated.battery import Battery
from hovrik.bench.simulated.model import load_model
from hovrik.bench.simulated.physics import capped
from hovrik.bench.simulated.truth import independent_pass
from hovrik.core.choose.journey import (
    BOUND_SD,
    CHARGE,
    FILM,
    SCENES_SD,
    USUAL_W,
    Journey,
    Leg,
    Supply,
    Way,
    planned,
    used,
    ways_of,
)
from hovrik.core.model import battery
from hovrik.demo import scenario
from hovrik.service.tonight import BINDS

LIMITS = (9.0, 12.0, 15.0, 20.0)
CAPPED = 60.0
STEP_S = 60.0
MODEL = load_model(scenario.RIGS / "ombrel-8.toml")


@cache
def watts(title, scene, limit):
    """Draw and mean rate of a long pass, by the stand-in's physics."""
    ms, package = independent_pass(MODEL.physics, MODEL.loads[title, scene], limit, capped(CAPPED), 120.0, (3, 1))
    board = MODEL.physics.board
    return board.base_w + package / board.efficiency, 1000.0 / float(ms.mean())


def scenes_of(title):
    return [scene for key, scene in MODEL.loads if key == title]


def titles(count=4):
    """Titles with most scenes."""
    keys = dict.fromkeys(key for key, _ in MODEL.loads)
    return sorted(keys, key=lambda key: -len(scenes_of(key)))[:count]


def measured(rng, title):
    """Ways of a title, as three passes of its first scene tell them."""
    found = []
    for limit in LIMITS:
        draw, fps = watts(title, scenes_of(title)[0], limit)
        told = draw * math.exp(0.008 / math.sqrt(3) * rng.standard_normal())
        board = MODEL.physics.board
        binds = (draw - board.base_w) * board.efficiency >= BINDS * limit
        found.append(Way(f"{limit:g} W", told, 0.008, fps, BOUND_SD if binds else SCENES_SD))
    return tuple(found)


def supply_of():
    """As the program makes it of the rig's facts."""
    whole = replace(MODEL.rig, charge_limit=1.0, reserve=0.0)
    known = battery.gives(whole, 10.0)
    return Supply(lambda draw: battery.gives(whole, draw).wh / draw, math.log(known.high / known.low) / 3.92)


def played(rng, evening, ways, picks):
    """Whether the reserve is left to the end of one real evening."""
    label = Battery.of(MODEL.rig)
    pack = replace(label, full_wh=label.full_wh * math.exp(0.03 * rng.standard_normal()))
    charge, into = evening.charge, rng.uniform(0.82, 0.95)
    for leg, own, pick in zip(evening.legs, ways, picks):
        if pick is None:
            continue
        if leg.is_title:
            limit = LIMITS[[way.words for way in own].index(own[pick].words)]
            scenes = scenes_of(leg.what)
            mix = rng.dirichlet(np.ones(len(scenes)))
            draw = float(mix @ [watts(leg.what, scene, limit)[0] for scene in scenes])
        else:
            draw = USUAL_W[leg.what] * math.exp(0.15 * rng.standard_normal())
        for _ in range(round(leg.minutes * 60 / STEP_S)):
            amps = pack.current_a(max(charge, 0.02), draw - into * leg.charger_w)
            charge = min(charge - amps * STEP_S / 3600.0 / pack.charge_ah, 1.0)
            if charge < evening.reserve:
                return False
    return True


def evening_of(rng, keys):
    """Two to five legs that take about a charge."""
    legs = []
    for _ in range(int(rng.integers(2, 6))):
        what = str(rng.choice([*keys, *keys, FILM, CHARGE]))
        legs.append(Leg(what, float(rng.integers(15, 70)), charger_w=float(rng.choice([20, 45])) * (what == CHARGE)))
    return Journey(tuple(legs), float(rng.uniform(0.5, 1.0)), float(rng.uniform(0.05, 0.2)))


def judged(evenings, seed=1):
    """(stated chance, whether it came about) of plans and of their steps; each really played twice."""
    rng, supply, keys, rows = np.random.default_rng((61, seed)), supply_of(), titles(), []
    while len(rows) < evenings:
        own = {key: measured(rng, key) for key in keys}
        evening = evening_of(rng, keys)
        found = planned(evening, own, supply, int(rng.integers(1e6)))
        ways = [ways_of(leg, own) for leg in evening.legs]
        assert len(used(evening, ways, supply)) == len(ways)
        if all(pick is None for pick in found.picks):
            continue
        plans = [(found.chance, found.picks)]
        for step in found.steps:
            picks = tuple(step.way if at == step.leg else pick for at, pick in enumerate(found.picks))
            plans.append((step.chance, picks))
        rows += [(chance, played(rng, evening, ways, picks)) for chance, picks in plans]
    return rows[:evenings]


def main(evenings):
    """Print stated against observed by bands; the difference over all."""
    rows = judged(evenings)
    for low, high in ((0.0, 0.2), (0.2, 0.5), (0.5, 0.8), (0.8, 0.95), (0.95, 1.01)):
        own = [(said, came) for said, came in rows if low <= said < high]
        if own:
            said, came = np.mean(own, axis=0)
            print(f"stated {low:.2f} to {high:.2f}: n {len(own)}, stated {said:.2f}, came about {came:.2f}")
    said, came = np.mean(rows, axis=0)
    print(f"all: n {len(rows)}, stated {said:.3f}, came about {came:.3f}")
    return said, came


if __name__ == "__main__":
    given = [a for a in sys.argv[1:] if not a.startswith("-")]
    main(int(given[0]) if given else 1000)
