"""Notebooks of formats 1 to 5, as those versions left them: the same passes, profiles and answers, and their sweeps go
on. tests/data/format-N.hovrik.gz were written by the program of that format, formats.json is what the last of format 3
read in them, but for the answer, which is that of the model of now."""

import gzip
import hashlib
import json
import sqlite3
from pathlib import Path

import pytest

from hovrik.bench.job import Control
from hovrik.core import words
from hovrik.core.errors import StoreError
from hovrik.core.questions.question import Question
from hovrik.demo import scenario
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.machines import open_machine
from hovrik.store.database import APPLICATION_ID, migrations
from hovrik.store.notebook import Notebook
from hovrik.store.stills import stills
from hovrik.store.upgrade import AFTER

DATA = Path(__file__).parents[1] / "data"
EXPECTED = json.loads((DATA / "formats.json").read_text())
EXPECTED["4"] = EXPECTED["5"] = EXPECTED["3"]  # that one, opened by the programs of formats 4 and 5
FORMATS = ("1", "2", "3", "4", "5")


@pytest.fixture
def stored(tmp_path):
    """A notebook of an earlier format."""

    def unpack(version):
        path = tmp_path / f"format-{version}.hovrik"
        path.write_bytes(gzip.decompress((DATA / f"format-{version}.hovrik.gz").read_bytes()))
        return path

    return unpack


def digest(trace):
    """What tells two traces apart."""
    if trace is None:
        return None
    found = hashlib.sha256(trace.frames_ns.tobytes())
    for name in sorted(trace.channels):
        found.update(name.encode())
        found.update(trace.channels[name].stamps_ns.tobytes())
        found.update(trace.channels[name].values.tobytes())
    found.update(f"{trace.start_ns} {trace.end_ns}".encode())
    return found.hexdigest()[:24]


@pytest.mark.parametrize("version", FORMATS)
def test_passes_profiles_and_answers_are_the_same(stored, version):
    wanted = EXPECTED[version]
    with Notebook(stored(version)) as notebook:
        passes = [
            {
                "id": r.id, "outcome": r.outcome.value, "purpose": r.purpose, "asked": r.asked.as_dict(),
                "series": digest(notebook.load(r.id).trace), "summary": dict(r.summary),
            }
            for r in notebook.passes()
        ]  # fmt: skip
        assert passes == wanted["passes"]
        assert sorted([b["source"], b["sentence"]] for _, b in notebook.profiles()) == wanted["profiles"]
        assert [[one.kind.value, one.note] for one in notebook.incidents()] == wanted["incidents"]
        assert [still.name for still in stills(notebook)] == wanted["stills"]
        found = evaluate(notebook, Question.from_dict(notebook.get_state("question")))
        assert words.render(found.answer.says) == wanted["answer"] and found.context.counted == wanted["counted"]
        assert {v.record.id: v.verdict.state.value for v in found.views} == wanted["verdicts"]
        for view in found.views:
            assert view.figures.value("mean_fps") == pytest.approx(wanted["rates"][view.record.id], rel=1e-12)
        assert notebook.read_rows("PRAGMA foreign_key_check") == []


@pytest.mark.parametrize("version", FORMATS)
def test_plans_hold_the_steps_that_their_recipes_stood_for(stored, version):
    with Notebook(stored(version)) as notebook:
        for plan_id, passes in EXPECTED[version]["plans"].items():
            planned = sweep.load_plan(notebook, plan_id)
            assert [[p.setup.as_dict(), p.purpose, p.pass_s, p.soak_s] for p in planned.passes] == passes
            own = [r for r in notebook.passes() if r.plan_id == plan_id and r.id not in notebook.taken_out()]
            assert planned.done_indices == {r.plan_index for r in own}
        assert [[e.plan_id, d, n] for e, d, n in sweep.unfinished(notebook)] == EXPECTED[version]["open"]


