"""The sweep service and the evidence behind an answer, on a real notebook without a window."""

import numpy as np
import pytest
from helpers.build import DEMO_QUESTION, left, trace_of, wandering

from hovrik.bench.job import Control, PassDone
from hovrik.core.errors import InputError, PlanError, StoreError, Unavailable
from hovrik.core.facts.incident import IncidentKind
from hovrik.core.facts.place import Source
from hovrik.core.facts.setup import Setup, static
from hovrik.core.passes.record import Origin
from hovrik.core.plan.grid import LadderDesign
from hovrik.demo import scenario
from hovrik.service import gather as evidence
from hovrik.service import library, profiles, recovery, rows
from hovrik.service import run as sweep
from hovrik.service.imports import one as imports
from hovrik.service.machines import open_machine, simulated
from hovrik.service.memory import Cancelled
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook


@pytest.fixture
def notebook(tmp_path):
    """A notebook that knows the demo's rig and titles but has no passes."""
    with Notebook(tmp_path / "n.hovrik") as opened:
        scenario.prepare(opened)
        yield opened


def imported(low_ms=24.0, seed=0, seconds=60, **channels):
    """An import around an interval."""
    trace = trace_of(wandering(seconds, 1000 / low_ms, seed=seed), **channels)
    return Imported(trace, trace.frames_ns, ())


SMALL = LadderDesign(10, 14, 2, 40.0, repeats=2, pass_s=20, soak_s=10, cool_s=2)


def sweep_once(notebook, design=SMALL, control=None, announce=lambda event: None, plan_id=None):
    """Plan and run."""
    plan_id = plan_id or sweep.keep_plan(notebook, DEMO_QUESTION, design, room_c=22.0)
    address = library.address_of(notebook, "ombrel-8")
    machine = open_machine(address)
    ended = sweep.run_plan(notebook, plan_id, machine, address, control or Control(), announce)
    machine.close()
    return plan_id, ended


def test_registering_twice_adds_no_version(notebook):
    before = len(notebook.entities())
    scenario.prepare(notebook)
    assert len(notebook.entities()) == before


def test_each_pass_is_stored_before_it_is_announced(notebook):
    seen = []

    def announce(event):
        if isinstance(event, PassDone):
            with Notebook(notebook.path, read_only=True) as other:
                seen.append(event.record.id in {r.id for r in other.passes()})

    plan_id, ended = sweep_once(notebook, announce=announce)
    assert seen == [True] * 6 and ended.done == 6 and notebook.open_runs() == []
    assert sweep.load_plan(notebook, plan_id).done_indices == frozenset(range(6))
    assert all("verdict" in {a.kind for a in notes} for notes in notebook.annotations().values())


def test_a_stopped_sweep_continues_where_it_was(notebook):
    control = Control()
    plan_id, ended = sweep_once(
        notebook,
        control=control,
        announce=lambda e: control.stop() if isinstance(e, PassDone) and e.position == 2 else None,
    )
    assert ended.reason == "stopped" and ended.done == 2
    _, ended = sweep_once(notebook, plan_id=plan_id)
    indices = [r.plan_index for r in notebook.passes()]
    assert ended.done == 6 and sorted(indices) == list(range(6))


