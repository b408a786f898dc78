"""Series as blobs: differences of stamps and bytes of values laid side by side, deflated. Lossless to the bit.

A blob is one byte that names its layout, then for stamps the first one (int64, little-endian), then the deflated bytes.
Alike bytes of neighbouring numbers stand together, which is what deflate needs.
"""

from __future__ import annotations

import json
import struct
import zlib
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

STEPS_32, STEPS_64, VALUES = 1, 2, 3
_LEVEL = 6


def pack_stamps(stamps_ns: NDArray[np.int64]) -> bytes:
    """(n,) int64 ns as a blob; b"" for none."""
    if stamps_ns.size == 0:
        return b""
    steps = np.diff(stamps_ns)
    is_short = steps.size == 0 or bool(np.abs(steps).max() < 2**31)
    layout, kind = (STEPS_32, "<i4") if is_short else (STEPS_64, "<i8")
    return struct.pack("<Bq", layout, int(stamps_ns[0])) + _deflate(steps.astype(kind))


def unpack_stamps(data: bytes) -> NDArray[np.int64]:
    """The inverse of `pack_stamps`. Raises ValueError where the blob is none."""
    if not data:
        return np.empty(0, np.int64)
    layout, first = struct.unpack_from("<Bq", data)
    kinds = {STEPS_32: "<i4", STEPS_64: "<i8"}
    if layout not in kinds:
        raise ValueError(f"layout {layout} is not one of stamps")
    steps = _inflate(data[9:], kinds[layout]).astype(np.int64)
    stamps = np.empty(steps.size + 1, np.int64)
    stamps[0] = first
    np.cumsum(steps, out=stamps[1:])
    stamps[1:] += first
    return stamps


def pack_values(values: NDArray[np.float64]) -> bytes:
    """(n,) float64 as a blob, NaN and signed zeros included; b"" for none."""
    return bytes([VALUES]) + _deflate(values.astype("<f8")) if values.size else b""


def unpack_values(data: bytes) -> NDArray[np.float64]:
    """The inverse of `pack_values`. Raises ValueError where the blob is none."""
    if not data:
        return np.empty(0, np.float64)
    if data[0] != VALUES:
        raise ValueError(f"layout {data[0]} is not one of values")
    return _inflate(data[1:], "<f8").astype(np.float64, copy=False)


def checksum(data: bytes) -> int:
    """CRC-32 of a blob."""
    return zlib.crc32(data)


def seal(*values: Any) -> int:
    """CRC-32 of what a row says: whole numbers, text and NULL in order."""
    return checksum("\x1f".join("" if value is None else str(value) for value in values).encode("utf-8", "replace"))


def _deflate(numbers: NDArray[Any]) -> bytes:
    planes = np.ascontiguousarray(numbers.view(np.uint8).reshape(numbers.size, numbers.itemsize).T)
    return zlib.compress(planes.tobytes(), _LEVEL)


def _inflate(data: bytes, kind: str) -> NDArray[Any]:
    try:
        planes = np.frombuffer(zlib.decompress(data), np.uint8)
    except zlib.error as fault:
        raise ValueError(str(fault)) from fault
    width = np.dtype(kind).itemsize
    if planes.size % width:
        raise ValueError("the blob is cut short")
    return np.ascontiguousarray(planes.reshape(width, -1).T).view(kind).ravel()


def pack_body(body: Mapping[str, Any]) -> bytes:
    """A derived body: plain values as JSON, arrays at its end as they are in memory."""
    arrays: list[NDArray[Any]] = []

    def plain(value: Any) -> Any:
        if isinstance(value, np.ndarray):
            arrays.append(value)
            return {"$": [len(arrays) - 1, value.dtype.str, value.size]}
        raise TypeError(f"{type(value).__name__} cannot be kept")

    head = json.dumps(body, ensure_ascii=False, allow_nan=False, default=plain).encode()
    return struct.pack("<I", len(head)) + zlib.compress(head + b"".join(a.tobytes() for a in arrays), 1)


def unpack_body(data: bytes) -> dict[str, Any]:
    """The inverse of `pack_body`; arrays are (n,) and cannot be written."""
    (length,) = struct.unpack_from("<I", data)
    raw = zlib.decompress(data[4:])
    at = length

    def full(found: dict[str, Any]) -> Any:
        nonlocal at
        if "$" not in found:
            return found
        _, kind, size = found["$"]
        value = np.frombuffer(raw, kind, size, at)
        at += value.nbytes
        return value

    made: dict[str, Any] = json.loads(raw[:length], object_hook=full)
    return made
