"""The runner: order of keeping and announcing, putting back whatever happens, refusals, recharge."""

from dataclasses import replace

import pytest
from helpers.build import left, machine

from hovrik.bench import runner
from hovrik.bench.job import Control, Job, PassDone, Phase, Progress, RunEnded
from hovrik.bench.protocol import Outcome, Reply
from hovrik.core.errors import BenchError, PassAborted, ReadbackMismatch, StoreError, Unavailable
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.knob import REFRESH
from hovrik.core.facts.setup import Reading, Snapshot, static
from hovrik.core.facts.title import Title
from hovrik.core.finding import State
from hovrik.core.passes.record import End
from hovrik.core.passes.verdict import Verdict
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.demo import scenario

DESIGN = LadderDesign(10, 12, 1, 40.0, repeats=1, pass_s=10, soak_s=4, cool_s=2)


class Log:
    """A sink and an announcer that write one common list of what happened."""

    def __init__(self, fail_at=None):
        self.events, self.records, self._fail_at, self.says = [], [], fail_at, []

    def begin(self, left):
        self.events.append(("begin", left))

    def touching(self, left):
        self.left = left

    def at(self, position):
        self.events.append(("at", position))

    def keep(self, record):
        if self._fail_at == len(self.records):
            raise StoreError("disk full")
        self.records.append(record)
        self.events.append(("keep", record.id))
        return self.says.pop(0) if self.says else Verdict(State.VALID, ())

    def remedied(self, action):
        self.events.append(("remedied", action))

    def restored(self, left=None):
        self.events.append(("restored", None))

    def announce(self, event):
        name = {PassDone: "done", RunEnded: "ended"}.get(type(event))
        if name:
            self.events.append((name, event.record.id if isinstance(event, PassDone) else event))

    @property
    def names(self):
        return [name for name, _ in self.events]


def job_of(made, design=DESIGN, **changes):
    """A job of the demo's scene."""
    rig, question = made.describe().rig, scenario.question()
    base = {
        "passes": ordered_passes(design, rig),
        "context": {},
        "title": question.title,
        "scene": question.scene,
        "rig": rig,
    }
    return Job("plan", **{**base, **changes})


def start(made, log, job=None, control=None, announce=None):
    """Run a job."""
    return runner.run(made, job or job_of(made), log, control or Control(), announce or log.announce)


def test_snapshot_first_record_before_announcement_restored_last(tmp_path):
    made, log = machine(tmp_path), Log()
    before = made.read_back().readings
    ended = start(made, log)
    assert log.names == ["begin", *(["at", "keep", "done"] * 3), "restored", "ended"]
    assert ended == RunEnded("", True, 3, 3)
    assert log.events[0][1].snapshot.readings == before == made.read_back().readings


def test_records_hold_asked_read_conditions_and_raw_series(tmp_path):
    made, log = machine(tmp_path), Log()
    start(made, log)
    record = log.records[0]
    assert record.asked["sustained_limit_w"] == record.read["sustained_limit_w"]
    assert REFRESH in record.read and REFRESH not in record.asked
    assert record.trace.seconds == pytest.approx(10) and record.trace.interval_ms().sum() == pytest.approx(
        10_000, rel=0.01
    )
    die = record.trace.channels["die_c"]
    assert record.trace.start_ns - die.stamps_ns[0] == pytest.approx(4e9, abs=0.6e9)  # the soak is kept too
    assert {"charge_start_share", "charge_end_share", "soak_s"} <= set(record.conditions)


@pytest.mark.parametrize("phase", [Phase.SETTLE, Phase.SOAK, Phase.MEASURE, Phase.COOL_DOWN])
def test_stop_in_any_phase_puts_back_and_keeps_what_is_finished(tmp_path, phase):
    made, log, control = machine(tmp_path), Log(), Control()
    before = made.read_back().readings

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress) and event.phase is phase:
            control.stop()

    ended = start(made, log, control=control, announce=announce)
    assert ended.reason == "stopped" and ended.restored and made.read_back().readings == before
    assert len(log.records) == ended.done == (1 if phase is Phase.COOL_DOWN else 0)
    assert start(made, Log()).reason == ""  # the machine can be used again


def test_a_store_that_fails_stops_the_run_and_the_machine_is_put_back(tmp_path):
    made, log = machine(tmp_path), Log(fail_at=1)
    before = made.read_back().readings
    with pytest.raises(StoreError):
        start(made, log)
    assert made.read_back().readings == before
    assert log.names[-2:] == ["restored", "ended"] and log.names.count("done") == 1


def test_a_bug_in_a_listener_still_puts_back(tmp_path):
    made, log = machine(tmp_path), Log()
    before = made.read_back().readings

    def announce(event):
        if isinstance(event, PassDone):
            raise ValueError("ours")

    with pytest.raises(ValueError, match="ours"):
        start(made, log, announce=announce)
    assert made.read_back().readings == before and len(log.records) == 1


def test_what_cannot_be_put_back_is_not_touched(tmp_path):
    made, log = machine(tmp_path), Log()
    passes = tuple(
        runner.PlannedPass(p.index, p.setup.with_(refresh_hz=60), p.pass_s, p.settle_s, p.soak_s, p.cool_s)
        for p in job_of(made).passes
    )
    with pytest.raises(BenchError, match="does not confirm its present refresh_hz"):
        start(made, log, job_of(made, passes=passes))
    assert log.events == []


