"""Nothing that lies in a notebook or a document starts a program, opens a port or writes elsewhere."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

from hovrik.core.errors import HovrikError
from hovrik.demo import scenario
from hovrik.store.notebook import Notebook

from .going_out import small

WATCH = """
import json, os, sys
allowed = [os.path.realpath(one) for one in json.loads(sys.argv[1])]
heard = []
def hook(event, args):
    if event in ("subprocess.Popen", "os.system", "os.exec", "os.posix_spawn", "os.fork", "os.forkpty", "pty.spawn"):
        heard.append(f"{event} {args[:1]}")
    elif event in ("socket.bind", "socket.connect", "socket.listen"):
        heard.append(f"{event} {args[1:]}")
    elif event == "open" and isinstance(args[0], str | bytes) and any(s in str(args[1] or "") for s in "wax+"):
        path = os.path.realpath(os.fsdecode(args[0]))
        if not any(path == one or path.startswith(one + os.sep) for one in allowed) and path != os.devnull:
            heard.append(f"open {path} {args[1]}")
    elif event in ("os.remove", "os.rename", "os.rmdir", "shutil.rmtree"):
        path = os.path.realpath(os.fsdecode(args[0]))
        if not any(path == one or path.startswith(one + os.sep) for one in allowed):
            heard.append(f"{event} {path}")
sys.addaudithook(hook)
try:
    exec(sys.argv[2])
except BaseException as fault:
    from hovrik.core.errors import HovrikError
    if not isinstance(fault, HovrikError):
        print("FAULT", type(fault).__name__, fault)
print("HEARD", json.dumps(heard))
os._exit(0)
"""
NASTY = "$(touch /tmp/hovrik-ran)"


def _watched(folder, code):
    """What a program of ours was heard to do while it ran `code`."""
    allowed = [
        str(folder),
        *(os.environ[n] for n in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_RUNTIME_DIR")),
        str(Path(sys.prefix)),
        "/tmp/hovrik-merge-",
        *[str(p) for p in (folder / "tmp",)],
    ]
    (folder / "tmp").mkdir(exist_ok=True)
    done = subprocess.run(
        [sys.executable, "-B", "-c", WATCH, json.dumps(allowed), code],
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
        cwd=folder,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p), "TMPDIR": str(folder / "tmp")},
    )
    assert "FAULT" not in done.stdout, done.stdout[-400:]
    line = next((one for one in done.stdout.splitlines() if one.startswith("HEARD")), None)
    assert line is not None, done.stderr[-400:]
    return json.loads(line[6:])


def _nasty(path):
    """Every text of a notebook that something might be made of names a program, and its machines others' files."""
    with Notebook(path) as notebook:
        for key in ("ombrel-8", "teasel-11"):
            rig = dict(notebook.newest("rig")[key].body)
            notebook.note(
                "rig", key, {**rig, "name": NASTY, "maker": NASTY} if "maker" in rig else {**rig, "name": NASTY}
            )
        notebook.set_state(
            "machines",
            {
                "ombrel-8": {"kind": "file", "file": str(path.parent / "evil.py"), "name": "Evil", "rig": "ombrel-8"},
                "teasel-11": {"kind": "command", "command": ["touch", "/tmp/hovrik-ran"]},
            },
        )
        notebook.set_state("campaign", {"kind": "first-look", "rig": NASTY, "cells": [], "question": {}})
    (path.parent / "evil.py").write_text(f"import os\nos.system('touch {path.parent / 'ran'}')\nclass Evil: pass\n")
    return path


WINDOW = """
import os
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path
from hovrik.app.start import make_application
app = make_application()
from hovrik.app.main_window import MainWindow, STAGES
from hovrik.app.session import Session
window = MainWindow(Session(Path({path!r})))
window.show()
for name in STAGES:
    window.show_stage(name)
    for _ in range(20):
        app.processEvents()
window._offer_recovery()
window.close()
"""
ANSWER = """
from pathlib import Path
from hovrik.store.notebook import Notebook
from hovrik.service.gather import evaluate
from hovrik.service.remembered import remembered
from hovrik.service import library, campaigns, applying, run
with Notebook(Path({path!r}), read_only=True) as n:
    evaluate(n, remembered(n).question)
    for rig in library.rigs(n):
        library.look(library.address_of(n, rig))
    campaigns.kept(n)
"""
DOCUMENT = """
from pathlib import Path
from hovrik.store.files.write import exchange, profile
path = Path({path!r})
(profile.read if "profile" in path.name else exchange.read)(path)
"""
MERGE = """
from pathlib import Path
from hovrik.store.notebook import Notebook
from hovrik.store.merge import Other, merge
with Notebook(Path({path!r})) as own, Other(Path({other!r})) as other:
    merge(own, other.notebook, {{}})
"""
TWINS = """
from pathlib import Path
from hovrik.store.twin_files import TwinFiles
def make():
    raise KeyError("made anew")
try:
    TwinFiles(Path({path!r}))("abcd", make)
except KeyError:
    pass
"""


