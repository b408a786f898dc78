"""Twins of searches are kept in the cache folder of the user."""

from __future__ import annotations

from pathlib import Path

from ..core.model import known_rig
from ..store.twin_files import TwinFiles, default_folder


def use_cache(folder: Path | None = None) -> None:
    """From now on twins are looked for there before they are made; without a folder where nothing else was said."""
    if folder is not None or not known_rig.kept:
        known_rig.kept[:] = [TwinFiles(folder or default_folder())]
