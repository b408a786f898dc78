"""What a choice is worth in heavier and lighter scenes, against the plants played with such scenes.

Usage: python -m whatif [--loads 60] [--plants 24]   (from benchmarks/; about 4 min)

A ladder of three rounds is read at a floor; each level from the crossing up is then asked in how many of drawn scenes
(10 % spread) it holds. True is the share of loads, drawn the same way, at which the plant's own low, from passes at
that load, reaches the floor.
"""

from __future__ import annotations

import argparse
import multiprocessing
from functools import partial

import numpy as np
from findings import whole_of
from gates import truth as truths
from gates.program import Analyst
from gates.worlds import passes
from gates.worlds.plants import Plant

from hovrik.core.choose.whatif import FREE, Change, Spread, outlook, rungs_of, slope_of
from hovrik.core.read.group import paced_share

Row = tuple[bool, float, float]


def rows(index: int, loads: int) -> list[Row]:
    """(capped, said, true) share of each level of a plant from a step under the crossing on."""
    truth = truths.loaded()[index]
    plant = truth.plant
    assert isinstance(plant, Plant)
    whole = whole_of(Analyst(passes.sweep(plant, 720)), 3, plant.floor_fps)
    main = whole.responses[0]
    members = {group.at: [one.one for one in whole.members(group)] for group in main.groups}
    rungs = rungs_of(main, lambda group: paced_share(members[group.at]) < FREE)
    terms = whole.question.terms
    assert terms.floor is not None
    slope = slope_of([one for own in members.values() for one in own], terms.floor.edge)
    first = next((at for at, group in enumerate(main.groups) if (group.holds or 0.0) > 0.5), len(main.groups) - 1)
    drawn = np.exp(0.1 * np.random.default_rng(index).standard_normal(loads))
    found = []
    for group in main.groups[max(first - 1, 0) : first + 5 : 2]:
        said = outlook(group, rungs, slope, terms, Change(), Spread(0.0, 0.0, 0.1), None, None)
        lows = [truths.played(plant.scaled(float(load)), group.at, 4, 17).means["low_fps"] for load in drawn]
        true = 100.0 * float(np.mean(np.array(lows) >= terms.floor.edge))
        if said.of_100 is not None:
            found.append((bool(plant.cap_fps), said.of_100, true))
    return found


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--loads", type=int, default=60)
    parser.add_argument("--plants", type=int, default=24)
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    every = [i for i, one in enumerate(truths.loaded()) if isinstance(one.plant, Plant) and one.plant.sync != "on"]
    chosen = np.random.default_rng(4).permutation(every)[: options.plants].tolist()
    with multiprocessing.Pool(options.processes) as pool:
        found = [row for own in pool.imap_unordered(partial(rows, loads=options.loads), chosen) for row in own]
    for words, capped in (("without a cap", False), ("at a cap", True)):
        own = np.array([(said, true) for is_capped, said, true in found if is_capped is capped])
        off = own[:, 0] - own[:, 1]
        size = np.abs(off)
        print(
            f"{words}: n {len(own)}, said {own[:, 0].mean():.0f}, true {own[:, 1].mean():.0f} of 100; "
            f"off by {off.mean():+.1f} on average, {size.mean():.1f} in size, 90 % within {np.quantile(size, 0.9):.0f}"
        )


if __name__ == "__main__":
    main()
