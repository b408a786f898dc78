"""Rows of the table: what was wanted, what was measured, its interval, and whether the gate holds.

A row fails where its 99 % interval lies wholly beyond what is wanted, however few units stand behind it; a total with
enough of them already where the figure itself does.
Sweeps are the independent units: several levels of one sweep widen the interval by what they share.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from scipy.stats import beta

from .score import Score

Z = 2.576


@dataclass(frozen=True)
class Row:
    """One row. low, high : bounds that are wanted (None: none); measured with its 99 % interval; n : independent
    units behind it; verdict : pass, FAIL, too few, or printed (nothing is wanted)."""

    gate: str
    cell: str
    world: str
    wanted: str
    measured: float
    n: int
    interval: tuple[float, float]
    verdict: str

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)


@dataclass(frozen=True)
class Bounds:
    """What is wanted of a figure: at least `low`, at most `high`; fewest : units under which a row says too few;
    total : the figure itself must meet it. unit : how it is printed."""

    low: float | None = None
    high: float | None = None
    fewest: int = 0
    total: bool = False
    unit: str = "%"

    @property
    def words(self) -> str:
        """What is wanted, in words."""
        if self.low is None and self.high is None:
            return "printed"
        parts = []
        if self.low is not None:
            parts.append(f">= {_number(self.low, self.unit)}")
        if self.high is not None:
            parts.append(f"<= {_number(self.high, self.unit)}")
        return ", ".join(parts)

    def verdict(self, measured: float, interval: tuple[float, float], n: int) -> str:
        """pass, FAIL, too few or printed."""
        if self.low is None and self.high is None:
            return "printed"
        if self._beyond(interval):
            return "FAIL"
        if n < self.fewest:
            return "too few"
        return "FAIL" if self.total and self._beyond((measured, measured)) else "pass"

    def _beyond(self, found: tuple[float, float]) -> bool:
        under = self.low is not None and found[1] < self.low - 1e-12
        return under or (self.high is not None and found[0] > self.high + 1e-12)


def _number(value: float, unit: str) -> str:
    return f"{100 * value:.4g} %" if unit == "%" else f"{value:.3g}"


def share(scores: Sequence[Score]) -> tuple[float, tuple[float, float], int]:
    """Share of hits with its 99 % interval, sweeps as units; n counts sweeps."""
    by_sweep: dict[str, list[float]] = {}
    for one in scores:
        pair = by_sweep.setdefault(one.sweep, [0.0, 0.0])
        pair[0] += one.hits
        pair[1] += one.total
    pairs = np.array(list(by_sweep.values()))
    hits, total = pairs.sum(axis=0)
    n = len(pairs)
    p = float(hits / total)
    own = float(((pairs[:, 0] - p * pairs[:, 1]) ** 2).sum()) / total**2 * n / max(n - 1, 1)
    effective = p * (1 - p) / own if own > 0 else n
    effective = min(max(effective, 1.0), total)
    found = p * effective
    low = float(beta.ppf(0.005, found, effective - found + 1)) if found > 0 else 0.0
    high = float(beta.ppf(0.995, found + 1, effective - found)) if found < effective else 1.0
    return p, (low, high), n


def median(scores: Sequence[Score]) -> tuple[float, tuple[float, float], int]:
    """Median of the hits with a 99 % interval from order statistics over sweeps' own medians."""
    by_sweep: dict[str, list[float]] = {}
    for one in scores:
        by_sweep.setdefault(one.sweep, []).append(one.hits)
    values = np.sort([float(np.median(found)) for found in by_sweep.values()])
    n = values.size
    half = Z * math.sqrt(n) / 2
    low, high = max(int(n / 2 - half), 0), min(int(n / 2 + half), n - 1)
    return float(np.median(values)), (float(values[low]), float(values[high])), n


def difference(scores: Sequence[Score]) -> tuple[float, tuple[float, float], int]:
    """Mean of said less true (`hits` less `total`), with a 99 % interval over sweeps; n counts judgements."""
    by_sweep: dict[str, list[float]] = {}
    for one in scores:
        by_sweep.setdefault(one.sweep, []).append(one.hits - one.total)
    sums = np.array([sum(found) for found in by_sweep.values()])
    counts = np.array([len(found) for found in by_sweep.values()])
    mean = float(sums.sum() / counts.sum())
    own = float(((sums - mean * counts) ** 2).sum()) / counts.sum() ** 2 * sums.size / max(sums.size - 1, 1)
    half = Z * math.sqrt(own)
    return mean, (mean - half, mean + half), int(counts.sum())


Figure = Callable[[Sequence[Score]], tuple[float, tuple[float, float], int]]


def row(gate: str, cell: str, world: str, scores: Sequence[Score], figure: Figure, bounds: Bounds) -> Row:
    """One row of the table."""
    if not scores or (figure is share and not any(one.total for one in scores)):
        return Row(gate, cell, world, bounds.words, math.nan, 0, (math.nan, math.nan), "too few")
    measured, interval, n = figure(scores)
    return Row(gate, cell, world, bounds.words, measured, n, interval, bounds.verdict(measured, interval, n))


def text(rows: Iterable[Row]) -> str:
    """The table as text."""
    lines = [
        f"{'gate':13} {'cell':52} {'world':9} {'wanted':18} {'measured':>9} {'n':>6}  {'99 % interval':18} verdict"
    ]
    for one in rows:
        unit = "%" if "%" in one.wanted or one.wanted == "printed" else "x"
        low, high = (_shown(v, unit) for v in one.interval)
        lines.append(
            f"{one.gate:13} {one.cell:52} {one.world:9} {one.wanted:18} {_shown(one.measured, unit):>9} {one.n:>6}  "
            f"{low + ' to ' + high:18} {one.verdict}"
        )
    return "\n".join(lines)


def _shown(value: float, unit: str) -> str:
    if math.isnan(value):
        return "-"
    return f"{100 * value:.1f}" if unit == "%" else f"{value:.2f}"


def counts(rows: Iterable[Row]) -> str:
    """How many rows pass, fail, have too few units."""
    found: dict[str, int] = {}
    for one in rows:
        found[one.verdict] = found.get(one.verdict, 0) + 1
    return ", ".join(f"{count} {verdict}" for verdict, count in sorted(found.items()))
