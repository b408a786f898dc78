"""Kills sweeps (50) and the import of 40 logs (60) at many moments and looks at what each left; the tests do it at ten.

Run: .venv/bin/python benchmarks/kills.py [sweeps | import] [MOMENTS]
"""

import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import numpy as np
import pytest
import sweep_child
from helpers.build import copy_notebook

from hovrik.core.passes.record import End
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook

SOON = {2: ("pass", 150), 3: ("write", 30), 7: ("paused", 20), 8: ("write", 30)}  # every tenth moment: at which word
CHILD = Path(sweep_child.__file__)


def prepare(folder):
    """A notebook without passes, to be copied."""
    path = folder / "base.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
    return path


def killed(path, seconds, word="ready", times=1):
    """Lines that a sweep said before it was killed, `seconds` after it said `word` for the nth time."""
    child = subprocess.Popen([sys.executable, str(CHILD), str(path)], stdout=subprocess.PIPE, text=True)
    said = []
    while [line.split()[0] for line in said].count(word) < times:
        said.append(child.stdout.readline())
        assert said[-1], said
    time.sleep(seconds)
    child.send_signal(signal.SIGKILL)
    said += child.stdout.readlines()
    child.wait()
    child.stdout.close()
    return said[1:]


def whole_run_s(path):
    """Seconds that an undisturbed run takes from ready to end."""
    child = subprocess.Popen([sys.executable, str(CHILD), str(path)], stdout=subprocess.PIPE, text=True)
    assert child.stdout.readline().startswith("ready")
    began = time.monotonic()
    assert child.stdout.read().splitlines()[-1].startswith("end")
    child.wait()
    child.stdout.close()
    return time.monotonic() - began


def place_of(said):
    """Where the kill fell, by the last word before it."""
    words = [line.split()[0] for line in said]
    inside_write = words.count("write") > words.count("written")
    if inside_write:
        return "write"
    last = next((w for w in reversed(words) if w not in ("write", "written")), "start")
    return {"pass": "pass", "paused": "paused", "end": "end"}.get(last, "between")


def kill_at(base, folder, moments, told=lambda number, place: None):
    """Kill as many sweeps, each at a moment of its own, and look at each; where the kills fell."""
    rng = np.random.default_rng(20)
    length_s = whole_run_s(copy_notebook(base, _made(folder / "whole")))
    places = []
    for number in range(moments):
        path = copy_notebook(base, _made(folder / str(number)))
        with Notebook(path, read_only=True) as notebook:
            address = library.address_of(notebook, "ombrel-8")
        before = open_machine(address).snapshot()
        if number % 10 in SOON:
            word, most = SOON[number % 10]
            said = killed(path, 0.01 * rng.random(), word, int(rng.integers(1, most)))
        else:
            said = killed(path, (number + rng.random()) / moments * length_s * 0.97)
        places.append(place_of(said))
        look(path, address, before, [line.split()[1] for line in said if line.startswith("stored ")])
        if number % 4 == 0 and places[-1] != "end":
            go_on(path, before, address)
        told(number, places[-1])
    return places


def _made(folder):
    folder.mkdir()
    return folder


def look(path, address, before, announced):
    """Every announced pass is there and whole, the file is sound, the machine is as before or the offer is made."""
    with sqlite3.connect(path) as raw:
        assert raw.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert raw.execute("PRAGMA foreign_key_check").fetchall() == []
    raw.close()
    with Notebook(path) as notebook:
        assert not notebook.read_only  # the kernel dropped the lock
        records = notebook.passes()
        stored, done = [r.id for r in records], [r for r in records if r.outcome is End.DONE]
        assert set(announced) <= set(stored) and len(stored) - len(announced) <= 1
        for one in done:
            assert notebook.load(one.id).trace.interval_ms().sum() == pytest.approx(20_000, rel=0.02)
        left = sweep.unfinished(notebook)
        as_before = open_machine(address).read_back().readings == before.readings
        assert as_before or left
        if left:
            ((entry, kept, planned),) = left
            assert entry.snapshot.readings == before.readings and (kept, planned) == (len(done), 12)


