"""Passes of one launch are no independent repeats: which launch a pass belongs to, and what is said of it."""

from dataclasses import replace

from helpers.build import QUESTION, counted, machine

from hovrik.bench.by_hand.guided import ANEW, told_by_hand
from hovrik.bench.one_pass import Launches
from hovrik.bench.protocol import LAUNCHED_ANEW, Need
from hovrik.core.read import response

from .test_runner import Log, job_of, start


def of(launches):
    """Two passes at each of two limits, by their launches."""
    passes = [counted(w, low, k) for w, low in ((10.0, 41.0), (12.0, 44.0)) for k in range(2)]
    return [replace(one, point=replace(one.point, launch=name)) for one, name in zip(passes, launches, strict=True)]


def said(launches):
    """Ids of what is found."""
    return [finding.id for one in response.read(of(launches), QUESTION) for finding in one.findings]


def test_levels_in_a_launch_each_are_told():
    assert "launched-apart" in said(["a", "a", "b", "b"])
    assert "launched-apart" not in said(["a", "b", "a", "b"])
    assert "launched-apart" not in said(["a", "a", "a", "a"])
    assert "launched-apart" not in said(["a", "a", "b", ""])


def test_what_a_person_starts_anew_is_another_launch():
    own = Launches()
    assert own.conditions(1) == {}
    own.hear(Need.RELAUNCH)
    first = own.launch
    own.hear(Need.SET_BY_HAND)
    assert own.launch == first and not own.boot
    own.hear(Need.RESTART)
    assert own.launch != first and own.boot
    assert LAUNCHED_ANEW in told_by_hand(("noise", ANEW), {}, 1) and LAUNCHED_ANEW not in told_by_hand(
        ("noise",), {}, 1
    )


def test_passes_keep_their_launch_and_what_was_read_back(tmp_path):
    made, log = machine(tmp_path), Log()
    anew = iter((True, False, True))
    made.told = lambda: told_by_hand((ANEW,) if next(anew) else (), {}, 1)
    start(made, log, job_of(made))
    launches = [record.recording.launch for record in log.records]
    assert launches[0] == launches[1] != launches[2] and all(launches)
    assert [record.conditions["launch"].value for record in log.records] == launches
    for record in log.records:
        (began, first), (ended, last) = record.recording.readback
        assert began < record.trace.start_ns < ended == record.trace.end_ns
        assert first["cap_fps"] == last["cap_fps"] == record.asked["cap_fps"]
