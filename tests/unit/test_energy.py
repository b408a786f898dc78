"""Energy and hours: SciPy (LIB), a physics cell model's tables (LIB), plain divisions (CP), closed form, simulation."""

import math
from dataclasses import replace

import numpy as np
import pytest
import statsmodels.api as sm
from scipy import integrate, optimize

from hovrik.bench.simulated.model import load_model
from hovrik.core.errors import InputError
from hovrik.core.model import battery
from hovrik.core.passes import energy
from hovrik.core.passes.energy import Pack
from hovrik.core.passes.trace import Channel
from hovrik.core.stats.estimate import Mean
from hovrik.demo.scenario import SCENARIO

RIG = load_model(SCENARIO).rig
WATTS = [5, 10, 15, 20, 25, 30, 40, 60]
# PyBaMM 26.10 DFN, constant power to 3.0 V a cell, scaled to 40 Wh: two published cell chemistries
TABLES = {
    "one": [38.388, 37.730, 37.118, 36.536, 35.970, 35.407, 34.281, 31.792],
    "two": [39.659, 39.278, 38.913, 38.558, 38.209, 37.865, 37.194, 35.881],
}


def test_energy_against_scipy():
    rng = np.random.default_rng(0)
    stamps = np.cumsum(rng.integers(50, 200, 500)) * 1_000_000
    watts = 20 + rng.normal(0, 2, 500)
    found = energy.energy_wh(Channel(stamps, watts))
    assert found == pytest.approx(integrate.trapezoid(watts, stamps / 1e9) / 3600, rel=1e-12)
    assert Channel(stamps, watts).mean() == pytest.approx(found * 3600 / ((stamps[-1] - stamps[0]) / 1e9))


def test_channel_means_leave_out_what_is_missing():
    channel = Channel(np.array([0, 10, 20], np.int64), np.array([1.0, np.nan, 3.0]))
    assert channel.mean() == 2.0
    assert Channel(np.array([5], np.int64), np.array([7.0])).mean() == 7.0
    assert Channel(np.array([5], np.int64), np.array([np.nan])).mean() is None


def test_gauge_step_error_by_simulation():
    rng = np.random.default_rng(0)
    q = 0.4
    start, used = rng.uniform(0, 100, 200_000), rng.uniform(3, 9, 200_000)
    read = np.floor(start / q) * q - np.floor((start - used) / q) * q
    assert np.std(read - used) == pytest.approx(energy.gauge_sd_wh(q), rel=0.01)


def test_gauge_needs_24_minutes():
    """0.4 Wh steps at 20 W need 24 min for 2 % (CP)."""
    assert energy.gauge_pass_min(0.4, 20.0, 0.02) == pytest.approx(24, abs=0.6)


@pytest.mark.parametrize(("wh", "watts", "hours"), [(40, 27, 1.48), (80, 8, 10.0)])
def test_plain_division(wh, watts, hours):
    """Common practice, no source."""
    assert energy.plain_hours(wh, watts) == pytest.approx(hours, abs=0.005)


@pytest.mark.parametrize("name", TABLES)
def test_pack_follows_the_constant_power_table(name):
    """Every row within 2 % with two numbers fitted: energy at a vanishing load and resistance."""
    table = np.array(TABLES[name])

    def errors(p):
        pack = Pack(p[0], 2, p[1])
        return np.array([pack.delivered_wh(w) for w in WATTS]) / table - 1

    found = optimize.least_squares(errors, (39.5, 0.15)).x
    assert np.abs(errors(found)).max() < 0.02
    assert 38 < found[0] < 42 and 0.03 < found[1] < 0.3


def test_assumed_resistance_is_that_of_the_tables():
    unknown = replace(RIG, battery_wh=38.4, pack_ohm=None)
    delivered = [Pack.of(unknown).delivered_wh(w) for w in WATTS[:6]]
    assert np.abs(np.array(delivered) / TABLES["one"][:6] - 1).max() < 0.02


def test_flat_pack_has_the_closed_form(monkeypatch):
    """Fixed U and R: V = (U + sqrt(U^2 - 4RP)) / 2, delivered share V / U (references.md: 7.4 V, 0.1 ohm)."""
    monkeypatch.setattr(energy, "_CELL_V", np.full(13, 3.7))
    pack = Pack(40, 2, 0.1)
    for watts, share in ((5, 0.990784), (15, 0.971813), (30, 0.941832)):
        assert pack.delivered_wh(watts) / 40 == pytest.approx(share, abs=1e-5)


