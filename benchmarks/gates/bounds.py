"""What is wanted of each gate, and the rows that its scores make."""

from __future__ import annotations

import itertools
import re
from collections import defaultdict
from collections.abc import Sequence

from .program import MARKS
from .score import Score
from .table import Bounds, Row, difference, median, row, share

WORLDS = (
    "shipped", "power", "hill", "flat", "ticks", "tails", "wander", "spread", "edge", "dent", "light", "launches",
    "warm",
)  # fmt: skip
FIGURES = ("mean_fps", "low_fps", "slowest_fps", "timed_fps", "draw_w", "hours", "die_c", "shell_c")
N_FLOOR, N_CLEAN, N_CELL, N_BAND = 2000, 1000, 400, 150
BANDS = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)
COUNTS = (1, 2, 3, 5)

Cells = dict[tuple[str, str], list[Score]]


def _cells(scores: Sequence[Score], gate: str) -> Cells:
    """Scores by (cell, world), and over all worlds."""
    found: Cells = defaultdict(list)
    for one in scores:
        if one.gate == gate:
            found[one.cell, one.world].append(one)
            found[one.cell, "all"].append(one)
    return found


def floor(scores: Sequence[Score]) -> list[Row]:
    """Truth exactly at the floor."""
    cells, rows = _cells(scores, "floor"), []
    for words, most in (("slope", 0.06), ("0.5 % under", 0.06), ("cap = target", 0.06), ("plateau", 0.08),
                        ("capped plateau", 0.08)):  # fmt: skip
        for n in COUNTS:
            for said, bound in (("95", most), ("99", 0.02)):
                cell = f"{words}, n {n}, over {said} %"
                bounds = Bounds(high=bound, fewest=N_FLOOR, total=True)
                rows.append(row("floor", cell, "all", cells[cell, "all"], share, bounds))
                rows += _by_world("floor", cell, cells, Bounds(high=bound, fewest=50))
            for extra, bound in (("last level", 0.08), ("some level", 0.15)):
                cell = f"{words}, {extra}, n {n}, over 95 %"
                if "plateau" in words:
                    bounds = Bounds(high=bound, fewest=N_FLOOR, total=True)
                    rows.append(row("floor", cell, "all", cells[cell, "all"], share, bounds))
    return rows


def _by_world(gate: str, cell: str, cells: Cells, bounds: Bounds, figure=share) -> list[Row]:  # type: ignore[no-untyped-def]
    return [row(gate, cell, w, cells[cell, w], figure, bounds) for w in WORLDS if cells.get((cell, w))]


def coverage(scores: Sequence[Score]) -> list[Row]:
    """Do 95 % intervals hold the truth, and how wide are they."""
    cells, wide, rows = _cells(scores, "coverage"), _cells(scores, "width"), []
    for n in COUNTS:
        low, high = (0.88, 0.99) if n == 1 else (0.92, 0.98)
        for figure in FIGURES:
            cell = f"{figure}, n {n}"
            if not cells.get((cell, "all")):
                continue
            total = Bounds(low, high, fewest=N_CELL, total=True)
            rows.append(row("coverage", cell, "all", cells[cell, "all"], share, total))
            rows += _by_world("coverage", cell, cells, Bounds())
            if n == 1:
                continue
            for where in ("recommended", "one below"):
                for slight, least in (("", 0.90), (" (step under 1 %)", 0.85)):
                    own = f"{cell}, {where}{slight}"
                    rows += _by_world("coverage", own, cells, Bounds(least, 0.99, fewest=N_CELL if n == 3 else 50))
    for n in (3, 5):
        for figure in ("mean_fps", "low_fps", "draw_w"):
            cell = f"{figure}, n {n}"
            bounds = Bounds(high=1.3, fewest=N_CELL, total=True, unit="x")
            rows.append(row("width", cell, "all", wide[cell, "all"], median, bounds))
            rows += _by_world("width", cell, wide, Bounds(high=1.3, fewest=50, unit="x"), median)
    return rows


