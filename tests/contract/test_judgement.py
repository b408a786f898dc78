"""Checks of passes that were run on the stand-in: none of the clean ones, all of those that take too much."""

from helpers.build import machine

from hovrik.bench.job import Control, Job
from hovrik.bench.runner import run
from hovrik.core.finding import State
from hovrik.core.passes.verdict import Verdict, judge
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.demo import scenario


class Kept:
    """A sink that keeps records in memory."""

    def __init__(self):
        self.records = []

    def begin(self, left):
        pass

    def at(self, position):
        pass

    def touching(self, left):
        pass

    def keep(self, record):
        self.records.append(record)
        return Verdict(State.VALID, ())

    def remedied(self, action):
        pass

    def restored(self, left=None):
        pass


def played(tmp_path, design, seed=1, **physics):
    """Records of a sweep on the stand-in."""
    tmp_path.mkdir(exist_ok=True)
    made = machine(tmp_path, seed=seed, **physics)
    rig = made.describe().rig
    question = scenario.question()
    sink = Kept()
    job = Job("plan", ordered_passes(design, rig), {}, question.title, question.scene, rig)
    run(made, job, sink, Control(), lambda event: None)
    return sink.records, rig


def test_false_alarms_on_the_stand_in(tmp_path):
    """A small case of the gates: clean passes of a wandering scene, capped and not; at most one of 24 void."""
    void = total = 0
    for seed, cap in ((1, 40.0), (2, None)):
        records, rig = played(tmp_path / str(seed), LadderDesign(8, 19, 1, cap, repeats=1, seed=seed), seed)
        void += sum(not judge(r, rig).counts for r in records)
        total += len(records)
    assert total == 24 and void <= 1


def test_a_machine_that_takes_more_is_found_out(tmp_path):
    records, rig = played(tmp_path, LadderDesign(10, 20, 5, None, repeats=2), limit_bias_w=2.5)
    assert all("limit exceeded" in [f.check for f in judge(r, rig).findings] for r in records)
