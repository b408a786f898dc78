"""The unit that temperatures are shown and typed in: C, or F where the user wants it. Everything inside is in C.

One choice for the whole program, like a locale: words, tables, plots and fields ask here.
"""

from __future__ import annotations

import re
from typing import TypeVar

import numpy as np

Number = TypeVar("Number", float, np.ndarray)

_chosen = ["C"]
UNITS = ("C", "F")


def choose(unit: str) -> None:
    """Show temperatures in this unit from now on; one that is not known is C."""
    _chosen[0] = unit if unit in UNITS else "C"


def unit() -> str:
    """What is chosen: C or F."""
    return _chosen[0]


def shown(celsius: Number) -> Number:
    """A temperature in C, or an array of them, in the unit that is shown."""
    return celsius * 1.8 + 32.0 if unit() == "F" else celsius


def shown_rise(kelvin: float) -> float:
    """A difference of temperatures in the unit that is shown."""
    return kelvin * 1.8 if unit() == "F" else kelvin


def celsius(number: float) -> float:
    """A temperature in the unit that is shown, in C."""
    return (number - 32.0) / 1.8 if unit() == "F" else number


def words(celsius_: float, digits: int = 0) -> str:
    """'66 C' or '151 F'."""
    return f"{shown(celsius_):.{digits}f} {unit()}"


def typed(text: str) -> str:
    """The number in what a person typed, if it is one, in C; anything else as it was."""
    number = re.fullmatch(r"\s*([-+]?\d+(?:[.,]\d*)?)\s*", text)
    if unit() == "C" or number is None:
        return text
    return f"{celsius(float(number[1].replace(',', '.'))):.9g}"


def heading(text: str) -> str:
    """A heading or a hint that names the unit C, with the one that is shown: 'die C', 'shell (C)'."""
    return text if unit() == "C" else re.sub(r"\bC\b", unit(), text)
