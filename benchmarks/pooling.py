"""What a full ladder lends to a thin one: coverage and widths of the thin one, with it and without, on odd plants.

Usage: python -m pooling [--seeds 4] [--rounds 1] [--truth-passes 300]   (from benchmarks/; about 10 min)

The full ladder is swept over three rounds with boost on in the first slot, the thin one over every second level with
boost off, or in the second slot. Truth comes from independent passes at the thin one's setups.
"""

from __future__ import annotations

import argparse
import math
import multiprocessing
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from gates import truth as truths
from gates.program import Analyst, Asked, _question
from gates.worlds import passes
from gates.worlds.chips import Knobs
from gates.worlds.plants import Plant

from hovrik.core.facts.terms import School
from hovrik.core.passes.figure import low_id
from hovrik.core.read import response
from hovrik.core.read.group import Counted

LOW = low_id(School.PERCENTILE)
KNOBS: dict[str, dict[str, Any]] = {"boost off": {"boost": False}, "other slot": {"slot": 1}}


@dataclass(frozen=True)
class Moved(Plant):
    """A plant with other knobs."""

    boost: bool = True
    slot: int = 0

    def knobs(self, limit_w: float) -> Knobs:
        """The setup of a level of its ladder."""
        return replace(super().knobs(limit_w), boost=self.boost, slot=self.slot)


def moved(plant: Plant, **knobs: Any) -> Moved:
    """The plant with these knobs."""
    return Moved(**{name: getattr(plant, name) for name in plant.__dataclass_fields__}, **knobs)


def scores(case: tuple[int, str], seeds: int, rounds: int, truth_passes: int) -> list[tuple[str, float]]:
    """(what, value) of one plant and one knob."""
    index, name = case
    truth = truths.loaded()[index]
    assert isinstance(truth.plant, Plant)
    other = moved(truth.plant, **KNOBS[name])
    limits = other.limits_w[::2]
    true = {limit: truths.played(other, limit, truth_passes, 31).means for limit in limits}
    found = []
    for seed in range(300, 300 + seeds):
        full, thin = Analyst(passes.sweep(truth.plant, seed)), Analyst(passes.sweep(other, seed + 7000, limits=limits))
        lent = [_slot(c, 0) for c in full._all_counted(full.of(3))]
        own = [_slot(c, other.slot) for c in thin._all_counted(thin.of(rounds))]
        at = limits[1 + seed % (len(limits) - 2)]
        asked = Asked(true[at]["low_fps"] / 0.97)
        for words, counted in (("alone", own), ("lent", [*own, *lent])):
            found += _of(words, counted, own, true, at, asked, thin)
    return found


def _slot(one: Counted, slot: int) -> Counted:
    place = replace(one.point.place, slot=f"slot-{slot}")
    return replace(one, id=f"{one.id}/{slot}/{one.point.setup['boost']}", point=replace(one.point, place=place))


def _of(
    words: str, counted: list[Counted], own: list[Counted], true: dict[float, dict[str, float]], at: float,
    asked: Asked, thin: Analyst,
) -> Iterator[tuple[str, float]]:  # fmt: skip
    responses = response.read(counted, _question(asked, School.PERCENTILE), thin.factor)
    mine = {one.id for one in own}
    read = next(one for one in responses if mine & set(one.groups[0].passes))
    for group in read.groups:
        for name, key in (("rate", "mean_fps"), ("low", LOW)):
            mean = group.mean(key)
            if mean is None:
                continue
            said = mean.estimate()
            assert said.low is not None and said.high is not None
            low, high = math.log(said.low), math.log(said.high)
            real = math.log(true[group.at]["mean_fps" if name == "rate" else "low_fps"])
            yield f"{name} covered, {words}", float(low <= real <= high)
            yield f"{name} half, {words}", (high - low) / 2
        if group.at == at and group.holds is not None:
            yield f"at the floor over 95 %, {words}", float(group.holds >= 0.95)
            yield f"at the floor under 5 %, {words}", float(group.holds <= 0.05)
        elif group.holds is not None:
            right = (true[group.at]["low_fps"] >= asked.floor_fps) == (group.holds >= 0.5)
            settled = group.holds >= 0.95 or group.holds <= 0.05
            yield f"other levels settled, {words}", float(settled)
            if settled:
                yield f"settled rightly, {words}", float(right)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--seeds", type=int, default=4)
    parser.add_argument("--rounds", type=int, default=1, choices=(1, 2, 3, 5))
    parser.add_argument("--truth-passes", type=int, default=300)
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    plants = [i for i, one in enumerate(truths.loaded()) if isinstance(one.plant, Plant) and not one.plant.cap_fps]
    work = [(index, name) for index in plants for name in KNOBS]
    play = partial(scores, seeds=options.seeds, rounds=options.rounds, truth_passes=options.truth_passes)
    table: dict[str, list[float]] = defaultdict(list)
    with multiprocessing.Pool(options.processes) as pool:
        for found in pool.imap_unordered(play, work):
            for words, value in found:
                table[words].append(value)
    for words, values in sorted(table.items()):
        print(f"{words:40} {np.mean(values):8.4f} {len(values):6}")


if __name__ == "__main__":
    main()
