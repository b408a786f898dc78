"""A crash, hang, kick from a match, artefact or reboot: evidence against a setup."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from .setup import Setup


class IncidentKind(StrEnum):
    """What happened."""

    CRASH = "crash"
    HANG = "hang"
    KICK = "kick"
    ARTEFACT = "artefact"
    REBOOT = "reboot"
    OTHER = "other"

    @classmethod
    def _missing_(cls, value: object) -> IncidentKind:
        """A kind of a newer version is an incident all the same."""
        return cls.OTHER


@dataclass(frozen=True)
class Incident:
    """One incident. context : ids of the versions it happened under; phase : what was going on; at_ns : UTC."""

    id: str
    kind: IncidentKind
    context: Mapping[str, str]
    setup: Setup
    phase: str = ""
    note: str = ""
    at_ns: int = 0
