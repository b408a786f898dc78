"""A machine is put back by whoever left it, as far as a run touched it, and no other machine is set in its place."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
from dataclasses import replace
from pathlib import Path

import numpy as np

from hovrik.bench import runner
from hovrik.bench.job import Control, Job, PassDone
from hovrik.bench.plain import PlainMachine
from hovrik.bench.protocol import Need, Outcome, Part, Reply, Sample
from hovrik.core.errors import HovrikError, Unavailable
from hovrik.core.facts.knob import LIMITS, Where
from hovrik.core.facts.rig import OsSlot, Rig
from hovrik.core.facts.setup import Setup, Snapshot
from hovrik.core.facts.title import Scene, Title
from hovrik.core.finding import State
from hovrik.core.passes.guards import guards_of
from hovrik.core.passes.verdict import Verdict
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.core.plan.lengths import Lengths
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook

CHILD = Path(__file__).parents[1] / "sweep_child.py"
DESIGN = LadderDesign(9, 11, 1, 40.0, repeats=1, pass_s=10, soak_s=0, cool_s=0)
RIG = "ombrel-8"
OWN = '''
import json
from pathlib import Path
from dataclasses import replace
import numpy as np
from hovrik.bench.plain import PlainMachine
from hovrik.bench.protocol import ChannelInfo, Outcome, Part, Reply, Sample
from hovrik.core.facts.known_knobs import known
from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.rig import OsSlot, Rig
from hovrik.core.facts.setup import Reading, Snapshot
from hovrik.core.facts.title import Scene, Title
from hovrik.core.passes.trace import Channel

STATE = Path(__file__).with_suffix(".json")
WATTS = {watts}

class Own(PlainMachine):
    """Its limit outlives the program, like hardware."""
    parts = frozenset({{Part.SETTING, Part.FRAMES, Part.TELEMETRY}})
    rig = Rig("desk", "Desk", 4.0, 60.0, slots=(OsSlot("own", "Own"),))
    slot = "own"
    titles = (Title("copper-ferry", "Copper Ferry", scenes=(Scene("deck", "Deck", 20.0),)),)

    def __init__(self):
        super().__init__()
        self.now = json.loads(STATE.read_text()) if STATE.exists() else dict.fromkeys(LIMITS, WATTS)
        self.queue, self.passes = [], 0

    def knobs(self):
        return tuple(replace(known(key), low=4.0, high=60.0) for key in LIMITS)

    def channels(self):
        return (ChannelInfo("package_w", "W", 1.0),)

    def snapshot(self):
        return Snapshot({{key: Reading(value, True) for key, value in self.now.items()}}, self.now_ns())

    def apply(self, setup):
        self.now.update(setup)
        STATE.write_text(json.dumps(self.now))
        with STATE.with_suffix(".log").open("a") as file:
            file.write(json.dumps(dict(setup)) + chr(10))

    def start_scene(self, title, scene):
        self.passes += 1
        if self.passes == {dies}:
            import os, signal
            os.kill(os.getpid(), signal.SIGKILL)

    def wait(self, seconds):
        begin, end = self.now_ns(), self.now_ns() + round(seconds * 1e9)
        stamps = np.arange(begin, end, 20_000_000, dtype=np.int64)
        self.queue.append(Sample(stamps, {{"package_w": Channel(stamps[:1], np.array([self.now[LIMITS[0]]]))}}))

    def sample(self):
        found, self.queue = self.queue, []
        names = {{"package_w"}} if found else set()
        frames = np.concatenate([one.frames_ns for one in found]) if found else np.empty(0, np.int64)
        return Sample(frames, {{name: Channel(np.concatenate([one.channels[name].stamps_ns for one in found]),
                                np.concatenate([one.channels[name].values for one in found])) for name in names}})
'''


def _prepared(path):
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        plan = sweep.keep_plan(notebook, scenario.question(), DESIGN, room_c=22.0)
        return plan, library.address_of(notebook, RIG)


def _values(machine):
    return {key: reading.value for key, reading in machine.read_back().readings.items()}


def _killed(path, folder):
    """A sweep of the demo's own machine begun in `folder` and killed in its second pass."""
    child = subprocess.Popen(
        [sys.executable, str(CHILD), str(path)], stdout=subprocess.PIPE, text=True, cwd=folder, env=_environment()
    )
    stored = 0
    for line in child.stdout:
        stored += line.startswith("stored")
        if stored and line.startswith("pass"):
            break
    child.send_signal(signal.SIGKILL)
    child.wait()
    child.stdout.close()


