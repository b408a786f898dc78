"""Small text files: read with a size limit, written so that an older file stays whole until the new one is."""

from __future__ import annotations

import tempfile
from pathlib import Path

from ..core.errors import ImportRefused, StoreError

MOST_BYTES = 4_000_000


def read_text(path: Path, what: str) -> str:
    """The text of a file. Raises ImportRefused where it is larger than `what` can be, missing or no UTF-8."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ImportRefused(f"{path.name} is too large for {what}.")
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as fault:
        raise ImportRefused(f"{path.name} cannot be read: {fault}.") from fault


def write_text(path: Path, text: str) -> None:
    """Write a text file by way of a temporary one beside it. Raises StoreError."""
    temporary = None
    try:
        with tempfile.NamedTemporaryFile("w", dir=path.parent, delete=False, encoding="utf-8") as handle:
            temporary = handle.name
            handle.write(text)
        Path(temporary).replace(path)
    except OSError as fault:
        if temporary:
            Path(temporary).unlink(missing_ok=True)
        raise StoreError(f"{path} cannot be written: {fault.strerror}. Choose another folder.") from fault
