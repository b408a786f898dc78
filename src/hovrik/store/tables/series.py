"""Recordings: series, packed a channel with shared stamps, and named spans of them."""

from __future__ import annotations

import sqlite3
import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ...core.errors import Damaged, StoreError
from ...core.passes.recording import Recording, Span
from ...core.passes.trace import FRAMES, Channel, Trace
from ..opened import OpenedFile, dump
from ..packing import MOST_NS, checksum, pack_stamps, pack_values, unpack_stamps, unpack_values
from ..sealed import insert as insert_sealed
from ..sealed import parts_of, parts_stored, sound, why_not
from ..sound import check_text, json_of, setup_from

MOST_STAMPS, MOST_LETTERS = 100_000_000, 100  # of a clock; of a channel's name


@dataclass(frozen=True)
class Packed:
    """A recording ready to be stored. clocks : (count, blob); series : (channel, index of its clock, blob or None)."""

    head: tuple[str, int, int, str, str, str]
    clocks: Sequence[tuple[int, bytes]]
    series: Sequence[tuple[str, int, bytes | None]]


def pack(recording: Recording) -> Packed:
    """Channels with the same stamps share them."""
    clocks: list[tuple[int, bytes]] = []
    known: dict[bytes, int] = {}
    series: list[tuple[str, int, bytes | None]] = []
    trace = recording.series
    for name, stamps, values in (
        (FRAMES, trace.frames_ns, None), *((n, c.stamps_ns, c.values) for n, c in trace.channels.items())
    ):  # fmt: skip
        raw = stamps.tobytes()
        if raw not in known:
            known[raw] = len(clocks)
            clocks.append((stamps.size, pack_stamps(stamps)))
        series.append((name, known[raw], None if values is None else pack_values(values)))
    readback = dump([[at, setup.as_dict()] for at, setup in recording.readback])
    head = (recording.id, trace.start_ns, trace.end_ns, recording.launch, recording.boot, readback)
    return Packed(head, clocks, series)


def insert(connection: sqlite3.Connection, packed: Packed) -> None:
    """Store a packed recording; one that is there already stays."""
    owner = packed.head[0]
    if connection.execute("SELECT 1 FROM recording WHERE id = ?", (owner,)).fetchone():
        return
    crcs = [checksum(data) for _, data in packed.clocks]
    values = [None if data is None else checksum(data) for *_, data in packed.series]
    parts = parts_of([(name, packed.clocks[at][0], crcs[at], own) for (name, at, _), own in zip(packed.series, values)])
    head = dict(zip(("id", "start_ns", "end_ns", "launch", "boot", "readback"), packed.head, strict=True))
    insert_sealed(connection, "recording", {**head, "noted_at": time.time_ns(), "parts": parts})
    clocks = [
        connection.execute(
            "INSERT INTO clock (recording_id, count, data, checksum) VALUES (?, ?, ?, ?)",
            (owner, count, data, crc),
        ).lastrowid
        for (count, data), crc in zip(packed.clocks, crcs)
    ]
    connection.executemany(
        "INSERT INTO series (recording_id, channel, clock, data, checksum) VALUES (?, ?, ?, ?, ?)",
        [(owner, name, clocks[at], data, own) for (name, at, data), own in zip(packed.series, values)],
    )


class Series(OpenedFile):
    """Recordings and their spans. The one that was read last is at hand: its passes are mostly read in a row."""

    _last: Recording | None = None

    def has_recording(self, recording_id: str) -> bool:
        """Whether it is there."""
        return bool(self.read_rows("SELECT 1 FROM recording WHERE id = ?", recording_id))

    def keep_spans(self, recording_id: str, spans: Sequence[Span]) -> None:
        """Name stretches of a recording that is there. Raises StoreError."""
        with self.writing() as connection:
            _insert_spans(connection, recording_id, spans)

    def spans(self, recording_id: str) -> tuple[Span, ...]:
        """Named stretches of a recording, in time."""
        rows = self.read_rows(
            f"SELECT id, kind, name, start_ns, end_ns, {sound('span')} FROM span WHERE recording_id = ? "
            "ORDER BY start_ns, seq", recording_id,
        )  # fmt: skip
        return tuple(self.each_sealed("span", rows, _span))

    def recording(self, recording_id: str) -> Recording:
        """A recording in full. Raises StoreError where there is none, Damaged where a checksum does not agree."""
        if self._last is not None and self._last.id == recording_id:
            return self._last
        heads = self.read_rows(
            f"SELECT start_ns, end_ns, launch, boot, readback, parts, {sound('recording')} FROM recording WHERE id = ?",
            recording_id,
        )
        if not heads:
            raise StoreError(f"Recording {recording_id} is not in {self.path.name}.")
        start, end, launch, boot, readback, parts, is_sound = heads[0]
        why = why_not(is_sound) or (
            "" if parts == parts_stored(self._connection, recording_id) else "its series changed"
        )
        if why:
            raise Damaged(f"Recording {recording_id} in {self.path.name} is damaged: {why}. Restore a copy.")
        clocks = {
            seq: unpack_stamps(self._sound(data, found, recording_id, "stamps"), _count(count))
            for seq, count, data, found in self.read_rows(
                "SELECT seq, count, data, checksum FROM clock WHERE recording_id = ?", recording_id
            )
        }
        frames, channels = unpack_stamps(b""), {}
        for name, clock, data, found in self.read_rows(
            "SELECT channel, clock, data, checksum FROM series WHERE recording_id = ? ORDER BY seq", recording_id
        ):
            if name == FRAMES:
                frames = clocks[clock]
            else:
                own = unpack_values(self._sound(data, found, recording_id, name), clocks[clock].size)
                channels[_channel(name)] = Channel(clocks[clock], own)
        said = tuple((int(at), setup_from(setup)) for at, setup in json_of(readback))
        if not (isinstance(start, int) and isinstance(end, int) and -MOST_NS < start <= end < MOST_NS):
            raise ValueError("it ends before it begins")
        self._last = Recording(recording_id, Trace(frames, channels, start, end), said, launch, boot)
        return self._last

    def _sound(self, data: Any, found: int, owner: str, what: str) -> bytes:
        if not isinstance(data, bytes) or checksum(data) != found:
            raise Damaged(f"The {what} of recording {owner} in {self.path.name} are damaged. Restore a copy.")
        return data


def _count(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= MOST_STAMPS:
        raise ValueError(f"{value!r} stamps cannot be")
    return value


def _channel(name: Any) -> str:
    if not isinstance(name, str) or not 0 < len(name) <= MOST_LETTERS:
        raise ValueError(f"a channel cannot be called {str(name)[:40]!r}")
    check_text(name)
    return name


def _insert_spans(connection: sqlite3.Connection, owner: str, spans: Sequence[Span]) -> None:
    for one in spans:
        row = {"kind": one.kind, "name": one.name, "start_ns": one.start_ns, "end_ns": one.end_ns}
        made = {"id": str(uuid.uuid4()), "recording_id": owner, "noted_at": time.time_ns()}
        insert_sealed(connection, "span", {**made, **row})


def _span(_name: str, kind: str, name: str, start_ns: int, end_ns: int) -> Span:
    if not (isinstance(kind, str) and isinstance(name, str) and isinstance(start_ns, int) and isinstance(end_ns, int)):
        raise ValueError("a stretch must have words and whole times")
    return Span(kind, name, start_ns, end_ns)
