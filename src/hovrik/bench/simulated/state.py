"""Where a stand-in's state is kept: it outlives the program like real hardware."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Protocol

from ...core.errors import HovrikError, Unavailable
from ...disk.reading import read_bytes
from ...disk.writing import FileKind, write_text

MOST_BYTES = 1_000_000
_ABOUT = {"now_ns": (0, 2**62), "charge": (0.0, 1.0), "gauge": (0.0, 1.0), "die_c": (-60.0, 250.0),
          "shell_c": (-60.0, 150.0), "scenes": (0, 10**9), "room_c": (-60.0, 100.0)}  # fmt: skip


class StateFile(Protocol):
    """Keeps a state."""

    def read(self) -> dict[str, Any] | None:
        """What was kept last, None where nothing was. Raises Unavailable where it cannot be read."""

    def write(self, state: Mapping[str, Any]) -> None:
        """Keep it. Raises HovrikError."""


class PlainState:
    """A state in a file of its own."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def read(self) -> dict[str, Any] | None:
        """The table in the file, None where there is none."""
        if not self.path.exists():
            return None
        try:
            body = json.loads(read_bytes(self.path, MOST_BYTES, "Delete it."))
        except (HovrikError, ValueError, RecursionError) as fault:
            raise Unavailable(f"The stand-in's state {self.path} cannot be read: {fault} Delete it.") from fault
        return checked(body, str(self.path))

    def write(self, state: Mapping[str, Any]) -> None:
        """The table as JSON; a kill of the program in the middle leaves the former one whole."""
        write_text(self.path, json.dumps(state), FileKind.OWN, durable=False)


def checked(body: Any, where: str) -> dict[str, Any]:
    """A state that can be. Raises Unavailable for anything else."""
    try:
        if not isinstance(body, dict) or not isinstance(body["knobs"], dict):
            raise ValueError("it is no table")
        for key, (low, high) in _ABOUT.items():
            value = body.get(key, low)
            if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
                raise ValueError(f"{key} {value!r} cannot be")
        if any(isinstance(one, float) and not math.isfinite(one) for one in body["knobs"].values()):
            raise ValueError("a knob is no number")
        return body
    except (KeyError, TypeError, ValueError) as fault:
        raise Unavailable(f"The stand-in's state {where} cannot be read: {fault}. Delete it.") from fault
