"""The stand-in against the trade: common practice (CP, no source) on rigs tuned for each check, closed forms, and
arithmetic. The other checks are in benchmarks/test_practice.py."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from practice import LIGHT, MODEL, fps, op, play

from hovrik.bench.protocol import Reply
from hovrik.bench.simulated.machine import SimulatedMachine
from hovrik.bench.simulated.model import load_model
from hovrik.bench.simulated.physics import PLAIN, capped
from hovrik.core.facts.setup import Setup
from hovrik.demo.scenario import RIGS, rig_files


def test_boost_off():
    """CP: saves at least 3 W in a light title that spins and holds its cap; gains frames where the GPU starves."""
    on, off = op(20, capped(40), LIGHT), op(20, replace(capped(40), boost=False), LIGHT)
    assert on.package_w.mean() - off.package_w.mean() >= 3.0 and fps(off) == pytest.approx(40)
    assert fps(op(10, replace(PLAIN, boost=False))) > 1.01 * fps(op(10))


def test_limit_windows(tmp_path):
    """A short limit over the sustained one flatters the first seconds; the weighted mean then holds it."""
    model = load_model(RIGS / "teasel-11.toml")
    machine = SimulatedMachine(model, tmp_path / "s.json")
    machine.apply(Setup(sustained_limit_w=15, short_limit_w=25, peak_limit_w=28))
    machine.wait(30.0)
    machine.start_scene("saltmarsh-couriers", "causeway")
    machine.wait(300.0)
    watts = machine.sample().channels["package_w"].values
    assert watts[:50].mean() > 20 and watts[-1000:].mean() == pytest.approx(15, abs=0.4)


def test_energy_balance_to_a_thousandth(tmp_path):
    """Battery charge removed x voltage against package + rest + losses, from the recorded series."""
    _, sample = play(tmp_path, seconds=1200.0)
    board, get = MODEL.physics.board, lambda name: sample.channels[name].values
    given = float((get("current_a") * get("voltage_v")).mean())
    used = board.base_w + float(get("package_w").mean()) / board.efficiency
    assert given == pytest.approx(used, rel=1e-3)
    assert float(get("battery_w").mean()) == pytest.approx(used, rel=1e-3)


@pytest.mark.parametrize("path", rig_files(), ids=lambda p: p.stem)
def test_every_shipped_title_runs_on_every_rig(path, tmp_path):
    model = load_model(path)
    assert len(model.titles) == 10 and model.physics.undervolt_margin_mv > 0
    for title in model.titles:
        machine = SimulatedMachine(model, tmp_path / f"{title.key}.json")
        for scene in title.scenes:
            assert machine.start_scene(title.key, scene.key).reply is Reply.DONE
            machine.wait(10.0)
            assert machine.sample().frames_ns.size > 100
            machine.end_scene()


def test_shipped_scenario_is_whole():
    models = [load_model(path) for path in rig_files()]
    assert len(models) == 3 and len({s.key for m in models for s in m.rig.slots}) == 3
    assert DEMO_QUESTION.rig in {m.rig.key for m in models}
