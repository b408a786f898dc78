"""What every machine promises. A later machine joins helpers/machines.py and must pass as it is; only what a machine
says that it lacks is skipped."""

import threading
import time

import numpy as np
import pytest
from helpers.build import machine as stand_in
from helpers.machines import MACHINES, ToyMachine

from hovrik.bench import runner
from hovrik.bench.clock import RealClock, SteppedClock
from hovrik.bench.job import Control, Job
from hovrik.bench.plain import PlainMachine
from hovrik.bench.protocol import ALL_PARTS, Instruction, Need, Part, Reply
from hovrik.core.errors import Unavailable
from hovrik.core.facts.knob import LIMITS, STATIC_LIMIT, Where
from hovrik.core.facts.place import Source
from hovrik.core.facts.setup import Reading, Setup, Snapshot, static
from hovrik.core.finding import State
from hovrik.core.passes.record import End
from hovrik.core.passes.verdict import Verdict
from hovrik.core.plan.grid import PlannedPass

_NS = 1_000_000_000


@pytest.fixture(params=sorted(MACHINES))
def case(request, tmp_path):
    """A machine under the contract."""
    made = MACHINES[request.param](tmp_path)
    yield made
    made.machine.close()


def needs(case, *parts):
    """Skip what a machine says that it lacks."""
    lacking = set(parts) - case.machine.describe().parts
    if lacking:
        pytest.skip(f"it has no {', '.join(sorted(lacking))}")


def put(machine, setup):
    """Set a setup, with the person's hand where one is asked for."""
    outcome = machine.apply(setup)
    if outcome.reply is Reply.PERSON and machine.describe().by_hand:
        assert machine.needs_person(Instruction(Need.SET_BY_HAND, outcome.instruction))
        outcome = machine.apply(setup)
    assert outcome.reply is Reply.DONE, outcome


def play(machine, scene, seconds, step=1.0):
    """Samples of a running scene."""
    assert machine.start_scene(*scene).reply is Reply.DONE
    samples = []
    for _ in range(round(seconds / step)):
        machine.wait(step)
        samples.append(machine.sample())
    machine.end_scene()
    samples.append(machine.sample())
    return samples


def within(machine):
    """A limit inside the machine's range."""
    knob = machine.describe().knob(STATIC_LIMIT)
    return knob.low + round((knob.high - knob.low) / 3)


def test_description_is_complete_and_constant(case):
    found = case.machine.describe()
    assert found == case.machine.describe() and found.parts <= ALL_PARTS
    assert found.rig.key and found.slot in {s.key for s in found.rig.slots}
    assert all(info.unit and info.rate_hz >= 0 for info in found.channels)
    assert found.knob("no such") is None and bool(found.channels) is (Part.TELEMETRY in found.parts)
    if Part.SETTING in found.parts:
        assert {knob.id for knob in found.knobs} >= set(LIMITS)
        assert found.knob(STATIC_LIMIT).low < found.knob(STATIC_LIMIT).high
    else:
        assert found.knobs == () and case.machine.apply(Setup()).reply is Reply.DONE
    if Part.TITLES in found.parts:
        assert any(title.key == case.scene[0] and title.scene(case.scene[1]) for title in found.titles)


def test_the_machine_owns_time(case):
    machine = case.machine
    before = machine.now_ns()
    began = time.monotonic()
    machine.wait(30.0 * case.unit)
    taken = (machine.now_ns() - before) / _NS
    assert taken == pytest.approx(30.0 * case.unit, abs=0.3 if case.is_real else 1e-9)
    assert time.monotonic() - began < 5  # at the fastest pace nobody waits


def test_apply_reads_back_what_was_asked(case):
    needs(case, Part.SETTING)
    machine = case.machine
    limit = within(machine)
    put(machine, static(limit, 30.0))
    readings = machine.read_back().readings
    by_hand = machine.describe().by_hand  # no hardware answers for what a hand has set
    assert all(readings[key].value == limit and readings[key].confirmed is not by_hand for key in LIMITS)


