"""Twins of searches, kept from one start to the next: files in the cache folder, the oldest go first."""

from __future__ import annotations

import contextlib
import os
import threading
import zipfile
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np

from ..core.model.twins import Rigs, Twins

MOST_BYTES = 500 * 1024 * 1024
_ARRAYS = ("free", "package", "caps", "tail", "slack")
_NUMBERS = ("about", "about_w")


def default_folder() -> Path:
    """By the XDG base directories; made on first write."""
    base = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    return Path(base) / "hovrik" / "twins"


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
        with path.open("rb") as file, np.load(file, allow_pickle=False) as found:
            columns: dict[str, Any] = {name: found[name] for name in _ARRAYS}
            rigs = Rigs(*(found[f"rigs_{one.name}"] for one in fields(Rigs)))
            columns |= {name: float(found[name]) for name in _NUMBERS}
    except (OSError, ValueError, KeyError, TypeError, EOFError, zipfile.BadZipFile):
        return None
    made = Twins(**columns, rigs=rigs)
    count, setups = made.free.shape if made.free.ndim == 2 else (0, 0)
    each = [made.tail, made.slack, *(getattr(rigs, one.name) for one in fields(Rigs))]
    sound = made.package.shape == (count, setups) and made.caps.shape == (setups,) and count > 0
    sound = sound and all(one.shape == (count, 1) and bool(np.isfinite(one).all()) for one in each)
    return made if sound and bool(np.isfinite(made.free).all() and np.isfinite(made.package).all()) else None
