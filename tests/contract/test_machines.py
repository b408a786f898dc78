"""What every machine promises. A later machine joins MACHINES and must pass as it is."""

import threading
import time

import numpy as np
import pytest
from helpers.build import machine as stand_in

from hovrik.bench.protocol import Instruction, Need, Reply
from hovrik.core.errors import Unavailable
from hovrik.core.facts.knob import LIMITS, STATIC_LIMIT, Where
from hovrik.core.facts.setup import Reading, Setup, Snapshot, static
from hovrik.core.questions.question import Source

MACHINES = {"simulated": stand_in}
SCENES = {"simulated": ("saltmarsh-couriers", "causeway")}


@pytest.fixture(params=sorted(MACHINES))
def made(request, tmp_path):
    """(machine, scene, function that opens the same machine again)."""
    opened = MACHINES[request.param](tmp_path)
    yield opened, SCENES[request.param], lambda: MACHINES[request.param](tmp_path)
    opened.close()


def play(machine, scene, seconds, step=1.0):
    """Samples of a running scene."""
    assert machine.start_scene(*scene).reply is Reply.DONE
    samples = []
    for _ in range(round(seconds / step)):
        machine.wait(step)
        samples.append(machine.sample())
    machine.end_scene()
    return samples


def test_description_is_complete_and_constant(made):
    machine, scene, _ = made
    found = machine.describe()
    assert found == machine.describe()
    assert found.rig.key and found.slot in {s.key for s in found.rig.slots}
    assert {knob.id for knob in found.knobs} >= set(LIMITS)
    assert all(info.unit and info.rate_hz >= 0 for info in found.channels)
    assert any(title.key == scene[0] and title.scene(scene[1]) for title in found.titles)
    assert found.knob(STATIC_LIMIT).low < found.knob(STATIC_LIMIT).high and found.knob("no such") is None


def test_the_machine_owns_time(made):
    machine, _, _ = made
    before = machine.now_ns()
    began = time.monotonic()
    machine.wait(30.0)
    assert machine.now_ns() - before == 30_000_000_000
    assert time.monotonic() - began < 5  # at the fastest pace nobody waits


def test_apply_reads_back_what_was_asked(made):
    machine, _, _ = made
    assert machine.apply(static(9.0, 30.0)).reply is Reply.DONE
    readings = machine.read_back().readings
    assert all(readings[key].value == 9.0 and readings[key].confirmed for key in LIMITS)


@pytest.mark.parametrize("setup", [Setup(sustained_limit_w=900), Setup(sustained_limit_w=8, no_such_knob=1)])
def test_a_refusal_says_why_and_changes_nothing(made, setup):
    machine, _, _ = made
    before = machine.read_back().readings
    outcome = machine.apply(setup)
    assert outcome.reply is Reply.REFUSED and outcome.reason
    assert machine.read_back().readings == before


def test_restore_puts_back_confirmed_values_and_never_cached_ones(made):
    machine, _, _ = made
    before = machine.snapshot()
    machine.apply(static(7.0, 30.0))
    assert machine.restore(before).reply is Reply.DONE
    assert machine.read_back().readings == before.readings
    lying = Snapshot({STATIC_LIMIT: Reading(28.0, False)}, 0)
    machine.apply(static(7.0, 30.0))
    machine.restore(lying)
    assert machine.read_back().readings[STATIC_LIMIT].value == 7.0


def test_samples_hold_each_stamp_once_and_in_order(made):
    machine, scene, _ = made
    machine.apply(static(12.0, 40.0))
    start = machine.now_ns()
    samples = play(machine, scene, 20.0)
    frames = np.concatenate([s.frames_ns for s in samples])
    assert frames.dtype == np.int64 and np.all(np.diff(frames) > 0)
    assert frames[0] >= start and frames[-1] <= machine.now_ns()
    rates = {info.name: info.rate_hz for info in machine.describe().channels}
    for name, rate in rates.items():
        stamps = np.concatenate([s.channels[name].stamps_ns for s in samples if name in s.channels])
        assert np.all(np.diff(stamps) > 0) and stamps.size == pytest.approx(20 * rate, abs=2), name
    for sample in samples:
        for channel in sample.channels.values():
            assert channel.stamps_ns.shape == channel.values.shape


def test_how_it_is_polled_does_not_change_what_is_recorded(tmp_path):
    frames = []
    for step in (0.3, 4.0):
        folder = tmp_path / str(step)
        folder.mkdir()
        machine = stand_in(folder)
        machine.apply(static(12.0, 40.0))
        frames.append(np.concatenate([s.frames_ns for s in play(machine, SCENES["simulated"], 12.0, step)]))
    assert np.array_equal(*frames)


def test_unknown_scene_is_refused_with_its_reason(made):
    machine, _, _ = made
    outcome = machine.start_scene("no", "such")
    assert outcome.reply is not Reply.DONE and "no · such" in outcome.reason
    machine.end_scene()  # harmless


def test_stop_from_another_thread_ends_a_wait(made):
    machine, scene, _ = made
    machine.pace = 1.0
    machine.start_scene(*scene)
    timer = threading.Timer(0.2, machine.stop)
    timer.start()
    began = time.monotonic()
    machine.wait(60.0)
    timer.join()
    assert time.monotonic() - began < 5
    machine.stop()
    machine.stop()  # more than once is harmless
    machine.pace = float("inf")
    machine.wait(1.0)  # ended at once by the stop before
    machine.end_scene()
    before = machine.now_ns()
    machine.wait(1.0)  # and the machine can be used again
    assert machine.now_ns() - before == 1_000_000_000


def test_it_stays_as_it_was_when_the_program_is_gone(made):
    """Like real hardware: knobs, charge and time are read back by the next program."""
    machine, scene, reopen = made
    machine.apply(static(8.0, 30.0))
    play(machine, scene, 10.0)
    other = reopen()
    assert other.read_back().readings == machine.read_back().readings
    assert other.now_ns() == machine.now_ns() and other.charge() == machine.charge()


def test_charge_falls_under_load_and_a_person_recharges(made):
    machine, scene, _ = made
    machine.apply(static(28.0))
    full = machine.charge()
    play(machine, scene, 300.0, 10.0)
    assert machine.charge() < full
    assert machine.needs_person(Instruction(Need.RECHARGE, "Plug in.", full))
    assert machine.charge() == pytest.approx(full, abs=0.011)
    assert not machine.needs_person(Instruction(Need.RESTART, "Restart.", slot="no such slot"))


def test_what_needs_a_relaunch_or_restart_says_so_and_changes_nothing(made):
    machine, scene, _ = made
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


def test_the_source_and_the_slot_are_changed_by_a_person(made):
    machine, _, _ = made
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


def test_a_scene_leaves_nothing_to_the_next(made):
    machine, scene, _ = made
    machine.start_scene(*scene)
    machine.wait(5.0)  # no whole number of blocks
    machine.end_scene()
    machine.sample()
    machine.start_scene(*scene)
    began = machine.now_ns()
    machine.wait(4.0)
    found = machine.sample()
    machine.end_scene()
    assert found.frames_ns.size > 20 and found.frames_ns[0] > began
    assert np.all(np.diff(found.frames_ns) > 0)
    assert all(np.all(np.diff(channel.stamps_ns) > 0) for channel in found.channels.values())
