"""SIGKILL from a parent process in a sweep with a guard that trips and a pause by hand: at moments uniform in time, and
as soon as a pass, a write or a pause begins, so that no speed of the machine spares those. Nothing finished is lost,
the machine can be put back, the sweep goes on. benchmarks/kills.py kills more often."""

import gzip
import random
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import kills
import pytest
from helpers.build import copy_notebook

from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook

MOMENTS = 10
DATA = Path(__file__).parents[1] / "data"


@pytest.fixture(scope="module")
def prepared(tmp_path_factory):
    """A notebook without passes, to be copied."""
    return kills.prepare(tmp_path_factory.mktemp("kill"))


def test_kill_at_many_moments(prepared, tmp_path):
    places = kills.kill_at(prepared, tmp_path, MOMENTS)
    print("kills fell:", {place: places.count(place) for place in sorted(set(places))})
    assert min(places.count(place) for place in ("pass", "write", "paused")) >= 1, places


def test_put_back_after_a_kill(prepared, tmp_path):
    path = copy_notebook(prepared, tmp_path)
    with Notebook(path, read_only=True) as notebook:
        address = library.address_of(notebook, "ombrel-8")
    before = open_machine(address).snapshot()
    kills.killed(path, 0.0, "pass", 12)
    with Notebook(path) as notebook:
        ((entry, _, _),) = sweep.unfinished(notebook)
        assert sweep.put_back(notebook, entry).is_whole and sweep.unfinished(notebook) == []
    assert open_machine(address).read_back().readings == before.readings


def test_an_import_of_many_logs_killed_at_many_moments_stores_each_part_once(prepared, tmp_path):
    stored = kills.kill_imports(prepared, tmp_path, MOMENTS)
    assert len(set(stored)) > 3, stored


_MIGRATE = """
import sys, time
from pathlib import Path
from hovrik.store import upgrade
honest = upgrade.pack_stamps
def slow(stamps):
    time.sleep(0.002)
    return honest(stamps)
upgrade.pack_stamps = slow
from hovrik.store.notebook import Notebook
print("ready", flush=True)
Notebook(Path(sys.argv[1]))
print("end", flush=True)
"""


def test_kill_in_a_migration(tmp_path):
    """At ten moments of it: the file is whole, of the old format or of the new, and opens with every pass."""
    rng, formats = random.Random(3), []
    for number in range(MOMENTS):
        path = tmp_path / f"{number}.hovrik"
        path.write_bytes(gzip.decompress((DATA / "format-3.hovrik.gz").read_bytes()))
        child = subprocess.Popen([sys.executable, "-c", _MIGRATE, str(path)], stdout=subprocess.PIPE, text=True)
        assert child.stdout.readline() == "ready\n"
        time.sleep(0.3 * rng.random())
        child.send_signal(signal.SIGKILL)
        child.wait()
        child.stdout.close()
        raw = sqlite3.connect(path)
        formats.append(raw.execute("PRAGMA user_version").fetchone()[0])
        assert raw.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        raw.close()
        with Notebook(path) as notebook:
            assert len(notebook.passes()) == 12 and all(
                notebook.load(r.id).trace is not None for r in notebook.passes() if r.origin.value != "summary"
            )
    assert set(formats) <= {3, 4, 5, 6} and 3 in formats, formats
