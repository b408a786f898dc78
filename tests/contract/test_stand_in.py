"""The stand-in's physics against hand sums, energy balance and common practice; its truth against plain NumPy."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import machine

from hovrik.bench.simulated.battery import Battery
from hovrik.bench.simulated.heat import HeatState
from hovrik.bench.simulated.model import load_model
from hovrik.bench.simulated.physics import PLAIN, capped, first_order, operate
from hovrik.bench.simulated.scene import BLOCK_S, ScenePlayer
from hovrik.bench.simulated.truth import expectation, independent_pass
from hovrik.core.errors import Unavailable
from hovrik.core.facts.setup import static
from hovrik.core.model import battery
from hovrik.core.stats.estimate import Mean
from hovrik.demo.scenario import SCENARIO

MODEL = load_model(SCENARIO)
PHYSICS = MODEL.physics
HEAVY = MODEL.loads["saltmarsh-couriers", "causeway"]
LIGHT = MODEL.loads["tin-orchard", "grove"]
STILL = np.ones(4)


def rate(limit, load=HEAVY, setting=PLAIN, physics=PHYSICS):
    """Mean rate without noise, fps."""
    return 1000.0 / float(operate(physics, load, limit, setting, 60.0, STILL).frame_ms.mean())


def test_domain_inverse_agrees_with_its_power():
    for domain in (PHYSICS.chip.cpu, PHYSICS.chip.gpu):
        ghz = np.linspace(domain.low_ghz, domain.high_ghz, 17)
        assert domain.ghz_at(domain.dynamic_w(ghz)) == pytest.approx(ghz, abs=0.01)


def test_package_is_the_sum_of_its_parts_and_meets_the_limit():
    for limit in (9.0, 15.0, 22.0):
        found = operate(PHYSICS, HEAVY, limit, PLAIN, 50.0, STILL)
        uncore = PHYSICS.chip.uncore_w
        assert found.package_w == pytest.approx(uncore + found.cpu_w + found.gpu_w)
        assert found.package_w == pytest.approx(limit, rel=0.02)


def test_frames_per_added_watt_fall_at_least_fourfold():
    """Common practice, no source: 2 to 3 fps from the steep part, under 1 towards the top."""
    gain = [rate(w + 1) - rate(w) for w in range(8, 27)]
    assert gain[0] > 4 * gain[-1] > 0


def test_frames_per_watt_of_draw_peak_in_the_lower_half():
    """Common practice, no source."""
    limits = np.arange(7, 29)
    board = PHYSICS.board
    ratio = [rate(w) / (board.base_w + w / board.efficiency) for w in limits]
    assert 7 < limits[int(np.argmax(ratio))] < 17.5


def test_a_cap_saves_power_and_a_light_title_does_not_bind_the_limit():
    held = operate(PHYSICS, LIGHT, 20.0, capped(40.0), 60.0, STILL)
    free = operate(PHYSICS, LIGHT, 20.0, PLAIN, 60.0, STILL)
    assert held.package_w.mean() < free.package_w.mean() <= 20.5
    assert held.package_w.mean() < 15


def test_firmware_that_takes_more():
    biased = replace(PHYSICS, limit_bias_w=3.0)
    assert operate(biased, HEAVY, 15.0, PLAIN, 50.0, STILL).package_w.mean() == pytest.approx(18.0, abs=0.4)


def test_heat_costs_frames():
    """Leakage with temperature leaves fewer watts for clocks."""
    cool, hot = (operate(PHYSICS, HEAVY, 12.0, PLAIN, c, STILL).frame_ms.mean() for c in (45.0, 90.0))
    assert hot > cool * 1.01


def test_correlated_noise_is_the_recursion_it_says():
    noise = np.random.default_rng(0).normal(size=300)
    x, expected = 0.4, []
    for one in noise:
        x = 0.9 * x + one
        expected.append(x)
    assert first_order(noise, 0.9, 0.4) == pytest.approx(expected)


def test_same_seed_same_pass_other_seed_another():
    first, again, other = (independent_pass(PHYSICS, HEAVY, 14.0, PLAIN, 20.0, (s,))[0] for s in (1, 1, 2))
    assert np.array_equal(first, again) and not np.array_equal(first, other)


def test_blocks_join_without_a_seam():
    """Frames that cross the end of a block are neither lost nor counted twice: time adds up."""
    player, heat = ScenePlayer(PHYSICS, HEAVY, (3,)), HeatState(50.0, 40.0)
    ends = np.concatenate([player.play(14.0, capped(40.0), heat).frame_ends_s + n * BLOCK_S for n in range(30)])
    interval_ms = np.diff(ends) * 1000
    assert interval_ms.min() > 20 and interval_ms.sum() == pytest.approx(60_000, rel=0.002)
    assert np.median(interval_ms) == pytest.approx(25.0, abs=0.1)


def test_energy_balance(tmp_path):
    """Charge removed x open voltage = draw + loss in the resistance, from the recorded series, within the gauge and
    sensor noise: 0.5 % over 20 min."""
    made = machine(tmp_path)
    made.apply(static(20.0))
    pack, start = PHYSICS.pack, made.power.charge
    made.start_scene("saltmarsh-couriers", "causeway")
    parts = []
    for _ in range(240):
        made.wait(5.0)
        parts.append(made.sample())
    watts = np.concatenate([p.channels["battery_w"].values for p in parts])
    volts = np.concatenate([p.channels["voltage_v"].values for p in parts])
    drawn_wh = watts.mean() * 1200 / 3600
    loss_wh = np.mean((watts / volts) ** 2) * pack.ohm * 1200 / 3600
    share = np.linspace(start, made.power.charge, 2000)
    removed_wh = -np.trapezoid(pack.open_v(share), share) * pack.charge_ah
    assert drawn_wh + loss_wh == pytest.approx(removed_wh, rel=0.005)


@pytest.mark.parametrize("watts", [8.0, 15.0, 25.0])
def test_hours_reckoned_by_the_analysis_are_those_of_the_stand_in(watts):
    """Two battery models that share nothing: within 1 % (measured: under 0.1 %)."""
    rig = replace(MODEL.rig, battery_rated="slow")
    reckoned = battery.hours(rig, Mean(float(np.log(watts)), 1e-6, 9.0, 9))
    truly = Battery.of(rig).hours(watts, rig.charge_limit, rig.reserve)
    assert reckoned.value == pytest.approx(truly, rel=0.01)


def test_the_battery_gives_what_it_holds():
    battery = Battery(40.0, 2, 0.1)
    share = np.linspace(1, 0, 400_001)
    assert -np.trapezoid(battery.open_v(share), share) * battery.charge_ah == pytest.approx(40.0, rel=1e-5)
    assert battery.open_v(1.0) / 2 == pytest.approx(4.19, abs=0.01)
    assert battery.current_a(0.5, -10.0) < 0 < battery.current_a(0.5, 10.0)
    assert battery.terminal_v(0.5, 20.0) < battery.open_v(0.5) < battery.terminal_v(0.5, -20.0)
    assert battery.hours(20.0, 1.0, 0.0) < 40.0 / 20.0 < battery.hours(19.0, 1.0, 0.0) * 1.2


def test_low_charge_clamps_the_limit(tmp_path):
    """Below 50 % and 20 % the firmware cuts in steps (common practice, no source)."""
    made = machine(tmp_path)
    made.apply(static(20.0))
    watts = []
    for charge in (0.8, 0.45, 0.15):
        made.set_charge(charge)
        made.start_scene("saltmarsh-couriers", "causeway")
        made.wait(10.0)
        watts.append(made.sample().channels["package_w"].mean())
        made.end_scene()
    assert watts[0] == pytest.approx(20, abs=0.5)
    assert watts[1] == pytest.approx(14, abs=0.5) and watts[2] == pytest.approx(9, abs=0.5)


def test_throttle_with_hysteresis(tmp_path):
    made = machine(tmp_path, heat=replace(PHYSICS.heat, r2=3.2, c2=20.0))
    made.apply(static(28.0))
    made.start_scene("saltmarsh-couriers", "causeway")
    made.wait(600.0)
    found = made.sample().channels
    assert 93 < np.max(found["die_c"].values) < 99
    assert found["package_w"].values[-200:].mean() < 27


def test_truth_is_the_plain_expectation():
    found = expectation(PHYSICS, HEAVY, 13.0, capped(40.0), 20.0, 40.0, passes=12, seed=5)
    lows = [
        1000 / np.quantile(independent_pass(PHYSICS, HEAVY, 13.0, capped(40.0), 20.0, (5, i), 30.0)[0], 0.99)
        for i in range(12)
    ]
    assert found.low_fps == pytest.approx(np.mean(lows))
    assert found.low_se == pytest.approx(np.std(lows, ddof=1) / np.sqrt(12))


@pytest.mark.parametrize("text", ["", "slot = 1", "[rig", "slot='s'\nroom_c=1\n[rig]\nkey='k'"])
def test_a_spoiled_description_is_a_known_error(tmp_path, text):
    path = tmp_path / "model.toml"
    path.write_text(text)
    with pytest.raises(Unavailable, match="Restore the file"):
        load_model(path)
