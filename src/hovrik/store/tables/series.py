"""Recordings: series, packed a channel with shared stamps, and named spans of them."""

from __future__ import annotations

import sqlite3
import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from ...core.errors import Damaged, StoreError
from ...core.passes.recording import Recording, Span
from ...core.passes.trace import FRAMES, Channel, Trace
from ..opened import OpenedFile, dump
from ..packing import checksum, pack_stamps, pack_values, unpack_stamps, unpack_values
from ..sound import json_of, setup_from


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
    made = connection.execute(
        "INSERT INTO recording (id, start_ns, end_ns, launch, boot, readback, noted_at) VALUES (?, ?, ?, ?, ?, ?, ?) "
        "ON CONFLICT (id) DO NOTHING",
        (*packed.head, time.time_ns()),
    )
    if not made.rowcount:
        return
    owner = packed.head[0]
    clocks = [
        connection.execute(
            "INSERT INTO clock (recording_id, count, data, checksum) VALUES (?, ?, ?, ?)",
            (owner, count, data, checksum(data)),
        ).lastrowid
        for count, data in packed.clocks
    ]
    connection.executemany(
        "INSERT INTO series (recording_id, channel, clock, data, checksum) VALUES (?, ?, ?, ?, ?)",
        [(owner, name, clocks[at], data, None if data is None else checksum(data)) for name, at, data in packed.series],
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
            "SELECT kind, name, start_ns, end_ns FROM span WHERE recording_id = ? ORDER BY start_ns, seq", recording_id
        )
        return tuple(Span(*row) for row in rows)

    def recording(self, recording_id: str) -> Recording:
        """A recording in full. Raises StoreError where there is none, Damaged where a checksum does not agree."""
        if self._last is not None and self._last.id == recording_id:
            return self._last
        heads = self.read_rows(
            "SELECT start_ns, end_ns, launch, boot, readback FROM recording WHERE id = ?", recording_id
        )
        if not heads:
            raise StoreError(f"Recording {recording_id} is not in {self.path.name}.")
        start, end, launch, boot, readback = heads[0]
        clocks = {
            seq: unpack_stamps(self._sound(data, found, recording_id, "stamps"))
            for seq, data, found in self.read_rows(
                "SELECT seq, data, checksum FROM clock WHERE recording_id = ?", recording_id
            )
        }
        frames, channels = unpack_stamps(b""), {}
        for name, clock, data, found in self.read_rows(
            "SELECT channel, clock, data, checksum FROM series WHERE recording_id = ? ORDER BY seq", recording_id
        ):
            if name == FRAMES:
                frames = clocks[clock]
            else:
                channels[name] = Channel(clocks[clock], unpack_values(self._sound(data, found, recording_id, name)))
        said = tuple((int(at), setup_from(setup)) for at, setup in json_of(readback))
        self._last = Recording(recording_id, Trace(frames, channels, start, end), said, launch, boot)
        return self._last

    def _sound(self, data: bytes, found: int, owner: str, what: str) -> bytes:
        if checksum(data) != found:
            raise Damaged(f"The {what} of recording {owner} in {self.path.name} are damaged. Restore a copy.")
        return data


def _insert_spans(connection: sqlite3.Connection, owner: str, spans: Sequence[Span]) -> None:
    connection.executemany(
        "INSERT INTO span (id, recording_id, kind, name, start_ns, end_ns, noted_at) VALUES (?, ?, ?, ?, ?, ?, ?)",
        [(str(uuid.uuid4()), owner, s.kind, s.name, s.start_ns, s.end_ns, time.time_ns()) for s in spans],
    )