@pytest.mark.parametrize("setup", [Setup(sustained_limit_w=900), Setup(sustained_limit_w=8, no_such_knob=1)])
def test_a_refusal_says_why_and_changes_nothing(case, setup):
    """The one run by hand took anything and said done, before."""
    before = case.machine.read_back().readings
    outcome = case.machine.apply(setup)
    assert outcome.reply is Reply.REFUSED and outcome.reason
    assert case.machine.read_back().readings == before


def test_it_offers_what_its_rig_has(case):
    """The one run by hand offered three limits and a cap, before; an owner's own knob is set like any other."""
    needs(case, Part.SETTING)
    machine = case.machine
    tried = 0
    for knob in machine.describe().knobs:
        if knob.where is Where.LIVE and len(knob.levels) > 1:
            put(machine, Setup({knob.id: knob.levels[-1]}))
            assert machine.read_back().readings[knob.id].value == knob.levels[-1]
            tried += 1
    assert tried >= 2


def test_restore_puts_back_confirmed_values_and_never_cached_ones(case):
    needs(case, Part.SETTING)
    machine = case.machine
    if machine.describe().by_hand:
        pytest.skip("nothing that a hand set is confirmed")
    before = machine.snapshot()
    put(machine, static(within(machine), 30.0))
    assert machine.restore(before).reply is Reply.DONE
    assert machine.read_back().readings == before.readings
    lying = Snapshot({STATIC_LIMIT: Reading(before.readings[STATIC_LIMIT].value, False)}, 0)
    put(machine, static(within(machine), 30.0))
    machine.restore(lying)
    assert machine.read_back().readings[STATIC_LIMIT].value == within(machine)


def test_samples_hold_each_stamp_once_and_in_order(case):
    needs(case, Part.FRAMES)
    machine, seconds = case.machine, 20.0 * case.unit
    if Part.SETTING in machine.describe().parts:
        put(machine, static(within(machine), 40.0))
    start = machine.now_ns()
    samples = play(machine, case.scene, seconds, case.unit)
    lasted = (machine.now_ns() - start) / 1e9 if case.is_real else seconds  # a busy computer waits longer than asked
    frames = np.concatenate([s.frames_ns for s in samples])
    assert frames.dtype == np.int64 and frames.size > 5 and np.all(np.diff(frames) > 0)
    assert frames[0] >= start and frames[-1] <= machine.now_ns()
    if not machine.describe().by_hand:  # a hand brings what it has
        for info in machine.describe().channels:
            parts = [s.channels[info.name].stamps_ns for s in samples if info.name in s.channels]
            assert parts, info.name
            stamps = np.concatenate(parts)
            assert np.all(np.diff(stamps) > 0), info.name
            assert stamps.size == pytest.approx(lasted * info.rate_hz, abs=4 if case.is_real else 2), info.name
    for sample in samples:
        for channel in sample.channels.values():
            assert channel.stamps_ns.shape == channel.values.shape


def test_a_run_is_made_on_it_as_on_any_other(case):
    """The runner asks no machine what kind it is: two passes, kept, announced, put back."""
    machine, found = case.machine, case.machine.describe()
    sets = Part.SETTING in found.parts
    setup = static(within(machine), 30.0) if sets else Setup()
    planned = [PlannedPass(n, setup, 20.0 * case.unit, 0.0, 2.0 * case.unit, 1.0 * case.unit) for n in range(2)]
    kept, ended = [], []

    class Sink:
        def begin(self, left): ...
        def at(self, position): ...
        def touching(self, left): ...
        def restored(self, left=None):
            ended.append(True)

        def keep(self, record):
            kept.append(record)
            return Verdict(State.VALID, ())

        def remedied(self, action): ...

    job = Job("plan", planned, {}, *case.scene, found.rig, found.slot, {}, frozenset())
    before = machine.read_back().readings
    done = runner.run(machine, job, Sink(), Control(), lambda event: None)
    assert done.done == 2 and ended == [True], done
    assert [record.outcome for record in kept] == [End.DONE] * 2
    if Part.FRAMES in found.parts:
        assert all(record.trace.frames_ns.size > 5 for record in kept)
    if sets and not found.by_hand:
        assert machine.read_back().readings == before


