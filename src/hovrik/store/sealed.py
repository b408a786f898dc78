"""Checksums of rows: one mechanism for every table. A row that something else changed is noticed when it is read.

A seal covers every column of its row, the sequence number included. What of a recording lies in rows of its own
(clocks, series) is covered by the recording's: by the checksum of each blob, which is held against the blob itself.
"""

from __future__ import annotations

import sqlite3
import zlib
from collections.abc import Iterable, Mapping, Sequence
from functools import cache
from typing import Any

from .packing import checksum

CHANGED = "its checksum does not agree: it was changed by something other than Hovrik"
MISSING = "its checksum is gone: it was changed by something other than Hovrik"
# every table whose rows are sealed, in an order in which none points at one that is not there yet
COLUMNS: Mapping[str, tuple[str, ...]] = {
    "entity": ("seq", "id", "kind", "key", "parent", "body", "noted_at", "frozen_at"),
    "plan": ("seq", "id", "body", "noted_at"),
    "batch": ("seq", "plan_id", "number", "told", "why", "is_last", "noted_at"),
    "step": ("seq", "id", "plan_id", "batch", "position", "kind", "body", "begun_at"),
    "recording": ("seq", "id", "start_ns", "end_ns", "launch", "boot", "readback", "noted_at", "parts"),
    "span": ("seq", "id", "recording_id", "kind", "name", "start_ns", "end_ns", "noted_at"),
    "pass": (
        "seq", "id", "plan_id", "plan_index", "step_id", "recording_id", "from_ns", "to_ns", "start_ns", "end_ns",
        "rig", "slot", "title", "scene", "rig_key", "slot_key", "title_key", "scene_key", "source", "log_part",
        "origin", "purpose", "outcome", "reason", "asked", "read", "conditions", "summary", "started_ns", "noted_at",
    ),
    "annotation": ("seq", "uid", "pass_id", "kind", "body", "noted_at"),
    "dismissal": ("seq", "id", "finding", "about", "reason", "undoes", "noted_at"),
    "incident": ("seq", "id", "kind", "rig", "slot", "title", "scene", "setup", "body", "noted_at"),
    "still": ("seq", "id", "pass_id", "name", "media", "size", "crc", "noted_at", "removed_at"),
    "profile": (
        "seq", "id", "rig_key", "slot_key", "title_key", "source", "body", "noted_at", "removed_at",
    ),
    "journal": ("seq", "id", "plan_id", "machine", "snapshot", "found", "position", "began_at", "restored_at"),
    "state": ("key", "schema", "version", "body"),
    "derived": ("pass_id", "algorithm", "version", "revision", "body"),
}  # fmt: skip


def seal(*values: Any) -> int:
    """CRC-32 of what a row says, in order, each value by its bytes as SQLite would give them: a number by its digits.
    Nothing is told from no letters."""
    found = 0
    for value in values:
        if value is None:
            found = zlib.crc32(b"\x00", found)
            continue
        own = value if isinstance(value, bytes) else str(value).encode("utf-8", "surrogateescape")
        found = zlib.crc32(b"\x1f", zlib.crc32(own, zlib.crc32(b"\x02", found)))
    return found


def prepare(connection: sqlite3.Connection) -> None:
    """Make seals known to a connection."""
    connection.create_function("seal", -1, seal, deterministic=True)


def _call(values: Iterable[str]) -> str:
    """SQL that seals some values: by their bytes, whatever letters they are of."""
    return f"seal({', '.join(f'CAST({one} AS BLOB)' for one in values)})"


@cache
def sound(table: str) -> str:
    """SQL of whether a row is as it was sealed: 1; 0 where it is not, NULL where it has no seal."""
    return f"{_call(COLUMNS[table])} = checksum"


def why_not(is_sound: Any) -> str:
    """What is wrong with a row by that value, "" nothing."""
    return "" if is_sound == 1 else CHANGED if is_sound == 0 else MISSING


def insert(connection: sqlite3.Connection, table: str, values: Mapping[str, Any]) -> int:
    """Insert a row with its seal; its sequence number, 0 where the table has none. Columns that are not named are NULL,
    and none may be left to a default."""
    row = dict(values)
    names = COLUMNS[table]
    if names[0] == "seq":
        row["seq"] = next_seq(connection, table)
    sealed_ = seal(*(row.get(name) for name in names))
    given = {**row, "checksum": sealed_}
    connection.execute(
        f"INSERT INTO {table} ({', '.join(given)}) VALUES ({', '.join('?' * len(given))})", tuple(given.values())
    )
    return int(row.get("seq", 0))


