"""The program killed at many moments of whatever it does: nothing finished is lost, the machine is back or its put-back
is offered, and what was cut short goes on."""

from __future__ import annotations

import os
import random
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

from hovrik.core.passes.record import End
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook

from .going_out import small
from .machines import RIG

COMMON = """
import sys, time
from contextlib import contextmanager
from pathlib import Path
sys.path[:0] = {path!r}
from hovrik.store.notebook import Notebook
honest = Notebook.writing
@contextmanager
def slow(self):
    with honest(self) as connection:
        yield connection
        time.sleep(0.004)
Notebook.writing = slow
"""
SWEEP = """
import sweep_child
print("ready", flush=True)
sweep_child.main(Path(sys.argv[1]), pace=float("inf"))
print("end", flush=True)
"""
MERGE = """
from hovrik.store.merge import Other, merge
with Notebook(Path(sys.argv[1])) as own, Other(Path(sys.argv[2])) as other:
    print("ready", flush=True)
    merge(own, other.notebook, {{}}, lambda done, total: time.sleep(0.002) or True)
print("end", flush=True)
"""
MIGRATION = """
print("ready", flush=True)
with Notebook(Path(sys.argv[1])) as own:
    own.passes()
print("end", flush=True)
"""
APPLY = """
from hovrik.service import applying
from hovrik.service.profiles import sound_ones
from hovrik.bench.simulated.machine import SimulatedMachine
wrote = SimulatedMachine._write_state
def slower(self):
    wrote(self)
    time.sleep(0.01)
SimulatedMachine._write_state = slower
with Notebook(Path(sys.argv[1])) as own:
    profile, *_ = sound_ones(own)
    print("ready", flush=True)
    applying.apply_profile(own, profile)
    applying.put_back(own, profile.rig)
print("end", flush=True)
"""
CAMPAIGN = """
from hovrik.bench.job import Control, PassDone
from hovrik.core.plan.grid import LadderDesign
from hovrik.service import campaigns, library, run
from hovrik.service.machines import open_machine
with Notebook(Path(sys.argv[1])) as notebook:
    address = library.address_of(notebook, "ombrel-8")
    print("ready", flush=True)
    while (at := campaigns.kept(notebook).next_cell("sedge")) is not None:
        plan = campaigns.begun(notebook, LadderDesign(9, 12, 1, pass_s=20, soak_s=2, cool_s=0, repeats=1), at, None)
        machine = open_machine(address)
        run.run_plan(notebook, plan, machine, address, Control(), lambda event: None, **STAY)
        machine.close()
        campaigns.ended(notebook, at)
    getattr(campaigns, "went_home", lambda notebook: None)(notebook)
print("end", flush=True)
"""


def _child(code, *arguments):
    paths = [p for p in sys.path if p] + [str(Path(__file__).parents[1])]
    text = COMMON.format(path=paths) + code.replace("{{}}", "{}").replace(
        "**STAY", "**({'stays': lambda: True} if 'stays' in run.run_plan.__code__.co_varnames else {})"
    )
    return subprocess.Popen(
        [sys.executable, "-c", text, *map(str, arguments)],
        stdout=subprocess.PIPE,
        text=True,
        stderr=subprocess.DEVNULL,
        env=dict(os.environ),
    )


def _killed(code, share, length_s, *arguments):
    child = _child(code, *arguments)
    assert child.stdout.readline() == "ready\n"
    time.sleep(share * length_s)
    child.send_signal(signal.SIGKILL)
    child.wait()
    child.stdout.close()


def _whole(code, *arguments):
    began = time.monotonic()
    child = _child(code, *arguments)
    assert child.stdout.readline() == "ready\n", code
    began = time.monotonic()
    rest = child.stdout.read()
    child.wait()
    child.stdout.close()
    assert rest.endswith("end\n"), rest
    return time.monotonic() - began


_LENGTHS: dict[str, float] = {}


def _length(name, prepare, code, folder):
    if name not in _LENGTHS:
        (folder / "whole").mkdir()
        _LENGTHS[name] = _whole(code, *prepare(folder / "whole"))
    return _LENGTHS[name]


def _values(address):
    machine = open_machine(address)
    return machine.describe().slot, {key: one.value for key, one in machine.read_back().readings.items()}


def _sound(path):
    with sqlite3.connect(path) as raw:
        assert raw.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert raw.execute("PRAGMA foreign_key_check").fetchall() == []
    raw.close()
    with Notebook(path) as notebook:
        assert not notebook.read_only
        for record in notebook.passes():
            if record.outcome is End.DONE:
                assert (
                    notebook.load(record.id).damage == ""
                    if hasattr(record, "damage")
                    else notebook.load(record.id).trace
                )
        assert not notebook.spoiled, notebook.spoiled


