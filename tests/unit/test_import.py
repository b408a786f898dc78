"""Reading frame logs of unknown make: guesses, units, gaps. What every importer promises is in tests/contract."""

import numpy as np
import pytest

from hovrik.core.errors import ImportRefused
from hovrik.store.files.read.columns import guess_channel
from hovrik.store.files.read.frame_log import ColumnMap, FrameUnit, convert, guess
from hovrik.store.files.read.table import parse


@pytest.mark.parametrize(
    ("factor", "unit"), [(1.0, FrameUnit.MS), (1e-3, FrameUnit.S), (1e3, FrameUnit.US), (1e6, FrameUnit.NS)]
)
def test_unit_by_value_alone(factor, unit):
    ms = 16.7 * np.exp(np.random.default_rng(0).normal(0, 0.1, 200))
    table = parse("\n".join(f"{v * factor:.9g}" for v in ms).encode(), "x")
    found = guess(table)
    assert found.frame_unit is unit
    assert convert(table, found).trace.interval_ms() == pytest.approx(ms, rel=1e-4)


@pytest.mark.parametrize(("factor", "unit"), [(1.0, FrameUnit.STAMPS_MS), (1e-3, FrameUnit.STAMPS_S)])
def test_stamps_by_value_alone(factor, unit):
    ms = 16.7 * np.exp(np.random.default_rng(0).normal(0, 0.1, 200))
    table = parse("\n".join(f"{v * factor:.7f}" for v in 5000 + np.cumsum(ms)).encode(), "x")
    found = guess(table)
    assert found.frame_unit is unit
    assert convert(table, found).trace.interval_ms() == pytest.approx(ms[1:], abs=1e-3)


def test_the_frame_column_is_found_among_others():
    rng = np.random.default_rng(1)
    rows = ["frame number;CPU busy (ms);frame time [ms];battery power (mW);GPU temp (K);charge level"]
    for n in range(100):
        rows.append("{};{:.2f};{:.3f};{:.0f};{:.1f};0.8".format(n, *rng.normal((9, 20, 21000, 341), (1, 1, 90, 1))))
    table = parse("\n".join(rows).encode(), "x")
    found = guess(table)
    assert found.frame_column == 2 and found.frame_unit is FrameUnit.MS
    assert dict(found.channels) == {"battery_w": (3, "mW"), "die_c": (4, "K"), "charge_share": (5, "share")}
    trace = convert(table, found).trace
    assert trace.channels["battery_w"].values.mean() == pytest.approx(21.0, abs=0.1)
    assert trace.channels["die_c"].values.mean() == pytest.approx(67.85, abs=0.5)
    assert trace.channels["charge_share"].values == pytest.approx(80.0)


@pytest.mark.parametrize(
    ("heading", "channel"),
    [
        ("Package power", "package_w"), ("chip watts", "package_w"), ("battery draw", "battery_w"),
        ("wall power W", "wall_w"), ("CPU load %", "cpu_share"), ("gpu_usage", "gpu_share"), ("CPU clock", "cpu_mhz"),
        ("GPU freq", "gpu_mhz"), ("memory clock", "memory_mhz"), ("RAM used MB", "memory_mb"), ("CPU temp", "die_c"),
        ("skin temperature", "shell_c"), ("fan speed", "fan_rpm"), ("battery level %", "charge_share"),
        ("Battery voltage", "voltage_v"), ("comment", None), ("room temperature", "room_c"),
        ("shell (C)", "shell_c"), ("CPU [°C]", "die_c"), ("SoC Power (W)", "package_w"),
        ("CpuPackagePower", "package_w"), ("cpuPackageW", "package_w"), ("GPU chip power [W]", None),
    ],
)  # fmt: skip
def test_headings_by_generic_words(heading, channel):
    assert guess_channel(heading) == channel


def test_a_column_in_watts_holds_no_frame_times():
    table = parse(b"time,whatever (W)\n" + b"\n".join(b"20:04:%02d,41" % n for n in range(30)), "x")
    with pytest.raises(ImportRefused, match="No column looks like frame times"):
        guess(table)


def test_units_are_converted():
    text = "ms,t,p,f\n" + "\n".join(f"{20 + n % 3},{140 + n % 5},{14.5 + n % 2},{3.2}" for n in range(50))
    table = parse(text.encode(), "x")
    mapping = ColumnMap(0, FrameUnit.MS, {"die_c": (1, "F"), "package_w": (2, "W"), "cpu_mhz": (3, "GHz")})
    channels = convert(table, mapping).trace.channels
    assert channels["die_c"].values[0] == pytest.approx((140 - 32) * 5 / 9)
    assert channels["cpu_mhz"].values[0] == pytest.approx(3200)
    assert channels["die_c"].stamps_ns[0] == 20_000_000  # a row's telemetry stands at the end of its frame


@pytest.mark.parametrize(
    ("mapping", "words"),
    [
        (ColumnMap(9, FrameUnit.MS), "does not exist"),
        (ColumnMap(0, FrameUnit.MS, {"no_such": (1, "W")}), "no known channel"),
        (ColumnMap(0, FrameUnit.MS, {"package_w": (1, "V")}), "Choose one of: W, mW"),
    ],
)
def test_impossible_mappings(mapping, words):
    table = parse(b"a,b\n20,1\n21,1\n", "x")
    with pytest.raises(ImportRefused, match=words):
        convert(table, mapping)


def test_telemetry_holes_stay_holes():
    table = parse(b"frame time ms,package power W\n20,12\n21,\n20,n/a\n22,13\n", "x")
    found = convert(table, guess(table))
    assert found.trace.channels["package_w"].values.tolist() == [12.0, 13.0]
    assert found.trace.interval_ms().size == 4 and found.problems == ()


def test_lines_before_the_header_are_named():
    table = parse(b"recorded today\nversion 3\nframe time ms,package power W\n20,12\n21,12\n22,12\n", "x")
    found = convert(table, guess(table))
    assert found.kept_lines.tolist() == [4, 5, 6]
    assert {p.line for p in found.problems} == {1, 2}


def test_a_cut_in_a_stamped_file_is_a_gap():
    stamps = np.concatenate((np.arange(100) * 0.02, 30 + np.arange(100) * 0.02))
    table = parse(("time s\n" + "\n".join(f"{v:.3f}" for v in stamps)).encode(), "x")
    found = convert(table, guess(table))
    (gap,) = [p for p in found.problems if p.kind == "gap"]
    assert gap.line == 102 and "28.02 s" in gap.text
