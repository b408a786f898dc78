"""A claim: what is set before, what after, which figure it is said to change and by how much."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..errors import PlanError
from ..facts.knob import is_number
from ..facts.setup import Setup

FIGURES = {"hours": "hours on a charge", "mean_fps": "mean rate", "low": "1 % low", "draw_w": "draw",
           "package_w": "package power"}  # fmt: skip
PERCENT = "percent"


@dataclass(frozen=True)
class Claim:
    """before, after : what is set; figure : one of FIGURES; percent : by which it is said to change, of the value
    before."""

    before: Setup
    after: Setup
    figure: str
    percent: float

    @classmethod
    def of(cls, parts: Mapping[str, Any]) -> Claim:
        """The claim of a question. Raises PlanError naming the part that is missing or cannot be."""
        told = parts.get("claim")
        told = told if isinstance(told, Mapping) else {}
        before, after = (Setup(dict(told.get(side) or {})) for side in ("before", "after"))
        figure, percent = str(told.get("figure") or "mean_fps"), told.get(PERCENT)
        if not after and not before:
            raise PlanError("What does the claim set? Say it as knob=level, before and after.")
        if set(before) != set(after):
            lacks = sorted(set(before) ^ set(after))[0]
            raise PlanError(f"{lacks} is set on one side only: say what it is before and after.")
        if before == after:
            raise PlanError("Before and after are the same: nothing is claimed.")
        if figure not in FIGURES:
            raise PlanError(f"{figure} is no figure of a claim. Choose one of: {', '.join(FIGURES)}.")
        by = float(percent) if isinstance(percent, int | float) and is_number(percent) else 0.0
        if not -95 <= by <= 1000 or abs(by) < 0.5:
            raise PlanError(f"A change by {percent} % cannot be tested. Choose 0.5 to 1000 % more, or up to 95 % less.")
        return cls(before, after, figure, by)

    @property
    def size(self) -> float:
        """Of the claimed change, log."""
        return math.log1p(self.percent / 100.0)
