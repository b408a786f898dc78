"""A picture of points with intervals as SVG: a few plain shapes that any reader of the format draws."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

WIDE, HIGH = 640, 320
LEFT, RIGHT, TOP, BOTTOM = 64, 110, 14, 46
INK, SOFT, RULE = "#1d2522", "#5f6864", "#c9cdc8"
COLOURS = ("#0072b2", "#d55e00", "#009e73", "#cc79a7", "#56b4e9", "#e69f00")  # Okabe and Ito
MOST_POINTS = 400


@dataclass(frozen=True)
class Series:
    """Points in one colour: name; x, y; low, high : ends of each interval, None where there is none."""

    name: str
    x: Sequence[float]
    y: Sequence[float]
    low: Sequence[float | None] = ()
    high: Sequence[float | None] = ()


@dataclass(frozen=True)
class Picture:
    """A chart. line : a level that is drawn across, with its words, None for none."""

    heading: str
    x_words: str
    y_words: str
    series: tuple[Series, ...]
    line: tuple[float, str] | None = None


def svg(picture: Picture) -> str:
    """The picture as one SVG element; "" where it has no finite point."""
    shown = [one for one in (_finite(one) for one in picture.series) if one.x]
    if not shown:
        return ""
    xs = [value for one in shown for value in one.x]
    ys = [v for one in shown for row in (one.y, one.low, one.high) for v in row if v is not None]
    ys += [picture.line[0]] if picture.line is not None else []
    x_axis, y_axis = _ticks(min(xs), max(xs)), _ticks(min(ys), max(ys))
    x_of = _scale(x_axis, LEFT, WIDE - RIGHT)
    y_of = _scale(y_axis, HIGH - BOTTOM, TOP)
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {HIGH}" width="{WIDE}" height="{HIGH}" '
        f'font-family="sans-serif" font-size="12" role="img"><title>{escape(picture.heading)}</title>',
        f'<rect width="{WIDE}" height="{HIGH}" fill="#ffffff"/>',
    ]
    for value in x_axis:
        x = x_of(value)
        parts.append(f'<line x1="{x:.1f}" y1="{HIGH - BOTTOM}" x2="{x:.1f}" y2="{HIGH - BOTTOM + 5}" stroke="{SOFT}"/>')
        parts.append(_words(x, HIGH - BOTTOM + 18, f"{value:g}", SOFT, "middle"))
    for value in y_axis:
        y = y_of(value)
        parts.append(f'<line x1="{LEFT}" y1="{y:.1f}" x2="{WIDE - RIGHT}" y2="{y:.1f}" stroke="{RULE}"/>')
        parts.append(_words(LEFT - 8, y + 4, f"{value:g}", SOFT, "end"))
    if picture.line is not None:
        y = y_of(picture.line[0])
        parts.append(
            f'<line x1="{LEFT}" y1="{y:.1f}" x2="{WIDE - RIGHT}" y2="{y:.1f}" stroke="{INK}" stroke-dasharray="6 4"/>'
        )
        parts.append(_words(WIDE - RIGHT + 6, y + 4, picture.line[1], INK, "start"))
    taken = [y_of(picture.line[0])] if picture.line is not None else []
    for number, one in enumerate(shown):
        parts += _drawn(one, COLOURS[number % len(COLOURS)], number, x_of, y_of)
        at = _free(y_of(one.y[-1]), taken)
        taken.append(at)
        parts.append(_words(WIDE - RIGHT + 6, at + 4, one.name, COLOURS[number % len(COLOURS)], "start"))
    parts.append(_words((LEFT + WIDE - RIGHT) / 2, HIGH - 10, picture.x_words, INK, "middle"))
    middle = (TOP + HIGH - BOTTOM) / 2
    parts.append(
        f'<text x="16" y="{middle:.1f}" fill="{INK}" text-anchor="middle" transform="rotate(-90 16 {middle:.1f})">'
        f"{escape(picture.y_words)}</text>"
    )
    return "".join([*parts, "</svg>"])


def _drawn(one: Series, colour: str, number: int, x_of: object, y_of: object) -> list[str]:
    """Intervals, a line and marks, a shape a series."""
    assert callable(x_of) and callable(y_of)
    places = [(x_of(x), y_of(y)) for x, y in zip(one.x, one.y)]
    parts = []
    for (x, _), low, high in zip(places, one.low, one.high):
        if low is not None and high is not None:
            ends = f'x1="{x:.1f}" y1="{y_of(low):.1f}" x2="{x:.1f}" y2="{y_of(high):.1f}"'
            parts.append(f'<line {ends} stroke="{colour}" stroke-width="1.5"/>')
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in places)
    parts.append(f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-opacity="0.5"/>')
    for x, y in places:
        if number % 2:
            parts.append(f'<rect x="{x - 3.5:.1f}" y="{y - 3.5:.1f}" width="7" height="7" fill="{colour}"/>')
        else:
            parts.append(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="4" fill="{colour}"/>')
    return parts


def _finite(one: Series) -> Series:
    rows = list(zip(one.x, one.y, one.low or [None] * len(one.x), one.high or [None] * len(one.x)))
    kept = [
        (x, y, *(end if end is not None and math.isfinite(end) else None for end in ends))
        for x, y, *ends in rows if math.isfinite(x) and math.isfinite(y)
    ][:MOST_POINTS]  # fmt: skip
    columns = list(zip(*kept)) if kept else [(), (), (), ()]
    return Series(one.name, *columns)


def _ticks(low: float, high: float) -> list[float]:
    """Round numbers about a range, four to eight of them."""
    width = high - low if high > low else max(abs(high), 1.0) * 0.1
    raw = width / 5
    power = 10.0 ** math.floor(math.log10(raw))
    step = next(power * factor for factor in (1, 2, 2.5, 5, 10) if power * factor >= raw * 0.999)
    first = math.floor(low / step)
    last = max(math.ceil(high / step), first + 1)
    return [round(step * at, 10) for at in range(first, last + 1)]


def _scale(ticks: Sequence[float], low: float, high: float):  # type: ignore[no-untyped-def]
    return lambda value: low + (value - ticks[0]) / (ticks[-1] - ticks[0]) * (high - low)


def _free(y: float, taken: Sequence[float]) -> float:
    while any(abs(y - other) < 14 for other in taken):
        y += 14
    return y


def _words(x: float, y: float, text: str, colour: str, anchor: str) -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" fill="{colour}" text-anchor="{anchor}">{escape(text)}</text>'