def _environment():
    return {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, sys.path))}


def begun_from_another_folder(folder):
    """Killed in one folder, gone on with from another: the machine is back, not another one of the same words."""
    here, there = folder / "here", folder / "there"
    here.mkdir()
    there.mkdir()
    os.chdir(here)
    _, address = _prepared(Path("n.hovrik"))
    before = _values(open_machine(address))
    _killed("n.hovrik", here)
    os.chdir(there)
    done = subprocess.run(
        [sys.executable, str(CHILD), str(here / "n.hovrik")],
        capture_output=True,
        text=True,
        cwd=there,
        env=_environment(),
        check=False,
    )
    os.chdir(here)
    now = _values(open_machine(address))
    assert now == before, f"left at {now.get(LIMITS[0])} W, cap {now.get('cap_fps')}: {done.stdout[-40:]!r}"


def begun_from_another_notebook(folder):
    """Killed under one notebook, the same machine begun under a copy: what is put back is what was before both."""
    path, copy = folder / "n.hovrik", folder / "copy.hovrik"
    _, address = _prepared(path)
    before = _values(open_machine(address))
    with Notebook(path) as notebook:
        notebook.copy_to(copy)
    _killed(path, folder)
    subprocess.run(
        [sys.executable, str(CHILD), str(copy)], capture_output=True, cwd=folder, env=_environment(), check=False
    )
    assert _values(open_machine(address)) == before


def note_of_another_is_damaged(folder):
    """Killed under one notebook, its note beside the machine cut short: a run of a copy says so and sets nothing."""
    path, copy = folder / "n.hovrik", folder / "copy.hovrik"
    _, address = _prepared(path)
    with Notebook(path) as notebook:
        notebook.copy_to(copy)
    _killed(path, folder)
    for noted in Path(os.environ["XDG_DATA_HOME"]).rglob("run.json"):
        noted.write_bytes(noted.read_bytes()[:-20])
    before = _values(open_machine(address))
    done = subprocess.run(
        [sys.executable, str(CHILD), str(copy)], capture_output=True, text=True, cwd=folder, env=_environment(),
        check=False,
    )  # fmt: skip
    assert done.returncode and "put it back by hand" in done.stderr, done.stderr
    assert _values(open_machine(address)) == before


def _sweep(file, notebook):
    return subprocess.run(
        [
            sys.executable,
            "-m",
            "hovrik",
            "sweep",
            "--machine",
            f"{file}:Own",
            "--question",
            "lowest-watts",
            "--floor",
            "20",
            "--knob",
            "limit_w=8,10,12",
            "--notebook",
            str(notebook),
        ],
        capture_output=True,
        text=True,
        check=False,
        env=_environment(),
        cwd=file.parent,
    )


def another_own_machine(folder):
    """A run left open on one machine of one's own sets no other to its watts."""
    first, second = folder / "first.py", folder / "second.py"
    first.write_text(OWN.format(watts=51.0, dies=2))
    second.write_text(OWN.format(watts=21.0, dies=0))
    _sweep(first, folder / "n.hovrik")
    assert json.loads(first.with_suffix(".json").read_text())[LIMITS[0]] != 51.0, "it was not killed half way"
    done = _sweep(second, folder / "n.hovrik")
    set_to = [json.loads(line).get(LIMITS[0]) for line in second.with_suffix(".log").read_text().splitlines()]
    assert 51.0 not in set_to, f"the second was set to {set_to}"
    assert json.loads(second.with_suffix(".json").read_text())[LIMITS[0]] == 21.0, done.stderr


def own_machine_again(folder):
    """The same machine of one's own is put back when it is swept again, from another folder and by another spelling."""
    first = folder / "first.py"
    first.write_text(OWN.format(watts=51.0, dies=2))
    _sweep(first, folder / "n.hovrik")
    first.write_text(OWN.format(watts=51.0, dies=0) + "# lives\n")  # another length: no compiled copy is taken for it
    (folder / "sub").mkdir()
    done = _sweep(folder / "sub" / ".." / "first.py", folder / "n.hovrik")
    assert json.loads(first.with_suffix(".json").read_text())[LIMITS[0]] == 51.0, done.stderr


