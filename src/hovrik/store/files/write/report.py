"""A report: question, answer, method, conditions, figures, pictures, incidents and cautions on a few pages. HTML.

One file that needs nothing beside it: pictures stand in it as SVG.
"""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from html import escape

from .comparison import table
from .picture import Picture, svg

STYLE = (
    "body{font:15px/1.45 sans-serif;color:#1d2522;max-width:46em;margin:2em auto;padding:0 1em}"
    "h1{font-size:1.5em}h2{font-size:1.15em;margin-top:1.6em}table{font-size:13px}"
    ".answer{font-size:1.15em;font-weight:600}.soft{color:#5f6864}svg{max-width:100%;height:auto}"
)
Pictured = Callable[[str], bytes]


@dataclass(frozen=True)
class Part:
    """A heading with lines, a table (headings and rows) and pictures, each where it has any."""

    heading: str
    lines: tuple[str, ...] = ()
    headings: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    pictures: tuple[Picture, ...] = ()

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing in it."""
        return not (self.lines or self.rows or self.pictures)


@dataclass(frozen=True)
class Report:
    """heading; place : rig, slot, title and the like in one line; asked, answer : sentences; parts in their order."""

    heading: str
    place: str
    asked: str
    answer: str
    parts: tuple[Part, ...] = field(default_factory=tuple)


def html(report: Report, pictured: Pictured | None = None) -> str:
    """The document. pictured : makes a PNG of an SVG, for a reader that draws none; else the SVG stands in it."""
    parts = [
        f"<!DOCTYPE html><html lang='en'><head><meta charset='utf-8'><title>{escape(report.heading)}</title>"
        f"<style>{STYLE if pictured is None else ''}</style></head><body>",
        f"<h1>{escape(report.heading)}</h1>",
        f"<p class='soft'>{escape(report.place)}</p>",
        f"<p>{escape(report.asked)}</p>",
        f"<p class='answer'>{escape(report.answer)}</p>",
    ]
    for part in (one for one in report.parts if not one.is_empty):
        parts.append(f"<h2>{escape(part.heading)}</h2>")
        parts += _lines(part.lines)
        if part.rows:
            parts.append(table(part.headings, part.rows))
        parts += [_drawn(one, pictured) for one in part.pictures]
    return "\n".join([*parts, "</body></html>"])


def _lines(lines: Sequence[str]) -> list[str]:
    if len(lines) < 2:
        return [f"<p>{escape(line)}</p>" for line in lines]
    return ["<ul>", *(f"<li>{escape(line)}</li>" for line in lines), "</ul>"]


def _drawn(picture: Picture, pictured: Pictured | None) -> str:
    drawn = svg(picture)
    if not drawn:
        return ""
    if pictured is None:
        return f"<p>{escape(picture.heading)}</p>{drawn}"
    data = b64encode(pictured(drawn)).decode()
    return f"<p>{escape(picture.heading)}</p><p><img src='data:image/png;base64,{data}' width='560'></p>"
