"""A design that is asked batch by batch: what it gave is stored, resumed by ids and never asked for again."""

from dataclasses import dataclass, replace

import pytest
from helpers.build import DEMO_QUESTION

from hovrik.bench.job import Control, PassDone
from hovrik.bench.protocol import Need
from hovrik.core.errors import PassAborted, PlanError, StoreError
from hovrik.core.facts.factor import LIMIT
from hovrik.core.facts.knob import CAP
from hovrik.core.facts.setup import Setup, static
from hovrik.core.plan import designs
from hovrik.core.plan.design import Told
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.search.design import SearchDesign
from hovrik.core.plan.search.goal import Goal
from hovrik.core.plan.steps import MEASURE, RECHARGE, RELAUNCH, RESTART, Asked, Step, Wanted, laid_out, passes_in
from hovrik.demo import scenario
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.machines import open_machine
from hovrik.service.steering import steer
from hovrik.store.notebook import Notebook

ASKED = []  # what each ask was told: batches so far, passes


@dataclass(frozen=True)
class Halving:
    """Halves a range of limits by whether the rate there reaches a floor, three times."""

    low_w: float
    high_w: float
    floor_fps: float

    def ask(self, told):
        """The middle of what is left."""
        ASKED.append((told.batches, len(told.passes)))
        low, high = self.low_w, self.high_w
        for one in told.passes:
            middle = (low + high) / 2
            rate = one.figures.value("mean_fps")
            low, high = (low, middle) if rate >= self.floor_fps else (middle, high)
        wanted = Wanted(static((low + high) / 2, 60.0), 12.0, 1.0, 2.0, 1.0, why="the middle of what is left")
        return Asked((wanted,), "halving", done=told.batches == 2)


@pytest.fixture
def notebook(tmp_path, monkeypatch):
    """A notebook that knows the design."""
    monkeypatch.setitem(designs.DESIGNS, "halving", designs.Stored(Halving, vars, lambda body: Halving(**{
        key: body[key] for key in ("low_w", "high_w", "floor_fps")})))  # fmt: skip
    ASKED.clear()
    path = tmp_path / "n.hovrik"
    with Notebook(path) as opened:
        scenario.prepare(opened)
        yield opened


def run(notebook, plan_id, stop_after=None):
    """Run what is left; stopped after so many passes."""
    address = scenario.addresses(notebook.path)["ombrel-8"]
    machine, control, made = open_machine(address), Control(), []

    def hear(event):
        if isinstance(event, PassDone):
            made.append(event.record)
            if len(made) == stop_after:
                control.stop()

    ended = sweep.run_plan(notebook, plan_id, machine, address, control, hear)
    machine.close()
    return ended, made


def test_each_batch_is_decided_on_what_was_measured(notebook):
    plan = sweep.keep_design(notebook, DEMO_QUESTION, Halving(8.0, 24.0, 40.0), 22.0)
    ended, made = run(notebook, plan)
    assert (ended.reason, ended.done, ended.total) == ("", 3, 3) and ended.restored
    limits = [record.asked.static_limit_w for record in made]
    rates = [made_fps(notebook, record) for record in made]
    assert limits[0] == 16.0 and limits[1] == (12.0 if rates[0] >= 40 else 20.0)
    assert ASKED == [(0, 0), (1, 1), (2, 2)]
    first, second, third = notebook.batches(plan)
    assert (first.told, second.told, third.told) == ((), (made[0].id,), (made[0].id, made[1].id))
    assert third.is_last and not second.is_last and third.why == "halving"
    assert [step.told for step in third.steps] == [third.told] * len(third.steps)
    assert [record.step_id for record in made] == [
        step.id for batch in (first, second, third) for step in batch.steps if step.kind == MEASURE
    ]
    assert second.steps[0].why == "the middle of what is left"


def made_fps(notebook, record):
    """Frames over time of a stored pass."""
    return 1000.0 / notebook.load(record.id).trace.interval_ms().mean()


@pytest.mark.parametrize("stop_after", [1, 2])
def test_a_stored_batch_is_never_asked_for_again(notebook, stop_after):
    plan = sweep.keep_design(notebook, DEMO_QUESTION, Halving(8.0, 24.0, 40.0), 22.0)
    run(notebook, plan, stop_after)
    before, asked = notebook.batches(plan), list(ASKED)
    ended, made = run(notebook, plan)
    assert ended.done == ended.total == 3 and len(made) == 3 - stop_after
    assert notebook.batches(plan)[: len(before)] == before
    assert len({batches for batches, _ in ASKED}) == len(ASKED) == 3 and ASKED[: len(asked)] == asked
    with pytest.raises(StoreError):
        notebook.keep_batch(plan, replace(before[0]))


def test_further_passes_stay_within_the_rig(notebook):
    plan = sweep.keep_design(notebook, DEMO_QUESTION, Halving(8.0, 40.0, 200.0), 22.0)
    knobs = open_machine(scenario.addresses(notebook.path)["ombrel-8"]).read_back().readings
    with pytest.raises(PlanError, match="cannot be planned"):  # 32 W after 24 W
        run(notebook, plan)
    assert len(notebook.passes()) == 1
    assert open_machine(scenario.addresses(notebook.path)["ombrel-8"]).read_back().readings == knobs


