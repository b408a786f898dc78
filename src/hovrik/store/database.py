"""Opening a notebook file: lock, format, migrations, check. Knows SQLite; knows nothing of passes."""

from __future__ import annotations

import fcntl
import os
import re
import sqlite3
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from ..core.errors import Damaged, ImportRefused, Locked, StoreError, TooNew
from ..disk.reading import name_of, size_of
from ..disk.writing import FileKind, replacing
from . import sealed
from .upgrade import AFTER

APPLICATION_ID = 0x484F5652  # "HOVR"
# a damaged file may also spoil the words that its fault is told in
UNREADABLE = (sqlite3.DatabaseError, UnicodeDecodeError)
MOST_IN_MEMORY = 2_000_000_000  # bytes of an older notebook that is read without being written
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
    """A connection with foreign keys on. Raises StoreError where the file cannot be opened, or is none: a pipe or a
    device may never end."""
    try:
        if path.exists() or path.is_symlink():
            size_of(path)
    except ImportRefused as fault:
        raise Damaged(str(fault)) from fault
    except OSError as fault:
        raise StoreError(f"{name_of(path)} cannot be opened: {fault.strerror}. Check the path.") from fault
    try:
        if read_only:
            connection = _read_only(path)
        else:
            connection = sqlite3.connect(path, timeout=busy_s, isolation_level=None, check_same_thread=False)
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = FULL")
        connection.execute("PRAGMA foreign_keys = ON")
        connection.execute("PRAGMA trusted_schema = OFF")
        connection.text_factory = _text
        sealed.prepare(connection)
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


def prepare(
    connection: sqlite3.Connection, path: Path, *, read_only: bool, check: bool, keep_former: bool = True
) -> Path | None:
    """Look at the format and bring an older notebook up to date; check : look at every page too, as is always done
    before anything is migrated.

    keep_former : an older one is copied first; the copy, None where nothing had to be brought up to date. Raises
    Damaged, TooNew, StoreError; Older where it is not to be written.
    """
    former: Path | None = None
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
        if version == newest:
            _refuse_foreign(connection, path)
        if read_only:
            if version < newest:
                raise Older(version)
            return None
        if tables and version < newest and keep_former:
            former = _copied(connection, path, version)
        connection.execute("PRAGMA foreign_keys = OFF")  # tables are made anew under rows that point at them
        for number, script in migrations():
            if number > version:
                _migrate(connection, number, script, path)
        connection.execute("PRAGMA foreign_keys = ON")
        if version < newest:
            _refuse_foreign(connection, path)
    except UNREADABLE as fault:
        raise _unreadable(path, fault) from fault
    return former


class Older(Exception):
    """A notebook of an older format that is not to be written. version : its format."""

    def __init__(self, version: int) -> None:
        self.version = version
        super().__init__(f"format {version}")


def in_memory(path: Path, name: str) -> sqlite3.Connection:
    """A copy of an older notebook in memory, of today's format; name : under which siblings find it. Raises
    StoreError."""
    connection = shared(name)
    try:
        source = _read_only(path)
        try:
            if size_of(path) > MOST_IN_MEMORY:
                raise StoreError(
                    f"{path.name} has an older format and {size_of(path) / 1e6:,.0f} MB. Copy it into a folder that "
                    "can be written and open the copy: it is brought up to date there."
                )
            source.backup(connection)
        finally:
            source.close()
        prepare(connection, path, read_only=False, check=True, keep_former=False)
        connection.execute("PRAGMA query_only = ON")
    except UNREADABLE as fault:
        connection.close()
        raise _unreadable(path, fault) from fault
    except BaseException:
        connection.close()
        raise
    return connection


def shared(name: str) -> sqlite3.Connection:
    """A connection to a notebook in memory, which is there as long as one of them is."""
    connection = sqlite3.connect(
        f"file:{name}?mode=memory&cache=shared", uri=True, isolation_level=None, check_same_thread=False
    )
    connection.text_factory = _text
    sealed.prepare(connection)
    return connection


def _copied(connection: sqlite3.Connection, path: Path, version: int) -> Path:
    """A copy beside a notebook, as it was before it is brought up to date. Raises StoreError."""
    for number in range(1, 1000):
        more = f"-{number}" if number > 1 else ""
        copy = path.with_name(f"{path.stem}.format-{version}{more}{path.suffix}")
        if not copy.exists() and not copy.is_symlink():
            break
    with replacing(copy, FileKind.NOTEBOOK) as temporary:
        target = sqlite3.connect(temporary)
        try:
            connection.backup(target)
            target.execute("PRAGMA journal_mode = DELETE")
        except sqlite3.DatabaseError as fault:
            raise StoreError(f"{copy} cannot be written: {fault}. {path.name} is as it was.") from fault
        finally:
            target.close()
    return copy


def _refuse_foreign(connection: sqlite3.Connection, path: Path) -> None:
    """Raises Damaged where a notebook holds views, triggers or columns that no notebook has: they would be run when it
    is read."""
    own, known = _schema_of(connection), _known_schema()
    strange = sorted(name for name in own if name not in known or own[name] != known[name])
    lacking = sorted(name for name in known if name not in own and name.startswith("table "))
    if strange or lacking:
        what = f"it holds {strange[0]}, which no notebook has" if strange else f"it lacks {lacking[0]}"
        raise Damaged(f"{path.name} is not a notebook that can be read: {what}. Nothing was changed; restore a copy.")


def _schema_of(connection: sqlite3.Connection) -> dict[str, tuple[Any, ...]]:
    """What a database is made of, by kind and name: columns of tables, the text of all else."""
    found: dict[str, tuple[Any, ...]] = {}
    for kind, name, text in connection.execute("SELECT type, name, sql FROM sqlite_master").fetchall():
        if str(name).startswith("sqlite_"):
            continue
        own: tuple[Any, ...] = (text,)
        if kind == "table":
            quoted = str(name).replace('"', '""')
            rows = connection.execute(f'PRAGMA table_xinfo("{quoted}")').fetchall()
            own = tuple((row[1], row[2], row[3], row[5], row[6]) for row in rows)
        found[f"{kind} {name}"] = own
    return found


@cache
def _known_schema() -> dict[str, tuple[Any, ...]]:
    """The same of a notebook that was just made."""
    connection = sqlite3.connect(":memory:", isolation_level=None)
    try:
        for number, script in migrations():
            connection.executescript(script)
            if number in AFTER:
                AFTER[number](connection)
        return _schema_of(connection)
    finally:
        connection.close()


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
