"""The doorbell: heard by its owner only, and never in the way of the window."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from .going_out import small

STARTS = """
import os, sys
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path
from PyQt6.QtCore import QTimer
from hovrik.app import start
from hovrik.app.main_window import MainWindow
shown = MainWindow.show
def show(self):
    shown(self)
    print("open", flush=True)
    taken = self.desktop.take if hasattr(self.desktop, "take") else None
    def opened(path, *_more):
        print("brought", Path(path).name, flush=True)
    self.desktop.open_path = opened
    QTimer.singleShot({ms}, self.close)
MainWindow.show = show
code = start.run_window(Path({path!r}))
print("ended", code, flush=True)
sys.exit(code)
"""


def _environment():
    return {**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p), "QT_QPA_PLATFORM": "offscreen"}


def _window(path, ms=4000):
    return subprocess.Popen(
        [sys.executable, "-c", STARTS.format(path=str(path), ms=ms)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        errors="replace",
        env=_environment(),
    )


def _places(path):
    """Where a socket of this notebook might be looked for."""
    from hovrik.app import knock

    if hasattr(knock, "address_of"):
        return [Path(knock.address_of(path))]
    return [Path(os.environ.get("TMPDIR") or tempfile.gettempdir()) / knock.name_of(path)]


def planted(folder):
    """A socket that another user put in its place keeps no window from opening."""
    if os.getuid():
        return
    path = small(folder)
    own = []
    for place in _places(path):
        place.parent.mkdir(parents=True, exist_ok=True)
        place.unlink(missing_ok=True)
        listening = socket.socket(socket.AF_UNIX)
        listening.bind(str(place))
        listening.listen()
        os.chown(place, 12345, 12345)
        own.append((listening, place))
    try:
        child = _window(path, 500)
        out, err = child.communicate(timeout=60)
        assert "open" in out, f"it did not open: {out} {err[-200:]}"
        assert "another user" in err or "12345" in err, f"without a word: {err[-200:]}"
    finally:
        for listening, place in own:
            listening.close()
            place.unlink(missing_ok=True)


def planted_folder(folder):
    """A folder of another user's is not used."""
    if os.getuid():
        return
    path = small(folder)
    (place,) = _places(path)
    if place.parent == Path(tempfile.gettempdir()):
        raise AssertionError("the socket lies in a folder that everybody writes")
    os.chown(place.parent, 12345, 12345)
    try:
        child = _window(path, 300)
        out, err = child.communicate(timeout=60)
        assert "open" in out, f"it did not open: {err[-200:]}"
    finally:
        os.chown(place.parent, 0, 0)


def _pressed(path):
    """A key pressed for the window of a notebook, from outside."""
    return subprocess.run(
        [sys.executable, "-m", "hovrik", "press", str(path)],
        capture_output=True, text=True, env=_environment(), timeout=30, check=False,
    )  # fmt: skip


def unheard(folder):
    """A key that nobody heard is said to be unheard, even where something listens."""
    path = small(folder)
    (place,) = _places(path)
    place.parent.mkdir(parents=True, exist_ok=True)
    place.unlink(missing_ok=True)
    listening = socket.socket(socket.AF_UNIX)
    listening.bind(str(place))
    listening.listen()
    taken = []
    thread = threading.Thread(target=lambda: taken.append(listening.accept()), daemon=True)
    thread.start()
    try:
        done = _pressed(path)
        assert done.returncode != 0, "it said nothing"
    finally:
        for one, _ in taken:
            one.close()
        listening.close()
        place.unlink(missing_ok=True)


def nobody(folder):
    path = small(folder)
    done = _pressed(path)
    assert done.returncode == 1 and "Traceback" not in done.stderr


def second_start_hands_its_file_over(folder):
    """`hovrik FILE` beside an open window brings the file there."""
    from hovrik.store.places import default_path

    own = default_path()
    own.parent.mkdir(parents=True, exist_ok=True)
    (folder / "x").mkdir()
    import shutil

    shutil.copy(small(folder / "x"), own)
    log = folder / "a log.csv"
    log.write_text("frame time (ms)\n" + "16.7\n" * 900)
    first = _window(own, 8000)
    assert first.stdout.readline().strip() == "open"
    done = subprocess.run(
        [sys.executable, "-m", "hovrik", str(log)],
        capture_output=True,
        text=True,
        timeout=30,
        env=_environment(),
        check=False,
    )
    out, err = first.communicate(timeout=60)
    assert done.returncode == 0 and "brought a log.csv" in out, f"{out!r} {err[-200:]} {done.stderr[-200:]}"


def chatter(folder):
    """A caller who says megabytes, nothing, or half a word stops no window."""
    path = small(folder)
    child = _window(path, 3000)
    assert child.stdout.readline().strip() == "open"
    for words in (b"x" * 3_000_000, b"", b"pre", b"open \xff\xfe\n", b"open " + b"/" * 5000 + b"\n"):
        for place in _places(path):
            with socket.socket(socket.AF_UNIX) as own:
                own.settimeout(2)
                try:
                    own.connect(str(place))
                    own.sendall(words)
                except OSError:
                    pass
    out, err = child.communicate(timeout=60)
    assert "ended 0" in out and "Traceback" not in err, err[-300:]


ROWS = [
    ("planted by another user", planted),
    ("a folder of another user's", planted_folder),
    ("a key that nobody heard", unheard),
    ("a key without a window", nobody),
    ("a file for the open window", second_start_hands_its_file_over),
    ("chatter", chatter),
]
