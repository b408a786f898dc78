"""A comparison on paper: both sides, whether they may be compared, every figure with its verdict. HTML."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from ....core.words import plural

HEADINGS = ("Figure", "A", "B", "A less B", "Verdict", "To decide")


def comparison(
    place: str, sides: tuple[str, str], passes: tuple[int, int], fairness: Sequence[str], rows: Sequence[Sequence[str]],
    conditions: Sequence[tuple[str, str, str]], picture: bytes = b"",
) -> str:  # fmt: skip
    """The sheet. place : rig, slot, title and scene; passes : behind each side; fairness : what is said of it, a line
    each; rows : cells by `HEADINGS`; conditions : (what, A, B) of what differs or is known of both; picture : a PNG."""
    from base64 import b64encode

    parts = [
        "<html><head><meta charset='utf-8'><title>Comparison</title></head><body>",
        f"<h2>{escape(sides[0])} against {escape(sides[1])}</h2>",
        f"<p>{escape(place)}.</p>",
        *(
            f"<p>{name}: {escape(side)}, {plural(n, 'pass', 'passes')}.</p>"
            for name, side, n in zip("AB", sides, passes)
        ),
        *(f"<p><b>{escape(line)}</b></p>" if not at else f"<p>{escape(line)}</p>" for at, line in enumerate(fairness)),
        table(HEADINGS, rows),
        "<p>Intervals are of 95 %; percentages are of B. The first figure is judged at the full level, the others by "
        "Holm's rule. The same is said where the 90 % interval lies inside the margin.</p>",
        table(("Condition", "A", "B"), conditions) if conditions else "",
    ]
    if picture:
        parts.append(f"<p><img src='data:image/png;base64,{b64encode(picture).decode()}' width='620'></p>")
    return "\n".join([*parts, "</body></html>"])


def table(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """A table of words as HTML."""
    head = "".join(f"<th align='left'>{escape(words)}</th>" for words in headings)
    body = "".join("<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>" for row in rows)
    style = "border='1' cellspacing='0' cellpadding='4' style='border-collapse: collapse' width='100%'"
    return f"<table {style}><thead><tr>{head}</tr></thead>{body}</table>"
