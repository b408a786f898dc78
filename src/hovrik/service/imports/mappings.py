"""Which column is what, remembered in the notebook by the shape of a file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ...store.files.read import frame_log, telemetry
from ...store.files.read.frame_log import ColumnMap
from ...store.files.read.shapes import from_plain, shape_of, telemetry_from_plain, telemetry_to_plain, to_plain
from ...store.files.read.table import Table
from ...store.files.read.telemetry import TelemetryMap
from ...store.notebook import Notebook

_LOGS, _TELEMETRY = "mappings", "telemetry_mappings"


@dataclass(frozen=True)
class Mappings:
    """The mappings last used, by shape, as they are kept: of frame logs, and of what stands beside them. Immutable, so
    that a reader on another thread needs no notebook."""

    logs: Mapping[str, Any] = field(default_factory=dict)
    telemetry: Mapping[str, Any] = field(default_factory=dict)

    def saved(self, table: Table) -> ColumnMap | None:
        """The mapping last used for a frame log of this shape, or None."""
        body = self.logs.get(shape_of(table.layout))
        return from_plain(body) if body else None

    def of_log(self, table: Table) -> ColumnMap:
        """The mapping last used for a frame log of this shape, or a guess. Raises ImportRefused where none can be
        guessed."""
        return self.saved(table) or frame_log.guess(table)

    def of_telemetry(self, table: Table) -> TelemetryMap:
        """The mapping last used for telemetry of this shape, or a guess. Raises ImportRefused."""
        body = self.telemetry.get(shape_of(table.layout))
        return telemetry_from_plain(body) if body else telemetry.guess(table)


def mappings(notebook: Notebook) -> Mappings:
    """What the notebook remembers."""
    return Mappings(notebook.get_state(_LOGS) or {}, notebook.get_state(_TELEMETRY) or {})


def save_mapping(notebook: Notebook, table: Table, mapping: ColumnMap) -> None:
    """Remember a mapping for files of this shape. Raises StoreError."""
    _save(notebook, _LOGS, table, to_plain(mapping))


def save_telemetry_mapping(notebook: Notebook, table: Table, mapping: TelemetryMap) -> None:
    """Remember a mapping for telemetry of this shape. Raises StoreError."""
    _save(notebook, _TELEMETRY, table, telemetry_to_plain(mapping))


def _save(notebook: Notebook, state: str, table: Table, plain: Mapping[str, Any]) -> None:
    known = dict(notebook.get_state(state) or {})
    known[shape_of(table.layout)] = plain
    notebook.set_state(state, known)