def test_how_it_is_polled_does_not_change_what_is_recorded(tmp_path):
    frames = []
    for step in (0.3, 4.0):
        folder = tmp_path / str(step)
        folder.mkdir()
        machine = stand_in(folder)
        machine.apply(static(12.0, 40.0))
        played = play(machine, ("saltmarsh-couriers", "causeway"), 12.0, step)
        frames.append(np.concatenate([s.frames_ns for s in played]))
    assert np.array_equal(*frames)


def test_unknown_scene_is_refused_with_its_reason(case):
    needs(case, Part.TITLES)
    outcome = case.machine.start_scene("no", "such")
    assert outcome.reply is not Reply.DONE and "no · such" in outcome.reason
    case.machine.end_scene()  # harmless


def test_recording_needs_no_scene_where_titles_are_not_started_by_it(case):
    if Part.TITLES in case.machine.describe().parts:
        pytest.skip("it starts titles")
    assert case.machine.start_scene("", "").reply is Reply.DONE
    case.machine.wait(10 * case.unit)
    found = case.machine.sample()
    assert found.frames_ns.size > 2 or (found.channels and Part.FRAMES not in case.machine.describe().parts)
    case.machine.end_scene()


def test_stop_from_another_thread_ends_a_wait(case):
    machine = case.machine
    if hasattr(machine, "pace"):
        machine.pace = 1.0
    waits_long = case.is_real or hasattr(machine, "pace")
    machine.start_scene(*case.scene)
    if waits_long:
        timer = threading.Timer(0.2, machine.stop)
        timer.start()
        began = time.monotonic()
        machine.wait(60.0)
        timer.join()
        assert time.monotonic() - began < 5
    machine.stop()
    machine.stop()  # more than once is harmless
    if hasattr(machine, "pace"):
        machine.pace = float("inf")
    began = time.monotonic()
    machine.wait(1.0)  # ended at once by the stop before
    assert time.monotonic() - began < 0.5
    machine.end_scene()
    before = machine.now_ns()
    machine.wait(case.unit)  # and the machine can be used again
    assert machine.now_ns() - before == pytest.approx(case.unit * _NS, abs=0.1 * _NS if case.is_real else 0)


def test_it_stays_as_it_was_when_the_program_is_gone(case):
    """Like real hardware: knobs, charge and time are read back by the next program."""
    if case.reopen is None:
        pytest.skip("it lives as long as the program")
    machine = case.machine
    put(machine, static(8.0, 30.0))
    play(machine, case.scene, 10.0)
    other = case.reopen()
    assert other.read_back().readings == machine.read_back().readings
    assert other.now_ns() == machine.now_ns() and other.charge() == machine.charge()


def test_charge_falls_under_load_and_a_person_recharges(case):
    machine = case.machine
    if machine.charge() is None:
        pytest.skip("it cannot read its charge")
    put(machine, static(machine.describe().knob(STATIC_LIMIT).high))
    full = machine.charge()
    play(machine, case.scene, 300.0, 10.0)
    assert machine.charge() < full
    assert machine.needs_person(Instruction(Need.RECHARGE, "Plug in.", full))
    assert machine.charge() == pytest.approx(full, abs=0.021)
    assert not machine.needs_person(Instruction(Need.RESTART, "Restart.", slot="no such slot"))


