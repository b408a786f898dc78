"""Readings by hand: divisions against plain arithmetic, their spread against simulated readings, what is refused."""

from dataclasses import replace

import numpy as np
import pytest

from hovrik.core.errors import InputError
from hovrik.core.facts.rig import Rig
from hovrik.core.passes.hand import (
    BEFORE_SD,
    GAUGE_LAG_S,
    MARK_SD_S,
    GaugeReading,
    GaugeUnit,
    HandDraw,
    MeterPlace,
    MeterReading,
    best_draws,
    draw_from_gauge,
    draw_from_meter,
    draw_from_ticks,
)
from hovrik.service.imports.by_hand import Scales, parse

RIG = Rig("r", "R", 5, 25, battery_wh=50.0, health=0.9)


@pytest.mark.parametrize(
    ("reading", "watts"),
    [
        (GaugeReading(GaugeUnit.WH, 40.0, 38.5), 18.0),
        (GaugeReading(GaugeUnit.MAH, 5200, 5000, 7.6, 7.4), 18.0),  # 200 mAh at a mean of 7.5 V
        (GaugeReading(GaugeUnit.PERCENT, 80, 78), 10.8),  # 2 % of 45 Wh
    ],
)
def test_a_gauge_in_its_own_unit_over_five_minutes(reading, watts):
    found = draw_from_gauge(reading, 300.0, RIG)
    assert found.watts == pytest.approx(watts) and found.channel == "battery_w" and 0 < found.sd_w < watts


def test_what_a_reading_can_tell_is_what_simulated_readings_scatter():
    """10,000 readings of a gauge that lags and rounds down to its step, taken with unsure hands, at about 18 W after a
    draw that was a third more or less."""
    rng = np.random.default_rng(1)
    step, length = 0.1, 300.0
    true_w = rng.uniform(17, 19, (10_000, 1))
    at = rng.normal([0, length], MARK_SD_S, (10_000, 2))
    behind = true_w * np.stack((1 + rng.normal(0, BEFORE_SD, 10_000), np.ones(10_000)), axis=1) * GAUGE_LAG_S
    level = 40 + rng.uniform(0, step, (10_000, 1)) - (true_w * at - behind) / 3600
    shown = np.floor(level / step) * step
    stated = draw_from_gauge(GaugeReading(GaugeUnit.WH, 40.0, 38.5), length, Rig("r", "R", 5, 25, gauge_step_wh=step))
    assert np.std((shown[:, 0] - shown[:, 1]) / length * 3600 - true_w[:, 0]) == pytest.approx(stated.sd_w, rel=0.05)


def test_ticks_beat_start_and_end_and_their_spread_holds():
    """0.4 Wh steps at 20 W need 24 min for 2 % from two readings (CP); ticks do it in five."""
    rng = np.random.default_rng(2)
    each_s = 0.4 / 20 * 3600
    found = [draw_from_ticks(each_s * np.arange(5) + rng.normal(0, MARK_SD_S, 5), 0.4) for _ in range(4000)]
    watts = np.array([one.watts for one in found])
    exact = draw_from_ticks(each_s * np.arange(5), 0.4)
    assert exact.watts == pytest.approx(20.0) and exact.sd_w / 20 < 0.003
    assert watts.std() == pytest.approx(exact.sd_w, rel=0.05)
    assert np.mean([one.sd_w for one in found]) >= 0.95 * exact.sd_w
    for ticks in ([0, 10], [0, 10, 10], [0, 20, 10]):
        with pytest.raises(InputError, match=r"ticks|Ticks"):
            draw_from_ticks(ticks, 0.4)


def test_a_meter_belongs_to_its_place_and_nothing_is_mixed():
    found = [
        draw_from_meter(MeterReading(MeterPlace.WALL, 34.2), 60),
        draw_from_meter(MeterReading(MeterPlace.INPUT, 0.52, is_energy=True), 60),
        draw_from_gauge(GaugeReading(GaugeUnit.WH, 40.0, 39.5), 100, RIG),
        HandDraw("battery_w", 18.1, 0.05, "4 gauge ticks"),
    ]
    best = best_draws(found)
    assert {name: one.how for name, one in best.items()} == {
        "wall_w": "meter at the wall", "input_w": "meter at the DC input", "battery_w": "4 gauge ticks",
    }  # fmt: skip
    assert best["input_w"].watts == pytest.approx(31.2)


@pytest.mark.parametrize(
    ("texts", "scales", "words"),
    [
        ({"gauge_start": "40", "gauge_end": "41"}, Scales(), "from 40 to 41 Wh"),
        ({"gauge_start": "40"}, Scales(), "read only once"),
        ({"gauge_start": "forty", "die_c": "900"}, Scales(), "'forty' is not a number; die \\(c\\) 900 is outside"),
        ({"gauge_start": "5000", "gauge_end": "4900"}, Scales(GaugeUnit.MAH), "needs the battery's voltage"),
        ({"gauge_start": "180", "gauge_end": "78"}, Scales(GaugeUnit.PERCENT), "cannot be over 100"),
        ({"meter": "0"}, Scales(place=MeterPlace.WALL), "over 0 is needed"),
        ({"gauge_start": "nan", "gauge_end": "1"}, Scales(), "outside 0"),
    ],
)
def test_what_cannot_be_is_refused_by_field(texts, scales, words):
    with pytest.raises(InputError, match=words):
        parse(texts, scales, RIG)


def test_typed_readings_with_a_decimal_comma_and_empty_fields():
    found = parse({"gauge_start": "40", "gauge_end": "39,85", "die_c": "", "meter": "7"}, Scales(), RIG)
    assert found.gauge == GaugeReading(GaugeUnit.WH, 40.0, 39.85) and found.die_c is None
    assert found.draws(60, RIG)["battery_w"].how == "gauge in Wh" and found.step_wh is None
    percent = parse({}, Scales(GaugeUnit.PERCENT), RIG)
    ticks = replace(percent, ticks_ns=(0, 90_000_000_000, 180_000_000_000))
    assert ticks.draws(200, RIG)["battery_w"].watts == pytest.approx(0.45 / 90 * 3600)  # 1 % of 45 Wh each
    assert found.meter is None  # no place was chosen: the figure belongs nowhere
    with pytest.raises(InputError, match="no battery energy"):
        parse({"gauge_start": "80", "gauge_end": "78"}, Scales(GaugeUnit.PERCENT), Rig("r", "R", 5, 25))
