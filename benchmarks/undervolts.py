"""How safe what an undervolt's walk keeps is, over hidden margins.

Run: .venv/bin/python benchmarks/undervolts.py [CASES]; two domains with hidden margins of 12 to 130 mV, three laws of
faults in turn: a rate that grows with the offset (as the stand-in's), a hard threshold that wanders between passes, and
a margin that shrinks as the chip warms in a long soak. Beyond: what was kept lies past a hidden margin. Told beside it:
in how many cases under one fault is expected in 50 hours at what was kept. Counted too: setups at or under something
that failed, and offsets over zero or under the maker's range, of which there may be none.
"""

import math
import sys

import numpy as np

from hovrik.core.facts.setup import Setup, static
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.plan.design import Told
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.undervolt import UndervoltDesign
from hovrik.core.read.group import Counted

LAWS = ("rate", "threshold", "warm")
HOURS = 50.0


class Chip:
    """margins : (2,) mV; faults in a pass by one of the laws."""

    def __init__(self, rng, law):
        self.rng, self.law, self.margins = rng, law, rng.uniform(12, 130, 2)

    def a_second(self, offsets, seconds):
        """Rate of faults, a second, at the end of so many seconds."""
        over = [-v - m for v, m in zip(offsets, self.margins) if v < 0]
        if self.law == "threshold":
            return 1.0 if any(x > 0 for x in over) else 0.0
        warm = 6.0 * (1 - math.exp(-seconds / 300.0)) if self.law == "warm" else 0.0
        return sum(math.exp(min((x + warm) / 2.5, 5.0)) for x in over) / 30.0

    def faults(self, offsets, seconds):
        """Whether a pass ends in one."""
        if self.law == "threshold":
            wander = 1.5 * self.rng.standard_normal()
            return any(-v - m + wander > 0 for v, m in zip(offsets, self.margins) if v < 0)
        steps = np.arange(0.0, seconds, 10.0)
        expected = sum(10.0 * self.a_second(offsets, at) for at in steps)
        return self.rng.random() < 1 - math.exp(-expected)


def walked(seed, lowest=-150.0):
    """(chip, what was kept, passes, faults, broken rules) of one case."""
    rng = np.random.default_rng((51, seed))
    chip = Chip(rng, LAWS[seed % len(LAWS)])
    design = UndervoltDesign(("cpu_offset_mv", "gpu_offset_mv"), (lowest, lowest), static(15.0), Lengths())
    passes, failed, batches, broken = [], [], 0, 0
    while True:
        asked = design.ask(Told(batches, passes, (), failed))
        if not asked.wanted:
            break
        (wanted,) = asked.wanted
        batches += 1
        at = design.offsets(wanted.setup)
        broken += any(v > 0 or v < lowest for v in at)
        broken += any(all(v <= w for v, w in zip(at, design.offsets(one))) for one in failed)
        if chip.faults(at, wanted.pass_s + wanted.soak_s):
            failed.append(wanted.setup)
            continue
        rate = 40.0 * math.exp(-0.0006 * sum(at)) * math.exp(0.006 * rng.standard_normal())
        figures = PassFigures(values={"mean_fps": rate})
        setup = Setup(dict(wanted.setup))
        passes.append(Counted(str(batches), Point(setup=setup), setup, figures, purpose=wanted.purpose))
    return chip, design.walk(passes, failed).kept, batches, len(failed), broken


def main(cases):
    """Print what came of them; how many lie beyond a margin, and broken rules."""
    rows = [walked(seed) for seed in range(cases)]
    beyond = 0
    for law in (*LAWS, "all"):
        own = [row for row in rows if law in ("all", row[0].law)]
        quiet = np.mean([row[0].a_second(row[1], 1e6) * 3600 * HOURS < 1.0 for row in own])
        left = [min(v + m for v, m in zip(row[1], row[0].margins)) for row in own]
        beyond = sum(one <= 0 for one in left)
        print(f"{law}: n {len(own)}, beyond {beyond}, under a fault in 50 h {quiet:.2f}, passes "
              f"{np.median([r[2] for r in own]):.0f}, faults "
              f"{np.mean([r[3] for r in own]):.1f}, margin left (median) {np.median(left):.0f} mV, kept something "
              f"{np.mean([any(r[1]) for r in own]):.2f}, rules broken {sum(r[4] for r in own)}")  # fmt: skip
    return beyond, sum(row[4] for row in rows)


if __name__ == "__main__":
    given = [a for a in sys.argv[1:] if not a.startswith("-")]
    main(int(given[0]) if given else 500)