def test_what_needs_a_relaunch_or_restart_says_so_and_changes_nothing(case):
    machine, scene = case.machine, case.scene
    if machine.describe().by_hand or not any(k.where is Where.RELAUNCH for k in machine.describe().knobs):
        pytest.skip("everything is set live, or by hand")
    asked = {Where.RELAUNCH: Reply.RELAUNCH, Where.RESTART: Reply.RESTART, Where.SETUP_SCREEN: Reply.PERSON}
    needs = {Reply.RELAUNCH: Need.RELAUNCH, Reply.RESTART: Need.RESTART, Reply.PERSON: Need.SET_BY_HAND}
    tried = 0
    for knob in machine.describe().knobs:
        if knob.where in asked and knob.levels:
            play(machine, scene, 2.0)
            before = machine.read_back().readings[knob.id].value
            other = next(level for level in reversed(knob.levels) if level != before)
            outcome = machine.apply(Setup({knob.id: other}))
            assert outcome.reply is asked[knob.where] and outcome.instruction, knob.id
            assert machine.read_back().readings[knob.id].value == before
            assert machine.needs_person(Instruction(needs[outcome.reply], outcome.instruction))
            assert machine.apply(Setup({knob.id: other})).reply is Reply.DONE
            assert machine.read_back().readings[knob.id].value == other
            tried += 1
    assert tried >= 3


def test_the_source_and_the_slot_are_changed_by_a_person(case):
    machine = case.machine
    if len(machine.describe().rig.slots) < 2 or machine.source() is None:
        pytest.skip("it has one OS slot, or nobody at it")
    assert machine.source() is Source.BATTERY
    assert machine.needs_person(Instruction(Need.PLUG_IN, "Plug in.")) and machine.source() is Source.ADAPTER
    assert machine.needs_person(Instruction(Need.UNPLUG, "Unplug.")) and machine.source() is Source.BATTERY
    other = next(s.key for s in machine.describe().rig.slots if s.key != machine.describe().slot)
    assert machine.needs_person(Instruction(Need.RESTART, "Restart.", slot=other))
    assert machine.describe().slot == other


def test_spoiled_state_is_a_known_error(tmp_path):
    (tmp_path / "state.json").write_text("{broken")
    with pytest.raises(Unavailable, match="Delete it"):
        stand_in(tmp_path)


def test_a_scene_leaves_nothing_to_the_next(case):
    needs(case, Part.FRAMES)
    machine, scene = case.machine, case.scene
    machine.start_scene(*scene)
    machine.wait(5.0 * case.unit)  # no whole number of blocks
    machine.end_scene()
    machine.sample()
    machine.start_scene(*scene)
    began = machine.now_ns()
    machine.wait(10.0 * case.unit)
    found = machine.sample()
    machine.end_scene()
    found = found if found.frames_ns.size else machine.sample()  # a hand brings it at the end
    assert found.frames_ns.size > 5 and found.frames_ns[0] > began
    assert np.all(np.diff(found.frames_ns) > 0)
    assert all(np.all(np.diff(channel.stamps_ns) > 0) for channel in found.channels.values())


def test_a_machine_without_any_part_is_legal():
    toy = ToyMachine(SteppedClock())
    plain = PlainMachine(toy.rig, SteppedClock(), slot="own")
    assert plain.describe().parts == frozenset() and plain.sample().frames_ns.size == 0
    assert plain.apply(Setup(boost="off")).reply is Reply.REFUSED and not plain.needs_person(
        Instruction(Need.RECHARGE, "Plug in.")
    )
    assert (plain.charge(), plain.source(), plain.room_c(), plain.told()) == (None, None, None, {})


def test_clocks_are_exchangeable():
    """The same machine by the wall and by steps."""
    for clock, seconds, busy in ((RealClock(speed=20.0), 10.0, 0.8), (SteppedClock(), 10.0, 0.0)):
        samples = play(ToyMachine(clock), ("", ""), seconds, 1.0)
        frames = sum(s.frames_ns.size for s in samples)  # a busy computer wakes late, and frames go on
        assert 40 * seconds <= frames <= 60 * seconds * (1 + busy)
    ended = threading.Event()
    ended.set()
    began = time.monotonic()
    RealClock(ended=ended).wait(60.0)
    assert time.monotonic() - began < 1.0
