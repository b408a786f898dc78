"""Stills of a set-up kept with a pass, byte for byte as they were brought."""

from __future__ import annotations

import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ..core.errors import ImportRefused
from .files.write.text_files import read_bytes
from .notebook import Notebook

MOST_BYTES = 30_000_000
SUFFIXES = (".png", ".jpg", ".jpeg", ".webp")
# how a file begins -> its kind
_MEDIA = ((b"\x89PNG\r\n\x1a\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"), (b"RIFF", "image/webp"))


@dataclass(frozen=True)
class Still:
    """A still without its pixels. name : of the file it came from."""

    id: str
    pass_id: str
    name: str
    media: str


def read_still(path: Path) -> tuple[str, bytes]:
    """Kind and bytes of a picture file. Raises ImportRefused for anything else."""
    data = read_bytes(path, MOST_BYTES, "Save it smaller.")
    media = next((kind for start, kind in _MEDIA if data.startswith(start)), None)
    if media is None or (media == "image/webp" and data[8:12] != b"WEBP"):
        raise ImportRefused(f"{path.name} is no PNG, JPEG or WebP picture. Save it as one of them.")
    return media, data


def keep_stills(notebook: Notebook, pass_id: str, paths: Sequence[Path]) -> list[Still]:
    """Attach picture files to a pass, all or none. Raises ImportRefused, StoreError."""
    read = [(path.name, *read_still(path)) for path in paths]
    made = [Still(str(uuid.uuid4()), pass_id, name, media) for name, media, _ in read]
    rows = [(s.id, pass_id, s.name, s.media, data, time.time_ns()) for s, (*_, data) in zip(made, read, strict=True)]
    with notebook.writing() as connection:
        connection.executemany(
            "INSERT INTO still (id, pass_id, name, media, data, noted_at) VALUES (?, ?, ?, ?, ?, ?)", rows
        )
    return made


def stills(notebook: Notebook) -> list[Still]:
    """Every still that is shown, oldest first."""
    rows = notebook.read_rows("SELECT id, pass_id, name, media FROM still WHERE removed_at IS NULL ORDER BY seq")
    return [Still(*row) for row in rows]


def pixels_of(notebook: Notebook, still_id: str) -> bytes:
    """The file of a still, b"" where it is not there."""
    rows = notebook.read_rows("SELECT data FROM still WHERE id = ?", still_id)
    return bytes(rows[0][0]) if rows else b""


def remove_still(notebook: Notebook, still_id: str, *, removed: bool = True) -> None:
    """Take a still off the list, or put it back."""
    with notebook.writing() as connection:
        connection.execute(
            "UPDATE still SET removed_at = ? WHERE id = ?", (time.time_ns() if removed else None, still_id)
        )
