"""Opening a notebook file: lock, format, migrations, check. Knows SQLite; knows nothing of passes."""

from __future__ import annotations

import fcntl
import os
import re
import sqlite3
from importlib import resources
from pathlib import Path

from ..core.errors import Damaged, Locked, StoreError, TooNew
from .upgrade import AFTER

APPLICATION_ID = 0x484F5652  # "HOVR"
# a damaged file may also spoil the words that its fault is told in
UNREADABLE = (sqlite3.DatabaseError, UnicodeDecodeError)
BUSY_S = 2.0  # how long a write waits for another one of the same notebook


def migrations() -> list[tuple[int, str]]:
    """Numbered migration scripts, ascending."""
    found = []
    for entry in resources.files(__package__).joinpath("migrations").iterdir():
        match = re.fullmatch(r"(\d{4})_\w+\.sql", entry.name)
        if match:
            found.append((int(match.group(1)), entry.read_text(encoding="utf-8")))
    return sorted(found)


class WriterLock:
    """One writer a notebook: an advisory lock on a file beside it, which the kernel drops when the process dies."""

    def __init__(self, path: Path) -> None:
        self._path = path.with_name(path.name + ".lock")
        self._handle: int | None = None

    def take(self) -> None:
        """Raise Locked where another instance writes; StoreError where the folder cannot be written."""
        try:
            handle = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        except OSError as fault:
            raise StoreError(f"{self._path.parent} cannot be written: {fault.strerror}.") from fault
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as fault:
            os.close(handle)
            raise Locked(
                "Another Hovrik window has this notebook open. It can be read here; close the other one to write."
            ) from fault
        self._handle = handle

    def release(self) -> None:
        """Let the next instance write; harmless where not taken."""
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None


def connect(path: Path, *, read_only: bool, busy_s: float = BUSY_S) -> sqlite3.Connection:
    """A connection with foreign keys on. Raises StoreError where the file cannot be opened."""
    try:
        if read_only:
            connection = _read_only(path)
        else:
            connection = sqlite3.connect(path, timeout=busy_s, isolation_level=None, check_same_thread=False)
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA foreign_keys = ON")
        connection.text_factory = _text
    except UNREADABLE as fault:
        raise _unreadable(path, fault) from fault
    return connection


def _text(data: bytes) -> str:
    """Text of a row; bytes that are none stay in it as half letters, so that the one row is found to be spoiled."""
    return data.decode("utf-8", "surrogateescape")


def _read_only(path: Path) -> sqlite3.Connection:
    address = path.absolute().as_uri()
    connection = sqlite3.connect(
        f"{address}?mode=ro", uri=True, timeout=BUSY_S, isolation_level=None, check_same_thread=False
    )
    try:
        connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    except sqlite3.OperationalError:  # a folder that cannot hold the shared-memory file
        connection.close()
        log = path.with_name(path.name + "-wal")
        if log.exists() and log.stat().st_size:
            raise StoreError(
                f"Beside {path.name} lies {log.name}, whose passes are not in it yet, in a folder that cannot be "
                "written. Copy both into one that can, and open the copy."
            ) from None
        connection = sqlite3.connect(f"{address}?immutable=1", uri=True, isolation_level=None, check_same_thread=False)
        connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    return connection


def _unreadable(path: Path, fault: Exception) -> StoreError:
    if isinstance(fault, UnicodeDecodeError):
        return Damaged(f"{path.name} is damaged: the list of its tables is no text. Nothing was changed.")
    if "not a database" in str(fault) or "malformed" in str(fault):
        return Damaged(
            f"{path.name} is not a notebook that can be read ({fault}). Nothing was changed; open a copy instead."
        )
    return StoreError(f"{path.name} cannot be opened: {fault}. Check the disk and the file's permissions.")


def prepare(connection: sqlite3.Connection, path: Path, *, read_only: bool, check: bool) -> None:
    """Look at the format and bring an older notebook up to date; check : look at every page too, as is always done
    before anything is migrated.

    Raises Damaged, TooNew, StoreError. A notebook opened read-only must already be current.
    """
    try:
        application = connection.execute("PRAGMA application_id").fetchone()[0]
        version = connection.execute("PRAGMA user_version").fetchone()[0]
        tables = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
        if tables and application != APPLICATION_ID:
            raise Damaged(f"{path.name} is a database of another kind, not a notebook. Nothing was changed.")
        newest = migrations()[-1][0]
        if version > newest:
            raise TooNew(
                f"{path.name} has format {version}; this Hovrik reads up to {newest}. Update Hovrik to open it."
            )
        if tables and (check or version < newest):
            look_through(connection, path)
        if read_only:
            if version < newest:
                raise StoreError(f"{path.name} has the older format {version}; open it for writing once.")
            return
        connection.execute("PRAGMA foreign_keys = OFF")  # tables are made anew under rows that point at them
        for number, script in migrations():
            if number > version:
                _migrate(connection, number, script, path)
        connection.execute("PRAGMA foreign_keys = ON")
    except UNREADABLE as fault:
        raise _unreadable(path, fault) from fault


def look_through(connection: sqlite3.Connection, path: Path) -> None:
    """Look at every page of the file and at what its indices say, which takes as long as reading it. Raises Damaged,
    StoreError."""
    try:
        verdict = connection.execute("PRAGMA integrity_check(1)").fetchone()[0]
    except UNREADABLE as fault:
        raise _unreadable(path, fault) from fault
    if verdict != "ok":
        raise Damaged(f"{path.name} is damaged ({verdict}). Nothing was changed; restore a copy.")


def _migrate(connection: sqlite3.Connection, number: int, script: str, path: Path) -> None:
    """One migration, all or nothing. Raises Damaged where rows point at what is not there."""
    try:
        connection.executescript(f"BEGIN IMMEDIATE;\n{script}")
        if number in AFTER:
            AFTER[number](connection)
        if connection.execute("PRAGMA foreign_key_check").fetchone() is not None:
            raise Damaged(f"{path.name} has rows that belong to nothing. Nothing was changed; restore a copy.")
        connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        connection.execute(f"PRAGMA user_version = {number}")
        connection.execute("COMMIT")
    finally:
        if connection.in_transaction:
            connection.execute("ROLLBACK")
