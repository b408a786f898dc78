"""Where a user's own notebook lies. Stands alone, so that asking for it costs nothing."""

from __future__ import annotations

from pathlib import Path

from ..disk.folders import data_folder


def default_path() -> Path:
    """The user's notebook by the XDG base directories; the folder is made on first write."""
    return data_folder() / "notebook.hovrik"