def test_read_back_that_differs_ends_the_run(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    honest = made.read_back
    running = []

    def lying():
        found = honest()
        if running:
            return found
        readings = {**found.readings, "peak_limit_w": Reading(99.0, True)}
        return Snapshot(readings, found.at_ns)

    monkeypatch.setattr(made, "read_back", lying)
    monkeypatch.setattr(made, "restore", lambda s: running.append(1) or Outcome(Reply.DONE))
    with pytest.raises(ReadbackMismatch, match="reads 99"):
        start(made, log)


def test_put_back_is_confirmed_by_reading(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    monkeypatch.setattr(made, "restore", lambda snapshot: Outcome(Reply.REFUSED, "locked"))
    ended = start(made, log)
    assert not ended.restored and "restored" not in log.names


def test_a_machine_that_is_gone_leaves_the_journal_open(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()

    def gone(*_):
        raise Unavailable("unplugged")

    def announce(event):
        log.announce(event)
        if isinstance(event, PassDone):
            monkeypatch.setattr(made, "wait", gone)
            monkeypatch.setattr(made, "restore", gone)

    with pytest.raises(Unavailable):
        start(made, log, announce=announce)
    assert log.names == ["begin", "at", "keep", "done", "ended"] and not log.events[-1][1].restored


def test_did_not_start_is_an_outcome_of_the_setup(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    honest, calls = made.start_scene, []

    def start_scene(title, scene):
        calls.append(1)
        return Outcome(Reply.REFUSED, "too little graphics memory") if len(calls) == 2 else honest(title, scene)

    monkeypatch.setattr(made, "start_scene", start_scene)
    ended = start(made, log)
    assert ended.done == 3
    assert [r.outcome for r in log.records] == [End.DONE, End.FAILED, End.DONE]
    assert log.records[1].reason == "did not start: too little graphics memory" and log.records[1].trace is None


@pytest.mark.parametrize("online", [True, False])
def test_a_crash_in_company_is_waited_out_and_not_tried_again(tmp_path, monkeypatch, online):
    """The title ends at 11 W: with others playing along its lock-out passes before anything else is tried, at the setup
    before, and the second pass at 11 W is left out. Without them it is tried twice."""
    made, log, paused = machine(tmp_path), Log(), []
    honest = made.start_scene

    def start_scene(title, scene):
        fails = made.read_back().as_setup()["sustained_limit_w"] == 11.0
        return Outcome(Reply.REFUSED, "it ended at once") if fails else honest(title, scene)

    def announce(event):
        log.announce(event)
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            paused.append((event.why, made.read_back().as_setup()["sustained_limit_w"]))

    monkeypatch.setattr(made, "start_scene", start_scene)
    before = made.read_back().as_setup()["sustained_limit_w"]
    title = Title(scenario.question().title, "Title", live_opponents=True, lock_out_min=5.0)
    told = {} if online else {"live_opponents": Condition("yes", Provenance.ASKED)}
    job = job_of(made, replace(DESIGN, repeats=2), played=title, asked=told)
    ended = start(made, log, job, announce=announce)
    failed = [one for one in log.records if one.outcome is End.FAILED]
    assert (ended.done, len(failed)) == ((5, 1) if online else (6, 2))
    assert ("without live opponents" in ended.reason) is online and ended.restored
    assert ("locks out for 5 min" in paused[0][0] and {w for _, w in paused} == {before}) if online else not paused
    if online:
        after = log.records[log.records.index(failed[0]) + 1]
        assert after.started_ns - failed[0].started_ns >= 300e9
        again = start(made, Log(), replace(job, crashed=(static(11, 40.0),)))
        assert again.done == 4


def test_a_knob_that_is_refused_is_a_failed_pass(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    honest = made.apply
    monkeypatch.setattr(
        made, "apply", lambda s: Outcome(Reply.RELAUNCH, "relaunch first") if s == static(11, 40.0) else honest(s)
    )
    start(made, log)
    failed = [r for r in log.records if r.outcome is End.FAILED]
    assert [r.reason for r in failed] == ["needs relaunch: relaunch first"]


def test_a_cut_short_run_continues_without_repeating(tmp_path):
    made, log = machine(tmp_path), Log()
    job = job_of(made)
    job = replace(job, passes=[replace(one, step_id=f"step {one.index}") for one in job.passes])
    ended = start(made, log, replace(job, done=frozenset({"step 0", "step 2"})))
    assert [r.plan_index for r in log.records] == [1] and ended == RunEnded("", True, 3, 3)


def test_the_older_snapshot_is_put_back(tmp_path):
    made, log = machine(tmp_path), Log()
    older = made.snapshot()
    made.apply(static(5.0, 30.0))  # a killed run left the machine here
    start(made, log, job_of(made, left=left(older)))
    assert made.read_back().readings == older.readings


def test_recharge_keeps_every_pass_in_the_valid_window(tmp_path):
    made, log = machine(tmp_path), Log()
    made.set_charge(0.56)
    phases = []
    start(
        made,
        log,
        job_of(made, LadderDesign(24, 28, 2, None, repeats=1, pass_s=300)),
        announce=lambda e: phases.append(getattr(e, "phase", None)),
    )
    assert Phase.RECHARGE in phases
    assert min(r.conditions["charge_end_share"].value for r in log.records) >= 0.51


def test_declined_recharge_aborts_with_what_to_do(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    made.set_charge(0.53)
    monkeypatch.setattr(made, "needs_person", lambda instruction: False)
    with pytest.raises(PassAborted, match="Recharge, then continue the sweep"):
        start(made, log)
    assert log.names[-2:] == ["restored", "ended"]