def test_package_power_that_nobody_read_comes_from_the_draw(notebook):
    """Draw = 6.5 + package / 0.9 in six passes at another cap; of three that read their draw alone the package power
    is reckoned within its interval, said so, and left alone where a brighter screen draws another line."""
    rng = np.random.default_rng(1)

    def store(limit, **more):
        knobs = {"sustained_limit_w": f"{limit}", "cap_fps": more.pop("cap", "none"), **more.pop("knobs", {})}
        record = imports.import_trace(
            notebook, DEMO_QUESTION, imported(1000.0 / (30 + limit), seed=limit, **more), imports.setup_from(knobs),
            imports.conditions_from(DEMO_QUESTION, {}),
        )  # fmt: skip
        return record.id

    def draw(limit):
        return 6.5 + limit / 0.9 + 0.1 * rng.standard_normal()

    for limit in (8, 10, 12, 14, 16, 18):
        store(limit, cap="40", battery_w=draw(limit), package_w=float(limit))
    known = [store(limit, battery_w=draw(limit)) for limit in (9, 13, 17)]
    found = evidence.evaluate(notebook, DEMO_QUESTION)
    figures = {view.record.id: view.figures for view in found.views}
    for id_, limit in zip(known, (9, 13, 17)):
        assert figures[id_].values["package_w"] == pytest.approx(limit, abs=3 * figures[id_].errors["package_w"])
        assert figures[id_].errors["package_w"] < 0.4
    free = next(one for one in found.responses if one.groups[0].setup["cap_fps"] == "none")
    assert free.ladder.by_watts and any(f.id == "package-inferred" for f in free.findings)
    capped = next(one for one in found.responses if one is not free)
    assert not any(f.id == "package-inferred" for f in capped.findings)
    assert free.groups[0].package.se > 1.5 * capped.groups[0].package.se
    with Notebook(notebook.path.with_name("other.hovrik")) as other:
        scenario.prepare(other)
        imports.import_trace(other, DEMO_QUESTION, imported(battery_w=20.0), imports.setup_from({}), {})
        assert evidence.evaluate(other, DEMO_QUESTION).views[0].figures.value("package_w") is None


def test_a_plan_beyond_any_charge_is_refused(notebook):
    with pytest.raises(PlanError, match="Shorten the passes"):
        sweep.keep_plan(notebook, DEMO_QUESTION, LadderDesign(26, 28, 1, None, pass_s=7200))


def test_unknown_parts_of_a_question_are_named(notebook):

    for part in ("rig", "slot", "title", "scene"):
        with pytest.raises(PlanError, match=f"knows no {part}|knows no"):
            sweep.context_of(notebook, DEMO_QUESTION.with_(**{part: "none"}))
    with pytest.raises(PlanError, match="knows no rig"):
        sweep.rig_of(notebook, "none")
    assert sweep.title_of(notebook, "none") is None


def test_an_unfinished_run_is_offered_and_put_back(notebook):
    address = library.address_of(notebook, "ombrel-8")
    machine = open_machine(address)
    before = machine.snapshot()
    plan_id = sweep.keep_plan(notebook, DEMO_QUESTION, SMALL)
    notebook.begin_run(plan_id, address, left(before))
    from hovrik.core.facts.setup import static

    machine.apply(static(5.0, 30.0))
    machine.close()
    ((entry, done, planned),) = sweep.unfinished(notebook)
    assert (done, planned) == (0, 6) and "cut short after 0 of 6" in sweep.describe_run(entry, done, planned)
    assert sweep.put_back(notebook, entry).is_whole
    assert open_machine(address).read_back().readings == before.readings and sweep.unfinished(notebook) == []


def test_machines_that_cannot_be_reached(tmp_path):
    with pytest.raises(Unavailable, match="cannot be reached"):
        open_machine({"kind": "other"})
    with pytest.raises(Unavailable, match="Restore the file"):
        open_machine(simulated(tmp_path / "none.toml"))


def test_imported_passes_land_beside_the_measured_ones(notebook):
    sweep_once(notebook)
    setup = imports.setup_from({"sustained_limit_w": "16", "cap_fps": "40"})
    record = imports.import_trace(
        notebook,
        DEMO_QUESTION,
        imported(24.0, package_w=15.0),
        setup,
        imports.conditions_from(DEMO_QUESTION, {"room_c": "21"}),
    )
    found = evidence.evaluate(notebook, DEMO_QUESTION)
    (one,) = found.responses
    assert [group.level for group in one.groups] == [10, 12, 14, 16]
    assert one.group(16).passes == (record.id,)
    assert record.conditions["room_c"].value == 21.0 and record.conditions["source"].provenance == "asked"


def test_an_imported_pass_is_judged_like_any_other(notebook):
    setup = imports.setup_from({"sustained_limit_w": "10"})
    imports.import_trace(notebook, DEMO_QUESTION, imported(package_w=14.0), setup, {})
    (view,) = evidence.evaluate(notebook, DEMO_QUESTION).views
    assert view.verdict.findings[0].check == "limit exceeded" and not view.counts


