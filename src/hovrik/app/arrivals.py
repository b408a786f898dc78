"""What a file is, by what it holds rather than by its name alone: so that each goes where it belongs."""

from __future__ import annotations

import os
from enum import Enum
from pathlib import Path

from ..core.errors import HovrikError
from ..disk.reading import opened
from ..store.files.read.table import is_table
from ..store.files.write.exchange import schema_of
from ..store.stills import SUFFIXES as PICTURES

_HEAD = b"SQLite format 3\x00"


class Arrival(Enum):
    """What can be brought to the window."""

    NOTEBOOK = "a notebook"
    RIG = "a rig"
    TITLE = "a title"
    PROFILE = "a profile"
    LOG = "a log"
    FOLDER = "a folder of logs"
    PICTURE = "a picture"
    NOTHING = "nothing that Hovrik reads"


def kind_of(path: Path) -> Arrival:
    """What a path leads to; devices and pipes are nothing."""
    try:
        if path.is_dir():
            return Arrival.FOLDER
        if not path.is_file():
            return Arrival.NOTEBOOK if path.suffix == ".hovrik" else Arrival.NOTHING
        handle, _ = opened(path)
    except (OSError, HovrikError):
        return Arrival.NOTHING
    with os.fdopen(handle, "rb") as file:
        head = file.read(len(_HEAD))
    suffix = path.suffix.lower()
    if head == _HEAD or suffix == ".hovrik":
        return Arrival.NOTEBOOK
    if suffix in PICTURES:
        return Arrival.PICTURE
    if suffix in (".json", ".toml"):
        try:
            schema = schema_of(path)
        except HovrikError:
            return Arrival.NOTHING
        kinds = {"hovrik-rig": Arrival.RIG, "hovrik-title": Arrival.TITLE, "hovrik-profile": Arrival.PROFILE}
        return kinds.get(schema, Arrival.NOTHING)
    return Arrival.LOG if is_table(path) else Arrival.NOTHING
