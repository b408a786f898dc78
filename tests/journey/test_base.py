"""A question holds the same what it does not vary: what is asked in between, or measured elsewhere, changes nothing."""

from dataclasses import replace

import pytest
from helpers import asking
from helpers.window import opened
from kinds.cases import FAMILIES
from kinds.world import GrownMachine, grown
from metamorphic import relations

from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.passes.purpose import EVENING, SWEEP
from hovrik.core.questions.question import BASE
from hovrik.core.read.answer import hours_of
from hovrik.demo import scenario
from hovrik.service import sweeps
from hovrik.service.gather import evaluate
from hovrik.service.holds import held
from hovrik.service.planning import asked_again, of_kind, with_part
from hovrik.store.notebook import Notebook


def test_the_first_answer_stands_whatever_is_asked_after_it(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        made = {}
        kinds = ("lowest-watts", "knob", "now")
        before, after = asking.came_back(window, kinds, made.setdefault)
        assert all(isinstance(count, int) for count in made.values()) and sum(count > 0 for count in made.values()) >= 3
        assert before == after and window.session.question.base is not None


def test_a_start_waits_for_what_the_machine_offers_and_its_answer_is_there(demo_copy, qtbot):
    """Its set-ups are known to the machine alone: what is planned by it is what is asked, at once and afterwards."""
    with opened(demo_copy, qtbot) as window:
        line, session = window.question_line, window.session
        line.kind.setCurrentIndex(line.kind.findData("title-setup"))
        session.look_at_machine()
        qtbot.waitUntil(lambda: not session.is_looking and bool(session.machine_seen.knobs), timeout=20_000)
        known = session.machine_seen
        with held(session.address):  # another window's run has it
            session.look_at_machine()
            qtbot.waitUntil(lambda: bool(session.machine_seen.fault), timeout=20_000)
        assert session.machine_seen.knobs == known.knobs and session.now is not None
        session.look_at_machine()
        before = len(session.notebook.passes())
        window.start_sweep()
        qtbot.waitUntil(lambda: len(session.notebook.passes()) > before, timeout=60_000)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        assert asking.settled(window)
        assert session.notebook.plans()[0][1]["question"]["parts"]["over"] == "textures"
        assert session.question.parts["over"] == "textures"
        assert "textures" in session.evaluation.answer.sentence


@pytest.mark.parametrize(("kind", "seed"), [("lowest-watts", 1), ("now", 30)])
def test_every_relation_holds(kind, seed):
    broken = {one.relation: one.why for one in relations.held((kind, seed)) if one.why}
    assert not broken, broken


@pytest.mark.parametrize("parts", [
    {BASE: {"boost": ["on"]}}, {BASE: 7}, {"versions": {"rig/firmware": 3}}, {"levels": [1, 2]}, {"over": {}},
])  # fmt: skip
def test_a_plan_whose_question_cannot_be_changes_no_answer(demo_copy, parts):
    with Notebook(demo_copy) as notebook:
        asked = asked_again(notebook, scenario.question(), "lowest-watts")
        before = evaluate(notebook, asked).answer.sentence
        body = {**notebook.plans()[0][1], "question": {**asked.as_dict(), "parts": {**asked.parts, **parts}}}
        notebook.keep_plan(body)
        assert evaluate(notebook, asked_again(notebook, scenario.question(), "lowest-watts")).answer.sentence == before


def test_the_demo_says_what_it_holds_the_same(demo_notebook):
    with Notebook(demo_notebook, read_only=True) as notebook:
        asked = asked_again(notebook, scenario.question(), "lowest-watts")
        assert asked.base is not None and asked.base["boost"] == "on" and "sustained_limit_w" not in asked.base
        found = evaluate(notebook, asked)
        assert found.answer.sentence == evaluate(notebook, scenario.question()).answer.sentence
        other = with_part(asked, recipe={"boost": "off"})
        assert BASE not in other.parts and BASE not in of_kind(asked, "now").parts
        elsewhere = evaluate(notebook, with_part(asked, **{BASE: {**asked.base, "boost": "off"}}))
        assert not any(view.counts for view in elsewhere.views) and all(view.beside for view in elsewhere.views)
        told = next(one for one in elsewhere.findings if one.id == "beside")
        assert "13 W holds 40 too" in told.evidence and "boost on" in told.evidence and told.action == "ask/best"


def test_what_is_measured_after_a_whole_charge_predicted_nothing(demo_copy):
    """An evening at 13 W with the ladder before it, then with one pass after it: only the first was predicted."""
    with Notebook(demo_copy) as notebook:
        asked = with_part(asked_again(notebook, scenario.question(), "lowest-watts"), **{BASE: None})
        asked = replace(asked, kind="runtime-true")
        record = notebook.load(
            next(one for one in notebook.passes() if one.setup.static_limit_w == 13.0 and one.purpose == SWEEP).id
        )
        for number, words in ((-1, "prediction"), (0, "is not known")):
            emptied = replace(
                record, id=f"evening-{number}", purpose=EVENING, recording=None, trace=None, plan_id=None,
                conditions={**record.conditions, **{
                    key: Condition(value, Provenance.READ, 0)
                    for key, value in (("charge_start_share", 0.9), ("charge_end_share", 0.3), ("played_h", 1.2))
                }},
            )  # fmt: skip
            if number == 0:
                for one in notebook.passes():
                    if one.purpose != EVENING:
                        notebook.annotate(one.id, "deletion", {})
            notebook.keep(emptied)
            assert words in evaluate(notebook, asked).answer.sentence
        notebook.keep(replace(record, id="after", recording=replace(record.recording, id="after")))
        assert "is not known" in evaluate(notebook, asked).answer.sentence


def test_along_rigs_each_lasts_by_its_own_battery(tmp_path):
    plants = [grown(FAMILIES[0], seed, free=True) for seed in (0, 2)]
    with Notebook(tmp_path / "n.hovrik") as notebook:
        alone = {}
        for plant, seed in zip(plants, (3, 4)):
            found = sweeps.sweep(GrownMachine(plant, seed), sweeps.Request("now"), notebook).evaluation
            alone[found.question.rig] = evaluate(notebook, found.question, over="boost")
        question = found.question
        along = evaluate(notebook, question, over="rig")
        groups = {str(group.level): group for one in along.responses for group in one.groups}
        assert set(groups) == set(alone) and len(groups) == 2
        for key, own in alone.items():
            (group,) = own.responses[0].groups
            assert hours_of(groups[key], question, along.context) == hours_of(group, own.question, own.context)
