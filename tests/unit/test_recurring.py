"""What recurs at a scene is the scene: verdicts over several passes of it."""

from hovrik.core.finding import Finding, State
from hovrik.core.message import Value, say
from hovrik.core.passes.recurring import without_scenes_own
from hovrik.core.passes.verdict import Verdict


def slow(at):
    """A stretch of slow frames found at a second of the scene."""
    message = say("slow-stretches", seconds=Value(3.0, "s"), longer=Value(1.6, digits=1), at=Value(at, "s"))
    return Finding("slow-stretches", State.SUSPECT, message)


def drift(share):
    """A pass that drifted by so much."""
    message = say("unsettled", what="rate", drift=Value(share, "%"), errors=Value(5.0, digits=1))
    return Finding("unsettled", State.VOID, message)


def of(*findings):
    """A verdict with these findings."""
    state = State.VALID
    for one in findings:
        state = State.VOID if State.VOID in (state, one.weight) else one.weight
    return Verdict(state, findings)


def read(*verdicts, scene="nave"):
    """Their states after the scene's own is taken out."""
    named = {str(n): verdict for n, verdict in enumerate(verdicts)}
    return list(without_scenes_own(named, dict.fromkeys(named, scene)).values())


def test_a_door_that_every_pass_meets_is_the_scenes_own():
    found = read(of(slow(21)), of(slow(22)), of(slow(20.5)), of())
    assert [one.state for one in found] == [State.VALID] * 4
    assert "in most passes of this scene" in found[0].fact_words[0] and "3 s" in found[0].fact_words[0]


def test_bursts_at_different_places_are_not():
    found = read(of(slow(5)), of(slow(22)), of(slow(41)), of())
    assert [one.state for one in found] == [State.SUSPECT] * 3 + [State.VALID]


def test_one_in_many_stays_and_so_do_two_of_two():
    assert read(of(slow(20)), *[of()] * 9)[0].state is State.SUSPECT
    assert read(of(slow(20)), of(slow(20)))[0].state is State.SUSPECT


def test_a_course_that_gets_heavier_has_one_direction():
    same = read(of(drift(-6)), of(drift(-7)), of(drift(-5.5)), of(drift(-8)))
    assert [one.state for one in same] == [State.VALID] * 4
    mixed = read(of(drift(-6)), of(drift(7)), of(drift(-5.5)), of(drift(8)), of(), of())
    assert [one.state for one in mixed][:4] == [State.VOID] * 4


def test_other_faults_stay_however_often():
    gaps = Finding("time-gaps", State.VOID, say("time-gaps", gaps=1, missing=Value(2, "s"), seconds=Value(60, "s")))
    found = read(*[of(gaps, slow(20))] * 5)
    assert [one.state for one in found] == [State.VOID] * 5 and [len(one.findings) for one in found] == [1] * 5


def test_scenes_are_apart_and_what_a_person_said_stands():
    named = {"a": of(slow(20)), "b": of(slow(20)), "c": of(slow(20))}
    found = without_scenes_own(named, {"a": "nave", "b": "nave", "c": "crypt"})
    assert [one.state for one in found.values()] == [State.SUSPECT] * 3