class Reads(PlainMachine):
    """It reads a limit that it cannot set."""

    parts = frozenset({Part.FRAMES})
    rig = Rig("meter", "Meter", 4.0, 60.0, slots=(OsSlot("own", "Own"),))
    slot = "own"
    titles = (Title("copper-ferry", "Copper Ferry", scenes=(Scene("deck", "Deck", 10.0),)),)

    seen_ns = 0

    def wait(self, seconds):
        pass

    def sample(self):
        begin, self.seen_ns = self.seen_ns, self.now_ns()
        return Sample(np.arange(begin, self.seen_ns, 25_000_000, dtype=np.int64))

    def restore(self, snapshot):
        return Outcome(Reply.REFUSED, "read only")


def read_only_is_not_locked_out(folder):
    """A machine that is merely read can be read again."""
    asked = scenario.question().with_(rig="meter", slot="own", title="copper-ferry", scene="deck")
    with Notebook(folder / "n.hovrik") as notebook:
        machine = Reads()
        library.register(notebook, machine.describe())
        for _ in range(2):
            plan = sweep.keep_design(notebook, asked, _nothing_set(), 22.0)
            ended = sweep.run_plan(notebook, plan, machine, {"kind": "file"}, Control(), lambda event: None)
            assert ended.restored, ended.left
        assert not notebook.open_runs()


def _nothing_set():
    from hovrik.core.plan.rounds import Cell, RoundsDesign

    like = Lengths(repeats=1, pass_s=10, soak_s=0, cool_s=0)
    return RoundsDesign((Cell(Setup()),), like)


def others_changes_stay(folder):
    """What somebody else changed while the run went on, and the run never touched, stays."""
    plan, address = _prepared(folder / "n.hovrik")
    machine = open_machine(address)
    before = _values(machine)
    confirmed = machine.snapshot().restorable()
    key = next(
        k.id
        for k in machine.describe().knobs
        if k.id not in (*LIMITS, "cap_fps") and len(k.levels) > 1 and k.where is Where.LIVE and k.id in confirmed
    )
    other = next(v for v in machine.describe().knob(key).levels if v != before[key])

    def hear(event):
        if isinstance(event, PassDone) and event.position == 1:
            assert machine.apply(Setup({key: other})).reply is Reply.DONE

    with Notebook(folder / "n.hovrik") as notebook:
        sweep.run_plan(notebook, plan, machine, address, Control(), hear)
    now = _values(machine)
    assert now[key] == other, f"{key} is {now[key]} again"
    assert all(now[k] == before[k] for k in LIMITS)


def campaign_returns_the_slot(folder):
    """A machine that ran one OS slot runs it again after cells in another."""
    from hovrik.service import campaigns

    path = folder / "n.hovrik"
    _, address = _prepared(path)
    with Notebook(path) as notebook:
        machine = open_machine(address)
        began = machine.describe().slot
        other = next(one.key for one in machine.describe().rig.slots if one.key != began)
        asked = scenario.question().with_(slot=other)
        campaign = campaigns.made(notebook, asked, "first-look", [asked.title], [other])
        campaigns.keep(notebook, campaign)
        at = campaign.next_cell(began)
        plan = campaigns.begun(notebook, DESIGN, at, 22.0)
        ended = sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
        assert ended.restored and machine.describe().slot == began, f"left in {machine.describe().slot}"


def by_hand_believes_a_yes_only(folder):
    """An open run by hand is closed by its person's word, not by a click that says nothing was done."""
    path = folder / "n.hovrik"
    plan, _ = _prepared(path)
    with Notebook(path) as notebook:
        _begin(notebook, plan, {"kind": "by hand", "rig": RIG}, Snapshot())
        entry = notebook.open_runs()[0]
        back = sweep.put_back(notebook, entry)
        assert not back.is_whole and notebook.open_runs(), "closed without asking anybody"


def _begin(notebook, plan, address, snapshot):
    """A journal entry as a run makes it."""
    from hovrik.core.facts.left import Left

    left = Left.found("sedge", snapshot).touching("sedge", snapshot.readings or LIMITS)
    notebook.begin_run(plan, address, left)


def _address(body):
    def attack(folder):
        try:
            machine = open_machine(body)
        except Unavailable as fault:
            assert len(str(fault)) > 40 and str(fault).endswith("."), f"says only {fault}"
            assert "None" not in str(fault), str(fault)
            return
        machine.close()
        raise AssertionError("it was opened")

    return attack


