"""Who has a machine: at most one run at a time, for whatever notebook; and what one that was cut short left on it.

A machine belongs to no notebook. So what is to be put back is noted beside it too, in our own data folder: a run that
is begun from another notebook puts back what was there before both.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core.errors import HovrikError, StoreError, Unavailable
from ..core.facts.left import Left
from ..disk.folders import data_folder
from ..disk.reading import read_bytes
from ..disk.writing import FileKind, write_text
from ..store.sound import WRONG, left_of
from .machines import OWN, SIMULATED, Address, identity_of

MOST_BYTES = 4_000_000


@dataclass(frozen=True)
class Open:
    """A run that is open on a machine. notebook : real path; run_id : there; left : to be put back."""

    notebook: str
    run_id: str
    left: Left


class Hold:
    """One machine of this computer. What an address does not tell apart, or a person runs, is held by nobody."""

    def __init__(self, address: Address) -> None:
        identity = identity_of(address) if address.get("kind") in (SIMULATED, OWN) else ""
        digest = hashlib.sha256(identity.encode("utf-8", "surrogateescape")).hexdigest()[:32]
        self._folder: Path | None = data_folder() / "machines" / digest if identity else None
        self._handle: int | None = None
        self._identity = identity

    def take(self) -> bool:
        """Have it alone until `release`; whether it was free."""
        if self._folder is None or self._handle is not None:
            return True
        try:
            self._folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            handle = os.open(self._folder / "lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
        except OSError as fault:
            raise StoreError(f"{self._folder} cannot be written: {fault.strerror}. Check the folder.") from fault
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(handle)
            return False
        self._handle = handle
        return True

    def release(self) -> None:
        """Others may have it; harmless where it is not held."""
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None

    def open_run(self) -> Open | None:
        """What a run that was cut short left on it; None where there is none. Raises Unavailable where what is noted
        cannot be read: nobody knows then whether the machine is as it was."""
        if self._folder is None:
            return None
        path = self._folder / "run.json"
        if not path.exists():
            return None
        try:
            body: Any = json.loads(read_bytes(path, MOST_BYTES, "Nothing of ours is so large."))
            return Open(str(body["notebook"]), str(body["run"]), left_of(json.dumps(body["left"])))
        except (HovrikError, *WRONG) as fault:
            raise Unavailable(
                f"A sweep was cut short on this machine, and what it was to put back cannot be read ({path}: {fault}). "
                "Look at what is set, put it back by hand, then delete that file."
            ) from fault

    def note(self, notebook: Path, run_id: str, left: Left) -> None:
        """Note what is to be put back, before anything is set. Raises StoreError."""
        if self._folder is None:
            return
        body = {
            "schema": "hovrik-open-run", "version": 1, "machine": self._identity,
            "notebook": os.fsencode(notebook.resolve()).decode("utf-8", "replace"), "run": run_id,
            "left": left.as_dict(),
        }  # fmt: skip
        self._folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        write_text(self._folder / "run.json", json.dumps(body, allow_nan=False), FileKind.OWN)

    def forget(self) -> None:
        """It is as it was."""
        if self._folder is not None:
            with contextlib.suppress(OSError):
                (self._folder / "run.json").unlink(missing_ok=True)


@contextmanager
def held(address: Address) -> Iterator[Hold]:
    """Have a machine alone. Raises Unavailable where a run of somebody's has it."""
    hold = Hold(address)
    if not hold.take():
        raise Unavailable("This machine is in use: a run of another window, or of this one, has it. Wait, or end that.")
    try:
        yield hold
    finally:
        hold.release()
