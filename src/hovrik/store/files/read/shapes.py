"""Mappings remembered by the shape of a file: its delimiter and its column names."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from .frame_log import ColumnMap, FrameUnit
from .table import Layout
from .telemetry import TelemetryMap, TimeUnit


def shape_of(layout: Layout) -> str:
    """The same text for files written alike; made-up column names count, so files without a header match by width."""
    body = json.dumps([layout.delimiter, layout.decimal_comma, layout.header_line is not None, layout.columns])
    return hashlib.sha256(body.encode()).hexdigest()[:24]


def to_plain(mapping: ColumnMap) -> dict[str, Any]:
    """Plain values for JSON."""
    return {
        "frame_column": mapping.frame_column,
        "frame_unit": mapping.frame_unit.value,
        "channels": _channels_to_plain(mapping.channels),
        "mark_column": mapping.mark_column,
    }


def from_plain(body: Mapping[str, Any]) -> ColumnMap:
    """The inverse of `to_plain`."""
    channels = _channels_from_plain(body["channels"])
    marks = body.get("mark_column")
    return ColumnMap(
        int(body["frame_column"]), FrameUnit(body["frame_unit"]), channels, None if marks is None else int(marks)
    )


def telemetry_to_plain(mapping: TelemetryMap) -> dict[str, Any]:
    """Plain values for JSON."""
    return {
        "time_column": mapping.time_column,
        "time_unit": mapping.time_unit.value,
        "step_s": mapping.step_s,
        "channels": _channels_to_plain(mapping.channels),
    }


def telemetry_from_plain(body: Mapping[str, Any]) -> TelemetryMap:
    """The inverse of `telemetry_to_plain`."""
    column = body["time_column"]
    return TelemetryMap(
        None if column is None else int(column), TimeUnit(body["time_unit"]), float(body["step_s"]),
        _channels_from_plain(body["channels"]),
    )  # fmt: skip


def _channels_to_plain(channels: Mapping[str, tuple[int, str]]) -> dict[str, list[int | str]]:
    return {name: list(place) for name, place in channels.items()}


def _channels_from_plain(body: Mapping[str, Any]) -> dict[str, tuple[int, str]]:
    return {str(name): (int(column), str(unit)) for name, (column, unit) in body.items()}
