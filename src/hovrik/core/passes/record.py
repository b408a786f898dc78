"""One measured run of a scene at a setup under recorded conditions. Never changed once made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from ..facts.condition import Condition
from ..facts.setup import Setup
from .recording import EVERYTHING, Recording
from .trace import Trace


class Origin(StrEnum):
    """How a pass came to be."""

    MEASURED = "measured"
    IMPORTED = "imported"
    SUMMARY = "summary"

    @classmethod
    def _missing_(cls, value: object) -> Origin:
        """An origin of a newer version: it was not measured here."""
        return cls.IMPORTED


class End(StrEnum):
    """How a pass ended. Everything but DONE is an outcome of the setup, with its reason."""

    DONE = "done"
    ABORTED = "aborted"
    FAILED = "failed"

    @classmethod
    def _missing_(cls, value: object) -> End:
        """An outcome of a newer version: whatever it is, it is not done."""
        return cls.FAILED


@dataclass(frozen=True)
class PassRecord:
    """One pass.

    context : ids of the immutable rig, slot, title and scene rows it ran under;
    asked, read : the setup asked for and the one read back; summary : figures given instead of a trace.
    purpose : what it was made for, one of purpose.py or a word of a newer version.
    recording : what it is a span of, where that is at hand; None where its trace is all there is. within : first and
    last ns of what belongs to it, its soak included; damage : what of its series cannot be read, "" nothing.
    """

    id: str
    context: Mapping[str, str]
    asked: Setup
    read: Setup
    conditions: Mapping[str, Condition]
    trace: Trace | None
    origin: Origin = Origin.MEASURED
    outcome: End = End.DONE
    reason: str = ""
    purpose: str = "sweep"
    plan_id: str | None = None
    plan_index: int | None = None
    started_ns: int = 0
    summary: Mapping[str, float | str] = field(default_factory=dict)
    step_id: str | None = None
    recording: Recording | None = None
    within: tuple[int, int] = EVERYTHING
    damage: str = ""

    @property
    def setup(self) -> Setup:
        """The setup the pass counts as: what was asked. A knob nobody asked for and only read does not split
        passes; where read differs from asked, the validity checks speak."""
        return self.asked
