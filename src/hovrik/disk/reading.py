"""The one opener: every file that the program reads by a path is a regular one, of a size, and read within a time.

A pipe, a device or a socket may never end, or hang whoever opens it; so it is opened without waiting and looked at
before a byte is read.
"""

from __future__ import annotations

import errno
import os
import stat
import time
from pathlib import Path

from ..core.errors import ImportRefused

MOST_TEXT_BYTES = 4_000_000
MOST_SECONDS = 60.0  # of reading one file; a folder on a network may stall
_CHUNK = 8_000_000


def opened(path: Path) -> tuple[int, int]:
    """A descriptor for reading, to be closed by the caller, and the size in bytes. Raises ImportRefused for a folder,
    device, pipe or socket, by whatever link; OSError where nothing can be opened."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY)
    except OSError as fault:
        if fault.errno in (errno.ENXIO, errno.ENODEV, errno.EOPNOTSUPP):
            raise _no_file(path) from fault
        raise
    found = os.fstat(handle)
    if not stat.S_ISREG(found.st_mode):
        os.close(handle)
        raise _no_file(path)
    return handle, found.st_size


def _no_file(path: Path) -> ImportRefused:
    return ImportRefused(f"{name_of(path)} is no file: it is a folder, a device, a pipe or a socket. Choose a file.")


def name_of(path: Path) -> str:
    """The name of a file for a message, whatever bytes it is made of."""
    return os.fsencode(path.name).decode("utf-8", "replace")


def size_of(path: Path) -> int:
    """Bytes of a file. Raises ImportRefused for what is none; OSError where nothing is."""
    handle, size = opened(path)
    os.close(handle)
    return size


def read_bytes(path: Path, most_bytes: int, what_next: str) -> bytes:
    """The bytes of a file. Raises ImportRefused where it is larger than most_bytes (what_next : to do then), missing,
    no file, or does not come."""
    try:
        handle, size = opened(path)
    except OSError as fault:
        raise ImportRefused(f"{name_of(path)} cannot be read: {fault.strerror}. Check the path.") from fault
    try:
        if size > most_bytes:
            raise ImportRefused(
                f"{name_of(path)} has {size / 1e6:,.0f} MB; up to {most_bytes / 1e6:,.0f} MB are read. {what_next}"
            )
        parts, left, late = [], most_bytes + 1, time.monotonic() + MOST_SECONDS
        while left > 0 and (part := os.read(handle, min(_CHUNK, left))):
            parts.append(part)
            left -= len(part)
            if time.monotonic() > late:
                raise ImportRefused(f"{name_of(path)} did not come within {MOST_SECONDS:.0f} s. Copy it here first.")
    except OSError as fault:
        raise ImportRefused(f"{name_of(path)} cannot be read: {fault.strerror}. Check the path.") from fault
    finally:
        os.close(handle)
    if not left:
        raise ImportRefused(f"{name_of(path)} grew beyond {most_bytes / 1e6:,.0f} MB while it was read. {what_next}")
    return parts[0] if len(parts) == 1 else b"".join(parts)


def read_text(path: Path, what: str) -> str:
    """The text of a file. Raises ImportRefused where it is larger than `what` can be, missing or no UTF-8."""
    data = read_bytes(path, MOST_TEXT_BYTES, f"That is too large for {what}.")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as fault:
        raise ImportRefused(f"{name_of(path)} cannot be read: it is no text in UTF-8 ({fault.reason}).") from fault
