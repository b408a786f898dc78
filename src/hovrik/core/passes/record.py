"""One measured run of a scene at a setup under recorded conditions. Never changed once made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from ..facts.condition import Condition
from ..facts.setup import Setup
from .trace import Trace


class Origin(StrEnum):
    """How a pass came to be."""

    MEASURED = "measured"
    IMPORTED = "imported"
    SUMMARY = "summary"


class Outcome(StrEnum):
    """How a pass ended. Everything but DONE is an outcome of the setup, with its reason."""

    DONE = "done"
    ABORTED = "aborted"
    FAILED = "failed"


@dataclass(frozen=True)
class PassRecord:
    """One pass.

    context : ids of the immutable rig, slot, title and scene rows it ran under;
    asked, read : the setup asked for and the one read back; summary : figures given instead of a trace.
    purpose : "sweep" or "heat" (a long pass that calibrates the time constants and enters no figure).
    """

    id: str
    context: Mapping[str, str]
    asked: Setup
    read: Setup
    conditions: Mapping[str, Condition]
    trace: Trace | None
    origin: Origin = Origin.MEASURED
    outcome: Outcome = Outcome.DONE
    reason: str = ""
    purpose: str = "sweep"
    plan_id: str | None = None
    plan_index: int | None = None
    started_ns: int = 0
    summary: Mapping[str, float | str] = field(default_factory=dict)

    @property
    def setup(self) -> Setup:
        """The setup the pass counts as: what was asked. A knob nobody asked for and only read does not split
        passes; where read differs from asked, the validity checks speak."""
        return self.asked
