"""Conditions of a pass: each a value with where it came from and when."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from .knob import Level


class Provenance(StrEnum):
    """How a condition is known."""

    READ = "read"
    ASKED = "asked"
    ASSUMED = "assumed"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class Condition:
    """One circumstance. at_ns : machine time for a reading, UTC for an answer; None where unknown."""

    value: Level | None
    provenance: Provenance
    at_ns: int | None = None


Conditions = Mapping[str, Condition]

UNKNOWN = Condition(None, Provenance.UNKNOWN)


def number(conditions: Conditions, name: str) -> float | None:
    """A numeric condition, None where it is unknown or in words."""
    found = conditions.get(name)
    return float(found.value) if found is not None and isinstance(found.value, int | float) else None


def to_plain(conditions: Conditions) -> dict[str, Any]:
    """Plain values for JSON."""
    return {k: {"value": c.value, "provenance": c.provenance.value, "at_ns": c.at_ns} for k, c in conditions.items()}


def from_plain(body: Mapping[str, Any]) -> dict[str, Condition]:
    """The inverse of `to_plain`."""
    return {k: Condition(c["value"], Provenance(c["provenance"]), c.get("at_ns")) for k, c in body.items()}