def unknown_kind_says_what_to_set(folder):
    """An open run on a machine that cannot be reached tells what was on it."""
    path = folder / "n.hovrik"
    plan, address = _prepared(path)
    with Notebook(path) as notebook:
        snapshot = open_machine(address).snapshot()
        _begin(notebook, plan, {"kind": "of tomorrow"}, snapshot)
        watts = f"{snapshot.readings[LIMITS[0]].value:g}"
        try:
            sweep.put_back(notebook, notebook.open_runs()[0])
        except HovrikError as fault:
            assert watts in str(fault), f"what to set is not said: {fault}"
            return
        raise AssertionError("it was said to be put back")


class Draining(Reads):
    """Its pass drains the battery to 8 % and nothing but a person charges it."""

    share, plays = 0.9, False
    willing = True
    rig = replace(Reads.rig, battery_wh=50.0, key="draining")
    waits = 0

    def start_scene(self, title, scene):
        self.plays = True
        return Outcome(Reply.DONE)

    def end_scene(self):
        self.plays = False

    def wait(self, seconds):
        self.waits += 1
        if self.waits > 20_000:
            raise AssertionError("it holds for ever")
        self.share = max(self.share - (0.4 if self.plays else 0.0), 0.08)

    def charge(self):
        return self.share

    def needs_person(self, instruction):
        if instruction.need is Need.RECHARGE and self.willing:
            self.share = instruction.until
            return True
        return False

    def restore(self, snapshot):
        return Outcome(Reply.DONE)


def _hold(willing):
    def attack(folder):
        machine = Draining()
        machine.willing = willing
        like = LadderDesign(5.0, 5.0, 1.0, repeats=2, pass_s=10, soak_s=0, cool_s=0)
        passes = ordered_passes(like, Rig("r", "R", 4.0, 60.0))
        question = scenario.question()
        job = Job(
            "plan", _unset(passes), {}, question.title, question.scene, machine.rig, guards=guards_of(machine.rig)
        )
        ended = []

        def go():
            try:
                ended.append(runner.run(machine, job, _Log(), Control(), lambda event: None))
            except BaseException as fault:
                ended.append(fault)

        thread = threading.Thread(target=go, daemon=True)
        thread.start()
        thread.join(30)
        assert ended, "it never ended"
        if isinstance(ended[0], HovrikError):
            assert "%" in str(ended[0]), ended[0]
        else:
            assert isinstance(ended[0], runner.RunEnded), repr(ended[0])

    return attack


def _unset(passes):
    from hovrik.core.plan.steps import passes_in

    steps = [replace(step, setup=Setup()) for one in passes for step in one.steps]
    return passes_in(steps)


class _Log:
    def begin(self, *_):
        pass

    def at(self, planned):
        pass

    def touching(self, *_):
        pass

    def keep(self, record):
        return Verdict(State.VALID, ())

    def remedied(self, *_):
        pass

    def restored(self, *_):
        pass


ADDRESSES = {
    "an own machine": {"kind": "file", "file": "/nowhere/x.py", "name": "M", "rig": "r"},
    "no words": {},
    "an old own machine": {"kind": "file"},
    "by hand": {"kind": "by hand", "rig": "r"},
    "of tomorrow": {"kind": "x"},
    "a stand-in without anything": {"kind": "simulated"},
    "a stand-in of numbers": {"kind": "simulated", "machine": 7},
    "a stand-in that is not here": {"kind": "simulated", "machine": "0b0c7f5c-0000-4000-8000-000000000000"},
    "a stand-in by a way out": {"kind": "simulated", "machine": "../../etc/passwd"},
    "a stand-in of old by paths": {"kind": "simulated", "description": "/etc/passwd", "state": "/tmp/x", "seed": 1},
    "seed of words": {"kind": "simulated", "description": "x.toml", "state": "y.json", "seed": "many"},
}

ROWS = [
    ("killed in one folder, begun in another", begun_from_another_folder),
    ("killed under one notebook, begun under another", begun_from_another_notebook),
    ("killed under one notebook, its note damaged", note_of_another_is_damaged),
    ("another own machine", another_own_machine),
    ("the same own machine by another spelling", own_machine_again),
    ("a machine that is merely read", read_only_is_not_locked_out),
    ("what others changed meanwhile", others_changes_stay),
    ("the OS slot of a campaign", campaign_returns_the_slot),
    ("by hand: only a yes", by_hand_believes_a_yes_only),
    ("a run on what cannot be reached", unknown_kind_says_what_to_set),
    ("drained to 8 %, a person recharges", _hold(True)),
    ("drained to 8 %, nobody recharges", _hold(False)),
    *((f"an address: {name}", _address(body)) for name, body in ADDRESSES.items()),
]
