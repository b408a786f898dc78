"""Mappings remembered by the shape of a file: its delimiter and its column names."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from .frame_log import ColumnMap, FrameUnit
from .table import Layout


def shape_of(layout: Layout) -> str:
    """The same text for files written alike; made-up column names count, so files without a header match by width."""
    body = json.dumps([layout.delimiter, layout.decimal_comma, layout.header_line is not None, layout.columns])
    return hashlib.sha256(body.encode()).hexdigest()[:24]


def to_plain(mapping: ColumnMap) -> dict[str, Any]:
    """Plain values for JSON."""
    return {
        "frame_column": mapping.frame_column,
        "frame_unit": mapping.frame_unit.value,
        "channels": {name: list(place) for name, place in mapping.channels.items()},
    }


def from_plain(body: Mapping[str, Any]) -> ColumnMap:
    """The inverse of `to_plain`."""
    channels = {str(name): (int(column), str(unit)) for name, (column, unit) in body["channels"].items()}
    return ColumnMap(int(body["frame_column"]), FrameUnit(body["frame_unit"]), channels)
