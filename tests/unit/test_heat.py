"""Heat: closed form of two coupled nodes, SciPy's solver (LIB), NIST MGH17 (STD)."""

import math

import numpy as np
import pytest
from helpers.build import nist
from scipy.integrate import solve_ivp

from hovrik.bench.simulated.heat import HeatPath, HeatState
from hovrik.core.errors import InputError
from hovrik.core.passes import heat
from hovrik.core.passes.heat import TimeConstants
from hovrik.core.stats.estimate import Estimate
from hovrik.core.words import render

R1, C1, R2, C2 = 0.7, 18.0, 1.1, 170.0


def exact(t, watts, room, start):
    """Two nodes at constant power by SciPy's solver."""

    def slope(_t, y):
        flow = (y[0] - y[1]) / R1
        return [(watts - flow) / C1, (flow - (y[1] - room) / R2) / C2]

    return solve_ivp(slope, (0, t[-1]), start, t_eval=t, rtol=1e-9, atol=1e-9).y


def test_coupled_time_constants():
    """The trial's values: 11.3 and 208 s, not R C of each (12.6 and 187)."""
    found = heat.two_node_constants(R1, C1, R2, C2)
    assert (found.fast_s, found.slow_s) == pytest.approx((11.3, 208), rel=0.01)


def test_stand_in_follows_the_solver():
    t = np.arange(0, 600.1, 0.1)
    die, shell = exact(t, 15.0, 22.0, [30.0, 28.0])
    state = HeatState(30.0, 28.0)
    dies, shells = state.advance(HeatPath(R1, C1, R2, C2, 0, 0), np.full(t.size - 1, 15.0), 22.0, 0.1)
    assert np.abs(dies - die[1:]).max() < 0.1 and np.abs(shells - shell[1:]).max() < 0.1


def test_mgh17_from_both_starts():
    """NIST MGH17: certified to 6 digits from both start values of the two constants."""
    x, y = nist("MGH17")
    certified = (3.7541005211e-01, 1.9358469127e00, -1.4646871366e00, 1 / 1.2867534640e-02, 1 / 2.2122699662e-02)
    sd = (2.0723153551e-03, 2.2031669222e-01, 2.2175707739e-01)
    for start in ((1 / 1.0, 1 / 2.0), (1 / 0.01, 1 / 0.02)):
        values, errors, rss = heat.fit_two_exponentials(x, y, start)
        assert values == pytest.approx(certified, rel=1e-6)
        assert rss == pytest.approx(5.4648946975e-05, rel=1e-8)
        assert errors[:3] == pytest.approx(sd, rel=1e-4)


def test_too_few_points():
    with pytest.raises(InputError):
        heat.fit_two_exponentials(np.arange(4.0), np.arange(4.0))


def test_calibration_finds_the_constants():
    t = np.arange(0, 1200, 0.5)
    die, _ = exact(t, 15.0, 22.0, [32.0, 28.0])
    noisy = np.round(die + np.random.default_rng(0).normal(0, 0.3, t.size), 1)
    found = heat.calibrate(t, noisy)
    assert found.slow_s == pytest.approx(208, rel=0.08) and found.fast_s == pytest.approx(11.3, rel=0.3)


@pytest.mark.parametrize(("seconds", "rise", "words"), [(120, 15, "too short"), (900, 0, "at least 3 degrees")])
def test_calibration_says_what_is_wrong(seconds, rise, words):
    t = np.arange(0, seconds, 0.5)
    with pytest.raises(InputError, match=words):
        heat.calibrate(t, 40 + rise * (1 - np.exp(-t / 300)))


@pytest.mark.parametrize("watts", [8.0, 18.0, 28.0])
def test_settled_temperature_from_a_minute(watts):
    """A raw reading after 90 s is off by degrees; the fit with calibrated constants is not."""
    constants = heat.two_node_constants(R1, C1, R2, C2)
    t = np.arange(0, 90, 0.5)
    die, _ = exact(t, watts, 22.0, [38.0, 33.0])
    final = 22.0 + (R1 + R2) * watts
    errors = []
    for seed in range(20):
        noisy = np.round(die + np.random.default_rng(seed).normal(0, 0.3, t.size), 1)
        found = heat.settle(t, noisy, constants)
        errors.append(found.value_c - final)
        assert found.se_c < 1.0
    assert np.sqrt(np.mean(np.square(errors))) < 0.8
    assert abs(die[-1] - final) > np.abs(np.mean(errors))


