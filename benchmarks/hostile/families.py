"""The families of attacks and how many rows each has; the one list."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

from . import crafted, damage, going_out, kills, machines, merges, roads, sockets, tables
from .attack import Row, Tried

Family = Callable[[float], Iterable[Row]]


def _some(rows: list[Row]) -> Family:
    """A share of the rows, spread over them."""

    def take(share: float) -> list[Row]:
        wanted = max(math.ceil(share * len(rows)), 1)
        return [rows[round(at * len(rows) / wanted)] for at in range(wanted)]

    return take


FAMILIES: Mapping[str, Family] = {
    "machines": _some(machines.ROWS),
    "going out": _some(going_out.ROWS),
    "roads": _some(roads.ROWS),
    "sockets": _some(sockets.ROWS),
    "tables": tables.rows,
    "merges": _some(merges.ROWS),
    "crafted": _some(crafted.ROWS),
    "in the window": _some(crafted.IN_WINDOW),
    "flips": damage.rows,
    "mutants": damage.mutants,
    "kills": kills.rows,
}


def write_table(found: list[Tried], page: Path) -> None:
    """Put what was found between the marks of a page; families that were not tried now keep their rows."""
    begin, end = "<!-- attacks -->", "<!-- end of attacks -->"
    head, _, rest = page.read_text(encoding="utf-8").partition(begin)
    before, _, tail = rest.partition(end)
    rows = {line.split("|")[1].strip(): line for line in before.splitlines() if line.startswith("|")}
    rows |= {one.family: f"| {one.family} | {one.rows:,} | {len(one.fell)} |" for one in found}
    table = "\n".join(["| family | rows | fell |", "|---|---|---|", *(rows[name] for name in FAMILIES if name in rows)])
    page.write_text(f"{head}{begin}\n{table}\n{end}{tail}", encoding="utf-8")
