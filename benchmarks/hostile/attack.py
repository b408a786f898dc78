"""What a family of attacks is, and how its rows are tried: a row that raises has fallen."""

from __future__ import annotations

import contextlib
import os
import tempfile
import traceback
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

Row = tuple[str, Callable[[Path], None]]


@dataclass
class Tried:
    """A family after its rows were tried. fell : row to what happened."""

    family: str
    rows: int = 0
    fell: dict[str, str] = field(default_factory=dict)


@contextlib.contextmanager
def own_home(folder: Path) -> Iterator[Path]:
    """Data, cache, settings and sockets of this process and its children in a folder of their own."""
    names = ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_RUNTIME_DIR")
    before = {name: os.environ.get(name) for name in names}
    for name in names:
        own = folder / name.lower()
        own.mkdir(parents=True, exist_ok=True, mode=0o700)
        os.environ[name] = str(own)
    try:
        yield folder
    finally:
        for name, value in before.items():
            os.environ.pop(name) if value is None else os.environ.update({name: value})


def tried(family: str, rows: Iterable[Row], told: Callable[[str, str], None] = lambda name, how: None) -> Tried:
    """Try every row in an empty folder of its own, told(name, how it fell) of each."""
    found = Tried(family)
    here = Path.cwd()
    for name, attack in rows:
        found.rows += 1
        how = ""
        with tempfile.TemporaryDirectory(prefix="hovrik-attack-") as folder:
            try:
                attack(Path(folder))
            except BaseException as fault:
                if isinstance(fault, KeyboardInterrupt):
                    raise
                last = traceback.extract_tb(fault.__traceback__)[-1]
                how = f"{type(fault).__name__}: {str(fault)[:160]} ({Path(last.filename).name}:{last.lineno})"
                found.fell[name] = how
            finally:
                os.chdir(here)
        told(name, how)
    return found
