"""How a log that is in the notebook already is known: by its frames, whatever its file is called."""

from __future__ import annotations

import hashlib

from ...core.passes.trace import Trace
from ...store.files.read.frame_log import Imported
from ...store.tables.passes import LOG_PART

CONDITION = LOG_PART


def part_of(imported: Imported, piece: Trace) -> str:
    """What names one pass of a log: the digest of all its frames and where the pass begins."""
    return f"{hashlib.sha256(imported.trace.frames_ns.tobytes()).hexdigest()[:24]}@{piece.start_ns}"
