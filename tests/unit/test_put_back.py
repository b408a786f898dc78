"""Putting back, knob by knob: what can be is restored, the rest is named, nothing starts from a half-way one."""

import errno
from pathlib import Path

import pytest
from helpers.build import left, machine
from unit.test_runner import Log, job_of, start

from hovrik.bench.job import PassDone
from hovrik.bench.protocol import Outcome, Reply
from hovrik.bench.setting import apply, put_back
from hovrik.core.errors import BenchError, StoreError, Unavailable
from hovrik.core.facts.setup import Reading, Setup, Snapshot, static

KNOBS = ("sustained_limit_w", "short_limit_w", "peak_limit_w", "cap_fps")


@pytest.fixture
def moved(tmp_path):
    """(machine, its snapshot before, rig), with four knobs moved since."""
    made = machine(tmp_path)
    before = made.snapshot()
    rig = made.describe().rig
    assert apply(made, static(9.0, 30.0), rig).reply is Reply.DONE
    return made, before, rig


def values(made):
    """What the machine reads now."""
    return {key: reading.value for key, reading in made.read_back().readings.items()}


def refusing(made, monkeypatch, *keys, error=None):
    """A machine that will not take some knobs, not even beside others."""
    honest = made.restore

    def restore(snapshot):
        if any(key in snapshot.readings for key in keys):
            if error is not None:
                raise error
            return Outcome(Reply.REFUSED, "locked by the firmware")
        return honest(snapshot)

    monkeypatch.setattr(made, "restore", restore)


@pytest.mark.parametrize("error", [None, Unavailable("that one cannot be reached")])
def test_one_knob_that_refuses_leaves_the_others_restored(moved, monkeypatch, error):
    made, before, rig = moved
    refusing(made, monkeypatch, "cap_fps", error=error)
    back = put_back(made, before, rig)
    assert list(back.left) == ["cap_fps"] and back.words.startswith("Frame cap: ")
    now, was = values(made), {key: reading.value for key, reading in before.readings.items()}
    assert now["cap_fps"] == 30.0 and all(now[key] == was[key] for key in KNOBS[:3])


def test_the_journal_stays_open_and_says_what_is_left(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    refusing(made, monkeypatch, "cap_fps")
    ended = start(made, log)
    assert not ended.restored and "restored" not in log.names
    assert ended.left == "Frame cap: locked by the firmware"


def test_a_knob_that_rounds_within_half_a_step_is_back(moved, monkeypatch):
    made, before, rig = moved
    honest = made.read_back

    def rounded():
        found = honest()
        readings = dict(found.readings)
        old = readings["sustained_limit_w"]
        readings["sustained_limit_w"] = Reading(old.value + 0.4, True)
        return Snapshot(readings, found.at_ns)

    monkeypatch.setattr(made, "read_back", rounded)
    assert put_back(made, before, rig).is_whole


def test_a_knob_that_answers_late_is_looked_at_again(moved, monkeypatch):
    made, before, rig = moved
    honest, late = made.read_back, [made.read_back()]
    monkeypatch.setattr(made, "read_back", lambda: late.pop() if late else honest())
    assert put_back(made, before, rig).is_whole


def test_a_machine_that_is_gone_is_said_to_be_gone(moved, monkeypatch):
    made, before, rig = moved

    def gone(*_):
        raise Unavailable("unplugged")

    for name in ("restore", "read_back", "end_scene"):
        monkeypatch.setattr(made, name, gone)
    with pytest.raises(Unavailable, match="unplugged"):
        put_back(made, before, rig)


def test_no_run_starts_from_what_an_earlier_one_left(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    older = made.snapshot()
    apply(made, static(5.0, 30.0), made.describe().rig)  # a killed run left the machine here
    refusing(made, monkeypatch, "sustained_limit_w")
    with pytest.raises(BenchError, match=r"not as it was before it\. Sustained limit: locked"):
        start(made, log, job_of(made, left=left(older, KNOBS)))
    assert log.events == []
    assert values(made)["cap_fps"] == older.readings["cap_fps"].value  # what could be put back was


def test_a_full_disk_does_not_stop_the_put_back(tmp_path, monkeypatch):
    """The notebook and the stand-in's own state lie on the disk that fills in the second pass."""
    made, log = machine(tmp_path), Log(fail_at=1)
    before = values(made)
    full = []
    honest = Path.write_bytes

    def write_bytes(self, *args, **kwargs):
        if full:
            raise OSError(errno.ENOSPC, "No space left on device")
        return honest(self, *args, **kwargs)

    monkeypatch.setattr(Path, "write_bytes", write_bytes)

    def announce(event):
        log.announce(event)
        if isinstance(event, PassDone):
            full.append(True)

    with pytest.raises(StoreError):
        start(made, log, announce=announce)
    assert values(made) == before and "restored" in log.names
    with pytest.raises(Unavailable, match="cannot be written"):  # told when the machine is let go of
        made.close()


def test_what_nothing_confirmed_is_put_back_by_a_person(tmp_path, monkeypatch):
    made = machine(tmp_path)
    cached = Snapshot({"sustained_limit_w": Reading(28.0, False)}, 0)
    assert put_back(made, cached, made.describe().rig).is_whole
    assert values(made)["sustained_limit_w"] != 28.0
    monkeypatch.setattr(made, "restore", lambda snapshot: Outcome(Reply.REFUSED, "stopped before it was put back"))
    assert put_back(made, cached, made.describe().rig).left == {"setup": "stopped before it was put back"}
    assert Setup() == cached.restorable()


def test_a_machine_that_reads_no_number_is_not_run(tmp_path):
    """What it has now could not be put back: told before anything is touched, and no journal entry is spoiled."""
    made, log = machine(tmp_path), Log()
    honest = made.snapshot
    made.snapshot = lambda: Snapshot({**honest().readings, "sustained_limit_w": Reading(float("nan"), True)}, 1)
    with pytest.raises(BenchError, match="does not confirm its present sustained_limit_w"):
        start(made, log, job_of(made))
    assert log.records == [] and made.snapshot().restorable().get("sustained_limit_w") is None
    assert made.snapshot().as_dict()["readings"]["sustained_limit_w"] == {"value": "nan", "confirmed": False}
