"""Watts that a cooler carries, against the truth of machines of other nodes and fans.

Run: .venv/bin/python benchmarks/cooling.py [CASES] [--tuning]; odd plants of the gates in rooms of 16 to 30 C, three
long passes at 30, 60 and 95 % of the limits, each read with a settled value's error; a limit of the die somewhere
between what the lowest and half as much again as the highest gives. Covered: the watts at which the plant truly settles
at the limit lie in the stated 95 % interval, here and in a room 10 degrees hotter.
"""

import math
import sys
from dataclasses import replace

import numpy as np
from gates.worlds import plants
from scipy.optimize import brentq

from hovrik.core.model.cooler import Rise, cooler_of

TUNING, REPORTING = 500, 9000
READ_SD = 0.02  # log of a rise, of a settled value about the truth


def carried(plant, die_c):
    """Watts at which the hotter of the plant's settled values lies at die_c; None outside 1 to 120 W."""
    off = lambda watts: max(die for die, _ in plant.settled(watts)) - die_c  # noqa: E731
    return brentq(off, 1.0, 120.0, xtol=1e-3) if off(1.0) < 0 < off(120.0) else None


def case(number, seed, known=True):
    """(covered here, covered in the hotter room, relative width) of a case; None where nothing is met. known : fan
    speeds tell whether the fan follows."""
    rng = np.random.default_rng((seed, number))
    kind = plants.KINDS[number % len(plants.KINDS)]
    plant = replace(plants.drawn(kind, int(rng.integers(6)), seed + number), room_c=float(rng.uniform(16, 30)))
    low, high = plant.limits_w[0], plant.limits_w[-1]
    rises = []
    for place in (0.3, 0.6, 0.95):
        watts = low + place * (high - low)
        die = max(d for d, _ in plant.settled(watts))
        rises.append(Rise(watts, (die - plant.room_c) * math.exp(READ_SD * rng.standard_normal()), READ_SD))
    ends = [max(d for d, _ in plant.settled(watts)) for watts in (low, 1.5 * high)]
    limit = float(rng.uniform(min(ends), max(ends)))
    found, covered = cooler_of(rises, number, plant.fan == "auto" if known else None), []
    for room in (plant.room_c, plant.room_c + 10.0):
        there = replace(plant, room_c=room)
        truth, rise = carried(there, limit), limit - room
        if truth is None or rise <= 2.0:
            covered.append(None)
            continue
        said = found.carries(rise, room - plant.room_c)
        covered.append(said.low <= truth <= said.high)
        width = math.log(said.high / said.low)
    return (*covered, width, kind) if covered[0] is not None else None


def main(cases, seed, known=True):
    """Print a line a kind of plant, and all; the shares."""
    rows = [row for number in range(cases) if (row := case(number, seed, known)) is not None]
    for kind in (*dict.fromkeys(row[3] for row in rows), "all"):
        own = [row for row in rows if kind in ("all", row[3])]
        hot = [row[1] for row in own if row[1] is not None]
        print(f"{kind}: n {len(own)}, covered {np.mean([r[0] for r in own]):.3f}, 10 degrees hotter {np.mean(hot):.3f} "
              f"(n {len(hot)}), width {np.median([r[2] for r in own]):.2f}")  # fmt: skip
    return float(np.mean([row[0] for row in rows]))


if __name__ == "__main__":
    given = [a for a in sys.argv[1:] if not a.startswith("-")]
    for speeds in (True, False):
        print("fan speeds recorded" if speeds else "no fan speeds")
        main(int(given[0]) if given else 400, TUNING if "--tuning" in sys.argv else REPORTING, speeds)
