"""What is derived and where: verdicts by checks, thresholds and the rig of the day; heat constants by rig and fan."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import DEMO_QUESTION, record_of, trace_of, wandering

from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.passes import verdict as validity
from hovrik.core.passes.checks import Thresholds
from hovrik.core.passes.trace import Channel
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.judging import keep_judged
from hovrik.service.thresholds import keep_thresholds
from hovrik.store.notebook import Notebook


@pytest.fixture
def notebook(tmp_path):
    """A notebook that knows the demo's rig and titles but has no passes."""
    with Notebook(tmp_path / "n.hovrik") as opened:
        scenario.prepare(opened)
        yield opened


def keep(notebook, trace, key="pass", question=DEMO_QUESTION, **changes):
    """A pass of a question, stored with its verdict as the program stores it."""
    context = sweep.context_of(notebook, question)
    record = replace(record_of(trace), id=key, context=context, **changes)
    keep_judged(notebook, record, library.rigs(notebook)["ombrel-8"])
    return record


def test_a_pass_is_judged_by_the_users_thresholds_from_the_start(notebook):
    """Judged at default thresholds when kept, before."""
    keep_thresholds(notebook, Thresholds(over_share=0.5, over_w=10.0))
    context = sweep.context_of(notebook, DEMO_QUESTION)
    record = replace(record_of(trace_of(wandering(60, 42), package_w=14.0)), context=context)
    assert keep_judged(notebook, record, library.rigs(notebook)["ombrel-8"]).counts
    assert evaluate(notebook, DEMO_QUESTION).views[0].counts


def test_newer_checks_judge_every_pass_again(notebook, monkeypatch):
    """A newer version of the checks judged nothing again, before: the first verdict was kept for good."""
    keep(notebook, trace_of(wandering(60, 42), package_w=12.0))
    assert evaluate(notebook, DEMO_QUESTION).views[0].counts
    stricter = replace(Thresholds(), over_share=-0.5, over_w=-10.0)
    monkeypatch.setattr(validity, "VERSION", validity.VERSION + 1)
    judge = validity.judge
    monkeypatch.setattr(validity, "judge", lambda record, rig, limits: judge(record, rig, stricter))
    (view,) = evaluate(notebook, DEMO_QUESTION).views
    assert [f.check for f in view.verdict.findings] == ["limit exceeded"]


def test_verdicts_are_no_annotations_and_an_overrule_outlives_them(notebook):
    record = keep(notebook, trace_of(wandering(60, 42), package_w=14.0))
    assert notebook.annotations() == {}
    notebook.annotate(record.id, "overrule", {"state": "valid", "reason": "meter was off"})
    (view,) = evaluate(notebook, DEMO_QUESTION).views
    assert view.counts and view.verdict.overruled == "meter was off"


def heating(fast_s, slow_s, seconds=1500):
    """Intervals of a long pass and a die that warms by two exponentials."""
    t = np.arange(0, seconds, 1.0)
    die = 80.0 - 15 * np.exp(-t / fast_s) - 20 * np.exp(-t / slow_s) + np.random.default_rng(1).normal(0, 0.05, t.size)
    trace = trace_of(np.full(seconds * 20, 50.0))
    stamps = (t * 1e9).astype(np.int64)
    return replace(trace, channels={"die_c": Channel(stamps, die)})


def test_time_constants_belong_to_rig_and_fan_policy_whatever_the_scene(notebook):
    """They came only from the question's own scene, and whatever the fan policy, before."""
    market = DEMO_QUESTION.with_(scene="market")
    for key, slow_s in (("even", 200.0), ("full", 120.0)):
        fan = {"fan_policy": Condition(key, Provenance.ASKED)}
        source = {"source": Condition("battery", Provenance.ASKED)}
        keep(notebook, heating(20.0, slow_s), f"heat-{key}", market, purpose="heat", conditions={**source, **fan})
        keep(notebook, heating(20.0, slow_s, 300), f"sweep-{key}", conditions={**source, **fan})
    found = evaluate(notebook, DEMO_QUESTION)
    assert [v.record.id for v in found.views] == ["sweep-even", "sweep-full"]
    for view in found.views:
        assert view.figures.value("die_c") == pytest.approx(80.0, abs=1.5)
    assert found.constants.slow_s == pytest.approx(120.0, rel=0.1)
