"""Stills of a set-up kept with a pass, byte for byte as they were brought."""

from __future__ import annotations

import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ..core.errors import ImportRefused
from ..disk.reading import name_of, read_bytes
from .notebook import Notebook
from .opened import Spoiled
from .packing import checksum
from .sealed import insert, sound, update
from .sound import check_text

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
        raise ImportRefused(f"{name_of(path)} is no PNG, JPEG or WebP picture. Save it as one of them.")
    return media, data


def keep_stills(notebook: Notebook, pass_id: str, paths: Sequence[Path]) -> list[Still]:
    """Attach picture files to a pass, all or none. Raises ImportRefused, StoreError."""
    read = [(name_of(path), *read_still(path)) for path in paths]
    made = [Still(str(uuid.uuid4()), pass_id, name, media) for name, media, _ in read]
    with notebook.writing() as connection:
        for own, (*_, data) in zip(made, read, strict=True):
            row = {"id": own.id, "pass_id": pass_id, "name": own.name, "media": own.media, "data": data}
            size = {"size": len(data), "crc": checksum(data), "noted_at": time.time_ns()}
            insert(connection, "still", {**row, **size})
    return made


def stills(notebook: Notebook) -> list[Still]:
    """Every still that is shown, oldest first."""
    rows = notebook.read_rows(
        f"SELECT id, pass_id, name, media, removed_at, {sound('still')} FROM still WHERE removed_at IS NULL "
        f"OR {sound('still')} IS NOT 1 ORDER BY seq"
    )
    found = notebook.each_sealed("still", rows, _still)
    return [one for one, removed_at in found if removed_at is None]


def _still(made: str, pass_id: str, name: str, media: str, removed_at: int | None) -> tuple[Still, int | None]:
    if not all(isinstance(one, str) for one in (made, pass_id, name, media)):
        raise ValueError("a still must have a name and a kind in words")
    check_text(name)
    return Still(made, pass_id, name, media), removed_at


def pixels_of(notebook: Notebook, still_id: str) -> bytes:
    """The file of a still, b"" where it is not there, or not as it was brought."""
    rows = notebook.read_rows("SELECT data, size, crc FROM still WHERE id = ?", still_id)
    if not rows:
        return b""
    data, size, crc = rows[0]
    if not isinstance(data, bytes) or len(data) != size or checksum(data) != crc:
        notebook.spoiled["still", still_id] = Spoiled("still", still_id, "its picture is not as it was brought")
        return b""
    return data


def remove_still(notebook: Notebook, still_id: str, *, removed: bool = True) -> None:
    """Take a still off the list, or put it back."""
    with notebook.writing() as connection:
        update(connection, "still", {"removed_at": time.time_ns() if removed else None}, "id = ?", still_id)