def test_less_is_delivered_the_harder_it_is_drawn_on():
    pack = Pack.of(RIG)
    assert pack.delivered_wh(30) < pack.delivered_wh(10) < RIG.battery_wh
    assert pack.delivered_wh(20, 1.0, 0.05) < pack.delivered_wh(20)
    with pytest.raises(InputError):
        pack.delivered_wh(0)


def test_current_gives_the_power():
    pack = Pack.of(RIG)
    amps = pack.current_a(0.7, 25.0)
    assert amps * float(pack.terminal_v(0.7, 25.0)) == pytest.approx(25.0)


def test_hours_have_an_interval():
    found = battery.hours(RIG, Mean(math.log(20), 0.005, 20, 3))
    assert found.low < found.value < found.high
    assert found.value < energy.plain_hours(RIG.battery_wh, 20)
    assert battery.hours(replace(RIG, battery_wh=None), Mean(3, 0.1, 3, 3)) is None


def test_overhead_line():
    package = np.array([5.0, 8, 12, 20, 25])
    line = energy.fit_overhead(package, 5.6 + package / 0.92)
    assert (line.base_w, line.k) == pytest.approx((5.6, 1 / 0.92))
    assert line.draw_w(10) == pytest.approx(5.6 + 10 / 0.92)
    assert energy.fit_overhead(package[:2], package[:2]) is None
    assert energy.fit_overhead(np.array([10.0, 10.5, 11]), np.array([15.0, 15, 16])) is None


def test_the_overhead_line_has_the_interval_of_a_regression():
    """statsmodels (LIB) is asked for the same line; and simulated lines are covered in 95 %."""
    rng = np.random.default_rng(4)
    package = np.linspace(6, 24, 9)
    line = energy.fit_overhead(package, 5.6 + 1.09 * package + rng.normal(0, 0.2, 9))
    fitted = sm.OLS(5.6 + 1.09 * package + np.random.default_rng(4).normal(0, 0.2, 9), sm.add_constant(package)).fit()
    assert line.base_interval_w() == pytest.approx(tuple(fitted.conf_int()[0]))
    there = fitted.get_prediction(np.array([[1.0, 15.0]])).conf_int()[0]
    assert line.interval_w(15.0) == pytest.approx(tuple(there))
    hits = 0
    for _ in range(300):
        low, high = energy.fit_overhead(package, 5.6 + 1.09 * package + rng.normal(0, 0.2, 9)).interval_w(12.0)
        hits += low <= 5.6 + 1.09 * 12.0 <= high
    assert 0.91 <= hits / 300 <= 0.985


@pytest.mark.parametrize(
    ("a", "b", "differs"), [(4.0, 4.1, False), (4.0, 4.19, False), (4.0, 4.25, True), (1.0, 1.1, False), (1, 1.2, True)]
)
def test_practical_difference(a, b, differs):
    assert energy.is_practical(a, b) is differs


def test_hours_hold_the_batterys_own_error_and_the_draws():
    rig = replace(RIG, charge_limit=0.8, reserve=0.2)
    given = battery.gives(rig, 15.0)
    own = math.log(given.high / given.wh)
    sharp = battery.hours(rig, Mean(math.log(15.0), 0.0, 1000.0, 3))
    assert math.log(sharp.high / sharp.value) == pytest.approx(own, rel=1e-6)
    loose = battery.hours(rig, Mean(math.log(15.0), 0.03, 1000.0, 3))
    assert math.log(loose.high / loose.value) == pytest.approx(math.hypot(1.96 * 0.03, own), rel=1e-3)


@pytest.mark.parametrize(("limit", "reserve"), [(1.0, 0.05), (0.8, 0.05), (1.0, 0.3), (0.8, 0.3)])
def test_hours_run_from_the_charge_limit_to_the_reserve(limit, reserve):
    """(LIB) integral of terminal voltage over charge by SciPy, for the pack's own voltages and resistance."""
    rig = replace(RIG, charge_limit=limit, reserve=reserve, battery_rated="slow")
    pack, share = Pack.of(rig), np.linspace(reserve, limit, 20_001)
    u = pack.open_v(share)
    wh = pack.charge_ah * integrate.simpson(0.5 * (u + np.sqrt(u * u - 4 * pack.ohm * 15.0)), x=share)
    found = battery.hours(rig, Mean(math.log(15.0), 0.01, 8.0, 3))
    assert found.value == pytest.approx(wh / 15.0, rel=2e-3)