def test_summaries_have_their_interval_only_from_repeats(notebook):
    setup = imports.setup_from({"sustained_limit_w": "15"})
    for fps in (50.0, 52.0, 51.0):
        imports.import_summary(notebook, DEMO_QUESTION, {"mean_fps": fps, "source": "review"}, setup, {})
    found = evidence.evaluate(notebook, DEMO_QUESTION)
    group = found.responses[0].groups[0]
    assert group.from_mean and group.rate.n == 3
    assert any("frame times" in text for text in found.answer.missing)
    assert {v.record.origin for v in found.views} == {Origin.SUMMARY}


@pytest.mark.parametrize(
    ("summary", "words"),
    [
        ({}, "a mean_fps, min_fps or score is needed"), ({"mean_fps": 50.0}, "source is needed"),
        ({"mean_fps": -1.0, "source": "x"}, "must be over 0"),
        ({"mean_fps": "many", "source": "x"}, "must be over 0"),
        ({"mean_fps": 50.0, "fps": 3.0, "source": "x"}, "not a summary figure"),
    ],
)  # fmt: skip
def test_summaries_that_cannot_be_used(notebook, summary, words):
    with pytest.raises(InputError, match=words):
        imports.import_summary(notebook, DEMO_QUESTION, summary, Setup(), {})
    assert notebook.passes() == []


def test_setup_words_that_cannot_be_used_are_all_named():
    with pytest.raises(InputError) as caught:
        imports.setup_from({"sustained_limit_w": "many", "cap_fps": "-3"})
    assert "sustained_limit_w=many" in str(caught.value) and "cap_fps=-3" in str(caught.value)
    assert imports.setup_from({"cap_fps": "None", "fan_policy": "even"}) == Setup(cap_fps="none", fan_policy="even")


def test_other_questions_see_other_passes(notebook):

    setup = imports.setup_from({"sustained_limit_w": "15"})
    adapter = DEMO_QUESTION.with_(source=Source.ADAPTER)
    imports.import_trace(notebook, adapter, imported(), setup, imports.conditions_from(adapter, {}))
    assert len(evidence.evaluate(notebook, adapter).views) == 1
    assert evidence.evaluate(notebook, DEMO_QUESTION).views == ()
    assert evidence.evaluate(notebook, adapter.with_(scene="market")).views == ()


def test_figures_are_cached_and_follow_the_marks(notebook):
    setup = imports.setup_from({"sustained_limit_w": "15"})
    record = imports.import_trace(notebook, DEMO_QUESTION, imported(), setup, {})
    asked = []
    count = lambda done, total: asked.append(total) or True  # noqa: E731
    first = evidence.evaluate(notebook, DEMO_QUESTION, count)
    again = evidence.evaluate(notebook, DEMO_QUESTION, count)
    assert asked == [1] and first.views[0].figures == again.views[0].figures
    notebook.annotate(record.id, "mark", {"start_ns": 0, "end_ns": 30_000_000_000})
    moved = evidence.evaluate(notebook, DEMO_QUESTION, count)
    assert asked == [1, 1] and moved.views[0].figures.frames.seconds == pytest.approx(30, abs=0.1)


def test_an_evaluation_can_be_cancelled(notebook):
    setup = imports.setup_from({"sustained_limit_w": "15"})
    imports.import_trace(notebook, DEMO_QUESTION, imported(), setup, {})
    with pytest.raises(Cancelled):
        evidence.evaluate(notebook, DEMO_QUESTION, lambda done, total: False)


def test_overrule_and_take_out(notebook):
    setup = imports.setup_from({"sustained_limit_w": "10"})
    record = imports.import_trace(notebook, DEMO_QUESTION, imported(package_w=14.0), setup, {})
    notebook.annotate(record.id, "overrule", {"state": "valid", "reason": "meter was off"})
    (view,) = evidence.evaluate(notebook, DEMO_QUESTION).views
    assert view.counts and view.verdict.overruled == "meter was off"
    notebook.annotate(record.id, "deletion", {})
    found = evidence.evaluate(notebook, DEMO_QUESTION)
    assert not found.views[0].counts and found.responses == ()


