"""Where a user's own notebook lies. Stands alone, so that asking for it costs nothing."""

from __future__ import annotations

import os
from pathlib import Path


def default_path() -> Path:
    """The user's notebook by the XDG base directories; the folder is made on first write."""
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "hovrik" / "notebook.hovrik"
