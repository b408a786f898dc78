"""An open notebook file: who may write, transactions, rows. Knows nothing of what the rows mean."""

from __future__ import annotations

import json
import os
import sqlite3
import uuid
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self, TypeVar

from ..core.errors import HovrikError, Locked, StoreError
from ..disk.writing import FileKind, hold_open, let_go, replacing
from . import sealed
from .database import BUSY_S, UNREADABLE, Older, WriterLock, connect, in_memory, look_through, prepare, shared
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
    keep_former : an older one is copied before it is brought up to date; former : that copy; memory : name of the copy
    in memory that an older one is read from.
    """

    def __init__(
        self, path: Path, *, read_only: bool = False, lock: WriterLock | None = None, busy_s: float = BUSY_S,
        check: bool = True, keep_former: bool = True, memory: str = "",
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
        self._held: tuple[int, int] | None = None
        self.former: Path | None = None
        self._memory = memory
        try:
            self._connection = shared(memory) if memory else connect(path, read_only=read_only, busy_s=busy_s)
        except BaseException:
            self._release()
            raise
        try:
            if not memory:
                self.former = prepare(self._connection, path, read_only=read_only, check=check, keep_former=keep_former)
        except Older as older:
            self._connection.close()
            self._memory = f"hovrik-{uuid.uuid4()}"
            self._connection = in_memory(path, self._memory)
            self.why_read_only += f" It has the older format {older.version} and is read from a copy in memory."
        except BaseException:
            self.close()
            raise
        self._identity = _identity(path)
        self._held = hold_open(path)

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
        except (Locked, StoreError, OSError, RuntimeError) as fault:  # a link to itself is the last
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
        lock = self._lock or WriterLock(self.path)
        return type(self)(self.path, read_only=self.read_only, lock=lock, check=False, memory=self._memory)

    def copy_to(self, path: Path, *, force: bool = False) -> None:
        """All of the file as it is now into another one, which is there only once it is whole. Raises StoreError,
        NotOurs."""
        self._refuse_open_elsewhere(path)
        with replacing(path, FileKind.NOTEBOOK, force=force) as temporary:
            target = sqlite3.connect(temporary)
            try:
                self._connection.backup(target)
                target.execute("PRAGMA journal_mode = DELETE")
            except sqlite3.DatabaseError as fault:
                raise StoreError(f"{path} cannot be written: {fault}. This notebook is as it was.") from fault
            finally:
                target.close()

    @staticmethod
    def _refuse_open_elsewhere(path: Path) -> None:
        """Raises StoreError where another program has a notebook open that is to be replaced."""
        if not path.with_name(path.name + ".lock").is_file():
            return
        lock = WriterLock(path)
        try:
            lock.take()
        except Locked as fault:
            raise StoreError(f"{path.name} is open in another window. Choose another name.") from fault
        lock.release()

    def close(self) -> None:
        """Close the connection; the first notebook also lets go of the lock."""
        let_go(self._held)
        self._held = None
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
                name = _name_of(row[0])
                self.spoiled[table, name] = Spoiled(table, name, str(fault) or type(fault).__name__)
        return found

    def each_sealed(self, table: str, rows: Iterable[tuple[Any, ...]], build: Callable[..., T]) -> list[T]:
        """The same of rows whose last value is whether they are as they were sealed (`sealed.sound`): one that is not
        is spoiled."""

        def checked(*row: Any) -> T:
            *values, is_sound = row
            made = build(*values)
            if is_sound != 1:
                raise ValueError(sealed.why_not(is_sound))
            return made

        return self.each(table, rows, checked)

    def revision(self) -> int:
        """A number that changes whenever any connection changes the file's contents that this one can see."""
        return int(self.read_rows("PRAGMA data_version")[0][0])


def _name_of(value: Any) -> str:
    """The name of a row, whatever bytes it is of."""
    return str(value).encode("utf-8", "replace").decode()


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
