"""The table of kinds, as docs/kinds.md has it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path

from .cases import FAMILIES, FEW, MAKERS, RIGHT, SEEDS, WITHHELD, WRONG
from .program import Row

LEAST = 40  # rows of a kind under which nothing is passed
WRONG_POOLED, WRONG_OF_120, RIGHT_OF_TOLD, PRICED, MOST_WITHHOLDING = 0.03, 5, 0.80, 0.90, 3
BEGIN, END = "<!-- kinds -->", "<!-- end of kinds -->"


def _share(hits: float, total: float) -> str:
    return f"{100 * hits / total:.0f} %" if total else "-"


def priced(row: Row) -> bool:
    """Whether the announced range holds the minutes it took, its upper end at most twice the lower."""
    if row.low_min is None or row.high_min is None or math.isnan(row.minutes):
        return False
    return (
        row.low_min <= 1.02 * row.minutes and row.minutes <= 1.02 * row.high_min and row.high_min <= 2.0 * row.low_min
    )


def verdict_of(rows: Sequence[Row]) -> str:
    """Of one kind."""
    if len(rows) < LEAST:
        return "too few"
    told = [row for row in rows if row.told]
    wrong, right = (sum(row.outcome == one for row in of) for one, of in ((WRONG, rows), (RIGHT, told)))
    if wrong > WRONG_OF_120 * len(rows) / 120:
        return "wrong too often"
    return "passed" if right >= RIGHT_OF_TOLD * len(told) else "withholds"


def lines_of(rows: Sequence[Row]) -> list[str]:
    """The table, a line a kind, and what all come to."""
    found = [
        "| kind | cases | right | withheld | wrong | right of what can be told | interval holds | minutes as announced "
        "| passes | |", "|---|---|---|---|---|---|---|---|---|---|",
    ]  # fmt: skip
    verdicts = {}
    for kind in MAKERS:
        own = [row for row in rows if row.kind == kind]
        told, timed = [row for row in own if row.told], [row for row in own if not math.isnan(row.minutes)]
        counts = [sum(row.outcome == one for row in own) for one in (RIGHT, WITHHELD, WRONG)]
        verdicts[kind] = verdict_of(own)
        passes = sorted(row.passes for row in timed)
        cells = [
            kind, str(len(own)), *map(str, counts), _share(sum(row.outcome == RIGHT for row in told), len(told)),
            _share(sum(row.hits for row in own), sum(row.total for row in own)),
            _share(sum(map(priced, timed)), len(timed)), str(passes[len(passes) // 2]) if passes else "-",
            verdicts[kind],
        ]  # fmt: skip
        found.append(f"| {' | '.join(cells)} |")
    wrong = sum(row.outcome == WRONG for row in rows)
    timed = [row for row in rows if not math.isnan(row.minutes)]
    withhold = sum(one == "withholds" for one in verdicts.values())
    held = _share(sum(row.hits for row in rows), sum(row.total for row in rows))
    found += [
        "", f"All: {len(rows):,} cases, {wrong} wrong ({100 * wrong / max(len(rows), 1):.1f} %; at most "
        f"{100 * WRONG_POOLED:.0f} % wanted), intervals hold the truth in "
        f"{held}, minutes lie in what was announced in "
        f"{_share(sum(map(priced, timed)), len(timed))} ({100 * PRICED:.0f} % wanted); {withhold} kinds withhold "
        f"({MOST_WITHHOLDING} allowed), {sum(one == 'passed' for one in verdicts.values())} of {len(MAKERS)} passed.",
    ]  # fmt: skip
    return found


def write(rows: Sequence[Row], page: Path) -> None:
    """Put the table between the marks of a page."""
    head, _, rest = page.read_text(encoding="utf-8").partition(BEGIN)
    table = "\n".join(lines_of(rows))
    page.write_text(f"{head}{BEGIN}\n{table}\n{END}{rest.partition(END)[2]}", encoding="utf-8")


def size() -> int:
    """Rows of the whole table."""
    return sum(SEEDS * len(FAMILIES[::2] if kind in FEW else FAMILIES) for kind in MAKERS)
