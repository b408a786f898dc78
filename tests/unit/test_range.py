"""Nothing outside the range reaches a machine, by whatever road it comes."""

import math
from dataclasses import replace

import pytest
from helpers import build
from helpers.build import machine
from unit.test_runner import Log, job_of, start

from hovrik.bench.job import Control
from hovrik.bench.protocol import Reply
from hovrik.bench.setting import apply, put_back
from hovrik.core.errors import PlanError
from hovrik.core.facts.allowed import refusals
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import Reading, Setup, Snapshot, static
from hovrik.core.plan.grid import LadderDesign, PlannedPass
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.store.notebook import Notebook

OVER = "Sustained limit 18 W is above the allowed 10.5 W. Choose 4 to 10.5 W."


def narrowed(rig, high_w=10.5):
    """The rig as its owner has narrowed it."""
    return replace(rig, limit_high_w=high_w, short_high_w=high_w, peak_high_w=high_w, modes=())


class Watched:
    """A machine whose every setting is noted."""

    def __init__(self, made, monkeypatch):
        self.sent = []
        honest = made.apply
        monkeypatch.setattr(made, "apply", lambda setup: self.sent.append(setup) or honest(setup))


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"sustained_limit_w": 18.0}, OVER),
        ({"sustained_limit_w": 3.0}, "below the allowed 4 W"),
        ({"peak_limit_w": 29.0}, "Peak limit 29 W is above"),
        ({"sustained_limit_w": math.nan}, "is not a number that can be set"),
        ({"short_limit_w": math.inf}, "is not a number that can be set"),
        ({"sustained_limit_w": "plenty"}, "is not a number of W"),
        ({"sustained_limit_w": True}, "is not a number of W"),
        ({"no_such_knob": 1.0}, "no knob 'no_such_knob'"),
        ({"cap_fps": 0.0}, "outside this rig's range"),
        ({"cap_fps": math.nan}, "is not a number that can be set"),
    ],
)
def test_what_the_gate_refuses(tmp_path, values, words):
    found = machine(tmp_path).describe()
    (why,) = refusals(Setup(values), narrowed(found.rig), found.knobs)
    assert words in why
    assert refusals(static(10.5, 40.0), narrowed(found.rig), found.knobs) == []


def test_a_limit_is_refused_where_no_range_is_known(tmp_path):
    found = machine(tmp_path).describe()
    unknown = replace(found.rig, limit_low_w=None, limit_high_w=None, short_low_w=None, peak_low_w=None)
    assert all("Enter it in Rig" in why for why in refusals(static(10.0), unknown))


def test_a_plan_that_a_narrowed_rig_forbids_is_refused_before_anything_is_touched(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    seen = Watched(made, monkeypatch)
    job = job_of(made, passes=(PlannedPass(0, static(18.0, 40.0), 10, 1, 1, 1),), rig=narrowed(made.describe().rig))
    with pytest.raises(PlanError, match="was not started"):
        start(made, log, job)
    assert seen.sent == [] and log.events == []


def test_a_rig_that_is_narrowed_while_a_run_goes_on_is_heeded_at_the_next_apply(tmp_path, monkeypatch):
    made, log = machine(tmp_path), Log()
    seen = Watched(made, monkeypatch)
    rig = made.describe().rig
    job = job_of(made, newest_rig=lambda: narrowed(rig) if log.records else rig)
    ended = start(made, log, job)
    sent = [setup["sustained_limit_w"] for setup in seen.sent if {"cap_fps", "sustained_limit_w"} <= set(setup)]
    assert len(sent) == 1 + sum(r.asked["sustained_limit_w"] <= 10.5 for r in log.records[1:])
    refused = [r for r in log.records if "above the allowed 10.5 W" in r.reason]
    assert refused and all(r.outcome.value == "failed" for r in refused)
    # what it was at before lies outside the new range: it is named, not set
    assert not ended.restored and "above the allowed 10.5 W" in ended.left


def test_a_design_is_held_against_all_three_ranges(notebook):
    """A static limit that the sustained range allows and the short one does not."""
    rig = sweep.rig_of(notebook, build.DEMO_QUESTION.rig)
    library.save_rig(notebook, replace(rig, short_high_w=12.0))
    with pytest.raises(PlanError, match="Short limit 14 W is above the allowed 12 W"):
        sweep.keep_plan(notebook, build.DEMO_QUESTION, LadderDesign(10, 14, 2, 40.0))


@pytest.mark.parametrize("value", [18.0, math.nan, 1e9])
def test_setting_and_putting_back_send_nothing_outside_the_range(tmp_path, monkeypatch, value):
    made = machine(tmp_path)
    seen = Watched(made, monkeypatch)
    rig = narrowed(made.describe().rig)
    outcome = apply(made, static(value, 40.0), rig)
    assert outcome.reply is Reply.REFUSED and outcome.reason and seen.sent == []
    back = put_back(made, Snapshot({"sustained_limit_w": Reading(value, True), "boost": Reading("off", True)}), rig)
    assert list(back.left) == ["sustained_limit_w"] and not back.is_whole
    assert seen.sent and all("sustained_limit_w" not in setup for setup in seen.sent)


@pytest.fixture
def notebook(tmp_path):
    with Notebook(tmp_path / "n.hovrik") as opened:
        library.register(opened, machine(tmp_path).describe())
        yield opened


def test_given_setups_are_checked_when_they_are_planned(notebook):
    """A void 18 W pass run again on a rig that was narrowed to 10.5 W."""
    library.save_rig(notebook, narrowed(sweep.rig_of(notebook, build.DEMO_QUESTION.rig)))
    design = LadderDesign(8, 10, 1, 40.0)
    with pytest.raises(PlanError, match=r"above the allowed 10\.5 W"):
        sweep.keep_plan(notebook, build.DEMO_QUESTION, design, setups=[static(18.0, 40.0)])


def test_a_stored_plan_is_run_on_the_rig_as_it_is_now(notebook, tmp_path, monkeypatch):
    made = machine(tmp_path)
    seen = Watched(made, monkeypatch)
    question = build.DEMO_QUESTION
    plan = sweep.keep_plan(notebook, question, LadderDesign(9, 18, 9, 40.0, repeats=1, pass_s=10), room_c=22.0)
    before = sweep.context_of(notebook, question)["rig"]
    run = lambda: sweep.run_plan(notebook, plan, made, {"kind": "x"}, Control(), lambda event: None)  # noqa: E731
    library.save_rig(notebook, narrowed(sweep.rig_of(notebook, question.rig)))
    with pytest.raises(PlanError, match=r"above the allowed 10\.5 W"):
        run()
    assert seen.sent == []
    library.save_rig(notebook, narrowed(sweep.rig_of(notebook, question.rig), 20.0))
    run()
    now = sweep.context_of(notebook, question)["rig"]
    assert now != before and {r.context["rig"] for r in notebook.passes()} == {now}


@pytest.mark.parametrize(("limit_w", "refused"), [(10.5, False), (10.6, True), (3.9, True), (4.0, False)])
def test_the_rigs_own_range_counts_to_its_very_end(limit_w, refused):
    """Whatever a machine may offer beyond it."""
    rig = Rig("r", "R", 4.0, 10.5)
    assert bool(refusals(static(limit_w), rig)) is refused
