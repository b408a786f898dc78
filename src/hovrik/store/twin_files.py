"""Twins of searches, kept from one start to the next: files in the cache folder, the oldest go first."""

from __future__ import annotations

import contextlib
import io
import os
import threading
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np

from ..core.errors import HovrikError
from ..core.model.twins import Rigs, Twins
from ..disk.folders import cache_folder
from ..disk.reading import read_bytes

MOST_BYTES = 500 * 1024 * 1024
# what each can be, low and high: logs of rates, watts and shares of machines that can be
_RANGES = {
    "free": (-12.0, 12.0), "package": (-12.0, 12.0), "caps": (-3.0, 12.0), "tail": (-3.0, 0.0), "slack": (-3.0, 0.0),
    "about": (-12.0, 14.0), "about_w": (-12.0, 14.0),
}  # fmt: skip
_ARRAYS = ("free", "package", "caps", "tail", "slack")
_NUMBERS = ("about", "about_w")
# what a file that is none, or is damaged, raises on the way
_BAD = (ValueError, KeyError, TypeError, AttributeError, EOFError, MemoryError, zipfile.BadZipFile, zlib.error)


def default_folder() -> Path:
    """By the XDG base directories; made on first write."""
    return cache_folder() / "twins"


class TwinFiles:
    """A folder of them. A file that cannot be read, or is not what it should be, is made anew; a folder that cannot be
    written costs time only. Safe from any thread: two that want the same make it once."""

    def __init__(self, folder: Path, most_bytes: int = MOST_BYTES) -> None:
        self._folder, self._most = folder, most_bytes
        self._lock = threading.Lock()

    def __call__(self, key: str, make: Callable[[], Twins]) -> Twins:
        """Those of a key (hexadecimal), made where there are none yet."""
        path = self._folder / f"{key}.npz"
        with self._lock:
            found = _read(path)
            if found is None:
                found = make()
                with contextlib.suppress(OSError):
                    self._write(path, found)
            else:
                with contextlib.suppress(OSError):
                    path.touch()
            return found

    def _write(self, path: Path, made: Twins) -> None:
        self._folder.mkdir(parents=True, exist_ok=True)
        unfinished = path.with_suffix(f".{os.getpid()}")
        columns: dict[str, Any] = {f"rigs_{one.name}": getattr(made.rigs, one.name) for one in fields(Rigs)}
        columns |= {name: getattr(made, name) for name in (*_ARRAYS, *_NUMBERS)}
        try:
            with unfinished.open("wb") as file:
                np.savez(file, **columns)
            unfinished.replace(path)
        finally:
            unfinished.unlink(missing_ok=True)
        files = sorted(self._folder.glob("*.npz"), key=lambda one: one.stat().st_mtime, reverse=True)
        size = 0
        for one in files:
            size += one.stat().st_size
            if size > self._most:
                one.unlink(missing_ok=True)


def _read(path: Path) -> Twins | None:
    try:
        data = io.BytesIO(read_bytes(path, MOST_BYTES, "It is made anew."))
        with np.load(data, allow_pickle=False) as found:
            if sum(one.file_size for one in found.zip.infolist()) > MOST_BYTES:
                return None
            columns: dict[str, Any] = {name: found[name] for name in _ARRAYS}
            rigs = Rigs(*(found[f"rigs_{one.name}"] for one in fields(Rigs)))
            columns |= {name: float(found[name]) for name in _NUMBERS}
    except (OSError, HovrikError, *_BAD):
        return None
    arrays = [columns[name] for name in _ARRAYS] + [getattr(rigs, one.name) for one in fields(Rigs)]
    if not all(one.dtype.kind == "f" for one in arrays):
        return None
    made = Twins(**columns, rigs=rigs)
    count, setups = made.free.shape if made.free.ndim == 2 else (0, 0)
    each = [made.tail, made.slack, *(getattr(rigs, one.name) for one in fields(Rigs))]
    sound = made.package.shape == (count, setups) and made.caps.shape == (setups,) and count > 0
    sound = sound and all(one.shape == (count, 1) and bool(np.isfinite(one).all()) for one in each)
    return made if sound and all(_is_within(getattr(made, name), *ends) for name, ends in _RANGES.items()) else None


def _is_within(values: Any, low: float, high: float) -> bool:
    """Whether all of it lies between, which nothing does that is not finite."""
    return bool(np.all((np.asarray(values) >= low) & (np.asarray(values) <= high)))