def test_rooms_and_lengths_that_differ_are_said(notebook):
    setup = imports.setup_from({"sustained_limit_w": "15"})
    for room, seconds in (("18", 20), ("26", 60)):
        imports.import_trace(
            notebook,
            DEMO_QUESTION,
            imported(seconds=seconds),
            setup,
            imports.conditions_from(DEMO_QUESTION, {"room_c": room}),
        )
    reasons = evidence.evaluate(notebook, DEMO_QUESTION).answer.reasons
    assert any("rooms differ by 8 degrees" in n for n in reasons)
    assert any(n.startswith("passes of 20 s and of 60 s count alike") for n in reasons)


def test_demo_answer_is_right(demo_notebook):
    """Truth from the physics (benchmarks/data/truth.json, 1,000 passes): 12 W misses the floor, 13 W holds."""
    with Notebook(demo_notebook, read_only=True) as notebook:
        found = evidence.evaluate(notebook, DEMO_QUESTION)
        body = profiles.profile_of(found, profiles.names_of(notebook, DEMO_QUESTION)).body
    assert found.answer.option.level == 13.0 and found.constants is not None
    assert found.constants.slow_s == pytest.approx(208, rel=0.15)
    assert found.context.overhead.k == pytest.approx(1 / 0.92, rel=0.03)
    assert body["limit_w"] == 13.0 and len(body["passes"]) == 3 and body["names"]["rig"] == "Ombrel 8"
    row = rows.pass_row(found.views[1], DEMO_QUESTION)
    assert row["verdict"] == "valid" and row["metrics"]["mean_fps"] > 20


def test_no_answer_makes_no_profile(notebook):
    with pytest.raises(InputError, match="no answer to keep"):
        profiles.profile_of(evidence.evaluate(notebook, DEMO_QUESTION), {})


def test_a_plan_of_a_lost_rig_version(notebook):
    plan_id = notebook.keep_plan(
        {"question": DEMO_QUESTION.as_dict(), "design": SMALL.as_dict(), "context": {"rig": "none"}}
    )
    with pytest.raises(StoreError, match="rig version that is not in"):
        sweep.load_plan(notebook, plan_id)


def test_a_new_start_of_the_computer_during_a_first_trial_is_an_incident(notebook, tmp_path, monkeypatch):
    """Cut short at a limit above all before it: noted once, not proposed again; the same start, or a limit that was
    there before, is no incident."""
    boot = tmp_path / "boot_id"
    boot.write_text("first\n")
    monkeypatch.setattr(sweep, "BOOT", boot)
    tried = (static(11.0, 40.0), static(13.0, 40.0))
    plan = sweep.keep_plan(notebook, DEMO_QUESTION, LadderDesign(11, 13, 2, 40.0, repeats=1, pass_s=10), setups=tried)
    address = scenario.addresses(notebook.path)["ombrel-8"]
    machine = open_machine(address)
    run = notebook.begin_run(plan, address, left(machine.snapshot()))
    machine.close()
    notebook.set_state(sweep.boot_key(run), sweep.boot_id())
    last = sweep.load_plan(notebook, plan).passes[-1]
    notebook.run_at(run, last.index, [step.id for step in last.steps])
    ((entry, _, _),) = sweep.unfinished(notebook)
    assert recovery.unclean_words(notebook, entry) == "" and notebook.incidents() == []
    boot.write_text("second\n")
    assert "first time" in recovery.unclean_words(notebook, entry)
    assert recovery.unclean_words(notebook, entry) == ""
    (found,) = notebook.incidents()
    assert found.kind is IncidentKind.REBOOT and found.setup == last.setup
    assert not recovery.is_new(notebook, "ombrel-8", Setup())
    boot.unlink()
    assert sweep.boot_id() == ""
