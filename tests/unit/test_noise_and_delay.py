"""How loud a fan is from a meter's readings; a hotter room; the delay of generated frames from slow-motion counts."""

import math
from dataclasses import replace

import numpy as np
import pytest
from helpers.build import ladder_passes
from scipy import stats

from hovrik.core.facts.rig import DelayCount, NoiseReading, Rig
from hovrik.core.model.noise import ODD, fitted, follows_die, louder_by, noise_of
from hovrik.core.read.delay import added_ms, counted_of
from hovrik.service.inferred import with_noise

RIG = Rig("r", "R")


def readings(rng, *, level=36.0, slope=50.0, speeds=(1500.0, 3700.0, 6200.0)):
    """Of a meter that is off as a whole and from reading to reading."""
    off = 1.4 * rng.standard_normal()
    return [NoiseReading(rpm, level + slope * math.log10(rpm / 3700) + off + rng.standard_normal()) for rpm in speeds]


def test_level_is_covered_between_and_beyond_readings():
    """Fans whose law is not quite the line's: 45 to 55 dB a decade."""
    rng, held = np.random.default_rng(1), []
    for _ in range(400):
        slope, at = rng.uniform(45, 55), float(rng.uniform(1200, 8000))
        level, sd = fitted(readings(rng, slope=slope)).at(at)
        held.append(abs(level - (36.0 + slope * math.log10(at / 3700))) < 1.96 * sd)
    assert 0.92 < np.mean(held) < 0.99


def test_many_readings_give_the_line_of_least_squares():
    """By scipy's linregress, where readings outweigh the belief."""
    rng = np.random.default_rng(2)
    rows = readings(rng, slope=58.0, speeds=tuple(np.geomspace(1200, 7000, 400)))
    line, found = stats.linregress([math.log10(one.rpm) for one in rows], [one.db for one in rows]), fitted(rows)
    assert found.slope == pytest.approx(line.slope, abs=0.2)
    assert found.at(3000)[0] == pytest.approx(line.intercept + line.slope * math.log10(3000), abs=0.05)
    assert found.at(3000)[1] == pytest.approx(1.4, abs=0.01)  # the meter itself stays unknown


def test_one_level_by_hand_is_known_to_three_decibels():
    known = noise_of(replace(RIG, noise_db=36.0, noise_rpm=4000.0))
    assert known.at(4000) == (36.0, pytest.approx(math.hypot(3, 1)))
    assert known.at(8000)[0] == pytest.approx(36.0 + 50 * math.log10(2)) and known.at(8000)[1] > known.at(4000)[1]
    assert noise_of(RIG) is None and noise_of(replace(RIG, noise_db=30.0, noise_rpm=-1.0)) is None
    assert noise_of(replace(RIG, noise_readings=(NoiseReading(0.0, 30.0), NoiseReading(1000.0, math.nan)))) is None


def test_an_odd_reading_is_told():
    rows = [NoiseReading(1500, 17), NoiseReading(3700, 36), NoiseReading(6200, 47), NoiseReading(5000, 55)]
    assert fitted(rows).off > ODD > fitted(rows[:3]).off


def test_passes_carry_the_error_of_the_line():
    rig = replace(RIG, noise_readings=tuple(readings(np.random.default_rng(3))))
    own = {one.id: one.figures.with_(fan_rpm=3700.0) for one in ladder_passes({12.0: 41.0})}
    told = with_noise(rig, own)
    for one in told.values():
        assert one.value("noise_db") == pytest.approx(36, abs=4) and 1.4 < one.errors["noise_db"] < 2.0
    read = with_noise(rig, {"a": next(iter(own.values())).with_(noise_db=50.0)})["a"]
    assert read.value("noise_db") == 50.0 and "noise_db" not in read.errors


def test_a_fan_that_follows_its_die():
    dies = [50.0, 55.0, 60.0, 65.0]
    assert follows_die([2000 * math.exp(0.03 * (die - 50)) for die in dies], dies) == pytest.approx(0.03)
    assert follows_die([3700] * 4, dies) == pytest.approx(0.0) and follows_die([1, 2], [50, 60]) == 0.0
    assert louder_by(np.log(np.array([2.0])))[0] == pytest.approx(50 * math.log10(2))


def counts(rng, *, added, rendered=40.0, camera=240.0, each=8):
    """Of presses that fall anywhere in a frame; the camera sees whole frames of its own."""
    found = []
    for kind, more in (("off", 0.0), ("on", added)):
        waits = rng.uniform(0, 1000 / rendered, each) + 55.0 + more
        found += [DelayCount(kind, rendered, camera, float(np.ceil(one * camera / 1000)), 80.0) for one in waits]
    return found


def test_added_delay_is_covered():
    rng, held = np.random.default_rng(4), []
    for _ in range(400):
        added = float(rng.uniform(5, 60))
        found = counted_of(counts(rng, added=added, each=int(rng.integers(3, 10)))).added
        held.append(found.low <= added <= found.high)
    assert 0.92 < np.mean(held) <= 0.99


def test_counts_are_applied_at_another_rate():
    rng = np.random.default_rng(5)
    found = counted_of(counts(rng, added=30.0, each=200))
    assert found.counts == (200, 200) and found.at(40.0, 80.0).value == pytest.approx(found.added.value)
    ratio = added_ms(60.0, 80.0).value / added_ms(40.0, 80.0).value
    assert found.at(60.0, 80.0).value == pytest.approx(found.added.value * ratio)


@pytest.mark.parametrize("kept", [slice(0, 9), slice(0, 2)])
def test_too_few_counts_say_nothing(kept):
    rows = counts(np.random.default_rng(6), added=30.0)[kept]
    assert counted_of(rows) is None and counted_of([*rows, DelayCount("on", 0.0, 240.0, 5.0)]) is None


def test_rates_that_differ_are_not_put_side_by_side():
    rng = np.random.default_rng(7)
    on = [one for one in counts(rng, added=30.0) if one.generation == "on"]
    off = [one for one in counts(rng, added=0.0, rendered=60.0) if one.generation == "off"]
    assert counted_of([*on, *off]) is None
