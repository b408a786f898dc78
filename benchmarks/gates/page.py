"""docs/gates.md: the newest full table for those who stay."""

from __future__ import annotations

import math
from collections.abc import Sequence

from .bounds import WORLDS
from .table import Row, counts

_SHORT = {"pass": "", "FAIL": " **x**", "too few": " ?", "printed": ""}
_HEAD = """# Gates

What the program says against what is true, measured on the shipped stand-in and on twelve kinds of odd plants
(`benchmarks/gates/worlds`) that share none of its physics. Red rows are known and stand here until a better model turns
them. Truth comes from independent passes (`benchmarks/gates/truth.py`), never from analysis code.

A total passes where the figure itself meets what is wanted; a row of one world fails where its 99 % interval lies
wholly beyond it. Sweeps are the independent units; n counts them (passes for clean, judgements for probability).
""".splitlines()
_MATRIX = ("coverage", "marks", "width", "mark widths", "stated")


def page(rows: Sequence[Row], command: str, date: str, minutes: float) -> str:
    """The whole page, Markdown."""
    totals = [one for one in rows if one.world in ("all", "odd") or one.gate in ("faults", "clean")]
    lines = [
        *_HEAD, f"{date}, `{command}`, {minutes:.0f} min on two cores: {len(rows)} rows, {counts(rows)}.", "",
        "## Totals", "",
        "| gate | cell | world | wanted | measured | n | 99 % interval | |", "|---|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    for one in totals:
        low, high = (_shown(v, one) for v in one.interval)
        mark = f"**{one.verdict}**" if one.verdict == "FAIL" else one.verdict
        lines.append(
            f"| {one.gate} | {one.cell} | {one.world} | {one.wanted} | {_shown(one.measured, one)} | {one.n} | "
            f"{low} to {high} | {mark} |"
        )
    lines += ["", "## By world", "", "A cross marks a row that fails, a question mark one with too few sweeps.", ""]
    for gate in _MATRIX:
        lines += _matrix([one for one in rows if one.gate == gate and one.world in WORLDS], gate)
    survivors = [one for one in rows if one.gate == "mutants" and one.world == "core"]
    if survivors:
        lines += ["## Mutants that survive", "", *(f"- `{one.cell}`" for one in survivors), ""]
    silent = [one.cell for one in rows if one.gate == "confounded" and one.world == "power" and one.measured > 0]
    if silent:
        lines += ["## Differences pooled without a word", "", ", ".join(silent) + ".", ""]
    return "\n".join(lines)


def _matrix(rows: Sequence[Row], gate: str) -> list[str]:
    if not rows:
        return []
    cells = list(dict.fromkeys(one.cell for one in rows))
    by = {(one.cell, one.world): one for one in rows}
    lines = [f"### {gate.capitalize()}", "", "| | " + " | ".join(WORLDS) + " |", "|---" * (len(WORLDS) + 1) + "|"]
    for cell in cells:
        found = [by.get((cell, world)) for world in WORLDS]
        lines.append(
            f"| {cell} | "
            + " | ".join("" if o is None else _shown(o.measured, o) + _SHORT[o.verdict] for o in found)
            + " |"
        )
    return [*lines, ""]


def _shown(value: float, one: Row) -> str:
    if math.isnan(value):
        return "–"
    return f"{value:.2f}" if one.gate in ("width", "mark widths") else f"{100 * value:.1f}"
