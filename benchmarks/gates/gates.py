"""The table of gates: what the program says against what is true, on machines unlike the model.

Usage: benchmarks/gates/run [--quick|--full] [--only GATE] [--set reporting|tuning] [--json FILE] [--keep DIR]
       [--minutes M]

Gates: floor coverage stated probability marks more clean (all from the same sweeps), served, faults, confounded,
mutants. Quick takes under 8 minutes on two idle cores, full some hours: --minutes ends it earlier, with all worlds in
it alike. Truths lie in data/; docs/gates.md has the newest table. A run that is cut off goes on with --keep.
"""

from __future__ import annotations

import argparse
import hashlib
import json
import math
import multiprocessing
import os
import pickle
import random
import sys
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import cast

from . import bounds, confounded, faulty, mutants, score, served
from .page import page
from .score import Score
from .table import Bounds, Row, counts, row, share, text

SWEPT = ("floor", "coverage", "stated", "probability", "marks", "more", "clean")
GATES = (*SWEPT, "served", "faults", "confounded", "mutants")


@dataclass(frozen=True)
class Size:
    """How much is run: sweeps a plant, sweeps of a capped plant with a level exactly at the floor, sweeps a shipped
    case, runs through the service, passes a fault, mutants."""

    plant: int
    exact: int
    shipped: int
    served: int
    faults: int
    mutants: int


QUICK = Size(2, 3, 2, 10, 12, 4)
FULL = Size(75, 56, 88, 200, 200, 60)


