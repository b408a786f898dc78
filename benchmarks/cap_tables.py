"""The table of set-ups with caps against the truth of odd plants: one pass a set-up without a cap, every cap of three
panels predicted; without and with one pass at a cap of 30 at the highest limit, which tells of the limiter.

Usage: python -m cap_tables [--seeds 1] [--truth 8]   (from benchmarks/; about 3 min)

A cell is stated where its chance is 95 % or more (holds) or 5 % or less (does not); it truly holds where the 1 % low of
`--truth` independent passes with the cap lies within 3 % of it. Draws are covered where the mean of those passes lies
in the interval that was printed. The lock is right where what it names truly holds.
"""

from __future__ import annotations

import argparse
import multiprocessing
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from gates import program
from gates import truth as truths
from gates.program import Analyst, Asked
from gates.worlds import passes
from gates.worlds.plants import Plant

from hovrik.core.facts.panel import even_caps
from hovrik.core.facts.terms import School
from hovrik.core.read import answer, response
from hovrik.core.read.cap_table import CapTable, cap_table

SURE, TOLERANCE, LEVELS, PACED_FPS = 0.95, 0.03, 4, 30.0
PANELS = ((60.0, 80.0), (90.0, 120.0), (144.0,))
Row = tuple[str, str]


def table_of(plant: Plant, seed: int, panel: tuple[float, ...], paced: bool) -> CapTable:
    """As the program makes it of one pass a set-up without a cap. paced : and one at a cap."""
    limits = plant.limits_w[:: max(len(plant.limits_w) // LEVELS, 1)]
    analyst = Analyst(passes.sweep(plant, seed, limits=limits))
    question = program._question(Asked(plant.floor_fps), School.PERCENTILE)
    counted = [analyst._counted(one) for one in analyst.of(1) if one.state != "void"]
    if paced:
        other = Analyst(passes.sweep(replace(plant, cap_fps=PACED_FPS), seed + 50, limits=limits[-1:]))
        counted += [replace(other._counted(one), id="paced") for one in other.of(1) if one.state != "void"]
    context = answer.Context(analyst.rig, plant.room_c)
    return cap_table(response.read(counted, question, analyst.factor), even_caps(panel, None), question, context)


def judged(plant: Plant, table: CapTable, truth: int, seed: int) -> Iterator[Row]:
    """(what, how it was) of every cell."""
    for row_at, row in enumerate(table.rows):
        limit = row.setup.static_limit_w or 0.0
        for at, (even, cell) in enumerate(zip(table.caps, row.cells)):
            if cell is None or cell.passes:
                continue
            knobs = replace(plant.knobs(limit), cap_fps=even.cap_fps)
            real = truths.played_at(plant, knobs, truth, seed).means
            holds = real["low_fps"] >= (1 - TOLERANCE) * even.cap_fps
            said = "holds" if cell.holds >= SURE else "does not" if cell.holds <= 1 - SURE else "open"
            yield said, "truly holds" if holds else "truly does not"
            if cell.draw is not None and cell.draw.low is not None and cell.draw.high is not None:
                inside = cell.draw.low <= real["draw_w"] <= cell.draw.high
                yield "draw", "covered" if inside else "over" if real["draw_w"] > cell.draw.high else "under"
            if table.lock == (row_at, at):
                yield "lock", "truly holds" if holds else "truly does not"


def played(index: int, seeds: int, truth: int) -> list[Row]:
    """All rows of one plant."""
    plant = truths.loaded()[index].plant
    assert isinstance(plant, Plant)
    plant = replace(plant, cap_fps=0.0, sync="off")
    return [
        (f"{'one at a cap' if paced else 'none at a cap'}: {said}", real) for seed in range(900, 900 + seeds)
        for paced in (False, True)
        for said, real in judged(
            plant, table_of(plant, seed, PANELS[(index + seed) % len(PANELS)], paced), truth, seed)
    ]  # fmt: skip


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--seeds", type=int, default=1)
    parser.add_argument("--truth", type=int, default=8)
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    plants = [i for i, one in enumerate(truths.loaded()) if isinstance(one.plant, Plant)]
    play = partial(played, seeds=options.seeds, truth=options.truth)
    with multiprocessing.Pool(options.processes) as pool:
        rows = [row for own in pool.imap_unordered(play, plants) for row in own]
    for (said, real), n in sorted(Counter(rows).items()):
        print(f"{said:<24} {real:<16} {n}")


if __name__ == "__main__":
    main()
