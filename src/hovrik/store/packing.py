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
_LEVEL, _HEAD = 6, 9
MOST_NS = 2**61  # of a stamp, either way
MOST_BYTES, MOST_BODY_BYTES = 800_000_000, 64_000_000  # of one series, of what is derived from a pass
_KINDS = frozenset({"<f4", "<f8", "<i4", "<i8", "|b1", "|u1"})


def pack_stamps(stamps_ns: NDArray[np.int64]) -> bytes:
    """(n,) int64 ns as a blob; b"" for none."""
    if stamps_ns.size == 0:
        return b""
    steps = np.diff(stamps_ns)
    is_short = steps.size == 0 or bool(np.abs(steps).max() < 2**31)
    layout, kind = (STEPS_32, "<i4") if is_short else (STEPS_64, "<i8")
    return struct.pack("<Bq", layout, int(stamps_ns[0])) + _deflate(steps.astype(kind))


def unpack_stamps(data: bytes, count: int | None = None) -> NDArray[np.int64]:
    """The inverse of `pack_stamps`. count : of stamps that there must be. Raises ValueError where the blob is none, or
    holds another number, stamps that go back, or times that cannot be."""
    stamps = _stamps(data, count)
    if count is not None and stamps.size != count:
        raise ValueError(f"{stamps.size} stamps stand where {count} were stored")
    if stamps.size and (np.any(stamps[1:] < stamps[:-1]) or not -MOST_NS < stamps[0] <= stamps[-1] < MOST_NS):
        raise ValueError("its stamps go back, or lie beyond any time")
    return stamps


def _stamps(data: bytes, count: int | None) -> NDArray[np.int64]:
    if not data:
        return np.empty(0, np.int64)
    if len(data) < _HEAD:
        raise ValueError("the blob is cut short")
    layout, first = struct.unpack_from("<Bq", data)
    kinds = {STEPS_32: "<i4", STEPS_64: "<i8"}
    if layout not in kinds:
        raise ValueError(f"layout {layout} is not one of stamps")
    steps = _inflate(data[_HEAD:], kinds[layout], None if count is None else max(count - 1, 0)).astype(np.int64)
    stamps = np.empty(steps.size + 1, np.int64)
    stamps[0] = first
    np.cumsum(steps, out=stamps[1:])
    stamps[1:] += first
    return stamps


def pack_values(values: NDArray[np.float64]) -> bytes:
    """(n,) float64 as a blob, NaN and signed zeros included; b"" for none."""
    return bytes([VALUES]) + _deflate(values.astype("<f8")) if values.size else b""


def unpack_values(data: bytes, count: int | None = None) -> NDArray[np.float64]:
    """The inverse of `pack_values`. count : of values that there must be. Raises ValueError where the blob is none, or
    holds another number."""
    found = np.empty(0, np.float64)
    if data:
        if data[0] != VALUES:
            raise ValueError(f"layout {data[0]} is not one of values")
        found = _inflate(data[1:], "<f8", count).astype(np.float64, copy=False)
    if count is not None and found.size != count:
        raise ValueError(f"{found.size} values stand where {count} were stored")
    return found


def checksum(data: bytes) -> int:
    """CRC-32 of a blob."""
    return zlib.crc32(data)


def _deflate(numbers: NDArray[Any]) -> bytes:
    planes = np.ascontiguousarray(numbers.view(np.uint8).reshape(numbers.size, numbers.itemsize).T)
    return zlib.compress(planes.tobytes(), _LEVEL)


def _inflate(data: bytes, kind: str, count: int | None) -> NDArray[Any]:
    width = np.dtype(kind).itemsize
    planes = np.frombuffer(inflated(data, MOST_BYTES if count is None else count * width), np.uint8)
    if planes.size % width:
        raise ValueError("the blob is cut short")
    return np.ascontiguousarray(planes.reshape(width, -1).T).view(kind).ravel()


def inflated(data: bytes, most: int) -> bytes:
    """Deflated bytes as they were, at most so many. Raises ValueError where it is none, or more comes out of it."""
    machine = zlib.decompressobj()
    try:
        found = machine.decompress(data, most + 1)
    except zlib.error as fault:
        raise ValueError(str(fault)) from fault
    if len(found) > most:
        raise ValueError(f"more than {most:,} bytes come out of it")
    if not machine.eof:
        raise ValueError("the blob is cut short")
    return found


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
    """The inverse of `pack_body`; arrays are (n,) and cannot be written. Raises ValueError, KeyError, TypeError."""
    if len(data) < 4:
        raise ValueError("the blob is cut short")
    (length,) = struct.unpack_from("<I", data)
    raw = inflated(data[4:], MOST_BODY_BYTES)
    at = length

    def full(found: dict[str, Any]) -> Any:
        nonlocal at
        if "$" not in found:
            return found
        _, kind, size = found["$"]
        if kind not in _KINDS or not isinstance(size, int) or size < 0:
            raise ValueError(f"an array of {kind!r} cannot be")
        value = np.frombuffer(raw, kind, size, at)
        at += value.nbytes
        return value

    made: dict[str, Any] = json.loads(raw[:length], object_hook=full)
    return made
