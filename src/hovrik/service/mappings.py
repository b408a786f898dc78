"""Which column is what, remembered in the notebook by the shape of a file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..store.importers.frame_log import ColumnMap, guess
from ..store.importers.shapes import from_plain, shape_of, telemetry_from_plain, telemetry_to_plain, to_plain
from ..store.importers.table import Table
from ..store.importers.telemetry import TelemetryMap
from ..store.importers.telemetry import guess as guess_telemetry
from ..store.notebook import Notebook

_STATE, _TELEMETRY = "mappings", "telemetry_mappings"


def mappings(notebook: Notebook) -> Mapping[str, Any]:
    """Mappings by shape, as they are kept."""
    return notebook.get_state(_STATE) or {}


def mapping_for(known: Mapping[str, Any], table: Table) -> ColumnMap | None:
    """The mapping last used for a file of this shape, or None. known : of `mappings`."""
    body = known.get(shape_of(table.layout))
    return from_plain(body) if body else None


def mapping_of(known: Mapping[str, Any], table: Table) -> ColumnMap:
    """The mapping last used for a file of this shape, or a guess. Raises ImportRefused where nothing can be guessed."""
    return mapping_for(known, table) or guess(table)


def save_mapping(notebook: Notebook, table: Table, mapping: ColumnMap) -> None:
    """Remember a mapping for files of this shape. Raises StoreError."""
    known = dict(mappings(notebook))
    known[shape_of(table.layout)] = to_plain(mapping)
    notebook.set_state(_STATE, known)


def telemetry_mapping(notebook: Notebook, table: Table) -> TelemetryMap:
    """The mapping last used for telemetry of this shape, or a guess. Raises ImportRefused."""
    body = (notebook.get_state(_TELEMETRY) or {}).get(shape_of(table.layout))
    return telemetry_from_plain(body) if body else guess_telemetry(table)


def save_telemetry_mapping(notebook: Notebook, table: Table, mapping: TelemetryMap) -> None:
    """Remember a mapping for telemetry of this shape. Raises StoreError."""
    known = dict(notebook.get_state(_TELEMETRY) or {})
    known[shape_of(table.layout)] = telemetry_to_plain(mapping)
    notebook.set_state(_TELEMETRY, known)
