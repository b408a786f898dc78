"""Two clocks brought together: known offsets and drifts on made-up loads, unrelated loads refused, marks that cut.

The full table, on stand-in recordings, is benchmarks/alignment.py.
"""

from dataclasses import replace

import numpy as np
import pytest

from hovrik.core.errors import ImportRefused, InputError
from hovrik.core.passes import align
from hovrik.core.passes.cut import LogMark, cut_at_marks
from hovrik.core.passes.trace import Channel, Trace
from hovrik.service.imports import telemetry as service
from hovrik.service.imports.mappings import Mappings
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.files.read.shapes import shape_of, telemetry_to_plain
from hovrik.store.files.read.table import read_table
from hovrik.store.files.read.telemetry import TelemetryMap, TimeUnit

SECOND = 1_000_000_000


def scenes(seed, count=6):
    """(start, end) of scenes with pauses between them, s; and (t) -> load."""
    rng = np.random.default_rng(seed)
    at, found = 3.0, []
    for _ in range(count):
        found.append((at, at + rng.uniform(45, 80)))
        at = found[-1][1] + rng.uniform(9, 25)
    return found, lambda t: np.where(np.any([(t >= a) & (t <= b) for a, b in found], axis=0), 14.0, 3.5)


def recorded(seed, begin_s, drift, heard=None, step_s=1.0):
    """A frame log of some scenes and package power of a second recorder, from begin_s after the first frame."""
    rng = np.random.default_rng(seed)
    spans, _ = scenes(seed)
    frames = np.concatenate([np.arange(a, b, 0.022) for a, b in spans])
    frames = frames - frames[0]
    _, heard_load = scenes(heard if heard is not None else seed)
    own = np.arange(0, spans[-1][1] + 20, step_s)
    watts = heard_load(begin_s + (1 + drift) * own + spans[0][0]) * (1 + 0.02 * rng.standard_normal(own.size))
    ns = np.round(frames * SECOND).astype(np.int64)
    return Trace(ns, {}, 0, int(ns[-1])), {"package_w": Channel(np.round(own * SECOND).astype(np.int64), watts)}


@pytest.mark.parametrize(
    ("seed", "begin_s", "drift", "most"),
    [(1, 7.3, 3e-5, align.CLOCK_DRIFT), (2, -12.8, 0.012, align.ROWS_DRIFT), (3, 0.4, -0.018, align.ROWS_DRIFT)],
)
def test_known_offset_and_drift_come_back_within_what_is_stated(seed, begin_s, drift, most):
    trace, channels = recorded(seed, begin_s, drift)
    fit = align.by_load(trace, channels, most)
    middle = fit.overlap_s / 2
    error = fit.begin_s + (1 + fit.drift) * middle - begin_s - (1 + drift) * middle
    assert abs(error) < 2 * fit.sd_s < 2.0 and fit.correlation > 0.9
    assert fit.drift == pytest.approx(drift, abs=max(3 * (fit.drift_sd or 0), 1e-4))


def test_unrelated_and_steady_recordings_are_refused_with_what_else_can_be_done():
    # of 260, those whose edges meet best by luck: loosely, or in half of the recording only
    for seed, heard in ((1, 99), (4, 77), (119, 619), (238, 738)):
        trace, channels = recorded(seed, 5, 0, heard=heard)
        with pytest.raises(InputError, match="does not fit better than chance"):
            align.by_load(trace, channels)
    steady = Channel(np.arange(60) * SECOND, np.full(60, 15.0))
    with pytest.raises(InputError, match="nothing that follows the load"):
        align.by_load(trace, {"package_w": steady})


def test_a_quantity_in_both_files_is_matched_with_itself_across_gaps():
    trace, _ = recorded(5, 9.0, 0.0)
    rng = np.random.default_rng(0)
    load = np.convolve(rng.normal(0, 8, 700), np.exp(-np.arange(30) / 6), "same")  # wanders with 6 s
    rows = trace.frames_ns[::45]
    own = Trace(trace.frames_ns, {"cpu_share": Channel(rows, np.interp(rows / SECOND, np.arange(700), load))}, 0, 0)
    seconds = np.arange(0, 300)
    fit = align.by_load(own, {"cpu_share": Channel(seconds * SECOND, load[20:320] + rng.normal(0, 1, 300))})
    assert fit.pair == ("cpu_share", "cpu_share") and fit.begin_s == pytest.approx(20, abs=0.2)