def work_of(size: Size, name: str, wanted: Sequence[str]) -> list[tuple[str, str, int, tuple[int, ...]]]:
    """(what, set, plant, seeds), grouped so that what is known of a plant is worked out once."""
    found = []
    truths = score.truths(name) if set(wanted) & {*SWEPT, "served"} else ()
    if set(wanted) & set(SWEPT):
        for index, truth in enumerate(truths):
            many = size.shipped if truth.plant.kind == "shipped" else size.plant
            found += [("plain", name, index, tuple(part)) for part in _parts(range(100, 100 + many), 17)]
            if truth.exact is not None and "floor" in wanted:
                seeds = range(10_000, 10_000 + size.exact)
                found += [("exact", name, index, tuple(part)) for part in _parts(seeds, 28)]
    if "served" in wanted:
        for number in range(size.served):  # half on the shipped stand-in
            own = [i for i, t in enumerate(truths) if (t.plant.kind == "shipped") is (number % 2 == 0)]
            found.append(("served", name, own[number // 2 % len(own)], (20_000 + number,)))
    if "faults" in wanted:
        found += [("unnamed", name, i, tuple(range(size.faults))) for i in range(len(faulty.UNNAMED))]
        found += [("named", name, i, tuple(range(size.faults))) for i in range(len(faulty.injected.FAULTS))]
    return found


def _parts(seeds: Sequence[int], most: int) -> list[Sequence[int]]:
    return [seeds[at : at + most] for at in range(0, len(seeds), most)]


def done(task: tuple[str, str, int, tuple[int, ...]]) -> list[Score]:
    """The scores of one piece of work."""
    what, name, index, seeds = task
    if what in ("unnamed", "named"):
        if what == "unnamed":
            return [faulty.unnamed(index, seed) for seed in seeds]
        return [one for seed in seeds for one in faulty.named(index, seed)]
    truth = score.truths(name)[index]
    play = {"plain": score.plain, "exact": score.exact, "served": served.scores}[what]
    return [one for seed in seeds for one in play(truth, seed)]


def kept(folder: Path | None, until_s: float, task: tuple[str, str, int, tuple[int, ...]]) -> list[Score]:
    """`done`, or what an earlier run of the same task left in `folder`; nothing new once the clock stands past
    `until_s`."""
    if folder is None:
        return done(task) if time.monotonic() < until_s else []
    file = folder / (hashlib.sha256(repr(task).encode()).hexdigest()[:24] + ".pickle")
    if not file.exists() and time.monotonic() >= until_s:
        return []
    if not file.exists():
        folder.mkdir(parents=True, exist_ok=True)
        found = done(task)
        unfinished = file.with_suffix(f".{os.getpid()}")
        unfinished.write_bytes(pickle.dumps(found))
        unfinished.replace(file)
    return cast(list[Score], pickle.loads(file.read_bytes()))


def rows_of(scores: Sequence[Score], wanted: Sequence[str], size: Size) -> list[Row]:
    """The rows of every gate that is wanted."""
    found: list[Row] = []
    for gate in SWEPT:
        if gate in wanted:
            found += getattr(bounds, gate)(scores)
    if "served" in wanted:
        found += bounds.stated(scores, "served")
    if "faults" in wanted:
        names = dict.fromkeys(one.cell for one in scores if one.gate == "faults")
        for name in names:
            own = [one for one in scores if one.gate == "faults" and one.cell == name]
            found.append(row("faults", name, own[0].world, own, share, Bounds(low=0.95, fewest=150, total=True)))
    if "confounded" in wanted:
        own = list(confounded.scores())
        found.append(row("confounded", "pooled without a word", "all", own, share, Bounds(high=0.0, total=True)))
        found += [row("confounded", one.sweep, "power", [one], share, Bounds()) for one in own]
    if "mutants" in wanted:
        own = list(mutants.scores(size.mutants))
        least = Bounds(low=57 / 60, fewest=60, total=True)
        found.append(row("mutants", "killed by tests/unit", "all", own, share, least))
        found += [row("mutants", one.sweep, "core", [one], share, Bounds()) for one in own if not one.hits]
    return found


def main(arguments: Iterable[str] | None = None) -> int:
    """Print the table; 0 whatever it says, since red rows are what it is for."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--quick", action="store_true", help="a tenth of it (the default)")
    parser.add_argument("--full", action="store_true")
    parser.add_argument("--only", action="append", choices=GATES, default=[])
    parser.add_argument("--set", default="reporting", choices=("reporting", "tuning"))
    parser.add_argument("--json", type=Path)
    parser.add_argument("--page", type=Path, help="write docs/gates.md here")
    parser.add_argument("--rows", default="all", choices=("all", "failing", "totals"))
    parser.add_argument("--processes", type=int, default=2)
    parser.add_argument("--keep", type=Path, help="a folder for what is done, so that a run cut off goes on from it")
    parser.add_argument("--minutes", type=float, default=math.inf, help="begin nothing new after so many")
    options = parser.parse_args(list(arguments) if arguments is not None else None)
    size, wanted, began = FULL if options.full else QUICK, tuple(options.only) or GATES, time.monotonic()
    work = work_of(size, options.set, wanted)
    random.Random(1).shuffle(work)  # what is cut short has seen all worlds alike
    until_s = began + 60 * options.minutes
    scores: list[Score] = []
    with multiprocessing.Pool(options.processes) as pool:
        for number, found in enumerate(pool.imap_unordered(partial(kept, options.keep, until_s), work), 1):
            scores += found
            if sys.stderr.isatty() or number % 50 == 0:
                print(f"{number}/{len(work)} {time.monotonic() - began:.0f} s", file=sys.stderr, flush=True)
    rows = rows_of(scores, wanted, size)
    shown = {"all": rows, "failing": [r for r in rows if r.verdict == "FAIL"],
             "totals": [r for r in rows if r.world in ("all", "odd", "shipped", "core")]}[options.rows]  # fmt: skip
    print(text(shown))
    minutes = (time.monotonic() - began) / 60
    print(f"{len(rows)} rows: {counts(rows)}; {minutes:.1f} min")
    if options.page:
        command = "benchmarks/gates/run " + " ".join(sys.argv[1:] if arguments is None else arguments)
        today = datetime.now(UTC).date().isoformat()
        options.page.write_text(page(rows, command.partition(" --page")[0], today, minutes), encoding="utf-8")
    if options.json:
        options.json.write_text(json.dumps([one.as_dict() for one in rows], indent=0) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
