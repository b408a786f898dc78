"""Files read with a size limit, and small text files written so that an older one stays whole until the new one is."""

from __future__ import annotations

import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ....core.errors import ImportRefused, StoreError

MOST_BYTES = 4_000_000


def read_text(path: Path, what: str) -> str:
    """The text of a file. Raises ImportRefused where it is larger than `what` can be, missing or no UTF-8."""
    try:
        if size_of(path) > MOST_BYTES:
            raise ImportRefused(f"{path.name} is too large for {what}.")
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as fault:
        raise ImportRefused(f"{path.name} cannot be read: {fault}.") from fault


def size_of(path: Path) -> int:
    """Bytes of a file. Raises ImportRefused for a folder, device, pipe or socket, which may never end; OSError where
    nothing is."""
    found = path.stat()
    if not stat.S_ISREG(found.st_mode):
        raise ImportRefused(f"{path.name} is no file: it is a folder, a device or a pipe. Choose a file.")
    return found.st_size


def read_bytes(path: Path, most_bytes: int, what_next: str) -> bytes:
    """The bytes of a file. Raises ImportRefused where it is larger than most_bytes (what_next : to do then), missing or
    no file."""
    try:
        size = size_of(path)
        if size > most_bytes:
            raise ImportRefused(
                f"{path.name} has {size / 1e6:,.0f} MB; up to {most_bytes / 1e6:,.0f} MB are read. {what_next}"
            )
        return path.read_bytes()
    except OSError as fault:
        raise ImportRefused(f"{path.name} cannot be read: {fault.strerror}. Check the path.") from fault


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary file beside `path` to be written, which takes its place once whole. Raises StoreError."""
    temporary = None
    try:
        with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as handle:
            temporary = Path(handle.name)
        yield temporary
        mask = os.umask(0o077)
        os.umask(mask)
        temporary.chmod(stat.S_IMODE(path.stat().st_mode) if path.exists() else 0o666 & ~mask)
        temporary.replace(path)
    except OSError as fault:
        raise StoreError(f"{path} cannot be written: {fault.strerror}. Choose another folder.") from fault
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def write_text(path: Path, text: str) -> None:
    """Write a text file by way of a temporary one beside it. Raises StoreError."""
    with replacing(path) as temporary:
        temporary.write_text(text, encoding="utf-8")


def check_version(version: object, name: str, newest: int, what: str = "version") -> None:
    """Raises ImportRefused where a document's version is no whole number from 1 to the newest one known."""
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ImportRefused(f'{name}: "version" must be a whole number from 1.')
    if version > newest:
        raise ImportRefused(f"{name} has {what} {version}; this Hovrik reads up to {newest}. Update Hovrik.")
