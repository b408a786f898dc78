"""Whether what passes were made of is as it was stored: their series, the versions they ran under, their plans.

Figures and verdicts are cached, and a cache knows nothing of what became of the rows that it was made of. So each pass
is looked at once, blobs and all; one that is damaged counts as void, whatever was cached of it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...core.errors import StoreError
from .. import sealed
from ..opened import Spoiled
from .passes import Passes

FIRST = -(2**63)  # before every sequence number
CACHE = "derived"  # the table of what can be made anew
AT_ONCE = 50  # recordings that are looked at before whoever waits is asked whether to go on
_WHAT = {"rig": "rig version", "slot": "OS slot", "title": "title version", "scene": "scene"}
Wanted = Callable[[], bool]


class Checked(Passes):
    """Looking at rows that are hung on."""

    def look_at_rows(self, *tables: str) -> None:
        """Note every row of some tables, all of them where none is named, that is not as it was sealed: also those that
        a query no longer finds, as where something changed the key that it goes by."""
        for table in tables or [one for one in sealed.COLUMNS if one != CACHE]:
            name = (
                "uid" if table == "annotation" else "id" if "id" in sealed.COLUMNS[table] else sealed.COLUMNS[table][0]
            )
            for row, fault in sealed.spoiled(self._connection, table, name).items():
                self.spoiled.setdefault((table, row), Spoiled(table, row, fault))

    def damage(self, after: int, wanted: Wanted = lambda: True) -> tuple[dict[str, str], int]:
        """Passes stored after a sequence number that are damaged, each with why, and the sequence number of the newest
        that was looked at: not the newest there is where it is no longer wanted."""
        rows = self.read_rows(
            "SELECT seq, id, plan_id, recording_id, rig, slot, title, scene FROM pass WHERE seq > ? ORDER BY seq", after
        )
        if not rows:
            return {}, after
        versions = {row[0]: row[1] for row in self.read_rows(f"SELECT id, {sealed.sound('entity')} FROM entity")}
        plans = self._spoiled_plans()
        found: dict[str, str] = {}
        known: dict[str, str] = {}
        for number, (seq, name, plan, recording, *context) in enumerate(rows):
            if number % AT_ONCE == 0 and not wanted():
                return found, after
            faults = [
                f"its {what} was changed by something other than Hovrik, or is gone"
                for what, own in zip(_WHAT.values(), context) if versions.get(own) != 1
            ]  # fmt: skip
            if plan is not None and plan in plans:
                faults.append("its plan was changed by something other than Hovrik")
            if recording is not None:
                if recording not in known:
                    known[recording] = self.fault_of_recording(recording)
                faults += [known[recording]] if known[recording] else []
            if faults:
                found[str(name)] = faults[0]
            after = int(seq)
        return found, after

    def _spoiled_plans(self) -> set[Any]:
        """Plans of which a row, a batch or a step is not as it was."""
        found: set[Any] = set()
        for table, column in (("plan", "id"), ("batch", "plan_id"), ("step", "plan_id")):
            query = f"SELECT DISTINCT {column} FROM {table} WHERE {sealed.sound(table)} IS NOT 1"
            found |= {row[0] for row in self.read_rows(query)}
        return found

    def fault_of_recording(self, recording_id: str) -> str:
        """What is not as it was of a recording and its series, "" nothing."""
        heads = self.read_rows(f"SELECT parts, {sealed.sound('recording')} FROM recording WHERE id = ?", recording_id)
        if not heads:
            return "its recording is gone"
        parts, is_sound = heads[0]
        if is_sound != 1:
            return f"its recording: {sealed.why_not(is_sound)}"
        if parts != sealed.parts_stored(self._connection, recording_id):
            return "its series are not those that were stored"
        for table, what in (("clock", "stamps"), ("series", "values")):
            for data, crc in self.read_rows(f"SELECT data, checksum FROM {table} WHERE recording_id = ?", recording_id):
                if data is not None and sealed.blob_checksum(data) != crc:
                    return f"its {what} are damaged"
        return ""

    def damaged_recordings(self, wanted: Wanted = lambda: True) -> dict[str, str]:
        """Every recording that is not as it was stored, with why. Raises StoreError where it is no longer wanted."""
        found = {}
        for number, (name,) in enumerate(self.read_rows("SELECT id FROM recording ORDER BY seq")):
            if number % AT_ONCE == 0 and not wanted():
                raise StoreError("It was stopped. Nothing was taken in.")
            fault = self.fault_of_recording(name)
            if fault:
                found[name] = fault
        return found
