"""The cache of what is derived from passes, profiles on the shelf, and what the program remembers."""

from __future__ import annotations

import struct
import time
import uuid
import zlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from ..opened import dump
from ..packing import pack_body, seal, unpack_body
from ..sound import WRONG, json_of, table_of
from .notes import Notes

_MOST = 500  # values a query


class Kept(Notes):
    """What may be made again, replaced or forgotten."""

    def cached(self, algorithm: str, version: int, ids: Iterable[str] | None = None) -> dict[str, dict[str, Any]]:
        """Cached bodies by pass that are of this version and of the pass's present revision. ids : of which passes,
        None all. A body that cannot be read is not there."""
        counts = self.annotation_counts()
        query = "SELECT pass_id, revision, body FROM derived WHERE algorithm = ? AND version = ?"
        if ids is None:
            rows = self.read_rows(query, algorithm, version)
        else:
            wanted, rows = list(ids), []
            for low in range(0, len(wanted), _MOST):
                some = wanted[low : low + _MOST]
                marks = ", ".join("?" * len(some))
                rows += self.read_rows(f"{query} AND pass_id IN ({marks})", algorithm, version, *some)
        found = {}
        for owner, revision, body in rows:
            if revision == counts.get(owner, 0):
                try:
                    found[owner] = unpack_body(body)
                except (zlib.error, struct.error, *WRONG):
                    continue
        return found

    def cache(self, algorithm: str, version: int, bodies: Mapping[str, Mapping[str, Any]]) -> None:
        """Store derived bodies by pass, arrays of numbers among them; a read-only notebook keeps none."""
        if self.read_only or not bodies:
            return
        counts = self.annotation_counts()
        rows = [(i, algorithm, version, counts.get(i, 0), pack_body(body)) for i, body in bodies.items()]
        with self.writing() as connection:
            connection.executemany("INSERT OR REPLACE INTO derived VALUES (?, ?, ?, ?, ?)", rows)

    # -- profiles

    def keep_profile(self, keys: Sequence[str], body: Mapping[str, Any]) -> str:
        """Store a profile for (rig, slot, title, source); its id. The former one is marked as replaced."""
        made, now = str(uuid.uuid4()), time.time_ns()
        with self.writing() as connection:
            connection.execute(
                "UPDATE profile SET removed_at = ? WHERE rig_key = ? AND slot_key = ? AND title_key = ? "
                "AND source = ? AND removed_at IS NULL",
                (now, *keys),
            )
            text = dump(body)
            connection.execute(
                "INSERT INTO profile (id, rig_key, slot_key, title_key, source, body, noted_at, checksum) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (made, *keys, text, now, seal(made, text)),
            )
        return made

    def remove_profile(self, profile_id: str, *, removed: bool = True) -> None:
        """Take a profile off the shelf, or put it back."""
        with self.writing() as connection:
            connection.execute(
                "UPDATE profile SET removed_at = ? WHERE id = ?", (time.time_ns() if removed else None, profile_id)
            )

    def profiles(self) -> list[tuple[str, dict[str, Any]]]:
        """(id, body) of the profiles in force, newest first."""
        rows = self.read_rows("SELECT id, body, checksum FROM profile WHERE removed_at IS NULL ORDER BY seq DESC")
        return self.each_sealed("profile", rows, lambda name, body: (name, table_of(body)))

    def profile_history(self) -> list[tuple[dict[str, Any], int, int | None]]:
        """(body, kept at, removed at) of every profile there ever was, in UTC ns, oldest first."""
        dates = self.read_rows("SELECT id, noted_at, removed_at FROM profile")
        when = {str(name): (int(at), gone) for name, at, gone in dates}
        rows = self.read_rows("SELECT id, body, checksum FROM profile ORDER BY seq")
        return self.each_sealed("profile", rows, lambda name, body: (table_of(body), *when[name]))

    # -- what is remembered

    def get_state(self, key: str) -> Any:
        """A remembered value, or None."""
        rows = self.read_rows("SELECT body, checksum FROM state WHERE key = ?", key)
        return next(iter(self.each_sealed("state", [(key, *row) for row in rows], lambda _, body: json_of(body))), None)

    def set_state(self, key: str, body: Any) -> None:
        """Remember a value; silently not on a read-only notebook, where nothing is lost by it."""
        if self.read_only:
            return
        with self.writing() as connection:
            text = dump(body)
            connection.execute("INSERT OR REPLACE INTO state VALUES (?, ?, ?)", (key, text, seal(key, text)))