def test_steps_of_a_newer_version_are_not_run_as_others(notebook):
    plan = sweep.keep_plan(notebook, DEMO_QUESTION, LadderDesign(9, 11, 2, 40.0, repeats=1, pass_s=10))
    (batch,) = notebook.batches(plan)
    notebook.edit_steps(plan, 0, [*batch.steps, Step("", 0, len(batch.steps), "levitate")])
    with pytest.raises(PlanError, match="levitate"):
        sweep.load_plan(notebook, plan)


def test_what_is_laid_out_is_what_is_priced_and_run():
    design = LadderDesign(9, 13, 2, 40.0, repeats=2, pass_s=30, soak_s=10, cool_s=0, heat_s=600, until_settled=True)
    steps = laid_out(design.ask(Told()).wanted)
    passes = passes_in(steps)
    assert len(passes) == 7 and [one.purpose for one in passes] == ["heat"] + ["sweep"] * 6
    assert sum(step.seconds for step in steps) == pytest.approx(sum(one.seconds for one in passes))
    assert all(one.until_settled for one in passes[1:]) and not passes[0].until_settled
    assert [step for one in passes for step in one.steps] == list(steps)
    assert Step.from_dict(steps[1].as_dict(), id="x", batch=0, seq=1, kind=steps[1].kind) == replace(steps[1], id="x")


def test_what_a_person_does_between_passes_is_asked_for_and_tells_launches_apart(notebook):
    plan = sweep.keep_plan(notebook, DEMO_QUESTION, LadderDesign(9, 13, 2, 40.0, repeats=1, pass_s=10), room_c=22.0)
    (batch,) = notebook.batches(plan)
    first, second, third = passes_in(batch.steps)
    steps = [*first.steps, Step("", 0, 0, RELAUNCH), *second.steps, Step("", 0, 0, RECHARGE), *third.steps]
    notebook.edit_steps(plan, 0, [replace(step, seq=at) for at, step in enumerate(steps)])
    address = scenario.addresses(notebook.path)["ombrel-8"]
    machine, asked = open_machine(address), []
    honest = machine.needs_person
    machine.needs_person = lambda instruction: asked.append(instruction.need) or honest(instruction)
    sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
    machine.close()
    assert asked == [Need.RELAUNCH, Need.RECHARGE]
    launches = ["launch" in record.conditions for record in notebook.passes()]
    assert launches == [False, True, True]


def test_a_step_that_is_declined_ends_the_run(notebook):
    plan = sweep.keep_plan(notebook, DEMO_QUESTION, LadderDesign(9, 13, 2, 40.0, repeats=1, pass_s=10), room_c=22.0)
    (batch,) = notebook.batches(plan)
    steps = [Step("", 0, 0, RESTART, place={"slot": "sedge"}), *batch.steps]
    notebook.edit_steps(plan, 0, [replace(step, seq=at) for at, step in enumerate(steps)])
    address = scenario.addresses(notebook.path)["ombrel-8"]
    machine = open_machine(address)
    machine.needs_person = lambda instruction: False
    with pytest.raises(PassAborted, match="Restart into Sedge"):
        sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
    machine.close()
    assert notebook.passes() == [] and sweep.unfinished(notebook) == []


def test_a_search_that_was_stopped_goes_on_as_it_would_have(notebook):
    """The same setups, each batch once, whatever pass it was stopped after; what a person wants next comes next, and a
    design that is spoiled leaves its passes readable."""
    question = replace(DEMO_QUESTION, kind="best")
    like = Lengths(pass_s=15, soak_s=5, settle_s=1, cool_s=1)
    levels = {LIMIT: (9.0, 11.0, 13.0, 15.0), "boost": ("off", "on"), CAP: (40.0, "none")}
    design = SearchDesign(levels, Setup(), Goal(edge_fps=38.8, target_fps=40.0, room_c=22.0), 15.0, like, most=6)
    plan = sweep.keep_design(notebook, question, design, 22.0)
    _, first = run(notebook, plan, 2)
    wanted = next(one for one in design.setups if one not in [record.asked for record in first])
    steer(notebook, question, wanted, never=False)
    before = notebook.batches(plan)
    _, rest = run(notebook, plan)
    assert len(first) + len(rest) <= 6 and notebook.batches(plan)[: len(before)] == before
    assert wanted in [record.asked for record in rest[:2]]
    told = [len(batch.told) for batch in notebook.batches(plan)]
    assert told == sorted(told) and all(batch.why for batch in notebook.batches(plan))
    found = evaluate(notebook, question).answer.believed
    assert found.counts.sum() == len(first) + len(rest)
    notebook.set_state(f"steer/{'/'.join(question.keys.values())}", {"first": [3], "forbidden": "x"})
    assert evaluate(notebook, question).answer.believed is not None