def go_on(path, before, address):
    """The sweep goes on where it was; nothing is made twice; the machine is put back."""
    sweep_child.main(path, pace=float("inf"))
    with Notebook(path) as notebook:
        done = [r.step_id for r in notebook.passes() if r.outcome is End.DONE]
        assert len(done) == len(set(done)) == 12
        assert sweep.unfinished(notebook) == []
    assert open_machine(address).read_back().readings == before.readings


LOGS = 24
IMPORT = """
import sys
from pathlib import Path
from hovrik.demo import scenario
from hovrik.service.imports import many
from hovrik.store.notebook import Notebook
with Notebook(Path(sys.argv[1])) as notebook:
    orders = [many.LogOrder(path, {"sustained_limit_w": "12"}) for path in many.logs_in(Path(sys.argv[2]))]
    print("ready", flush=True)
    many.store(notebook, scenario.question(), orders, {}, progress=lambda n, of, log: print("one", flush=True) or True)
print("end", flush=True)
"""


def make_logs(folder):
    """As many logs, each unlike the others."""
    folder.mkdir()
    rng = np.random.default_rng(5)
    for number in range(LOGS):
        rows = "\n".join(f"{v:.4f}" for v in rng.normal(24, 1.2, 800))
        (folder / f"log {number:02d}.csv").write_text(f"frame time (ms)\n{rows}\n")
    return folder


def _import(path, logs):
    child = subprocess.Popen([sys.executable, "-c", IMPORT, str(path), str(logs)], stdout=subprocess.PIPE, text=True)
    assert child.stdout.readline() == "ready\n"
    return child


def kill_imports(base, folder, moments, told=lambda number, stored: None):
    """Kill the import of the same logs so often, each time going on where the last one was killed or, after a whole
    one, anew; then let it end: each part is there once. How many were stored at each kill."""
    rng, logs, found = np.random.default_rng(21), make_logs(folder / "logs"), []
    path = copy_notebook(base, _made(folder / "import"))
    whole = _import(path, logs)
    began = time.monotonic()
    whole.communicate()
    length_s = time.monotonic() - began
    path.unlink()
    for number in range(moments):
        if not path.exists():
            path = copy_notebook(base, _made(folder / f"import-{number}"))
        child = _import(path, logs)
        time.sleep(length_s * rng.random() * 0.5)
        child.send_signal(signal.SIGKILL)
        said = child.stdout.read().split()
        child.wait()
        child.stdout.close()
        with Notebook(path) as notebook:
            assert notebook.read_rows("PRAGMA integrity_check") == [("ok",)]
            parts = [r.conditions["log_part"].value for r in notebook.passes()]
            assert len(parts) == len(set(parts)) and len(parts) >= said.count("one")
            assert all(notebook.load(r.id).trace is not None for r in notebook.passes())
        found.append(len(parts))
        told(number, len(parts))
        if len(parts) == LOGS:
            path.unlink()
    if not path.exists():
        path = copy_notebook(base, _made(folder / "last"))
    last = _import(path, logs)
    assert last.stdout.read().split()[-1] == "end" and last.wait() == 0
    last.stdout.close()
    with Notebook(path) as notebook:
        parts = [r.conditions["log_part"].value for r in notebook.passes()]
        assert len(parts) == len(set(parts)) == LOGS
    return found


def sweeps(moments):
    """Kill sweeps, look, tell where the kills fell."""
    with tempfile.TemporaryDirectory() as folder:
        places = kill_at(
            prepare(Path(folder)), Path(folder), moments,
            lambda number, place: print(f"{number + 1} of {moments}: killed in {place}, nothing lost", flush=True),
        )  # fmt: skip
    print("kills fell:", dict(Counter(places)))


def imports(moments):
    """Kill an import again and again, going on each time; tell how much was stored at each kill."""
    with tempfile.TemporaryDirectory() as folder:
        stored = kill_imports(prepare(Path(folder)), Path(folder), moments)
    print(f"{moments} kills, each part once; stored at each:", stored)


if __name__ == "__main__":
    wanted = [one for one in sys.argv[1:] if not one.isdigit()] or ["sweeps", "import"]
    numbers = [int(one) for one in sys.argv[1:] if one.isdigit()]
    if "sweeps" in wanted:
        sweeps(numbers[0] if numbers else 50)
    if "import" in wanted:
        imports(numbers[0] if numbers else 60)
