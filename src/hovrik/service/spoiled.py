"""What of a notebook could not be read, or is damaged, in words and as rows: the same for window, command line,
report and exports."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..core.words import plural
from ..store.opened import Spoiled

MOST_NAMED, MOST_LETTERS = 2, 120


def words_of(spoiled: Iterable[Spoiled]) -> str:
    """A sentence without its full stop, "" where nothing is spoiled."""
    rows = list(spoiled)
    if not rows:
        return ""
    first = "; ".join(f"{one.table} {one.row[:8]}: {one.fault[:MOST_LETTERS]}" for one in rows[:MOST_NAMED])
    is_one = len(rows) == 1
    return f"{plural(len(rows), 'row')} cannot be read and {'is' if is_one else 'are'} left out, but kept ({first})"


def rows_of(spoiled: Iterable[Spoiled]) -> list[dict[str, str]]:
    """The same as plain values."""
    return [{"table": one.table, "row": one.row, "fault": one.fault} for one in spoiled]


def lines_of(spoiled: Sequence[Spoiled]) -> tuple[str, ...]:
    """A line each, for a page."""
    return tuple(f"{one.table} {one.row[:8]}: {one.fault[:MOST_LETTERS]}" for one in spoiled)
