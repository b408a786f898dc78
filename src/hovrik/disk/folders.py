"""Folders of the program's own, by the XDG base directories. Stands alone, so that asking for one costs nothing."""

from __future__ import annotations

import os
import stat
import tempfile
from pathlib import Path

MOST_LETTERS = 78  # of a folder for sockets


def data_folder() -> Path:
    """What must outlive the program: the user's own notebook, the states of machines. Made on first write."""
    return Path(os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")) / "hovrik"


def cache_folder() -> Path:
    """What can be made anew. Made on first write."""
    return Path(os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")) / "hovrik"


def runtime_folder() -> tuple[Path | None, str]:
    """A folder that only this user can write, for sockets, and what was odd on the way: the session's own where there
    is one, else one of ours. None where none is safe."""
    said = []
    session = os.environ.get("XDG_RUNTIME_DIR")
    places = [Path(session) / "hovrik"] if session else []
    for folder in (*places, cache_folder() / "run", Path(tempfile.gettempdir()) / f"hovrik-{os.getuid()}"):
        if len(os.fsencode(folder)) > MOST_LETTERS:  # a socket's name has room for some hundred
            continue
        try:
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        except OSError as fault:
            said.append(f"{folder} cannot be made ({fault.strerror}).")
            continue
        why = why_unsafe(folder)
        if not why:
            return folder, " ".join(said)
        said.append(why)
    return None, " ".join(said)


def why_unsafe(folder: Path) -> str:
    """Why others could put something into a folder, "" where they cannot: it is this user's alone."""
    try:
        found = folder.lstat()
    except OSError as fault:
        return f"{folder} cannot be looked at ({fault.strerror})."
    if not stat.S_ISDIR(found.st_mode):
        return f"{folder} is no folder."
    if found.st_uid != os.getuid():
        return f"{folder} belongs to another user ({found.st_uid}) and is not used."
    if found.st_mode & 0o077:
        try:
            folder.chmod(0o700)
        except OSError as fault:
            return f"{folder} can be written by others ({fault.strerror})."
    return ""
