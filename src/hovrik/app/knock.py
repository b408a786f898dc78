"""Reaching the window that has a notebook open, without Qt, so that a key that is pressed gets there at once.

The socket lies in a folder that only this user can write, and who answers is looked at: a window of this user's.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import socket
import stat
import struct
import sys
from pathlib import Path

from ..disk.folders import runtime_folder

SHOW, PRESS = b"show\n", b"press\n"  # come to the front; it feels bad now
OPEN = b"open "  # and a path: bring this file into the window
HEARD = b"heard\n"  # what the window answers
WAIT_S, SHOW_S = 0.5, 3.0  # for an answer: of a key, whose moment counts; of a window that may be busy
MOST_BYTES = 8192  # of what is said


def address_of(path: Path) -> Path | None:
    """Where the socket of a notebook lies, by whatever link it is reached; None where no folder is safe for it."""
    folder, said = runtime_folder()
    if said:
        print(f"hovrik: {said}", file=sys.stderr)
    own = f"{os.getuid()} {os.fsdecode(os.fsencode(path.resolve()))}".encode("utf-8", "surrogateescape")
    return None if folder is None else folder / hashlib.sha256(own).hexdigest()[:24]


def is_planted(place: Path) -> bool:
    """Whether something lies there that is not a socket of this user's; said on stderr."""
    try:
        found = place.lstat()
    except OSError:
        return False
    if stat.S_ISSOCK(found.st_mode) and found.st_uid == os.getuid():
        return False
    whose = f"another user's ({found.st_uid})" if found.st_uid != os.getuid() else "no socket"
    print(f"hovrik: {place} is {whose}; it is stepped over.", file=sys.stderr)
    return True


def is_ours(own: socket.socket) -> bool:
    """Whether the other end of a connection belongs to this user."""
    size = struct.calcsize("3i")
    _, user, _ = struct.unpack("3i", own.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, size))
    return bool(user == os.getuid())


def knock(path: Path, words: bytes, wait_s: float = WAIT_S) -> bool:
    """Tell the window that has this notebook open something; whether it heard within some seconds."""
    place = address_of(path)
    if place is None or is_planted(place):
        return False
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as own:
        own.settimeout(wait_s)
        own.connect(str(place))
        if not is_ours(own):
            return False
        own.sendall(words)
        return own.recv(len(HEARD)) == HEARD
    return False


def bring(path: Path, file: Path) -> bool:
    """Have the window of a notebook open a file; whether it heard."""
    return knock(path, OPEN + os.fsencode(file.absolute()) + b"\n", SHOW_S)
