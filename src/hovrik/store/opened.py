"""An open notebook file: who may write, transactions, rows. Knows nothing of what the rows mean."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self, TypeVar

from ..core.errors import HovrikError, Locked, StoreError
from .database import BUSY_S, UNREADABLE, WriterLock, connect, look_through, prepare
from .files.write.text_files import replacing
from .packing import seal
from .sound import WRONG

T = TypeVar("T")


@dataclass(frozen=True)
class Spoiled:
    """A row that cannot be read: it is left out, kept, and told. row : its name; fault : in words."""

    table: str
    row: str
    fault: str


class OpenedFile:
    """A file and one connection to it, which belongs to the thread that opened it; `sibling` gives a worker its own.

    read_only : another instance writes it, or its folder cannot be written; why_read_only says which. busy_s : how long
    a write waits for another of the same notebook. check : look at every page first; else `look_through` does later.
    """

    def __init__(
        self, path: Path, *, read_only: bool = False, lock: WriterLock | None = None, busy_s: float = BUSY_S,
        check: bool = True,
    ) -> None:  # fmt: skip
        self.path = path
        self.spoiled: dict[tuple[str, str], Spoiled] = {}
        self.why_read_only = "asked for" if read_only else ""
        self._lock = lock
        self._owns_lock = False
        if not read_only and lock is None:
            read_only = not self._take_lock()
        elif read_only and not path.exists():
            raise StoreError(f"{path} does not exist. Check the path.")
        self.read_only = read_only
        try:
            self._connection = connect(path, read_only=read_only, busy_s=busy_s)
        except BaseException:
            self._release()
            raise
        try:
            prepare(self._connection, path, read_only=read_only, check=check)
        except BaseException:
            self.close()
            raise
        self._identity = _identity(path)

    def _take_lock(self) -> bool:
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            lock = WriterLock(self.path.resolve())  # by whatever link it is reached
            lock.take()
            why = self._why_not_writable()
            if why:
                lock.release()
                raise StoreError(why)
            self._lock, self._owns_lock = lock, True
            return True
        except (Locked, StoreError, OSError) as fault:
            if not self.path.exists():
                raise StoreError(f"{self.path} cannot be made: {fault}") from fault
            self.why_read_only = str(fault)
            return False

    def _why_not_writable(self) -> str:
        if not self.path.exists():
            return ""
        if self.path.stat().st_nlink > 1:  # what each name's log holds would not be known under the other
            return f"{self.path.name} has a second name (a hard link), and writing under two would spoil it. Copy it."
        return "" if os.access(self.path, os.W_OK) else f"{self.path.name} cannot be written."

    def sibling(self) -> Self:
        """Another connection to the same notebook under the same lock, for a worker thread."""
        return type(self)(self.path, read_only=self.read_only, lock=self._lock or WriterLock(self.path), check=False)

    def copy_to(self, path: Path) -> None:
        """All of the file as it is now into another one, which is there only once it is whole. Raises StoreError."""
        with replacing(path) as temporary:
            target = sqlite3.connect(temporary)
            try:
                self._connection.backup(target)
                target.execute("PRAGMA journal_mode = DELETE")
            except sqlite3.DatabaseError as fault:
                raise StoreError(f"{path} cannot be written: {fault}. This notebook is as it was.") from fault
            finally:
                target.close()

    def close(self) -> None:
        """Close the connection; the first notebook also lets go of the lock."""
        self._connection.close()
        self._release()

    def _release(self) -> None:
        if self._owns_lock and self._lock is not None:
            self._lock.release()
            self._owns_lock = False

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def changes(self) -> int:
        """How many rows were written through this connection; asks nothing of the file."""
        return self._connection.total_changes

    def look_through(self) -> None:
        """Look at every page of the file. Raises Damaged, StoreError."""
        look_through(self._connection, self.path)

    def close_for_writing(self, why: str) -> None:
        """Write nothing more, as into a file that is found to be damaged. why : for whoever tries."""
        self.read_only, self.why_read_only = True, why

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction: all or nothing. Raises StoreError where the disk refuses; nothing is half written."""
        if self._connection.in_transaction:  # part of a larger one, all of which goes through or nothing
            yield self._connection
            return
        if self.read_only:
            raise StoreError(f"{self.path.name} is open for reading only: {self.why_read_only}")
        if _identity(self.path) != self._identity:
            raise StoreError(
                f"{self.path.name} was moved, deleted or replaced since it was opened. Nothing was written; put it "
                "back, or open the one that is there."
            )
        try:
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield self._connection
                self._connection.execute("COMMIT")
            except BaseException:
                if self._connection.in_transaction:
                    self._connection.execute("ROLLBACK")
                raise
        except UNREADABLE as fault:
            raise StoreError(
                f"{self.path.name} cannot be written: {fault}. Everything stored before is safe; "
                "free some disk space or check the folder."
            ) from fault

    def read_rows(self, query: str, *values: Any) -> list[tuple[Any, ...]]:
        """Rows of a query. Raises StoreError where the file cannot be read."""
        try:
            return self._connection.execute(query, values).fetchall()
        except UNREADABLE as fault:
            raise StoreError(f"{self.path.name} cannot be read: {fault}.") from fault

    def each(self, table: str, rows: Iterable[tuple[Any, ...]], build: Callable[..., T]) -> list[T]:
        """What each row stands for; its first value is its name. One that cannot be read is left out and noted in
        `spoiled`: a notebook with such rows still opens."""
        found = []
        for row in rows:
            try:
                found.append(build(*row))
            except (*WRONG, HovrikError) as fault:
                name = str(row[0])
                self.spoiled[table, name] = Spoiled(table, name, str(fault) or type(fault).__name__)
        return found

    def each_sealed(self, table: str, rows: Iterable[tuple[Any, ...]], build: Callable[..., T]) -> list[T]:
        """The same of rows whose last value is the checksum of the others: one that does not agree is spoiled."""

        def checked(*row: Any) -> T:
            *values, found = row
            made = build(*values)
            if found is not None and found != seal(*values):
                raise ValueError("its checksum does not agree: it was changed by something other than Hovrik")
            return made

        return self.each(table, rows, checked)

    def revision(self) -> int:
        """A number that changes whenever any connection changes the file's contents that this one can see."""
        return int(self.read_rows("PRAGMA data_version")[0][0])


def _identity(path: Path) -> tuple[int, int] | None:
    """What tells a file from another one of its name; None where there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def dump(body: Any) -> str:
    """Plain values as JSON."""
    return json.dumps(body, ensure_ascii=False, sort_keys=True, allow_nan=False)
