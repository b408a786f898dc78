"""The notebook: one file that holds everything a user measured, decided and asked.

Passes, their recordings and the versions they ran under are append-only; what is thought of them is annotation rows
that can be undone; what is computed from them is a cache.
"""

from __future__ import annotations

from .places import default_path
from .tables.checked import Checked
from .tables.kept import Kept
from .tables.notes import Annotation
from .tables.passes import PassQuery
from .tables.plans import JournalEntry, Plans
from .tables.versions import CONTEXT, Entity, Versions

__all__ = ["CONTEXT", "Annotation", "Entity", "JournalEntry", "Notebook", "PassQuery", "default_path"]


class Notebook(Versions, Plans, Checked, Kept):
    """An open notebook; see `OpenedFile` for how it is opened, tables/ for what it holds."""
