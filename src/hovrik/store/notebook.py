"""The notebook: one file that holds everything a user measured, decided and asked.

Passes, their recordings and the versions they ran under are append-only; what is thought of them is annotation rows
that can be undone; what is computed from them is a cache.
"""

from __future__ import annotations

import os
from pathlib import Path

from .tables.kept import Kept
from .tables.notes import Annotation
from .tables.passes import Passes, PassQuery
from .tables.plans import JournalEntry, Plans
from .tables.versions import CONTEXT, Entity, Versions

__all__ = ["CONTEXT", "Annotation", "Entity", "JournalEntry", "Notebook", "PassQuery", "default_path"]


def default_path() -> Path:
    """The user's notebook by the XDG base directories; the folder is made on first write."""
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "hovrik" / "notebook.hovrik"


class Notebook(Versions, Plans, Passes, Kept):
    """An open notebook; see `OpenedFile` for how it is opened, tables/ for what it holds."""