@pytest.mark.parametrize("version", FORMATS)
def test_a_sweep_that_was_cut_short_goes_on(stored, version):
    path = stored(version)
    with Notebook(path) as notebook:
        ((entry, done, planned),) = sweep.unfinished(notebook)
        before = {r.id for r in notebook.passes()}
        address = scenario.addresses(path)["ombrel-8"]
        machine = open_machine(address)
        ended = sweep.run_plan(notebook, entry.plan_id, machine, address, Control(), lambda event: None)
        machine.close()
        own = [r for r in notebook.passes() if r.plan_id == entry.plan_id]
        assert ended.done == planned == len(own) and len({r.id for r in own} - before) == planned - done
        recipe = EXPECTED[version]["plans"][entry.plan_id]
        assert [r.asked.as_dict() for r in sorted(own, key=lambda r: r.plan_index)] == [setup for setup, *_ in recipe]


def test_a_migration_is_all_or_nothing(stored):
    """A row that points at nothing: nothing is changed, and the file says so on the next try as well."""
    path = stored("3")
    with sqlite3.connect(path) as raw:
        raw.execute("INSERT INTO annotation (uid, pass_id, kind, body, noted_at) VALUES ('u', 'none', 'mark', '{}', 1)")
    for _ in range(2):
        with pytest.raises(StoreError, match="belong to nothing"):
            Notebook(path)
        with sqlite3.connect(path) as raw:
            assert raw.execute("PRAGMA user_version").fetchone()[0] == 3
            assert raw.execute("SELECT count(*) FROM chunk").fetchone()[0] > 100


@pytest.mark.parametrize("version", FORMATS)
def test_an_older_notebook_that_is_not_to_be_written_is_answered_from_a_copy_in_memory(stored, version):
    """It said: open it for writing once."""
    path = stored(version)
    before = path.read_bytes()
    with Notebook(path, read_only=True) as notebook, notebook.sibling() as other:
        assert f"older format {version}" in notebook.why_read_only
        found = evaluate(other, Question.from_dict(notebook.get_state("question")))
        assert words.render(found.answer.says) == EXPECTED[version]["answer"]
        with pytest.raises(StoreError, match="reading only"):
            notebook.annotate("x", "deletion", {})
    assert path.read_bytes() == before and not list(path.parent.glob("*.format-*"))


@pytest.mark.parametrize("version", FORMATS)
def test_before_it_is_brought_up_to_date_a_copy_is_kept_and_its_name_said(stored, version):
    path = stored(version)
    for number in range(2):  # a second one takes the place of nothing
        with Notebook(path) as notebook:
            former = notebook.former
        assert former == path.with_name(f"format-{version}.format-{version}{'-2' if number else ''}.hovrik")
        with sqlite3.connect(former) as raw:
            assert raw.execute("PRAGMA user_version").fetchone()[0] == int(version)
        with Notebook(path) as notebook:
            assert notebook.former is None
        path.unlink()
        stored(version)


def test_what_an_earlier_format_found_spoiled_stays_so(stored):
    """Sealing all rows anew makes none sound that something else has changed."""
    path = stored("5")
    with sqlite3.connect(path) as raw:
        raw.execute("DROP TRIGGER pass_no_update")
        ((own,),) = raw.execute("SELECT id FROM pass WHERE asked LIKE '%12%' ORDER BY seq LIMIT 1").fetchall()
        raw.execute("UPDATE pass SET asked = replace(asked, '12', '17') WHERE id = ?", (own,))
    with Notebook(path) as notebook:
        assert own not in {record.id for record in notebook.passes()}
        assert ("pass", own) in notebook.spoiled


def test_an_empty_notebook_of_each_format_opens(tmp_path):
    scripts = migrations()
    for upto in range(1, len(scripts) + 1):
        path = tmp_path / f"{upto}.hovrik"
        with sqlite3.connect(path) as raw:
            for number, script in scripts[:upto]:
                raw.executescript(script if number < 4 else f"PRAGMA foreign_keys = OFF; {script}")
                AFTER.get(number, lambda connection: None)(raw)
            raw.executescript(f"PRAGMA application_id = {APPLICATION_ID}; PRAGMA user_version = {upto}")
        with Notebook(path) as notebook:
            assert notebook.passes() == [] and notebook.plans() == []
