"""Checks of a pass: each fault found where it is put, no alarm where there is none."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import record_of, trace_of, wandering

from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import Setup
from hovrik.core.passes.clamped import without_clamped
from hovrik.core.passes.record import End
from hovrik.core.passes.trace import Channel, Trace
from hovrik.core.passes.verdict import State, Verdict, judge

RIG = Rig("r", "R", 4, 30, die_limit_c=95.0)


def clean(seed=0, **channels):
    """A pass of 60 s with wandering load."""
    channels = {"package_w": 12.0, "die_c": 70.0, **channels}
    return record_of(trace_of(wandering(60, seed=seed), **channels))


def checks(record):
    """State and names of the findings."""
    verdict = judge(record, RIG)
    return verdict.state, [f.check for f in verdict.findings]


@pytest.mark.parametrize("seed", range(30))
def test_clean_passes_are_valid(seed):
    assert checks(clean(seed)) == (State.VALID, [])


@pytest.mark.parametrize(
    ("limit", "took", "found"),
    [(25, 30, True), (15, 20, True), (12, 12.59, False), (12, 12.7, True), (8, 8.49, False), (8, 8.6, True)],
)
def test_limit_exceeded(limit, took, found):
    """Asked 25 took 30, asked 15 took 20 (common practice, no source); allowed: the larger of 5 % and 0.5 W."""
    record = record_of(trace_of(wandering(60), package_w=float(took)), limit_w=float(limit))
    state, names = checks(record)
    assert (names == ["limit exceeded"]) is found and (state is State.VOID) is found


def test_a_limit_that_does_not_bind_is_a_fact_not_a_fault():
    verdict = judge(clean(package_w=9.0), RIG)
    assert verdict.state is State.VALID and verdict.fact_words == ("limit not binding: took 9.0 W of 12 W",)


def test_throttled_by_heat_with_its_span():
    seconds = np.arange(0, 61)
    die = np.where((seconds > 40) & (seconds < 50), 94.6, 90.0)
    trace = trace_of(wandering(60), package_w=12.0)
    stamps = seconds[:-1].astype(np.int64) * 1_000_000_000
    trace = Trace(
        trace.frames_ns, {**trace.channels, "die_c": Channel(stamps, die[:-1].astype(float))}, 0, trace.end_ns
    )
    verdict = judge(record_of(trace), RIG)
    assert [f.check for f in verdict.findings] == ["throttled"]
    ((start, end),) = verdict.findings[0].spans_ns
    assert (start, end) == (41_000_000_000, 49_000_000_000)
    assert judge(record_of(trace), Rig("r", "R", 4, 30)).state is State.VALID  # the limit is unknown


@pytest.mark.parametrize("drift", [0.12, -0.12])
def test_unsettled_rate(drift):
    interval = wandering(60, wander=0.01)
    seconds = np.cumsum(interval) / 1000
    assert checks(record_of(trace_of(interval * np.exp(drift * seconds / 60), package_w=12.0)))[1] == ["unsettled"]


def test_unsettled_power():
    trace = trace_of(np.full(3000, 20.0))
    seconds = np.arange(0, 60, dtype=np.int64) * 1_000_000_000
    watts = 11 + seconds / 60e9 + np.random.default_rng(0).normal(0, 0.05, 60)
    found = judge(record_of(Trace(trace.frames_ns, {"package_w": Channel(seconds, watts)}, 0, trace.end_ns)), RIG)
    assert [f.check for f in found.findings] == ["unsettled"] and "package power" in found.findings[0].evidence


def test_time_gaps_with_their_spans():
    interval = wandering(60)
    interval[1000] = 3000.0
    record = record_of(trace_of(interval, package_w=12.0))
    verdict = judge(record, RIG)
    gap = next(f for f in verdict.findings if f.check == "time gaps")
    ((start, end),) = gap.spans_ns
    assert end - start == pytest.approx(3e9) and verdict.state is State.VOID


def test_frames_missing_at_the_edges_count_as_lost_time():
    trace = trace_of(wandering(55), package_w=12.0)
    longer = Trace(trace.frames_ns, trace.channels, 0, trace.end_ns + 5_000_000_000)
    assert "time gaps" in checks(record_of(longer))[1]


def test_a_stutter_is_no_gap():
    interval = wandering(60)
    interval[::500] = 180.0
    assert checks(record_of(trace_of(interval, package_w=12.0)))[0] is State.VALID


@pytest.mark.parametrize(("rate", "found"), [(60.0, False), (40.0, True)])
def test_a_clock_that_idles_without_loss_is_no_collapse(rate, found):
    """A light title at its 60 frames lets the GPU fall to a third of its clock; where frames are lost by it, it is."""
    low = np.zeros(60, bool)
    low[20:26] = True
    seconds = np.repeat(np.where(low, 1.0 / rate, 1.0 / 60.0), 60)
    interval = 1000.0 * seconds[np.cumsum(seconds) < 60.0]
    trace = trace_of(interval, package_w=6.0)
    stamps = (np.arange(1, 61) * 1_000_000_000).astype(np.int64)
    clock = Channel(stamps, np.where(low, 500.0, 1500.0))
    record = record_of(Trace(trace.frames_ns, {**trace.channels, "gpu_mhz": clock}, 0, trace.end_ns))
    assert ("clock collapse" in checks(record)[1]) is found


def test_what_did_not_end_is_void_with_its_reason():
    verdict = judge(record_of(None, outcome=End.FAILED, reason="did not start: memory"), RIG)
    assert verdict.state is State.VOID and "memory" in verdict.findings[0].evidence and not verdict.counts


@pytest.mark.parametrize(
    ("asked", "read", "words"),
    [
        ({"sustained_limit_w": 12.0}, {"sustained_limit_w": 20.0}, "Sustained limit reads 20, 12 was asked"),
        ({"sustained_limit_w": 12.0}, {"sustained_limit_w": 12.4}, ""),
        ({"cap_fps": 40.0}, {"cap_fps": 30.0}, "Frame cap reads 30, 40 was asked"),
        ({"cap_fps": "none"}, {"cap_fps": 60.0}, "Frame cap reads 60, none was asked"),
        ({"boost": "off"}, {"boost": "on"}, "CPU boost reads on, off was asked"),
        ({"boost": "off"}, {"sustained_limit_w": 20.0}, ""),  # not read: nothing to say
        ({"gpu_ceiling_mhz": 1200.0}, {"gpu_ceiling_mhz": 1210.0}, ""),
        ({"gpu_ceiling_mhz": 1200.0}, {"gpu_ceiling_mhz": 1250.0}, "reads 1250"),
    ],
)
def test_what_reads_back_otherwise_is_no_pass_at_what_was_asked(asked, read, words):
    found = judge(record_of(clean().trace, asked=Setup(asked), read=Setup(read)), RIG)
    said = [f.evidence for f in found.findings if f.check == "read back otherwise"]
    assert bool(said) is bool(words) and all(words in text for text in said)
    assert found.counts is not bool(words)


@pytest.mark.parametrize("frames", [0, 1])
def test_a_pass_without_frames_is_empty(frames):
    trace = clean().trace
    bare = Trace(trace.frames_ns[10 : 10 + frames], trace.channels, trace.start_ns, trace.end_ns)
    state, names = checks(record_of(bare))
    assert state is State.VOID and names == ["empty pass"]


def test_a_draw_read_by_hand_stands_for_itself():
    trace = clean().trace
    read = {"draw_read_from": Condition("gauge", Provenance.ASKED)}
    bare = record_of(Trace(trace.frames_ns[:0], trace.channels, trace.start_ns, trace.end_ns), conditions=read)
    assert judge(bare, RIG).state is State.VALID


def test_marks_that_lie_on_each_other_hold_no_pass():
    trace = clean().trace
    assert checks(record_of(Trace(trace.frames_ns, trace.channels, 0, 500_000_000)))[1] == ["empty pass"]


def test_summary_has_nothing_to_check():
    assert judge(record_of(None), RIG).state is State.VALID


def test_verdict_round_trip():
    verdict = judge(clean(package_w=14.0), RIG)
    assert Verdict.from_dict(verdict.as_dict()) == verdict


@pytest.mark.parametrize(("drift", "found"), [(0.04, False), (0.07, True)])
def test_a_drift_is_void_from_five_percent_on(drift, found):
    t = wandering(60, wander=0.002, noise=0.01, seed=3)
    moved = t * np.exp(np.linspace(-drift / 2, drift / 2, t.size))
    assert (checks(record_of(trace_of(moved, package_w=12.0)))[1] == ["unsettled"]) is found


@pytest.mark.parametrize(("hot_s", "found"), [(0, False), (4, True), (10, True)])
def test_a_spike_is_no_throttling(hot_s, found):
    die = np.where(np.arange(61) < hot_s, 95.0, 80.0)
    trace = trace_of(wandering(60), package_w=12.0)
    stamps = np.arange(60, dtype=np.int64) * 1_000_000_000
    trace = Trace(trace.frames_ns, {**trace.channels, "die_c": Channel(stamps, die[:60])}, 0, trace.end_ns)
    assert ("throttled" in checks(record_of(trace))[1]) is found


def test_telemetry_may_be_rare_but_a_machine_that_slept_is_seen():
    """Telemetry every 6 to 10 s made every pass "suspended", before, though frames came all the while."""
    base = clean()
    rare = {
        name: Channel(c.stamps_ns[::10], c.values[::10]) for name, c in base.trace.channels.items()
    }  # fmt: skip
    assert checks(replace(base, trace=replace(base.trace, channels=rare))) == (State.VALID, [])
    woke, slept = 30_000_000_000, 50_000_000_000

    def late(stamps):
        return np.where(stamps > woke, stamps + slept - woke, stamps)

    channels = {name: Channel(late(c.stamps_ns), c.values) for name, c in base.trace.channels.items()}
    end = int(late(np.array([base.trace.end_ns]))[0])
    trace = replace(base.trace, frames_ns=late(base.trace.frames_ns), channels=channels, end_ns=end)
    assert "suspended" in checks(replace(base, trace=trace))[1]


def clamped(at=50.0, low_w=9.0):
    """A pass that uses up a little charge and loses power when its gauge says `at`."""
    seconds = np.arange(0, 60)
    charge = at + 1.0 - 2.0 * seconds / 60.0
    package = np.where(charge > at, 12.0, low_w) + 0.01 * np.sin(seconds)
    stamps = seconds.astype(np.int64) * 1_000_000_000
    trace = trace_of(wandering(60))
    channels = {"charge_share": Channel(stamps, charge), "package_w": Channel(stamps, package)}
    return record_of(Trace(trace.frames_ns, channels, 0, trace.end_ns))


def test_a_clamp_says_at_which_charge_and_voids_what_was_made_under_it():
    rig = replace(RIG, valid_charge=(0.1, 1.0))
    hit = judge(clamped(), rig)
    (one,) = [f for f in hit.findings if f.id == "clamp-hit"]
    assert "at a charge of 50 %" in one.evidence and hit.state is State.VOID
    verdicts = {"hit": hit, "under": Verdict(State.VALID, ()), "over": Verdict(State.VALID, ()),
                "other": Verdict(State.VALID, ())}  # fmt: skip
    found = without_clamped(verdicts, {"hit": "r", "under": "r", "over": "r", "other": "s"},
                            {"hit": 0.49, "under": 0.42, "over": 0.6, "other": 0.3})  # fmt: skip
    assert found["under"].state is State.VOID
    assert found["under"].findings[0].id == "under-clamp" and "42 %" in found["under"].findings[0].evidence
    assert found["over"] == verdicts["over"] and found["other"] == verdicts["other"] and found["hit"] == hit


def steady(seconds=60.0, fps=50.0, seed=1):
    """Intervals that hardly vary, ms."""
    rng = np.random.default_rng(seed)
    return 1000.0 / fps * np.exp(0.01 * rng.standard_normal(int(seconds * fps)))


def ids(intervals, channels=None, **read):
    """Ids of the findings of a pass without a cap."""
    trace = trace_of(intervals)
    record = record_of(Trace(trace.frames_ns, channels or {}, 0, trace.end_ns), cap="none")
    return [f.id for f in judge(replace(record, read=Setup(read)), RIG).findings]


@pytest.mark.parametrize(("longer", "half_seconds", "found"), [(1.4, 4, True), (1.3, 4, False), (1.4, 2, False)])
def test_slow_stretches_at_their_bounds(longer, half_seconds, found):
    """A third longer (1.35) for 1.5 s."""
    t = steady()
    at = 20 * 50
    t[at : at + int(half_seconds * 25 / longer)] *= longer
    assert ("slow-stretches" in ids(t)) is found


@pytest.mark.parametrize(("lost", "found"), [(0.012, True), (0.005, False)])
def test_lost_rows_at_their_bound(lost, found):
    """0.8 % of the frames."""
    t = steady()
    every = int(1 / lost)
    t[every // 2 :: every] *= 2.0
    assert ("frames-lost" in ids(t, sync="off")) is found
    assert "frames-lost" not in ids(t, sync="on")  # where frames wait for ticks nothing can be told


@pytest.mark.parametrize(("share", "lasts", "found"), [(0.1, 4, True), (0.2, 4, False), (0.1, 1, False)])
def test_an_idle_battery_at_its_bounds(share, lasts, found):
    """Under 15 % of what it gives for 2 s."""
    stamps = np.arange(60, dtype=np.int64) * 1_000_000_000
    watts = np.full(60, 18.0)
    watts[30 : 30 + lasts] = share * 18.0
    assert ("adapter-changed" in ids(steady(), {"battery_w": Channel(stamps, watts)})) is found
