"""Rigs and titles in the notebook: versions, history, the list before measuring, where the watts go."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from journey.test_service import imported

from hovrik.core.errors import PlanError
from hovrik.core.facts.condition import Condition, Provenance, to_plain
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import Rig, Version
from hovrik.core.passes.energy import Overhead, where_watts_go
from hovrik.core.questions.preflight import Mood, Seen, conditions, items
from hovrik.demo import scenario
from hovrik.service import gather as evidence
from hovrik.service import library, scenes
from hovrik.service import run as sweep
from hovrik.service.imports import one as imports
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook


@pytest.fixture
def notebook(tmp_path):
    with Notebook(tmp_path / "n.hovrik") as opened:
        scenario.prepare(opened)
        yield opened


def test_a_rig_from_nothing(tmp_path):
    with Notebook(tmp_path / "e.hovrik") as empty:
        assert library.first_question(empty) is None
        first, second = library.new_rig(empty), library.new_rig(empty)
        assert first.key != second.key and first.name != second.name
        title = library.new_title(empty)
        question = library.first_question(empty)
        assert (question.rig, question.title) == (first.key, title.key)
        with pytest.raises(PlanError, match="Enter it in Rig"):
            sweep.keep_plan(empty, question, scenario.design())
        record = imports.import_trace(empty, question, imported(), imports.setup_from({"sustained_limit_w": "15"}), {})
        assert isinstance(imported(), Imported) and evidence.evaluate(empty, question).views[0].record.id == record.id


def test_a_new_version_never_overwrites_an_old_one(notebook):
    rig = library.rigs(notebook)["ombrel-8"]
    setup = imports.setup_from({"sustained_limit_w": "15"})
    before = imports.import_trace(notebook, DEMO_QUESTION, imported(), setup, {})
    newer = replace(rig, versions=(Version("firmware", "0.33", noted="2026-11-01"),))
    library.save_rig(notebook, newer)
    after = imports.import_trace(notebook, DEMO_QUESTION, imported(seed=2), setup, {})
    assert before.context["rig"] != after.context["rig"] and library.rigs(notebook)["ombrel-8"] == newer
    history = [
        (v.installed, change) for _, whose, change, v in library.version_history(notebook, "ombrel-8") if whose == "rig"
    ]
    assert history == [("0.31", "first noted"), ("0.33", "was 0.31")]
    found = evidence.evaluate(notebook, DEMO_QUESTION)
    assert {one.apart for one in found.responses} == {("firmware 0.31",), ("firmware 0.33",)}
    assert any("differ in firmware: kept apart" in text for text in found.answer.reasons)


def test_what_is_wrong_is_refused_whole(notebook):
    rig = library.rigs(notebook)["ombrel-8"]
    with pytest.raises(PlanError) as caught:
        library.save_rig(notebook, replace(rig, limit_low_w=-3.0, battery_wh=1e9))
    assert "limit_low_w" in str(caught.value) and "battery_wh" in str(caught.value)
    assert library.rigs(notebook)["ombrel-8"] == rig
    title = library.titles(notebook)["tin-orchard"]
    with pytest.raises(PlanError):
        library.save_title(notebook, replace(title, scenes=(replace(title.scenes[0], mix=3.0),)))


def test_the_list_reads_what_it_can_and_asks_the_rest(notebook):
    address = library.address_of(notebook, "ombrel-8")
    made = {item.id: item for item in library.preflight(notebook, DEMO_QUESTION, library.look(address))}
    for name in ("slot_running", "source_now", "charge_share", "refresh_hz", "limits_now"):
        assert made[name].is_read and made[name].mood is Mood.FINE, name
    assert made["room_c"].mood is Mood.OPEN and "firmware 0.31" in made["versions_as_noted"].ask
    answers = {"lighting": Condition("on", Provenance.ASKED, 1), "room_c": Condition(21.0, Provenance.ASKED, 1)}
    library.keep_answers(notebook, "ombrel-8", to_plain(answers))
    made = {item.id: item for item in library.preflight(notebook, DEMO_QUESTION, library.look(address))}
    assert made["lighting"].mood is Mood.LOOK and made["lighting"].note and made["room_c"].mood is Mood.FINE
    assert conditions(tuple(made.values()))["room_c"].value == 21.0
    assert all(not item.is_read for item in library.preflight(notebook, DEMO_QUESTION, library.look(None)))


def test_cautions_stand_where_they_apply(notebook):
    rig = library.rigs(notebook)["ombrel-8"]
    title = library.titles(notebook)["quarry-eight"]
    asked = DEMO_QUESTION.with_(slot="fennmark", source=Source.ADAPTER)
    made = {
        i.id: i for i in items(rig, rig.slot("fennmark"), title, asked, Seen(charge=0.3, source=Source.BATTERY), {})
    }
    assert "suspension" in made["live_opponents"].note and "before its launch" in made["set_before_launch"].note
    assert made["overlay_off"].note == "It switches off variable refresh."
    assert made["charge_share"].mood is Mood.LOOK and "unattended" in made["charge_share"].note
    assert made["source_now"].mood is Mood.LOOK and {"power_path", "negotiated_w"} <= set(made)
    unknown = replace(rig, valid_charge=Rig("r", "R").valid_charge)
    charge = lambda share: {i.id: i for i in items(unknown, None, title, asked, Seen(charge=share), {})}["charge_share"]  # noqa: E731
    assert "under half a charge" in charge(0.4).note and charge(0.6).mood is Mood.FINE


def test_answers_become_conditions_of_the_passes(notebook):
    seen = {"brightness_percent": Condition(50.0, Provenance.ASKED, 4)}
    plan = sweep.keep_plan(notebook, DEMO_QUESTION, scenario.design(), seen=seen)
    assert sweep.load_plan(notebook, plan).conditions["brightness_percent"] == seen["brightness_percent"]


def test_a_sweep_in_another_slot_on_the_adapter(notebook):
    """The run has the person restart and plug in, and every pass says so."""
    from hovrik.bench.job import Control
    from hovrik.core.plan.grid import LadderDesign
    from hovrik.service.machines import open_machine

    asked = DEMO_QUESTION.with_(slot="fennmark", source=Source.ADAPTER)
    plan = sweep.keep_plan(notebook, asked, LadderDesign(12, 13, 1, 40.0, 1, 10.0, soak_s=4.0))
    address = library.address_of(notebook, "ombrel-8")
    machine = open_machine(address)
    sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
    assert machine.describe().slot == "sedge" and machine.source() is Source.ADAPTER  # as it was found, and as plugged
    machine.close()
    views = evidence.evaluate(notebook, asked).views
    assert {v.point.place.slot for v in views} == {"ombrel-8/fennmark"}
    assert len(views) == 2 and {v.record.conditions["source"].value for v in views} == {"adapter"}


def test_where_the_watts_go_adds_up_and_never_guesses():
    line = Overhead(5.6, 1.087, 0.1, 36)
    flows = {f.id: f for f in where_watts_go(19.7, 13.0, line, 2.4, 8.7)}
    for parent in ("draw", "package"):
        parts = sum(f.watts for f in flows.values() if f.parent == parent)
        assert parts == pytest.approx(flows[parent].watts)
    assert flows["package"].measured and not flows["base"].measured and not flows["loss"].measured
    assert where_watts_go(None, 13.0, line) == () == where_watts_go(19.7, None, line)
    bare = {f.id: f for f in where_watts_go(19.7, 13.0, None)}
    assert set(bare) == {"draw", "base", "package"} and bare["base"].measured
    plugged = {f.id: f for f in where_watts_go(None, 13.0, line, wall_w=40.0)}
    assert plugged["charging"].watts == pytest.approx(40 - line.draw_w(13.0)) and not plugged["draw"].measured
    alone = {f.id: f.watts for f in where_watts_go(None, 13.0, None, wall_w=40.0)}
    assert alone == {"wall": 40.0, "charging": 27.0, "package": 13.0}


def test_a_scene_is_studied(demo_notebook):
    with Notebook(demo_notebook, read_only=True) as opened:
        found = scenes.study(opened, evidence.evaluate(opened, DEMO_QUESTION))
    assert 0.005 < found.spread["low"].sd < 0.03 and not found.spread["rate"].drifts
    assert "of 60 s" in found.advice("low", 0.03) and len(found.curves("low")) == 4
    assert found.curves("draw", by_gauge=True)[0].share[5] > found.curves("draw")[0].share[5]
