"""Numbers in sentences: no more digits than the uncertainty allows. The only place that rounds."""

from __future__ import annotations

import math

from .stats.spread import Estimate


def decimals(half_width: float) -> int:
    """Decimals worth printing for a value known to +- half_width: down to its first digit, the second where the
    first is a 1."""
    if not math.isfinite(half_width) or half_width <= 0:
        return 1
    return int(min(max(math.ceil(-math.log10(half_width / 2.0)), 0), 3))


def span(estimate: Estimate) -> str:
    """'39.1 to 39.6', or the value alone where both ends print the same or no interval is known."""
    if estimate.low is None or estimate.high is None:
        return f"{estimate.value:.3g}"
    digits = decimals((estimate.high - estimate.low) / 2)
    low, high = f"{estimate.low:.{digits}f}", f"{estimate.high:.{digits}f}"
    return low if low == high else f"{low} to {high}"


def number(estimate: Estimate | None) -> str:
    """The value alone, with the digits its interval allows; a dash where there is none."""
    if estimate is None:
        return "–"
    if estimate.low is None or estimate.high is None:
        return f"{estimate.value:.3g}"
    return f"{estimate.value:.{decimals((estimate.high - estimate.low) / 2)}f}"


def hours_minutes(hours: float, step_min: int = 1) -> str:
    """'4 h 10 min', rounded to `step_min` minutes."""
    minutes = round(hours * 60 / step_min) * step_min
    return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"


def hours_span(estimate: Estimate) -> str:
    """Hours as an interval: '2 h 05 min to 2 h 15 min', in steps of 5 min where it is wider than 10."""
    if estimate.low is None or estimate.high is None:
        return hours_minutes(estimate.value, 5)
    step = 5 if (estimate.high - estimate.low) * 60 > 10 else 1
    low, high = hours_minutes(estimate.low, step), hours_minutes(estimate.high, step)
    return low if low == high else f"{low} to {high}"


def hours_span_short(estimate: Estimate) -> str:
    """The same for a narrow column: '2 h 04 to 2 h 09'."""
    return hours_span(estimate).replace(" min", "") if estimate.value >= 1.2 else hours_span(estimate)


def share(part: float) -> str:
    """A part of a whole: '3 %', '20 %', '0.4 %'; one digit under 10 %, whole percents above."""
    percents = 100 * part
    return f"{percents:.0f} %" if percents >= 0.95 else f"{percents:.1g} %"


def percent(share: float) -> str:
    """A probability in words: never 100 % or 0 %."""
    if share >= 0.995:
        return "over 99 %"
    if share <= 0.005:
        return "under 1 %"
    return f"{100 * share:.0f} %"


def plural(count: int, word: str, many: str | None = None) -> str:
    """'1 pass', '3 passes'."""
    return f"{count} {word if count == 1 else many or word + 's'}"
