"""The one writer: everything that goes out is written beside its place and put there once it is whole.

What stands there is kept where the writing fails. A notebook that is open, a device, a pipe, a link or a folder is
never written over; a file of another kind only by the user's yes.
"""

from __future__ import annotations

import contextlib
import os
import re
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from enum import StrEnum
from pathlib import Path

from ..core.errors import NotOurs, StoreError
from .reading import name_of, opened

MARK = "Hovrik"  # pages and PDFs say by whom they were made
_NOTEBOOK = b"SQLite format 3\x00"
_SCHEMA = re.compile(rb"[\"']?schema[\"']?\s*[:=]\s*[\"'](hovrik-[a-z-]+)[\"']")
_MOST_LOOKED_AT = 8_000_000
_open_notebooks: dict[tuple[int, int], list[str]] = {}  # a name for each time that one is open


class FileKind(StrEnum):
    """What is written."""

    PAGE = "web page"
    PDF = "PDF"
    TABLE = "table"
    DOCUMENT = "document"
    NOTEBOOK = "notebook"
    OWN = "file of the program's own"


def hold_open(path: Path) -> tuple[int, int] | None:
    """Nothing is written over this notebook until `let_go`; what that takes."""
    try:
        found = path.stat()
    except OSError:
        return None
    _open_notebooks.setdefault((found.st_dev, found.st_ino), []).append(path.name)
    return found.st_dev, found.st_ino


def let_go(held: tuple[int, int] | None) -> None:
    """The notebook is closed."""
    names = _open_notebooks.get(held, []) if held is not None else []
    if names:
        names.pop()
    if held is not None and not names:
        _open_notebooks.pop(held, None)


@contextmanager
def replacing(
    path: Path, kind: FileKind, *, force: bool = False, start: bytes = b"", durable: bool = True
) -> Iterator[Path]:
    """A temporary file beside `path` to be written, which takes its place once whole.

    start : how what is written begins, by which a table or document of the same make is known; force : the user's yes
    to a file of another kind; durable : it is on the disk before it takes its place. Raises StoreError, NotOurs where a
    yes is wanted.
    """
    _refuse(path, kind, start, force=force)
    temporary = None
    try:
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=".hovrik-", delete=False) as handle:
            temporary = Path(handle.name)
        yield temporary
        mask = os.umask(0o077)
        os.umask(mask)
        temporary.chmod(stat.S_IMODE(path.stat().st_mode) if path.exists() else 0o666 & ~mask)
        if durable:
            _sync(temporary)
        temporary.replace(path)
        if durable:
            _sync(path.parent)
    except OSError as fault:
        raise StoreError(f"{path} cannot be written: {fault.strerror}. Choose another folder.") from fault
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)


def _sync(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        with contextlib.suppress(OSError):  # some file systems cannot, of a folder
            os.fsync(handle)
    finally:
        os.close(handle)


def write_text(path: Path, text: str, kind: FileKind, *, force: bool = False, durable: bool = True) -> None:
    """Write a text file by way of a temporary one beside it. Raises StoreError, NotOurs."""
    data = text.encode("utf-8")
    with replacing(path, kind, force=force, start=data, durable=durable) as temporary:
        temporary.write_bytes(data)


def write_web_page(path: Path, html: str, *, force: bool = False) -> None:
    """Write a web page, marked as made by this program. Raises StoreError, NotOurs."""
    mark = f'<meta name="generator" content="{MARK}">'
    head = re.search(r"<head[^>]*>", html) or re.search(r"<html[^>]*>", html)
    at = head.end() if head else 0
    write_text(path, f"{html[:at]}{mark}{html[at:]}", FileKind.PAGE, force=force)


def _refuse(path: Path, kind: FileKind, start: bytes, *, force: bool) -> None:
    try:
        found = path.lstat()
    except FileNotFoundError:
        found = None
    except (OSError, ValueError) as fault:
        raise StoreError(f"{path} cannot be written: {fault}. Choose another name.") from fault
    name = name_of(path)
    beside = {name.removesuffix(end) for end in ("-wal", "-shm", "-journal", ".lock") if name.endswith(end)}
    if beside & {name for names in _open_notebooks.values() for name in names}:
        raise StoreError(f"{name} belongs to a notebook that is open. Nothing was written; choose another name.")
    if found is None:
        return
    if stat.S_ISLNK(found.st_mode):
        raise StoreError(f"{name} is a link to another file. Nothing was written; name the file itself, or another.")
    if not stat.S_ISREG(found.st_mode):
        raise StoreError(f"{name} is no file but a folder, a device, a pipe or a socket. Nothing was written there.")
    if (found.st_dev, found.st_ino) in _open_notebooks:
        raise StoreError(f"{name} is the notebook that is open. Nothing was written; choose another name.")
    if kind is FileKind.OWN:
        return
    there = _beginning(path)
    if there.startswith(_NOTEBOOK) and kind is not FileKind.NOTEBOOK:
        raise StoreError(f"{name} is a notebook. Nothing was written over it; choose another name.")
    if not force and not _is_ours(kind, there, start):
        raise NotOurs(
            f"{name} is there and is no {kind.value} of {MARK}'s. Nothing was written; choose another name, or say "
            "that it is to be replaced (--force)."
        )


def _beginning(path: Path) -> bytes:
    try:
        handle, _ = opened(path)
    except OSError as fault:
        raise StoreError(f"{path} cannot be looked at: {fault.strerror}. Choose another name.") from fault
    try:
        with os.fdopen(handle, "rb") as file:
            return file.read(_MOST_LOOKED_AT)
    except OSError as fault:
        raise StoreError(f"{path} cannot be looked at: {fault.strerror}. Choose another name.") from fault


def _is_ours(kind: FileKind, there: bytes, start: bytes) -> bool:
    """Whether what stands there is of the same make; an empty file is anybody's."""
    if not there:
        return True
    match kind:
        case FileKind.NOTEBOOK:
            return there.startswith(_NOTEBOOK)
        case FileKind.PDF:
            return there.startswith(b"%PDF") and MARK.encode("utf-16-be") in there
        case FileKind.PAGE:
            return there.lstrip()[:1] == b"<" and f'content="{MARK}"'.encode() in there[:2000]
        case FileKind.TABLE:
            return bool(start) and _headings(there) == _headings(start)
        case _:
            own, other = _SCHEMA.search(start), _SCHEMA.search(there)
            return own is not None and other is not None and own.group(1) == other.group(1)


def _headings(data: bytes) -> list[bytes]:
    """The first headings of a table."""
    return data.partition(b"\n")[0].strip().split(b",")[:3]
