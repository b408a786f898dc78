"""Verdicts of a comparison against the truth: no difference, one inside the margin, one beyond it, one twice as large.

Usage: .venv/bin/python benchmarks/verdicts.py [--cases 1000] [--passes 5]   (some 20 s)

Passes scatter between themselves by 1.5 % (normal), 1.5 % with heavy tails (t of 4), or alternate between two launches
2 % apart, a third of the cases each; the margin is 3 %. Wrong: better or worse where there is none or the reverse;
same where the truth lies beyond the margin. Planned: as many passes a side as the sheet itself asks for after three.
"""

import argparse
import math

import numpy as np

from hovrik.core.facts.setup import static
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.read.contrast import Comparison
from hovrik.core.read.group import Counted
from hovrik.core.read.sheet import compared

MARGIN = 0.03
A, B = static(12.0, None).with_(boost="on"), static(12.0, None).with_(boost="off")


def passes(setup, n, shift, kind, rng):
    """Passes of one side, their rate off by a log `shift`."""
    noise = (rng.standard_normal(n), rng.standard_t(4, n) / math.sqrt(2.0), rng.standard_normal(n))[kind] * 0.015
    if kind == 2:
        noise = 0.01 * rng.standard_normal(n) + 0.02 * (np.arange(n) % 2 - 0.5)
    rates = 50.0 * np.exp(shift + noise)
    return [
        Counted(f"{at}", Point(setup), setup, PassFigures(values={"mean_fps": float(rate)}))
        for at, rate in enumerate(rates)
    ]


def sheet(n, shift, kind, rng):
    """The line of the rate."""
    return compared(passes(A, n, shift, kind, rng), passes(B, n, 0.0, kind, rng), margins={"mean_fps": MARGIN}).lines[0]


def main():
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--cases", type=int, default=1000)
    parser.add_argument("--passes", type=int, default=5)
    options = parser.parse_args()
    rng = np.random.default_rng(8)
    print("| true difference | n | better | worse | same | undecided | wrong |\n|---|---|---|---|---|---|---|")
    for words, share in (("none", 0.0), ("half the margin", 0.5), ("just beyond it", 1.05), ("twice the margin", 2.0)):
        shift = math.log1p(MARGIN) * share
        counts = dict.fromkeys(Comparison, 0)
        for case in range(options.cases):
            counts[sheet(options.passes, shift, case % 3, rng).found.verdict] += 1
        wrong = counts[Comparison.WORSE] + (counts[Comparison.BETTER] if share == 0 else 0)
        wrong += counts[Comparison.SAME] if share > 1 else 0
        told = (counts[one] for one in (Comparison.BETTER, Comparison.WORSE, Comparison.SAME, Comparison.UNDECIDED))
        print(f"| {words} | {options.cases} | {' | '.join(map(str, told))} | {100 * wrong / options.cases:.1f} % |")
    for words, share in (("none", 0.0), ("twice the margin", 2.0)):
        decided = total = 0
        for case in range(options.cases // 2):
            first = sheet(3, math.log1p(MARGIN) * share, case % 3, rng)
            total += 1
            if first.found.verdict is not Comparison.UNDECIDED:
                decided += 1
            elif first.more is not None:
                again = sheet(3 + first.more, math.log1p(MARGIN) * share, case % 3, rng)
                decided += again.found.verdict is not Comparison.UNDECIDED
        print(f"{words}, at the n that three passes a side ask for: decided {100 * decided / total:.0f} % of {total}")


if __name__ == "__main__":
    main()