def test_a_pass_too_short_says_so():
    constants = TimeConstants(11.3, 208.0)
    t = np.arange(0, 8, 0.5)
    noisy = 40 + t + np.random.default_rng(0).normal(0, 0.5, t.size)
    found = heat.settle(t, noisy, constants)
    assert found.value_c is None and "too short" in found.reason
    assert "too few" in heat.settle(t[:4], noisy[:4], constants).reason


def test_rise_resistance_and_rooms():
    assert heat.thermal_resistance(58, 22, 20) == pytest.approx(1.8)
    assert heat.sustained_power_w(85, 22, 1.8) == pytest.approx(35)
    with pytest.raises(InputError):
        heat.thermal_resistance(50, 22, 0)


def test_fan_sound_and_touch():
    """From memory: fan laws, ISO 13732-1."""
    assert heat.sound_change_db(2) == pytest.approx(50 * math.log10(2))
    assert heat.touch_warning(40) is None and heat.touch_warning(44, hours=1 / 6) is None
    assert heat.touch_limit_c(1 / 6) == pytest.approx(48) and heat.touch_limit_c(8) == pytest.approx(43)
    assert 43 < heat.touch_limit_c(2) < 48 and heat.touch_limit_c(100) == pytest.approx(43)
    assert "48 C for 10 min" in render(heat.touch_warning(47.5, hours=1 / 6))


@pytest.mark.parametrize(("value", "half", "package", "words"), [
    (60.0, 2.0, 12.0, "near 70 C, under its limit of 95 C"), (84.0, 3.0, 12.0, "may throttle at 95 C; up to 11.5 W"),
    (92.0, 1.0, 20.0, "would throttle at 95 C; up to 17.5 W"), (92.0, 1.0, None, "would throttle at 95 C"),
])  # fmt: skip
def test_a_hot_room(value, half, package, words):
    """The rise of a settled temperature scaled by power: (95 - 32) / ((93 - 22) / 20) = 17.7 W, down to half watts."""
    settled = Estimate(value, value - half, value + half, "C")
    assert words in render(heat.in_hot_room(settled, 22.0, 32.0, package, 95.0))
    assert "would settle near" in render(heat.in_hot_room(settled, 22.0, 32.0, package, None))


def test_a_heat_pass_must_last_one_and_a_half_slow_constants():
    t = np.arange(0, 400, 1.0)
    die = 60 - 12 * np.exp(-t / 11.0) - 20 * np.exp(-t / 200.0) + np.random.default_rng(0).normal(0, 0.02, t.size)
    assert heat.calibrate(t, die).slow_s == pytest.approx(200, rel=0.05)
    with pytest.raises(InputError, match="too short for a machine"):
        heat.calibrate(t[:245], die[:245])  # 1.2 of them


def test_the_error_of_a_settled_temperature_counts_correlation_and_the_slow_constant():
    """Residuals of first order 0.9 leave (1 + r) / (1 - r) = 19 times the variance of independent ones."""
    t, rng = np.arange(0, 600, 1.0), np.random.default_rng(4)
    curve = 60 - 12 * np.exp(-t / 11.0) - 20 * np.exp(-t / 200.0)
    white = rng.normal(0, 0.2, t.size)
    red = np.empty(t.size)
    red[0] = white[0]
    for i in range(1, t.size):
        red[i] = 0.9 * red[i - 1] + white[i] * math.sqrt(1 - 0.81)
    sharp = TimeConstants(11.0, 200.0)
    plain, slow = (heat.settle(t, curve + noise, sharp, widest_se_c=9.0).se_c for noise in (white, red))
    assert 2.5 < slow / plain < 6.0
    unsure = heat.settle(t[:120], curve[:120] + white[:120], TimeConstants(11.0, 200.0, 30.0), widest_se_c=9.0)
    sure = heat.settle(t[:120], curve[:120] + white[:120], sharp, widest_se_c=9.0)
    other = heat.settle(t[:120], curve[:120] + white[:120], TimeConstants(11.0, 230.0), widest_se_c=9.0)
    assert unsure.se_c == pytest.approx(math.hypot(sure.se_c, other.value_c - sure.value_c), rel=1e-6)