def test_by_stamps_by_word_and_what_is_joined():
    trace, channels = recorded(6, 0.0, 0.0)
    log = Imported(trace, np.arange(3), (), 1_700_000_000.0, is_dated=True)
    told = service.Telemetry(channels, 1_700_000_012.5, True, 400.0, np.arange(3), (), "sensors.csv")
    fit = service.fit(log, told)
    assert fit.how is align.How.STAMPS and fit.begin_s == 12.5
    assert service.words_of(fit) == "The telemetry begins 12.5 s after the first frame, by its time stamps."
    joined = service.join(log, told, fit).trace
    assert joined.channels["package_w"].stamps_ns[0] == 12_500_000_000
    assert joined.channels["package_w"].stamps_ns[-1] <= trace.end_ns
    assert service.fit(log, told, align.How.GIVEN, 3.0).begin_s == 3.0
    with pytest.raises(InputError, match="never meets it"):
        service.fit(log, told, align.How.GIVEN, 5e5)
    of_day = replace(told, origin_s=1_700_000_012.5 % 86_400)  # a time of day beside a date
    assert service.fit(log, of_day).begin_s == pytest.approx(12.5)
    since_start = replace(log, origin_s=0.0, is_dated=False)
    assert service.fit(since_start, told).how is align.How.LOAD
    apart = Imported(trace, np.arange(3), (), 1_600_000_000.0, is_dated=True)
    with pytest.raises(InputError, match="clocks were set differently"):
        service.fit(apart, told, align.How.STAMPS)
    by_load = service.fit(apart, told)  # stamps that never meet: the load speaks
    assert by_load.how is align.How.LOAD and "Found by the load" in service.words_of(by_load)
    assert service.conditions_of((by_load, "sensors.csv"))["telemetry"].value == "sensors.csv, by load"


def test_marks_cut_by_label_or_in_pairs_of_presses():
    ns = (np.arange(0, 100, 0.02) * SECOND).astype(np.int64)
    trace = Trace(ns, {"die_c": Channel(ns, ns / SECOND)}, 0, int(ns[-1]))

    def marks(*pairs):
        return [LogMark(int(at * SECOND), words) for at, words in pairs]

    labels = marks((10, "a"), (30, ""), (40, "b"), (60, "c"), (65, ""))  # c is too short
    assert [(words, piece.seconds) for piece, words in cut_at_marks(trace, labels)] == [("a", 19.98), ("b", 19.98)]
    pause = np.where(ns >= 30 * SECOND, ns + 9 * SECOND, ns)  # 9 s in the row where "a" has gone
    paused = Trace(pause, {}, 0, int(pause[-1]))
    assert cut_at_marks(paused, [*marks((10, "a")), LogMark(39 * SECOND, "")])[0][0].seconds == 19.98
    presses = marks((10, "x"), (10.1, ""), (40, "x"), (40.1, ""), (70, "x"), (70.1, ""))
    pieces = cut_at_marks(trace, presses)
    assert [piece.seconds for piece, _ in pieces] == pytest.approx([30, 29.98])  # the odd one lasts to the end
    assert pieces[0][0].channels["die_c"].values.min() == pytest.approx(10)
    assert cut_at_marks(trace, []) == []


def test_a_pass_in_several_files_is_read_together(tmp_path):
    """Frames with a date beside them, sensors by time of day; in any order; what does not fit is told and left."""
    frames, sensors, other = (tmp_path / name for name in ("frames.csv", "sensors.csv", "other.csv"))
    rows = [f"20.0,2026-03-01 23:59:{30 + n / 50:06.3f}" for n in range(1400)]
    frames.write_text("frame time (ms),clock\n" + "\n".join(rows))
    clock = [f"23:59:{40 + n:02d};{15 + n % 3}" for n in range(20)] + [f"00:00:{n:02d};20" for n in range(5)]
    sensors.write_text("time;wall power (W)\n" + "\n".join(clock))
    other.write_text("time (s),package power (W)\n" + "\n".join(f"{n * 1.5},{12 + n % 2}" for n in range(40)))
    as_input = TelemetryMap(0, TimeUnit.CLOCK, 1.0, {"input_w": (1, "W")})  # not what one would guess from the heading
    known = Mappings(telemetry={shape_of(read_table(sensors).layout): telemetry_to_plain(as_input)})
    log = service.read_together([sensors, frames, other], known)
    assert log.words.startswith(
        "frames.csv: 28 s of frames, mean 50.0 fps, 1 % low (percentile) 50.0. sensors.csv: The telemetry begins "
    )
    assert "Without other.csv" in log.words
    found = {key: c.value for key, c in log.conditions.items()}
    assert found.pop("log_part").endswith("@0")
    assert found == {
        "telemetry": "sensors.csv, by time stamps", "telemetry_begin_s": pytest.approx(10.02, abs=0.01)
    }  # fmt: skip
    log = log.imported
    wall = log.trace.channels["input_w"]
    assert set(log.trace.channels) == {"input_w"} and wall.stamps_ns[0] == pytest.approx(10.02e9, abs=2e7)
    assert wall.stamps_ns[-1] <= log.trace.end_ns < 29e9
    for paths, why in (([sensors, other], "None of the files"), ([frames, frames], "both hold frames")):
        with pytest.raises(ImportRefused, match=why):
            service.read_together(paths, Mappings())
    with pytest.raises(ImportRefused, match="No column looks like frame times"):
        service.read_together([other], Mappings())