def _road(code, prepare):
    def attack(folder):
        words = prepare(folder)
        heard = _watched(folder, code.format(**words))
        sockets = [one for one in heard if one.startswith("socket")]
        assert not [one for one in heard if not one.startswith("socket")], heard[:3]
        assert not sockets, sockets[:3]
        assert not (folder / "ran").exists() and not Path("/tmp/hovrik-ran").exists(), "it was run"

    return attack


def _notebook(folder):
    return {"path": str(_nasty(small(folder)))}


def _document(name, text):
    def prepare(folder):
        (folder / name).write_text(text)
        return {"path": str(folder / name)}

    return prepare


def _merged(folder):
    path = small(folder)
    other = folder / "other.hovrik"
    shutil.copy(path, other)
    _nasty(other)
    return {"path": str(path), "other": str(other)}


def _twins(folder):
    import pickle

    class Evil:
        def __reduce__(self):
            return (os.system, (f"touch {folder / 'ran'}",))

    import zipfile

    with zipfile.ZipFile(folder / "abcd.npz", "w") as file:
        file.writestr(
            "free.npy",
            b"\x93NUMPY\x01\x00v\x00"
            + b"{'descr': '|O', 'fortran_order': False, 'shape': (1,), }".ljust(117)
            + b"\n"
            + pickle.dumps([Evil()]),
        )
    return {"path": str(folder)}


def beside_a_notebook(module):
    """A file beside a foreign notebook, called as something that the program loads, is not run."""

    def attack(folder):
        path = small(folder)
        (folder / f"{module}.py").write_text(f"open({str(folder / 'ran')!r}, 'w').close()\nraise SystemExit(7)\n")
        for arguments in (["answer", path.name], ["press", path.name]):
            subprocess.run(
                [sys.executable, *_isolated(), "-m", "hovrik", *arguments],
                capture_output=True,
                cwd=folder,
                check=False,
                timeout=60,
            )
        assert not (folder / "ran").exists(), f"{module}.py was run"

    return attack


def _isolated():
    """How the program starts its own processes."""
    from hovrik.app import desktop

    own = getattr(desktop, "OWN_PROCESS", None)
    return list(own[:-2]) if own else []


def neighbours_of_a_machine(folder):
    """A machine of one's own may load what lies beside it, by the yes of naming it; nothing else beside it is run."""
    from hovrik.service.sweeps import load_machine

    from .machines import OWN

    (folder / "helper.py").write_text("WATTS = 33.0\n")
    (folder / "own.py").write_text("import helper\n" + OWN.format(watts="helper.WATTS", dies=0))
    machine = load_machine(f"{folder / 'own.py'}:Own")
    assert machine.now["sustained_limit_w"] == 33.0
    sys.modules.pop("helper", None)


def numpy_values(folder):
    """What a machine of one's own says in NumPy's own types is taken."""
    from .machines import OWN, _sweep

    text = OWN.format(watts=21.0, dies=0).replace(
        'Rig("desk", "Desk", 4.0, 60.0,',
        'Rig("desk", "Desk", np.float64(4.0), np.int64(60), battery_wh=np.float32(50), ',
    )
    (folder / "own.py").write_text(text)
    done = _sweep(folder / "own.py", folder / "n.hovrik")
    assert done.returncode == 0, done.stderr[-300:]


RIG = json.dumps({"schema": "hovrik-rig", "version": 1, "rig": {"key": "r", "name": NASTY, "slots": []}})
PROFILE = json.dumps({"schema": "hovrik-profile", "version": 1, "rig": NASTY, "sentence": NASTY})
ROWS = [
    ("a notebook, answered", _road(ANSWER, _notebook)),
    ("a notebook, in the window", _road(WINDOW, _notebook)),
    ("a rig", _road(DOCUMENT, _document("rig.json", RIG))),
    ("a rig as TOML", _road(DOCUMENT, _document("rig.toml", RIG))),
    ("a title", _road(DOCUMENT, _document("title.json", RIG.replace("rig", "title")))),
    ("a profile", _road(DOCUMENT, _document("profile.json", PROFILE))),
    ("a merge", _road(MERGE, _merged)),
    ("twins in the cache", _road(TWINS, _twins)),
    *((f"{module}.py beside a notebook", beside_a_notebook(module)) for module in ("click", "numpy", "json", "hovrik")),
    ("neighbours of a machine of one's own", neighbours_of_a_machine),
    ("NumPy's own types in a rig", numpy_values),
]
assert HovrikError and scenario
