"""Guards: trip and clear thresholds with hold times; on the runner: pause, put back, make the pass anew."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import machine
from unit.test_runner import DESIGN, Log, job_of, start

from hovrik.bench.job import Control, PassDone, Phase, Progress
from hovrik.bench.protocol import Instruction, Need
from hovrik.core.errors import InputError, Unavailable
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import Rig
from hovrik.core.passes.guards import Guard, GuardThresholds, Look, Watch, guards_of, has_settled
from hovrik.core.passes.record import End
from hovrik.core.passes.trace import Channel
from hovrik.core.plan.grid import ordered_passes

HOT = Guard("temperature", "die_c", 97, 80, 4.0, 10.0, "The die is at {value:.0f} C.", "Wait.")


def test_trips_after_its_hold_and_clears_after_its_own():
    watch = Watch((HOT,))
    trace = [(0, 90), (1, 98), (2, 90), (3, 98), (5, 99), (7.5, 99), (8, 85), (20, 79), (25, 79), (31, 79)]
    tripped = [bool(watch.look(Look(at, die_c=celsius))) for at, celsius in trace]
    assert tripped == [False] * 5 + [True] * 4 + [False]


def test_two_looks_far_apart_know_nothing_of_the_time_between():
    """A machine that was away for five minutes and is hot on either side has not been hot for five minutes."""
    watch = Watch((HOT,))
    assert not watch.look(Look(0, die_c=98)) and not watch.look(Look(300, die_c=98))
    assert watch.look(Look(600, die_c=98))  # three looks say so, however far apart
    assert watch.look(Look(900, die_c=60)) and watch.look(Look(1200, die_c=60))
    assert not watch.look(Look(1500, die_c=60))


def test_a_look_without_a_reading_starts_anew():
    watch = Watch((HOT,))
    for at, celsius in ((0, 98), (2, 98), (3, None), (4, 98), (6, 98)):
        assert not watch.look(Look(at, die_c=celsius))
    assert watch.look(Look(8.0, die_c=98))


def test_a_tripped_guard_that_cannot_read_lets_go_after_a_while_and_says_so():
    drain = guards_of(Rig("r", "R", 4, 30))[2]
    assert drain.name == "drain"
    watch = Watch((drain,))
    for at in range(0, 40, 4):
        watch.look(Look(at, battery_w=6.0, plugged=True))
    assert "drain" in watch.tripped
    held = [bool(watch.look(Look(at, plugged=True))) for at in range(40, 110, 10)]
    assert held == [True] * 6 + [False]
    assert watch.blind == {"drain": "The drain guard cannot read while nothing runs: the pass is tried again."}
    watch.look(Look(120, battery_w=0.0, plugged=True))
    assert watch.blind == {}


def test_says_why_with_the_value_and_what_to_do():
    watch = Watch((replace(HOT, hold_s=0.0),))
    assert watch.look(Look(1, die_c=99.4)) == ("The die is at 99 C. Wait.",)
    assert watch.look(Look(2)) == ("The die is at 99 C. Wait.",)  # no reading: as before


@pytest.mark.parametrize(
    ("seen", "name"),
    [({"charge": 0.47}, "charge"), ({"source": Source.ADAPTER}, "source"),
     ({"battery_w": 4.0, "plugged": True}, "drain"),
     ({"battery_w": 4.0, "plugged": False}, None), ({"charge": 0.6, "source": Source.BATTERY, "die_c": 80.0}, None)],
)  # fmt: skip
def test_what_each_guard_watches(seen, name):
    watch = Watch(guards_of(Rig("r", "R", 4, 30, die_limit_c=95.0, valid_charge=(0.51, 1.0))), Source.BATTERY)
    for at in range(0, 60, 2):
        watch.look(Look(at, **seen))
    assert list(watch.tripped) == ([name] if name else [])


def test_guards_take_the_thresholds_they_are_given_and_refuse_to_clear_past_where_they_trip():
    at = GuardThresholds(heat_over_c=-5.0, charge_under=0.2, room_trip_c=6.0, room_clear_c=5.0, drain_hold_s=0.0)
    heat, charge, _, drain, room = guards_of(Rig("r", "R", 4, 30, die_limit_c=95.0, valid_charge=(0.5, 1.0)), at)
    assert (heat.trip, charge.trip, room.trip, room.clear, drain.hold_s) == (90.0, 30.0, 6.0, 5.0, 0.0)
    with pytest.raises(InputError, match="The room would clear at 4, above 3 where it trips"):
        GuardThresholds(room_clear_c=4.0)


def test_a_source_that_changes_pauses_and_the_pass_is_made_anew(tmp_path):
    """The adapter is plugged in during the second pass and pulled out again half a minute later."""
    made, log = machine(tmp_path), Log()
    before = made.read_back().readings
    paused, moments = [], []

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress) and event.phase is Phase.MEASURE and event.position == 1 and not moments:
            made.power.plugged = True
            moments.append(event.now_ns)
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            paused.append(event.why)
            assert made.read_back().readings == before  # safe while it waits
            if len(paused) == 30:
                made.power.plugged = False

    asked = {"source": Condition("battery", Provenance.ASKED)}
    ended = start(made, log, job_of(made, asked=asked, guards=guards_of(made.describe().rig)), announce=announce)
    assert ended.reason == "" and ended.done == 3
    outcomes = [(r.plan_index, r.outcome) for r in log.records]
    assert outcomes == [(0, End.DONE), (1, End.ABORTED), (1, End.DONE), (2, End.DONE)]
    assert "power source has changed" in paused[0] and log.records[1].reason == paused[0]
    assert log.records[1].trace is not None


def test_a_drain_that_is_read_in_scenes_only_does_not_hang_the_run(tmp_path):
    """The adapter is too weak for the level; between scenes no channel is read, so nothing would clear the guard."""
    made, log = machine(tmp_path), Log()
    rig = replace(made.describe().rig, adapter_w=20.0)
    made.model = replace(made.model, rig=rig)
    made.needs_person(Instruction(Need.PLUG_IN, "Plug in."))
    passes = ordered_passes(replace(DESIGN, from_w=20, to_w=20, soak_s=60.0, pass_s=60.0), rig)
    phases = []

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress):
            phases.append(event.phase)
            if phases.count(Phase.PAUSED) == 200:  # two guards' patience: the second try has been cut short too
                control.stop()

    control = Control()
    asked = {"source": Condition("adapter", Provenance.ASKED)}
    start(made, log, job_of(made, passes=passes, asked=asked, rig=rig, guards=guards_of(rig)), control, announce)
    assert len(log.records) >= 2 and all(r.outcome is End.ABORTED for r in log.records)
    assert "although plugged in" in log.records[0].reason


def test_pause_skip_and_repeat(tmp_path):
    made, log, control = machine(tmp_path), Log(), Control()
    seen, skipped = [], []

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress):
            seen.append(event.phase)
            if event.phase is Phase.MEASURE and not log.records:
                control.again.set()
            if event.phase is Phase.SOAK and len(log.records) == 2 and not skipped:
                skipped.append(event.setup)
                control.skip()
            if event.phase is Phase.PAUSED and seen.count(Phase.PAUSED) > 3:
                control.paused.clear()
        if isinstance(event, PassDone) and len(log.records) == 2:
            control.paused.set()

    ended = start(made, log, control=control, announce=announce)
    assert [r.plan_index for r in log.records] == [0, 0, 2]  # the first twice, the second skipped
    assert ended.reason == "some passes were skipped" and ended.done == 2 and ended.restored
    assert seen.count(Phase.PAUSED) == 4


def test_soak_until_settled(tmp_path):
    made, log = machine(tmp_path), Log()
    passes = ordered_passes(replace(DESIGN, until_settled=True, from_w=20, to_w=20, soak_s=30.0), made.describe().rig)
    start(made, log, job_of(made, passes=passes))
    soaked = log.records[0].conditions["soak_s"].value
    assert 40 <= soaked <= 280
    die = log.records[0].trace.channels["die_c"]
    late = (die.stamps_ns > log.records[0].trace.start_ns - 20e9) & (die.stamps_ns <= log.records[0].trace.start_ns)
    assert np.ptp(die.values[late]) < 3.0


def test_settled_by_the_data():
    stamps = np.arange(0, 60, 0.5) * 1e9
    rising, still = (Channel(stamps.astype(np.int64), 50 + k * np.arange(120)) for k in (0.05, 0.0))
    assert has_settled(still, [40.0] * 30) and not has_settled(rising, [40.0] * 30)
    assert not has_settled(still, [40.0] * 10) and not has_settled(still, [40.0] * 20 + [30.0] * 10)


def test_own_load_is_a_share_of_a_core_over_at_least_two_seconds():
    from hovrik.app.own_load import OwnLoad

    times = iter([(0.0, 0.0), (0.1, 1.0), (0.5, 4.0), (0.9, 8.0)])
    now = next(times)
    load = OwnLoad(lambda: now[0], lambda: now[1])
    found = []
    for now in times:  # noqa: B007 - read by the two clocks above
        found.append(load.look())
    assert found == [None, pytest.approx(0.125), pytest.approx(0.1)]


def test_a_room_that_changes_pauses_until_it_is_back(tmp_path):
    made, log = machine(tmp_path), Log()
    made.model = replace(made.model, room_sensor=True)
    paused = []

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress) and event.phase is Phase.SOAK and event.position == 1 and not paused:
            made.set_room(27.0)  # a window was closed
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            paused.append(event.why)
            made.set_room(22.5)

    passes = ordered_passes(replace(DESIGN, soak_s=40, pass_s=60), made.describe().rig)
    ended = start(made, log, job_of(made, passes=passes, guards=guards_of(made.describe().rig)), announce=announce)
    assert ended.reason == "" and "The room is 5.0 degrees from where it was" in paused[0]
    assert [r.outcome for r in log.records].count(End.ABORTED) == 1
    assert log.records[0].conditions["room_c"] == Condition(22.0, Provenance.READ, log.records[0].trace.end_ns)


def test_a_machine_that_goes_away_is_waited_for_and_the_pass_made_anew(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    before, honest, gone, why = made.read_back().readings, made.wait, [], []

    def wait(seconds):
        if len(log.records) == 1 and len(gone) < 3:
            gone.append(seconds)
            raise Unavailable("unplugged.")
        honest(seconds)

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            why.append(event.why)
            assert made.read_back().readings != before  # not to be reached: as it was left

    monkeypatch.setattr(made, "wait", wait)
    ended = start(made, log, replace(job_of(made), patience_s=1.0, look_s=0.01), announce=announce)
    assert ended.reason == "" and ended.done == 3 and len(gone) == 2
    assert "The machine is gone: unplugged. It is looked for again" in why[0]
    lost = [r for r in log.records if r.outcome is End.ABORTED]
    assert len(lost) == 1 and lost[0].trace is None and "was gone" in lost[0].reason
    assert made.read_back().readings == before


def test_a_machine_that_goes_away_while_paused_spends_no_patience(tmp_path, monkeypatch):
    """Whoever paused has time: an hour at the socket ended the run, before."""
    made, log, control, gone = machine(tmp_path), Log(), Control(), []
    before, honest = made.read_back().readings, made.wait

    def wait(seconds):
        if control.paused.is_set() and len(gone) < 40:
            gone.append(seconds)
            raise Unavailable("asleep.")
        control.paused.clear()
        honest(seconds)

    def announce(event):
        log.announce(event)
        if isinstance(event, PassDone) and not gone:
            control.paused.set()

    monkeypatch.setattr(made, "wait", wait)
    ended = start(made, log, replace(job_of(made), patience_s=0.05, look_s=0.01), control, announce)
    assert ended.reason == "" and ended.done == 3 and len(gone) == 40
    assert not [r for r in log.records if r.outcome is End.ABORTED] and made.read_back().readings == before