def _put_back_offered(path, address, before):
    with Notebook(path) as notebook:
        left = sweep.unfinished(notebook)
        if _values(address) != before:
            assert left, f"left at {_values(address)} and nothing offered"
        for entry, *_ in left:
            back = sweep.put_back(notebook, entry)
            assert back.is_whole, back.words
        assert _values(address) == before, _values(address)


def _empty(folder):
    path = folder / "n.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        return path, library.address_of(notebook, RIG)


def swept(folder, share):
    def prepare(where):
        return (_empty(where)[0],)

    length = _length("sweep", prepare, SWEEP, folder)
    path, address = _empty(folder)
    before = _values(address)
    _killed(SWEEP, share, length, path)
    _sound(path)
    _put_back_offered(path, address, before)


def merged(folder, share):
    def prepare(where):
        path, _ = _empty(where)
        other = where / "x"
        other.mkdir()
        return path, small(other)

    length = _length("merge", prepare, MERGE, folder)
    path, other = prepare(folder)
    _killed(MERGE, share, length, path, other)
    _sound(path)
    with Notebook(path) as notebook, Notebook(other, read_only=True) as theirs:
        assert len(notebook.passes()) in (0, len(theirs.passes()))


def migrated(folder, share):
    import gzip

    data = gzip.decompress((Path(__file__).parents[2] / "tests" / "data" / "format-3.hovrik.gz").read_bytes())

    def prepare(where):
        (where / "n.hovrik").write_bytes(data)
        return (where / "n.hovrik",)

    length = _length("migration", prepare, MIGRATION, folder)
    (path,) = prepare(folder)
    _killed(MIGRATION, share, length, path)
    _sound(path)
    with Notebook(path) as notebook:
        assert len(notebook.passes()) == 12 or len(notebook.passes()) > 5


def _with_profile(folder):
    from hovrik.service.gather import evaluate
    from hovrik.service.profiles import keep, profile_of

    path = small(folder)
    with Notebook(path) as notebook:
        found = evaluate(notebook, scenario.question().with_(figure="none"))
        if found.answer.option is None:
            found = evaluate(notebook, scenario.question().with_(target_fps=20.0))
        keep(notebook, profile_of(found, {k: k for k in ("rig", "slot", "title", "scene")}))
        return path, library.address_of(notebook, RIG)


def applied(folder, share):
    from hovrik.service import applying

    length = _length("apply", lambda where: (_with_profile(where)[0],), APPLY, folder)
    path, address = _with_profile(folder)
    before = _values(address)
    _killed(APPLY, share, length, path)
    _sound(path)
    with Notebook(path) as notebook:
        if applying.on_machine(notebook, RIG) is not None:
            assert applying.put_back(notebook, RIG).is_whole
    assert _values(address) == before


def campaigned(folder, share):
    from hovrik.service import campaigns

    def prepare(where):
        path, _ = _empty(where)
        with Notebook(path) as notebook:
            titles = list(library.titles(notebook))[:1]
            slots = [one.key for one in sweep.rig_of(notebook, RIG).slots][:2]
            campaigns.keep(notebook, campaigns.made(notebook, scenario.question(), "first-look", titles, slots))
        return (path,)

    length = _length("campaign", prepare, CAMPAIGN, folder)
    (path,) = prepare(folder)
    with Notebook(path) as notebook:
        address = library.address_of(notebook, RIG)
    before = _values(address)
    _killed(CAMPAIGN, share, length, path)
    _sound(path)
    _put_back_offered(path, address, before)


def imported(folder, share):
    import kills as old

    path, _ = _empty(folder)
    logs = old.make_logs(folder / "logs")
    child = subprocess.Popen(
        [sys.executable, "-c", old.IMPORT, str(path), str(logs)],
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)},
    )
    assert child.stdout.readline() == "ready\n"
    time.sleep(share * 1.0)
    child.send_signal(signal.SIGKILL)
    said = child.stdout.read().split()
    child.wait()
    child.stdout.close()
    _sound(path)
    with Notebook(path) as notebook:
        parts = [one.conditions["log_part"].value for one in notebook.passes()]
        assert len(parts) == len(set(parts)) and len(parts) >= said.count("one")


KINDS = {
    "sweep": (swept, 120),
    "import": (imported, 60),
    "merge": (merged, 60),
    "migration": (migrated, 60),
    "apply": (applied, 50),
    "campaign": (campaigned, 50),
}


def rows(share):
    """So many moments of each."""
    rng, found = random.Random(11), []
    for name, (act, count) in KINDS.items():
        wanted = max(round(count * share), 1)
        for number in range(wanted):
            at = (number + rng.random()) / wanted
            found.append((f"{name} at {at:.3f}", lambda folder, act=act, at=at: act(folder, at)))
    return found