def next_seq(connection: sqlite3.Connection, table: str) -> int:
    """The sequence number of the next row of a table."""
    return int(connection.execute(f"SELECT coalesce(max(seq), 0) + 1 FROM {table}").fetchone()[0])


def replace(connection: sqlite3.Connection, table: str, rows: Sequence[Mapping[str, Any]]) -> None:
    """Insert rows of a table without sequence numbers, each in the place of one with its key."""
    names = COLUMNS[table]
    connection.executemany(
        f"INSERT OR REPLACE INTO {table} ({', '.join(names)}, checksum) VALUES ({', '.join('?' * (len(names) + 1))})",
        [(*(own := [row.get(name) for name in names]), seal(*own)) for row in rows],
    )


def update(
    connection: sqlite3.Connection, table: str, changes: Mapping[str, Any], where: str, *values: Any
) -> int:  # fmt: skip
    """Change some columns of the rows that meet a condition, and seal them anew; how many they were. A row that was not
    sound before stays so."""
    marked = [f"?{at + 1}" for at in range(len(changes))]
    places = dict(zip(changes, marked))
    after = _call(places.get(name, name) for name in COLUMNS[table])
    set_ = ", ".join(f"{name} = {mark}" for name, mark in places.items())
    condition = where
    for at in range(len(values)):
        condition = condition.replace("?", f"¿{len(changes) + at + 1}", 1)
    query = (
        f"UPDATE {table} SET {set_}, checksum = CASE WHEN {sound(table)} THEN {after} ELSE checksum END "
        f"WHERE {condition.replace('¿', '?')}"
    )
    return connection.execute(query, (*changes.values(), *values)).rowcount


def parts_of(rows: Sequence[tuple[str, int, int, int | None]]) -> int:
    """One number for what a recording holds, series by series: channel, count of its clock, checksum of its stamps, of
    its values."""
    return seal(*(value for row in rows for value in row))


def parts_stored(connection: sqlite3.Connection, recording_id: str) -> int:
    """The same, of the rows that are stored."""
    rows = connection.execute(
        "SELECT series.channel, clock.count, clock.checksum, series.checksum FROM series LEFT JOIN clock "
        "ON clock.seq = series.clock AND clock.recording_id = series.recording_id WHERE series.recording_id = ? "
        "ORDER BY series.seq", (recording_id,),
    ).fetchall()  # fmt: skip
    return parts_of(rows)


def spoiled(connection: sqlite3.Connection, table: str, name: str) -> dict[str, str]:
    """Rows of a table that are not as they were sealed: what a column says of each, and why."""
    query = f"SELECT CAST({name} AS BLOB), {sound(table)} AS fine FROM {table} WHERE fine IS NOT 1"
    found = connection.execute(query).fetchall()
    return {bytes(own or b"").decode("utf-8", "replace"): why_not(fine) for own, fine in found}


def order_of_sealing(table: str) -> tuple[str, ...]:
    """Tables whose seals hang on the rows of this one."""
    return ("recording",) if table in ("clock", "series") else (table,)


def seal_again(connection: sqlite3.Connection, table: str) -> None:
    """Seal all rows of a table as they stand: for whoever makes notebooks on purpose, as tests do."""
    prepare(connection)
    if table == "recording":
        _seal_recordings(connection)
    if table == "still":
        connection.execute("UPDATE still SET size = length(data)")
        for own, data in connection.execute("SELECT seq, data FROM still").fetchall():
            connection.execute("UPDATE still SET crc = ? WHERE seq = ?", (blob_checksum(data), own))
    connection.execute(f"UPDATE {table} SET checksum = {_call(COLUMNS[table])}")


def _seal_recordings(connection: sqlite3.Connection) -> None:
    for table in ("clock", "series"):
        for seq, data in connection.execute(f"SELECT seq, data FROM {table} WHERE data IS NOT NULL").fetchall():
            connection.execute(f"UPDATE {table} SET checksum = ? WHERE seq = ?", (blob_checksum(data), seq))
    for (owner,) in connection.execute("SELECT id FROM recording").fetchall():
        connection.execute("UPDATE recording SET parts = ? WHERE id = ?", (parts_stored(connection, owner), owner))


def blob_checksum(data: Any) -> int:
    """CRC-32 of a blob; of anything else that stands in its place, of its words."""
    return checksum(data if isinstance(data, bytes) else str(data).encode("utf-8", "surrogateescape"))
