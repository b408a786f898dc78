"""What is expected between the levels of a ladder, on odd plants: coverage and width of its intervals.

Usage: python -m between [--seeds 2] [--rounds 3]   (from benchmarks/; a few min)

Every second level of a plant's ladder is swept; the levels left out are read off and held against their truth.
"""

from __future__ import annotations

import argparse
import math
import multiprocessing
from collections import defaultdict
from functools import partial

import numpy as np
from gates import truth as truths
from gates.program import Analyst, Asked, _question
from gates.worlds import passes
from gates.worlds.plants import Plant

from hovrik.core.facts.terms import School
from hovrik.core.read import residuals, response


def scores(index: int, seeds: int, rounds: int) -> list[tuple[str, float]]:
    """(what, value) of one plant."""
    truth = truths.loaded()[index]
    assert isinstance(truth.plant, Plant)
    limits, found = truth.plant.limits_w, []
    for seed in range(700, 700 + seeds):
        thin = Analyst(passes.sweep(truth.plant, seed, limits=limits[::2]))
        question = _question(Asked(30.0), School.PERCENTILE)
        read = response.read(thin._all_counted(thin.of(rounds)), question, thin.factor)[0]
        for at in range(1, len(limits) - 1, 2):
            said = residuals.expected_at(read, limits[at])
            if said is None:
                continue
            for name, one in (("mean_fps", said[0]), ("draw_w", said[1])):
                real, low, high = truth.means[name][at], one.low, one.high
                assert low is not None and high is not None
                if name == "draw_w" and (read.drawn is None or read.drawn.power != name):
                    continue
                found.append((f"{name} covered", float(low <= real <= high)))
                found.append((f"{name} half", math.log(high / low) / 2))
        assert residuals.expected_at(read, limits[-1] + 3.0) is None
    return found


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--seeds", type=int, default=2)
    parser.add_argument("--rounds", type=int, default=3, choices=(1, 2, 3, 5))
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    plants = [at for at, one in enumerate(truths.loaded()) if isinstance(one.plant, Plant)]
    table: dict[str, list[float]] = defaultdict(list)
    with multiprocessing.Pool(options.processes) as pool:
        play = partial(scores, seeds=options.seeds, rounds=options.rounds)
        for found in pool.imap_unordered(play, plants):
            for words, value in found:
                table[words].append(value)
    for words, values in sorted(table.items()):
        print(f"{words:40} {np.mean(values):8.4f} {len(values):6}")


if __name__ == "__main__":
    main()
