"""Rows as CSV (RFC 4180), no cell of which a spreadsheet takes for a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

from ....core.stats.estimate import Estimate


def csv_text(lines: Iterable[Sequence[Any]]) -> str:
    """The text of lines of cells, headings first; text that a spreadsheet would take for a formula gets an apostrophe,
    None is empty."""
    text = io.StringIO(newline="")
    csv.writer(text).writerows([_plain(cell) for cell in line] for line in lines)
    return text.getvalue()


def ends_of(one: Estimate | None) -> list[float | None]:
    """Three cells of a figure: value, low, high; empty ones where it is not known."""
    return [one.value, one.low, one.high] if one is not None else [None, None, None]


def _plain(cell: Any) -> Any:
    if cell is None:
        return ""
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell
