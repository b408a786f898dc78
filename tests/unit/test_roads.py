"""One table of every road that leads to a machine and every bad value: nothing outside the range is ever sent."""

import json
import math
from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION, left, machine

from hovrik.bench.job import Control
from hovrik.bench.setting import apply
from hovrik.core.errors import HovrikError
from hovrik.core.facts.setup import Reading, Setup, Snapshot, static
from hovrik.core.plan.grid import LadderDesign
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.store import sealed
from hovrik.store.notebook import Notebook

DESIGN = LadderDesign(9, 10, 1, 40.0, repeats=1, pass_s=10, soak_s=0, cool_s=0)
BAD = {
    "over": {"sustained_limit_w": 99.0}, "under": {"sustained_limit_w": 0.5}, "narrowed since": {"peak_limit_w": 18.0},
    "not a number": {"short_limit_w": math.nan}, "infinite": {"sustained_limit_w": math.inf},
    "huge": {"sustained_limit_w": 1e308}, "text": {"sustained_limit_w": "plenty"}, "truth": {"peak_limit_w": True},
    "unknown knob": {"warp_core_w": 5.0}, "a cap of nothing": {"cap_fps": 0.0},
    "a voltage raised": {"cpu_offset_mv": 5.0}, "a voltage under the maker's": {"gpu_offset_mv": -150.0},
}  # fmt: skip


class Bench:
    """A notebook, a rig that was narrowed to 10.5 W, and a machine whose every setting is noted."""

    def __init__(self, folder, monkeypatch):
        self.machine, self.sent = machine(folder), []
        self.notebook = Notebook(folder / "n.hovrik")
        library.register(self.notebook, self.machine.describe())
        rig = sweep.rig_of(self.notebook, DEMO_QUESTION.rig)
        library.save_rig(self.notebook, replace(rig, limit_high_w=10.5, short_high_w=10.5, peak_high_w=10.5, modes=()))
        honest, restore = self.machine.apply, self.machine.restore
        monkeypatch.setattr(self.machine, "apply", lambda s: self.sent.append(dict(s)) or honest(s))
        monkeypatch.setattr(self.machine, "restore", lambda s: self.sent.append(dict(s.restorable())) or restore(s))

    @property
    def rig(self):
        return sweep.rig_of(self.notebook, DEMO_QUESTION.rig)

    def run(self, plan):
        sweep.run_plan(self.notebook, plan, self.machine, {"kind": "x"}, Control(), lambda event: None)

    def stored(self):
        return sweep.keep_plan(self.notebook, DEMO_QUESTION, DESIGN, room_c=22.0)


def applied(bench, bad):
    outcome = apply(bench.machine, Setup({**static(9.0, 40.0), **bad}), bench.rig)
    assert outcome.reason


def given(bench, bad):
    """Run again, and every setup that is handed in."""
    bench.run(sweep.keep_plan(bench.notebook, DEMO_QUESTION, DESIGN, setups=[Setup({**static(9.0, 40.0), **bad})]))


def stored(bench, bad):
    """A plan in the file whose steps say something else than when it was kept."""
    plan = bench.stored()
    with bench.notebook.writing() as connection:
        for step_id, text in connection.execute("SELECT id, body FROM step").fetchall():
            body = json.loads(text)
            body["setup"] = {**body["setup"], **bad}
            sealed.update(connection, "step", {"body": json.dumps(body)}, "id = ?", step_id)
    bench.run(plan)


def continued(bench, bad):
    """A plan that was cut short, its steps spoiled before it goes on."""
    plan = bench.stored()
    bench.notebook.begin_run(plan, {"kind": "x"}, left(bench.machine.snapshot()))
    with bench.notebook.writing() as connection:
        body = json.dumps({"seconds": 5.0, "setup": bad})
        sealed.update(connection, "step", {"body": body}, "kind <> 'rest' AND position > 2")
    bench.run(plan)


def snapshot_of(bench, bad):
    return Snapshot({key: Reading(value, True) for key, value in bad.items()}, 1)


def recovered(bench, bad):
    """What an earlier run is said to have found on the machine."""
    bench.notebook.begin_run(bench.stored(), {"kind": "x"}, left(snapshot_of(bench, bad)))
    found = bench.notebook.open_runs()
    if not found:  # a row that cannot be: it is named
        assert [table for table, _ in bench.notebook.spoiled] == ["journal"]
        return
    back = sweep.put_back(bench.notebook, found[0], reach=lambda address: bench.machine)
    unread = any(isinstance(value, float) and not math.isfinite(value) for value in bad.values())
    assert unread or (not back.is_whole and set(bad) <= set(back.left))


def begun_from(bench, bad):
    """A run that must first put back what an earlier one is said to have found."""
    plan = bench.stored()
    bench.notebook.begin_run(plan, {"kind": "x"}, left(snapshot_of(bench, bad)))
    bench.run(plan)


def designed(bench, bad):
    """A ladder over the bad value, where it is a limit."""
    value = next(iter(bad.values()))
    high = value if isinstance(value, float) else 99.0
    bench.run(sweep.keep_plan(bench.notebook, DEMO_QUESTION, replace(DESIGN, from_w=min(9.0, high), to_w=high)))


ROADS = (applied, given, stored, continued, recovered, begun_from, designed)


@pytest.mark.parametrize("bad", BAD.values(), ids=BAD.keys())
@pytest.mark.parametrize("road", ROADS, ids=lambda road: road.__name__)
def test_nothing_outside_the_range_is_sent(tmp_path, monkeypatch, road, bad):
    if road is designed and not any(key.endswith("limit_w") for key in bad):
        pytest.skip("a ladder is over limits")
    bench = Bench(tmp_path, monkeypatch)
    try:
        road(bench, bad)
    except HovrikError as fault:
        assert str(fault)
    finally:
        bench.notebook.close()
    for setup in bench.sent:
        for key, value in bad.items():
            assert key not in setup or setup[key] != value, f"{key} {value} was sent"
        limits = [v for k, v in setup.items() if k.endswith("limit_w")]
        assert all(isinstance(v, float) and 4.0 <= v <= 10.5 for v in limits), setup
