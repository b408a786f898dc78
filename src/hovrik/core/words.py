"""The only place that makes words of messages and rounds numbers: no more digits than the uncertainty allows.

The window renders the same templates through its translation and in the user's unit of temperature.
"""

from __future__ import annotations

import math
import string
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from . import degrees
from .message import Count, Message, Value
from .sentences import TEMPLATES
from .stats.estimate import Estimate


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
    low, high = (f"{round(end, digits) + 0.0:.{digits}f}" for end in (estimate.low, estimate.high))  # no "-0.0"
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


def percent(share_: float) -> str:
    """A probability in words: never 100 % or 0 %."""
    if share_ >= 0.995:
        return "over 99 %"
    if share_ <= 0.005:
        return "under 1 %"
    return f"{100 * share_:.0f} %"


def plural(count: int, word: str, many: str | None = None) -> str:
    """'1 pass', '3 passes'."""
    return f"{count} {word if count == 1 else many or word + 's'}"


def sentence(text: str) -> str:
    """With a capital and a full stop."""
    return f"{text[:1].upper()}{text[1:]}{'' if text.endswith(('.', '?', '!')) else '.'}"


# -- messages

LONG_S = 600.0  # seconds from which they are said in minutes and hours


def render(message: Message, translate: Callable[[str], str] = str, *, fahrenheit: bool | None = None) -> str:
    """A message in words. translate : of a template; fahrenheit : temperatures in F, as the user chose where None.

    In a template {name} is a value with its unit, {name:SPEC} one of: n (number alone), span, span_unit, hours,
    hours_span, share, chance, signed, one|many or none|one|many (a count), commas, semicolons
    (several), sentence (a capital, a full stop).
    """
    fahrenheit = degrees.unit() == "F" if fahrenheit is None else fahrenheit
    shown = {name: _Shown(value, translate, fahrenheit) for name, value in message.values.items()}
    return _FORMATTER.vformat(translate(TEMPLATES[message.id]), (), shown)


class _Formatter(string.Formatter):
    def format_field(self, value: Any, spec: str) -> str:
        return value.words(spec) if isinstance(value, _Shown) else super().format_field(value, spec)


_FORMATTER = _Formatter()


class _Shown:
    """One value of a message on its way to words."""

    def __init__(self, value: Any, translate: Callable[[str], str], fahrenheit: bool) -> None:
        self._value, self._translate, self._fahrenheit = value, translate, fahrenheit

    def words(self, spec: str) -> str:
        value = self._value
        match value:
            case Message():
                text = render(value, self._translate, fahrenheit=self._fahrenheit)
                return sentence(text) if spec == "sentence" else text
            case tuple():
                own = "" if spec in ("commas", "semicolons", "sentence") else spec
                parts = [_Shown(one, self._translate, self._fahrenheit).words(own) for one in value]
                match spec:
                    case "commas":
                        return ", ".join(parts)
                    case "semicolons":
                        return "; ".join(parts)
                    case "sentence":
                        return sentence("; ".join(parts))
                return joined(parts, self._translate)
            case Count():
                return _counted(value.number, self._translate(spec).split("|")) if spec else str(value.number)
            case Value():
                return _of_value(_in_fahrenheit(value) if self._fahrenheit else value, spec)
        return str(value)


def _counted(number: int, forms: list[str]) -> str:
    """forms : [one, many], or [none, one, many] with the first two said instead of a number."""
    if len(forms) == 3 and number < 2:
        return forms[number]
    return plural(number, forms[-2], forms[-1])


def joined(parts: Sequence[str], translate: Callable[[str], str] = str) -> str:
    """'10, 11 and 12'."""
    if len(parts) < 2:
        return "".join(parts)
    return f"{', '.join(parts[:-1])} {translate('and')} {parts[-1]}"


def _in_fahrenheit(value: Value) -> Value:
    if value.unit not in ("C", "degrees"):
        return value

    def moved(celsius: float | None) -> float | None:
        if celsius is None:
            return None
        return celsius * 1.8 + (32.0 if value.unit == "C" else 0.0)

    unit = "F" if value.unit == "C" else value.unit
    return Value(moved(value.number) or 0.0, unit, moved(value.low), moved(value.high), value.digits)


def _of_value(value: Value, spec: str) -> str:
    estimate = Estimate(value.number, value.low, value.high)
    alone = f"{round(value.number, value.digits) + 0.0:.{value.digits}f}" if value.digits is not None else (
        number(estimate) if value.low is not None else f"{value.number:.4g}"
    )  # fmt: skip
    plain: Mapping[str, Callable[[], str]] = {
        "n": lambda: alone, "span": lambda: alone if value.low is None and value.digits is not None else span(estimate),
        "hours": lambda: hours_minutes(value.number),
        "hours_span": lambda: hours_span(estimate), "share": lambda: share(value.number),
        "chance": lambda: percent(value.number),
        "span_unit": lambda: f"{plain['span']()} {value.unit}".strip(),
        "signed": lambda: f"{value.number:+.{value.digits or 0}f} {value.unit}".strip(),
    }  # fmt: skip
    if spec:
        return plain[spec]()
    return (
        hours_minutes(value.number / 3600)
        if value.unit == "s" and value.number >= LONG_S
        else (f"{alone} {value.unit}".strip())
    )
