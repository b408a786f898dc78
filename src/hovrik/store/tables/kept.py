"""The cache of what is derived from passes, profiles on the shelf, and what the program remembers."""

from __future__ import annotations

import struct
import time
import uuid
import zlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from ..opened import dump
from ..packing import pack_body, unpack_body
from ..sealed import insert, replace, sound, update
from ..sound import WRONG, json_of, table_of
from .notes import Notes

_MOST = 500  # values a query
# versions of what is remembered, by its schema: the first word of its key; those that are not named are at 1
VERSIONS: Mapping[str, int] = {}


class Kept(Notes):
    """What may be made again, replaced or forgotten."""

    def cached(self, algorithm: str, version: int, ids: Iterable[str] | None = None) -> dict[str, dict[str, Any]]:
        """Cached bodies by pass that are of this version and of the pass's present revision. ids : of which passes,
        None all. A body that cannot be read is not there."""
        counts = self.annotation_counts()
        query = f"SELECT pass_id, revision, body, {sound('derived')} FROM derived WHERE algorithm = ? AND version = ?"
        if ids is None:
            rows = self.read_rows(query, algorithm, version)
        else:
            wanted, rows = list(ids), []
            for low in range(0, len(wanted), _MOST):
                some = wanted[low : low + _MOST]
                marks = ", ".join("?" * len(some))
                rows += self.read_rows(f"{query} AND pass_id IN ({marks})", algorithm, version, *some)
        found = {}
        for owner, revision, body, is_sound in rows:
            if is_sound == 1 and revision == counts.get(owner, 0):
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
        rows = [
            {"pass_id": i, "algorithm": algorithm, "version": version, "revision": counts.get(i, 0),
             "body": pack_body(body)}
            for i, body in bodies.items()
        ]  # fmt: skip
        with self.writing() as connection:
            replace(connection, "derived", rows)

    # -- profiles

    def keep_profile(self, keys: Sequence[str], body: Mapping[str, Any]) -> str:
        """Store a profile for (rig, slot, title, source); its id. The former one is marked as replaced."""
        made, now = str(uuid.uuid4()), time.time_ns()
        with self.writing() as connection:
            where = "rig_key = ? AND slot_key = ? AND title_key = ? AND source = ? AND removed_at IS NULL"
            update(connection, "profile", {"removed_at": now}, where, *keys)
            row = dict(zip(("rig_key", "slot_key", "title_key", "source"), keys, strict=True))
            insert(connection, "profile", {"id": made, **row, "body": dump(body), "noted_at": now})
        return made

    def remove_profile(self, profile_id: str, *, removed: bool = True) -> None:
        """Take a profile off the shelf, or put it back."""
        with self.writing() as connection:
            at = time.time_ns() if removed else None
            update(connection, "profile", {"removed_at": at}, "id = ?", profile_id)

    def profiles(self) -> list[tuple[str, dict[str, Any]]]:
        """(id, body) of the profiles in force, newest first."""
        rows = self.read_rows(
            f"SELECT id, body, removed_at, {sound('profile')} FROM profile WHERE removed_at IS NULL "
            f"OR {sound('profile')} IS NOT 1 ORDER BY seq DESC"
        )
        found = self.each_sealed("profile", rows, lambda name, body, gone: (name, table_of(body), gone))
        return [(name, body) for name, body, gone in found if gone is None]

    def profile_history(self) -> list[tuple[dict[str, Any], int, int | None]]:
        """(body, kept at, removed at) of every profile there ever was, in UTC ns, oldest first."""
        dates = self.read_rows("SELECT id, noted_at, removed_at FROM profile")
        when = {str(name): (int(at), gone) for name, at, gone in dates}
        rows = self.read_rows(f"SELECT id, body, {sound('profile')} FROM profile ORDER BY seq")
        return self.each_sealed("profile", rows, lambda name, body: (table_of(body), *when[name]))

    # -- what is remembered

    def get_state(self, key: str) -> Any:
        """A remembered value, or None."""
        rows = self.read_rows(f"SELECT key, body, version, {sound('state')} FROM state WHERE key = ?", key)
        return next(iter(self.each_sealed("state", rows, _remembered)), None)

    def states(self, schema: str) -> list[Any]:
        """Every remembered value of a schema."""
        query = f"SELECT key, body, version, {sound('state')} FROM state WHERE schema = ? ORDER BY key"
        return self.each_sealed("state", self.read_rows(query, schema), _remembered)

    def set_state(self, key: str, body: Any) -> None:
        """Remember a value; silently not on a read-only notebook, where nothing is lost by it."""
        if self.read_only:
            return
        with self.writing() as connection:
            schema = schema_of(key)
            row = {"key": key, "schema": schema, "version": VERSIONS.get(schema, 1), "body": dump(body)}
            replace(connection, "state", [row])


def schema_of(key: str) -> str:
    """What a remembered value is, by its key."""
    return key.partition("/")[0]


def _remembered(key: str, body: str, version: int | None) -> Any:
    newest = VERSIONS.get(schema_of(key), 1)
    if version is not None and version > newest:
        raise ValueError(f"it is of version {version}, and up to {newest} is known: update Hovrik")
    return json_of(body)