def stated(scores: Sequence[Score], gate: str = "stated") -> list[Row]:
    """Do stated answers hold, and how near the best are they."""
    cells, rows = _cells(scores, gate), []
    names = sorted({cell for cell, _ in cells}, key=lambda c: (c.split(",")[0], c))
    for cell in names:
        n, wide_step = int(re.search(r"n (\d)", cell).group(1)), cell.endswith("step 2 % or more")  # type: ignore[union-attr]
        bounds = Bounds()
        if cell.startswith("holds"):
            least = 0.90 if n == 1 or cell.endswith("under 1 %") else 0.95
            bounds = Bounds(low=least, fewest=N_CELL, total=True)
        elif wide_step and n in (3, 5):
            bounds = Bounds(low=0.85, fewest=N_CELL, total=True)
            if cell.startswith("withheld"):
                bounds = Bounds(high=0.20, fewest=N_CELL, total=True)
        rows.append(row(gate, cell, "all", cells[cell, "all"], share, bounds))
        if cell.startswith("holds"):
            rows += _by_world(gate, cell, cells, Bounds(low=bounds.low, fewest=50))
    return rows


def probability(scores: Sequence[Score]) -> list[Row]:
    """Is a stated probability right as often as it says."""
    own = [one for one in scores if one.gate == "probability"]
    rows = []
    for name, some in (("all n", own), *((f"n {n}", [s for s in own if s.cell == f"n {n}"]) for n in COUNTS)):
        counted = name == "all n"
        bounds = Bounds(-0.04, 0.04, fewest=N_BAND, total=counted)
        rows.append(row("probability", f"{name}, overall", "all", some, difference, bounds))
        for low, high in itertools.pairwise(BANDS):
            band = [s for s in some if low <= s.hits < high or (high == 1.0 and s.hits == 1.0)]
            cell = f"{name}, said {100 * low:.0f} to {100 * high:.0f} %"
            bounds = Bounds(-0.08, 0.08, fewest=N_BAND, total=counted)
            rows.append(row("probability", cell, "all", band, difference, bounds))
    return rows


def marks(scores: Sequence[Score]) -> list[Row]:
    """Do intervals of the four marks hold the truth, and how wide are they."""
    cells, wide, rows = _cells(scores, "marks"), _cells(scores, "mark widths"), []
    for mark in MARKS:
        cell = f"{mark}, n 3"
        total = Bounds(0.90, 0.99, fewest=N_CELL, total=True)
        rows.append(row("marks", cell, "all", cells[cell, "all"], share, total))
        rows += _by_world("marks", cell, cells, Bounds(0.90, 0.99, fewest=100))
        widths = Bounds(high=1.5, fewest=N_CELL, total=True, unit="x")
        rows.append(row("mark widths", cell, "all", wide[cell, "all"], median, widths))
        rows += _by_world("mark widths", cell, wide, Bounds(unit="x"), median)
    return rows


def more(scores: Sequence[Score]) -> list[Row]:
    """Would the passes that are named settle it."""
    cells = _cells(scores, "more")
    rows = []
    for cell, low, high in (("3 or more named", 0.70, 0.90), ("1 or 2 named", 0.70, None), ("names over 20", None, 0.0),
                            ("said to be too close", None, None)):  # fmt: skip
        bounds = Bounds(low, high, fewest=N_BAND, total=True) if low or high is not None else Bounds()
        rows.append(row("more", cell, "all", cells[cell, "all"], share, bounds))
    return rows


def clean(scores: Sequence[Score]) -> list[Row]:
    """Clean passes that a check calls suspect or void; n counts passes."""
    cells, rows = _cells(scores, "clean"), []
    for world in (*WORLDS, "all"):
        for cell, most in (("suspect or void", 0.02), ("void", None)):
            found = cells.get((cell, world))
            if found:
                passes = int(sum(one.total for one in found))
                made = row("clean", cell, world, found, share, Bounds(high=most, total=world == "all"))
                verdict = "too few" if passes < N_CLEAN and made.verdict != "printed" else made.verdict
                rows.append(
                    Row(made.gate, made.cell, world, made.wanted, made.measured, passes, made.interval, verdict)
                )
    return rows
