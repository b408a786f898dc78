"""A page to take along: what to set on each leg of an evening. HTML."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from .comparison import table

HEADINGS = ("Leg", "Time", "Charger", "Play it with", "Charge after")


def evening_card(rig: str, said: str, rows: Sequence[Sequence[str]]) -> str:
    """The card. said : what comes of it; rows : cells by `HEADINGS`."""
    return "\n".join(
        [
            "<html><head><meta charset='utf-8'><title>Evening</title></head><body>",
            f"<h2>An evening on {escape(rig)}</h2>",
            f"<p><b>{escape(said)}</b></p>",
            table(HEADINGS, rows),
            "<p>Charge after a leg with what nine of ten draws lie between. What is no title is usual, not measured. "
            "Mind what the maker says of chargers and power banks.</p>",
            "</body></html>",
        ]
    )
